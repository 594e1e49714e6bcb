"""The shelf: snippets kept, put into files of three made-up games, edited there, changed on the shelf, and brought up to date."""

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

FLOUR = 'Mill.Flours = {\n  { name = "{word}", from = "oats", sieves = 2, price = {price} },\n}\n'
EVENING = '[[evening]]\nname = "{word}"\n'
PLANT = '<species code="SP-77"><title>{word}</title><crop>5</crop><cost>{cost}</cost></species>'


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with(world("mill") | world("choir") | world("orchard"))
        yield stack


def test_a_snippet_is_kept_put_edited_and_brought_up_to_date(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    given = api.KeptIn(
        text=FLOUR, title="A flour", origin="the miller's page", path="*.lua", parameters={"word": "", "price": "4"}
    )
    client.keep_on_shelf("flour", given)
    change = client.create_change("reef", "Two flours").id
    plan = client.plan_from_shelf(change, api.PlacedIn(name="flour", values={"word": "blue"}))
    assert plan.words == "1 added."
    for values in ({"word": "blue"}, {"word": "red", "price": "8"}):
        client.put_from_shelf(change, api.PlacedIn(name="flour", values=values))
    waiting = client.shelf_snippet("flour").places
    assert {one.fault for one in waiting} == {f"Change {change}, which puts it there, is not deployed yet."}
    assert quick.end_of(client.deploy(change)).state == "deployed"
    assert b'{ name = "blue", from = "oats", sieves = 2, price = 4 }' in quick.files()["mill.lua"]
    assert [one.differs for one in client.shelf_snippet("flour").places] == [[], []]
    assert [(one.name, one.uses) for one in client.shelf()] == [("flour", 2)]
    # One is edited on the server, then the text on the shelf changes in two places.
    edit = client.create_change("reef", "Dear blue").id
    client.add_step(edit, api.StepIn(kind="set", address="mill.lua#Mill.Flours/[blue]/sieves", operation="=5"))
    assert quick.end_of(client.deploy(edit)).state == "deployed"
    assert [one.differs for one in client.shelf_snippet("flour").places] == [["Mill.Flours/[blue]/sieves"], []]
    newer = given.model_copy(update={"text": FLOUR.replace('"oats"', '"rye"')})
    client.keep_on_shelf("flour", newer)
    dry = client.update_from_shelf("flour")
    assert [(one.places, one.change, one.fault) for one in dry] == [(1, None, ""), (1, None, "")]
    done = client.update_from_shelf("flour", True)
    (made,) = {one.change for one in done}
    assert made is not None, "one change for all places of a server"
    assert quick.end_of(client.deploy(made)).state == "deployed"
    text = quick.files()["mill.lua"].decode()
    assert '{ name = "blue", from = "rye", sieves = 5, price = 4 }' in text, "what was edited here stays"
    assert '{ name = "red", from = "rye", sieves = 2, price = 8 }' in text
    assert all(one.places == 0 for one in client.update_from_shelf("flour"))
    client.keep_on_shelf("flour", newer.model_copy(update={"text": newer.text.replace("sieves = 2", "sieves = 1")}))
    blue, red = client.update_from_shelf("flour")
    assert "Mill.Flours/[blue]/sieves was edited here too: it is 5, the shelf has 1" in blue.fault
    assert (red.places, red.fault) == (1, "")
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}
    shown = zerrit("shelf", "show", "flour", cwd=tmp_path, **signed)
    assert (shown.code, "reef:mill.lua (word=blue): an older text, differs in 1 place" in shown.out) == (1, True)
    updated = zerrit("shelf", "update", "flour", cwd=tmp_path, **signed)
    assert (updated.code, "left as it is." in updated.out, "1 value would change" in updated.out) == (1, True, True)
    client.remove_from_shelf("flour")
    with pytest.raises(ProblemError, match="Nothing on the shelf is called flour"):
        client.shelf_snippet("flour")


def test_what_was_taken_back_is_told_and_not_brought_up_to_date(quick: Quick) -> None:
    client = quick.zerrit
    given = api.KeptIn(text=EVENING, path="evenings.toml", parameters={"word": ""})
    client.keep_on_shelf("evening", given)
    change = client.create_change("reef", "One evening").id
    client.put_from_shelf(change, api.PlacedIn(name="evening", values={"word": "Late"}))
    client.withdraw(change)
    (one,) = client.update_from_shelf("evening")
    assert one.fault == f"Change {change}, which was to put it there, was withdrawn. Put it into another change."
    again = client.create_change("reef", "One evening").id
    client.put_from_shelf(again, api.PlacedIn(name="evening", values={"word": "Late"}))
    assert quick.end_of(client.deploy(again)).state == "deployed"
    gone = client.create_change("reef", "None").id
    client.add_step(gone, api.StepIn(kind="remove", address="evenings.toml#evening[name=Late]"))
    assert quick.end_of(client.deploy(gone)).state == "deployed"
    client.keep_on_shelf("evening", given.model_copy(update={"text": f'{EVENING}guest = "Ada"\n'}))
    (one,) = client.update_from_shelf("evening")
    assert (one.places, "not there any more" in one.fault) == (0, True)


