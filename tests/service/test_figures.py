"""Figures of made-up games: loops, odds, prices, room and places, through the client, plain HTTP and commands, before and after."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.cli.command import zerrit
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.worlds import world
from zerrit import api
from zerrit.client import ProblemError

BARREL = """\
<barrels>
  <barrel id="quay" draws="2">
    <set p="50" take="all"><fish what="eel" min="1" max="3"/><fish what="crab" p="25"/></set>
    <set w="3"><fish what="ling" w="5" fine="great ling" odds="10"/><fish what="cod" w="2" on="ice"/><set w="3"><fish what="pearl"/><fish what="sand" w="4"/></set></set>
  </barrel>
</barrels>
"""
BOOK = """\
gamebook: 1
game: mill
files:
  data/store.db:
    entries:
      farms: {fields: {credit: {min: 10}}}
keep:
  - {each: "mill.lua#Mill.Stones/*", keep: hours <= speed}
draws:
  - name: barrels
    tables: barrels.xml#barrel
    takes: "@draws"
    weight: "@w"
    chance: "@p"
    chance_of: 100
    sets:
      takes: "@take"
      takes_all: all
      weight: "@w"
      chance: "@p"
      chance_of: 100
      thing: "@what"
      counts: {min: "@min", max: "@max"}
      variant: "@fine"
      variant_chance: "@odds"
      when: "@on"
      sets: same
derived:
  - name: costs
    each: data/store.db#grains
    value: price
    thing: name
  - name: brings
    each: "mill.lua#Mill.Flours/*"
    value: price
    thing: from
    inputs: {sieves: sieves}
    result: value * (1 - sieves / 20) - amount / 100
