"""One step over entries that are chosen by what they are: through the client, plain HTTP and commands, deployed and taken back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.cli.command import zerrit
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.worlds import world
from zerrit import api
from zerrit.client import ProblemError


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(world("mill") | world("choir"))
        yield stack


def test_entries_are_chosen_edited_deployed_and_brought_back(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    before = quick.files()
    shown = client.show("reef", "data/store.db#grains[price>5][bolted=0]/name")
    assert [one.value for one in shown] == ["spelt", "millet", "buckwheat"]
    change = client.create_change("reef", "Dearer stones").id
    step = api.StepIn(
        kind="set", address="mill.lua#Mill.Stones/*[speed>=90]/hours", operation="=:{clamp(old + 1, 1, 14)}"
    )
    client.add_step(change, step)
    client.add_step(
        change, api.StepIn(kind="set", address="data/store.db#loads[grain=wheat,rye]/sacks", operation="*2")
    )
    client.add_step(change, api.StepIn(kind="comment-out", address="songs.cfg#Songs/song[key=minor][fee>4]"))
    client.add_step(change, api.StepIn(kind="add", address="evenings.toml#evening[!guest]", name="guest", value="Ada"))
    with pytest.raises(ProblemError, match="None of them has a value at `spead`"):
        client.add_step(change, api.StepIn(kind="set", address="mill.lua#Mill.Stones/*[spead>1]/hours", operation="=1"))
    found = [one.address for one in client.differences(change).differences]
    assert [one for one in found if one.startswith("mill.lua")] == [
        "mill.lua#Mill.Stones/north/hours",
        "mill.lua#Mill.Stones/twin/hours",
    ]
    assert sum(one.startswith("evenings.toml") for one in found) == 4
    assert sum(one.startswith("data/store.db#loads") for one in found) == 6
    assert quick.end_of(client.deploy(change)).state == "deployed"
    now = quick.files()
    assert now["evenings.toml"].count(b'guest = "Ada"') == 4
    assert quick.end_of(client.rollback("reef", 1)).state == "done"
    assert quick.files() == before


def test_the_same_by_commands_and_plain_http(quick: Quick, tmp_path: Path) -> None:
    token = quick.zerrit.token(ADMIN, PASSWORD).token
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    change = str(quick.zerrit.create_change("reef", "Cheaper songs").id)
    done = zerrit(
        "change", "set", change, "songs.cfg#Songs/song[fee>6]/fee", "=:{round(old / 2)}", cwd=tmp_path, **signed
    )
    assert done.code == 0, done.err
    assert "songs.cfg#Songs/song[Fugue]/fee" in done.out
    shown = zerrit("show", "reef:singers.js#singers/*[voice=bass]/pay", cwd=tmp_path, **signed)
    assert shown.out.count("pay") >= 2
    wrong = zerrit("show", "reef:singers.js#singers/*[voice>3]", cwd=tmp_path, **signed)
    assert "`voice` is not a number in any of them" in wrong.err
    with httpx.Client(base_url=quick.url, headers={"Authorization": f"Bearer {token}"}) as plain:
        body = {"kind": "remove", "address": "singers.js#singers/*[pay<2]"}
        assert plain.post(f"/api/v1/changes/{change}/steps", json=body).status_code == 201
        bad = plain.post(f"/api/v1/changes/{change}/steps", json={**body, "address": "singers.js#singers/*[pay<two]"})
        assert (bad.status_code, "needs one number" in bad.text) == (422, True)
    local = tmp_path / "songs.cfg"
    local.write_bytes(world("choir")["songs.cfg"])
    edited = zerrit("edit", "songs.cfg", "Songs/song[key=minor]", "add", "encore", "=1", cwd=tmp_path)
    assert edited.code == 0, edited.err
    assert local.read_text().count('"encore"') == 3


def test_entries_are_searched_filtered_and_completed_in_the_same_language(quick: Quick) -> None:
    client = quick.zerrit
    found = client.search("*.cfg#Songs/song[key=minor]")
    assert found.is_complete
    assert {(one.kind, one.path) for one in found.hits} == {("entry", "songs.cfg")}
    shown = client.show("reef", "songs.cfg#Songs/song[key=minor]")
    assert [one.address for one in found.hits] == [one.address.partition("#")[2] for one in shown]
    assert client.search("reef:songs.cfg#Songs/song[key=minor]").hits == found.hits
    assert client.search("songs.cfg#Songs/song[key=mangled]").hits == []

    def rows(search: str = "", *where: str) -> list[str]:
        query = api.EntriesQuery(path="data/store.db", kind="grains", search=search, where=list(where))
        return [one.cells["name"] for one in client.entries("reef", query).rows]

    assert rows("[price>5][bolted=0]") == ["spelt", "millet", "buckwheat"]
    assert rows("[price>5] [bolted=0] mil") == ["millet"]
    assert rows("", "price:>5", "bolted:=0") == ["spelt", "millet", "buckwheat"]
    assert rows("", "name:=spelt,mil*") == ["spelt", "millet"]
    assert rows("", 'name:~"^(spelt|rye)$"') == [one for one in rows() if one in ("spelt", "rye")]
    for wrong in ("[price>dear]", "[price>5", "[pri/ce//=4]"):
        if wrong == "[price>5":  # a bracket that is still open is a word
            assert rows(wrong) == []
            continue
        with pytest.raises(ProblemError, match="does not choose entries"):
            rows(wrong)
    with pytest.raises(ProblemError, match="is not a condition"):
        rows("", "price:>dear")
    assert client.complete("reef", "songs.cfg#Songs/song[k") == ["songs.cfg#Songs/song[key="]
    assert "songs.cfg#Songs/song[key=minor]" in client.complete("reef", "songs.cfg#Songs/song[key=")


def test_one_waiver_accepts_a_finding_at_all_places_that_it_chooses(quick: Quick) -> None:
    client = quick.zerrit
    gamebook = b"gamebook: 1\ngame: mill\nfiles:\n  songs.cfg:\n    entries:\n      Songs/song:\n        fields:\n          fee: {max: 1}\n"
    client.save_as_gamebook("reef", gamebook.decode())
    code = "meaning.range"
    places = [one.address for one in client.check_server("reef").findings if one.code == code]
    assert len(places) > 3
    with pytest.raises(ProblemError, match="has no finding"):
        client.waive_on("reef", code, "songs.cfg#Songs/song[key=mangled]/fee", "none is so")
    pattern = "songs.cfg#Songs/song[key=minor]/fee"
    chosen = {one.address for one in client.show("reef", pattern)} & set(places)
    assert chosen
    client.waive_on("reef", code, pattern, "short ones are cheap")
    judged = {one.address: one.waived for one in client.check_server("reef").findings if one.code == code}
    assert {address for address, waived in judged.items() if waived} == chosen
    (waiver,) = client.waivers("reef")
    assert waiver.state == "in-use"
    change = client.create_change("reef", "In major").id
    client.add_step(change, api.StepIn(kind="set", address="songs.cfg#Songs/song[key=minor]/key", operation="=major"))
    after = {one.address: one.waived for one in client.change(change).findings if one.code == code}
    assert not any(after.values())  # none is chosen any more, so none is accepted