def test_by_commands_in_other_formats(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}
    change = str(client.create_change("reef", "From the shelf").id)

    def run(*words: str) -> str:
        done = zerrit("shelf", *words, cwd=tmp_path, **signed)
        return done.out + done.err

    assert "The shelf is empty" in run("list")
    (tmp_path / "evening.toml").write_text(EVENING)
    (tmp_path / "plant.xml").write_text(PLANT)
    assert "evening is on the shelf" in run(
        "keep", "evening", "evening.toml", "--path", "evenings.toml", "--parameter", "word"
    )
    assert "1 added." in run("put", "evening", change, "word=Late", "--dry-run")
    assert "Step 1: evenings.toml" in run("put", "evening", change, "word=Late")
    run("keep", "plant", "plant.xml", "--path", "data/species.xml", "--parameter", "word", "--parameter", "cost=30")
    assert "Step 2: data/species.xml" in run("put", "plant", change, "word=medlar")
    listed = run("list")
    assert "word, cost" in listed
    assert listed.count("\n") == 3
    for words, said in (
        (("put", "plant", change), "A value is missing for word"),
        (("put", "plant", change, "word=x", "wrod=y"), "has no parameter wrod"),
        (("put", "plant", change, "word"), "write NAME=VALUE"),
        (("put", "fern", change), "Nothing on the shelf is called fern"),
        (("keep", "Bad Name", "plant.xml"), "is not a name for the shelf"),
        (("keep", "plant", "plant.xml", "--parameter", "height"), "has no {height}"),
    ):
        assert said in run(*words), words
    assert "no longer on the shelf" in run("remove", "plant")
    assert len(client.change(int(change)).step_list) == 2


def test_part_of_a_pack_by_all_ways_in(quick: Quick, tmp_path: Path) -> None:
    client = quick.zerrit
    before = quick.files()["songs.cfg"]
    pack = "".join(
        f'"song"\n{{\n\t"name"\t"Pack {n}"\n\t"key"\t"{"minor" if n % 3 else "major"}"\n\t"voices"\t"2"\n\t"length"\t"{n}"\n\t"fee"\t"1"\n}}\n'
        for n in range(1, 41)
    )
    change = client.create_change("reef", "Songs of a pack").id
    plan = client.plan_merge(change, "songs.cfg", pack, "Songs", take=["song[key=major][length>30]"])
    assert plan.words == "3 added, 37 of the snippet not taken."
    assert [one.address for one in plan.actions if one.is_taken] == [f"Songs/song[Pack {n}]" for n in (33, 36, 39)]
    token = client.token(ADMIN, PASSWORD).token
    with httpx.Client(base_url=quick.url, headers={"Authorization": f"Bearer {token}"}) as plain:
        step = {"kind": "merge", "address": "songs.cfg", "snippet": pack, "into": "Songs", "take": ["song[length<3]"]}
        assert plain.post(f"/api/v1/changes/{change}/steps", json=step).status_code == 201
        wrong = plain.post(f"/api/v1/changes/{change}/steps", json={**step, "take": ["song[length>90]"]})
        assert (wrong.status_code, "Nothing in the snippet is at" in wrong.text) == (422, True)
    (tmp_path / "pack.cfg").write_text(pack)
    (tmp_path / "songs.cfg").write_bytes(before)
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    words = ("change", "merge", str(change), "songs.cfg", "pack.cfg", "--into", "Songs")
    done = zerrit(*words, "--take", "song[Pack 7]", cwd=tmp_path, **signed)
    assert (done.code, "39 of the snippet not taken." in done.out, done.out.count("Pack ")) == (0, True, 1), done.err
    local = zerrit(
        "merge",
        "songs.cfg",
        "pack.cfg",
        "--into",
        "Songs",
        "--take",
        "song[Pack 9]",
        "--save-to",
        "out.cfg",
        cwd=tmp_path,
    )
    assert local.code == 0, local.err
    assert (tmp_path / "out.cfg").read_text().count('"Pack ') == 1
    assert quick.end_of(client.deploy(change)).state == "deployed"
    assert quick.files()["songs.cfg"].count(b'"Pack ') == 3


def test_entries_of_a_snippet_that_go_back_are_told(quick: Quick) -> None:
    client = quick.zerrit
    change = client.create_change("reef", "Dearer").id
    client.add_step(change, api.StepIn(kind="set", address="songs.cfg#Songs/song[Carol]/fee", operation="=9"))
    assert quick.end_of(client.deploy(change)).state == "deployed"
    again = client.create_change("reef", "An old snippet").id
    snippet = '"song"\n{\n\t"name"\t"Carol"\n\t"fee"\t"2"\n}\n"song"\n{\n\t"name"\t"Aubade"\n\t"fee"\t"77"\n}\n'
    older = {one.address: one.older for one in client.plan_merge(again, "songs.cfg", snippet, "Songs").actions}
    assert older == {"Songs/song[Carol]": "snapshot 2", "Songs/song[Aubade]": ""}