balance:
  - {sum: data/store.db#farms/credit, max: 700}
loops:
  - name: mill
    trades:
      - {name: buy, each: data/store.db#grains, gives: [{money: price}], gets: [{thing: name}]}
      - name: grind
        each: "mill.lua#Mill.Flours/*"
        gives: [{thing: from, count: 2}]
        gets: [{thing: name}]
      - {name: sell, each: "mill.lua#Mill.Flours/*", gives: [{thing: name}], gets: [{money: price}]}
"""


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(world("mill") | world("quarry") | world("orchard") | {"barrels.xml": BARREL.encode()})
        stack.zerrit.save_as_gamebook("reef", BOOK)
        yield stack


def test_a_loop_is_told_ended_by_its_fix_and_told_by_the_check(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    found = client.loops("reef")
    assert [one.gain for one in found.loops] == ["0.5", "0.5", "0.25", "0.25"]
    assert found.verdict == "It is certain that no other loop gains money."
    golden = next(one for one in found.loops if "golden" in one.words)
    assert [(step.trade, step.times) for step in golden.steps] == [("buy", "2"), ("grind", "1"), ("sell", "1")]
    assert golden.fix is not None
    told = [one for one in client.check_server("reef").findings if one.code == "meaning.loop"]
    assert {one.address for one in told} == {one.fix.address for one in found.loops if one.fix}
    change = client.create_change("reef", "No more gain").id
    client.add_steps(
        change,
        [
            api.StepIn(kind="set", address=one.fix.address, operation=f"={one.fix.new}")
            for one in found.loops
            if one.fix is not None
        ],
    )
    after = client.loops("reef", change=change)
    assert (after.loops, len(after.ended)) == ([], 4)
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}
    shown = zerrit("figures", "loops", "reef", cwd=tmp_path, **signed)
    assert (shown.code, shown.out.count("a round gains 0.25 money")) == (1, 2)
    ended = zerrit("figures", "loops", "reef", "--change", str(change), cwd=tmp_path, **signed)
    assert (ended.code, ended.out.count("ended: ")) == (0, 4)


def test_odds_of_sets_and_the_questions_about_them(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    plain, on_ice = client.odds("reef")
    assert (plain.table, plain.case, on_ice.case) == ("quay", "", "ice")
    chances = {one.thing: one.exact for one in plain.chances}
    assert chances["eel"] == "15/64"  # 1 - (1 - 1/4 * 1/2)^2
    assert "cod" not in chances
    assert "cod" in {one.thing for one in on_ice.chances}
    (never,) = client.odds_seen("reef", "quay", "eel", 0, 60)
    assert (never.verdict, "or fewer" in never.words) == ("unlikely", True)
    (many,) = client.odds_seen("reef", "quay", "eel", 200, 40, pieces=True)
    assert many.verdict == "unlikely"
    weight = client.odds_weight("reef", "quay", "pearl", "0.3")
    assert weight.below.result <= 0.3 <= weight.above.result
    assert weight.address.endswith("fish[pearl]")
    change = client.create_change("reef", "More ling").id
    client.add_step(change, api.StepIn(kind="set", address="barrels.xml#barrel/set/fish[ling]/@w", operation="*4"))
    apart = client.odds_apart("reef", "quay", "ling", change=change)
    assert apart.before < apart.after
    assert f"{apart.draws:,} draws tell" in apart.words
    assert len(client.odds_seen("reef", "quay", "ling", 5, 9, change=change)) == 2
    worth = client.odds("reef", "quay", case="", worth="data/store.db#grains/price")[0].worth_after
    assert worth is not None
    assert (worth.least, "eel" in worth.without) == (0, True)
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}

    def run(*words: str) -> str:
        done = zerrit("figures", "odds", "reef", "quay", *words, cwd=tmp_path, **signed)
        return done.out + done.err

    assert "happens once in" in run("--seen", "eel=0", "--draws", "60")
    assert "For 5.0 % of pearl" in run("--weight-for", "pearl=5%")
    assert "draws tell" in run("--tell-apart", "ling", "--change", str(change))
    for words, said in (
        (("--seen", "eel", "--draws", "6"), "write THING=COUNT"),
        (("--seen", "eel=4"), "Say in how many draws"),
        (("--draws", "4"), "--draws goes with --seen"),
        (("--weight-for", "pearl=500%"), "a chance is from 0 to 1"),
        (("--seen", "eel=4", "--draws", "2"), "cannot come in 4 of 2 draws"),
        (("--seen", "whale=0", "--draws", "2"), "quay does not bring whale"),
        (("--case", "fog"), "No prize depends on fog"),
    ):
        assert said in run(*words)


def test_prices_are_beside_each_other_and_beside_those_before(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    change = client.create_change("reef", "Dear wheat").id
    client.add_step(change, api.StepIn(kind="set", address="data/store.db#grains[1]/price", operation="+2"))
    rows = client.derived("reef", ["costs", "brings"], ["0", "50"], change=change)
    wheat = {one.name: one for one in rows if one.thing == "wheat"}
    assert [(at.amount, at.value, at.before) for at in wheat["costs"].amounts] == [("0", 6.5, 4.5), ("50", 6.5, 4.5)]
    assert [(at.amount, at.value) for at in wheat["brings"].amounts] == [("0", 8.075), ("50", 7.575)]
    assert [(one.name, one.number, one.source) for one in wheat["brings"].inputs] == [
        ("sieves", 3, "mill.lua#Mill.Flours/[fine]/sieves")
    ]
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}
    words = ("figures", "derived", "reef", "costs", "brings", "--amount", "0", "--change", str(change))
    shown = zerrit(*words, cwd=tmp_path, **signed)
    assert shown.code == 0, shown.err
    assert "6.5 (4.5)" in shown.out
    assert "brings: price, then value * (1 - sieves / 20) - amount / 100 (line " in shown.out


def test_room_is_made_edited_and_taken(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    change = client.create_change("reef", "More credit").id
    client.add_step(change, api.StepIn(kind="set", address="data/store.db#farms[105]/credit", operation="=260"))
    found = client.room("reef", "data/store.db#farms/credit", change=change)
    assert (found.total, found.limit, found.after, found.missing, found.spared) == ("795", "700", "700", "0", 1)
    assert all(one.address != "data/store.db#farms[105]/credit" for one in found.lowered)
    assert all(int(one.new) >= 10 for one in found.lowered), "the gamebook's least is kept"
    blocked = [one for one in client.change(change).findings if one.code == "meaning.sum"]
    assert blocked
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}
    words = ("figures", "room", "reef", "data/store.db#farms/credit", "--first", "data/store.db#farms[road=south]")
    short = zerrit(*words, "--change", str(change), cwd=tmp_path, **signed)
    assert "1st in the list" in short.out
    done = zerrit(
        "figures", "room", "reef", "data/store.db#farms/credit", "--add-to", str(change), cwd=tmp_path, **signed
    )
    assert done.code == 0, done.err
    assert f"steps added to change {change}" in done.out
    assert [one for one in client.change(change).findings if one.code == "meaning.sum"] == []
    oldest = client.room("reef", "data/store.db#farms/credit", "600", by="age")
    assert oldest.lowered[0].reason == "1st oldest"
    with pytest.raises(ProblemError, match=r"the gamebook has none for mill\.lua"):
        client.room("reef", "mill.lua#Mill.Stones/*/hours")


def test_numbers_move_along_as_the_gamebook_and_the_step_say(quick: Quick) -> None:
    client = quick.zerrit
    change = client.create_change("reef", "Slow stones").id
    at = "mill.lua#Mill.Stones/north"
    seen = client.try_step(change, api.StepIn(kind="set", address=f"{at}/speed", operation="=4"))
    assert [(one.address, one.new) for one in seen.changes] == [(f"{at}/speed", "4"), (f"{at}/hours", "4")]
    alone = client.try_step(change, api.StepIn(kind="set", address=f"{at}/speed", operation="=4", alone=True))
    assert [one.address for one in alone.changes] == [f"{at}/speed"]
    ratio = api.StepIn(kind="set", address=f"{at}/speed", operation="*2", keep_ratio=["speed", "hours"])
    assert [(one.new) for one in client.try_step(change, ratio).changes] == ["180", "24"]
    client.add_step(change, api.StepIn(kind="set", address=f"{at}/speed", operation="=4"))
    assert quick.end_of(client.deploy(change)).state == "deployed"
    assert b'north = { speed = 4, grain = "wheat", hours = 4,' in quick.files()["mill.lua"]


def test_balance_and_places_by_plain_http_and_commands(quick: Quick, tmp_path: Path) -> None:
    token = quick.zerrit.token(ADMIN, PASSWORD).token
    base = f"{quick.url}/api/v1/servers/reef/figures"
    with httpx.Client(headers={"Authorization": f"Bearer {token}"}) as plain:
        query = {
            "address": "data/store.db#farms/credit",
            "by": ["[road=south]", "[credit>100]"],
            "target": "[road=south]=50",
        }
        rows = {one["group"]: one for one in plain.get(f"{base}/balance", params=query).json()["rows"]}
        assert {name: one["sum_after"] for name, one in rows.items()} == {
            "[road=south]": "130",
            "(others)": "125",
            "[credit>100]": "480",
        }
        assert rows["[road=south]"]["off"] == "-237.5"
        wrong = plain.get(f"{base}/balance", params={**query, "target": "south=50"})
        assert (wrong.status_code, "No group is called south" in wrong.text) == (422, True)
        for path, params in (
            ("odds/weight", {"table": "quay", "thing": "eel"}),
            ("distances", {"address": "mill.lua#Mill.Stones/*", "axes": ["speed"]}),
            ("derived", {"name": "nothing"}),
            ("room", {"address": "mill.lua#x", "limit": "4"}),
        ):
            assert plain.get(f"{base}/{path}", params=params).status_code == 422, path
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    words = ("figures", "distance", "reef", "mill.lua#Mill.Stones/*", "--axes", "speed,hours", "--output", "json")
    near = zerrit(*words, "--to", "mill.lua#Mill.Stones/*", cwd=tmp_path, **signed)
    (first, *_) = json.loads(near.out)
    assert (first["address"], first["nearest"]) == ("mill.lua#Mill.Stones/south", "mill.lua#Mill.Stones/spare") or (
        first["distance"] == "5.00"
    )
    box = zerrit(*words, "--from", "75,10", "--box", "60,8,80,12", cwd=tmp_path, **signed)
    assert (box.code, sum(one["is_inside"] for one in json.loads(box.out))) == (1, 3)
    neither = zerrit(*words, cwd=tmp_path, **signed)
    assert "Say where to measure from" in neither.err
