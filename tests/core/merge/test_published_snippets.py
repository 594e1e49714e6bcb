"""Every published snippet of the demo world, spoilt ones included, ends in the right result or a clear refusal."""

from __future__ import annotations

from importlib.resources import files

import pytest

from zerrit.core import Document
from zerrit.core.errors import SnippetRefused
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.merge import ActionKind, apply_plan, plan_merge
from zerrit.demo.world_files import gamebook, server_files, snippet

FINDS = "sea/finds.xml"
BELL = "addins/tidebell/settings.yml"

#: The file that it is for, and what must be there afterwards, by address.
MERGED: dict[str, tuple[str, dict[str, str]]] = {
    "pump-circuits.txt": ("station.ini", {'"Circuit Wet Lab"/Deck': "2", '"Circuit Sump Six"/Manned': "Night Watch"}),
    "tarnished-set.html": (FINDS, {"shelf[brass]/find[Tarnished Gimbal]/@holds": "2..9", "shelf[brass]/find[Tarnished Star Globe]/@worth": "120"}),
    "whole-file-of-floats.xml": (FINDS, {f"shelf[float]/find[{size} Cork Float]/@worth": "190" for size in ("Small", "Broad", "Great")}),
    "numbered-happening.txt": ("sea/happenings/highwater.xml", {"happening[Milk Bloom]/@every": "120", "happening[Milk Bloom]/@lasts": "25", "happening[Lantern Tide]/@runs": "no"}),
    "quiet-bell.yml": (BELL, {"settings/volume": "0.4", "settings/quiet/from": "22:00", "settings/quiet/to": "07:00"}),
    "bell-places.yml": (BELL, {"settings/places/[Chapel Wall]/echo": "3", "settings/places/[Galley]/echo": "1", "settings/places/[Moon Pool]/echo": "2"}),
    "one-dish.txt": ("galley/board.json", {"board/[Great Ling]/deck": "1", "board/[Great Ling]/larder": "5..20"}),
    "feast-dishes.json": ("galley/board.json", {"board/[Fennel Clams]/larder": "10..40", "board/[Kelp Trifle]/price/evening": "9"}),
    "quoted-multipliers.txt": ("station.ini", {"Multipliers/FindRate": "1.6", "Multipliers/AirUse": "0.7", "Multipliers/HaulWeight": "1.0"}),
    "one-circuit.txt": ("station.ini", {'"Circuit Moon Pool"/Rating': "9", '"Circuit Moon Pool"/Model': "T3"}),
    "a-name.txt": ("station.ini", {"Station/Name": "Somewhere"}),
    "pasted-twice.ini": ("station.ini", {"Tide/Clock": "0"}),
    "coloured.html": ("station.ini", {"World/DayLength": "120", "World/Season": "Ice Water"}),
}  # fmt: skip

REFUSED = {
    "cut-off-find.xml": (FINDS, "cannot be read as XML, line 3: `hol` in <find> has no value"),
    "cut-off-circuit.txt": ("station.ini", "cannot be read as INI, line 4: "),
    "nothing.txt": ("station.ini", "The snippet is empty"),
    "another-format.txt": (FINDS, "The snippet reads like YAML, but sea/finds.xml is XML"),
}


def server_file(path: str) -> Document:
    book, _ = read_gamebook(gamebook())
    assert book is not None
    return book.read(server_files("coral-gate")[path], path)


def test_the_table_has_every_snippet_of_the_demo_world() -> None:
    known = {one.name for one in files("zerrit.demo").joinpath("snippets").iterdir()}
    assert known == MERGED.keys() | REFUSED.keys()


@pytest.mark.parametrize("name", MERGED)
def test_a_published_snippet_ends_in_the_right_result(name: str) -> None:
    path, expected = MERGED[name]
    target = server_file(path)
    merged = apply_plan(target, plan_merge(target, snippet(name)))
    assert merged.ok
    for address, value in expected.items():
        assert [node.value for node in merged.select(address)] == [value], address
    again = plan_merge(merged, snippet(name))
    assert {action.kind for action in again.actions} == {ActionKind.SAME}
    assert apply_plan(merged, again).text == merged.text
    # Nothing else is touched: with the places of the snippet put back, the file is what it was.
    gone = [line for line in target.text.splitlines() if line not in merged.text.splitlines()]
    assert len(gone) <= len(expected)


@pytest.mark.parametrize("name", REFUSED)
def test_a_spoilt_snippet_is_refused_with_the_reason(name: str) -> None:
    path, why = REFUSED[name]
    target = server_file(path)
    with pytest.raises(SnippetRefused, match=why.replace("(", r"\(").replace(".", r"\.")):
        plan_merge(target, snippet(name))


def test_what_stands_twice_in_a_snippet_is_added_once() -> None:
    target = server_file(FINDS)
    entry = '<shelf family="brass"><find name="New One" worth="5"/></shelf>\n'
    merged = apply_plan(target, plan_merge(target, entry * 2))
    assert merged.text.count("New One") == 1
    plan = plan_merge(target, entry + entry.replace("5", "6"))
    assert [action.kind for action in plan.actions] == [ActionKind.ADD, ActionKind.ASK]
    assert plan.actions[1].reason.startswith("It occurs twice in the snippet, in line 1 with other values")
    with pytest.raises(SnippetRefused, match="occurs twice in the snippet"):
        apply_plan(target, plan.decided({"shelf[brass]/find[New One]": ActionKind.ADD}))


def test_an_entry_without_the_field_that_names_its_siblings_is_asked_about() -> None:
    target = server_file(FINDS)
    plan = plan_merge(target, '<shelf family="brass"><find nmae="Odd One" worth="5"/></shelf>')
    assert [(action.kind, action.reason) for action in plan.actions] == [
        (ActionKind.ASK, "It has no @name, by which the others are told apart. Is that misspelled? Add it or skip it.")
    ]
    with pytest.raises(SnippetRefused, match="Choose an action for it first"):
        apply_plan(target, plan)


def test_a_setting_may_repeat_where_the_format_has_that() -> None:
    target = server_file("station.ini")
    merged = apply_plan(target, plan_merge(target, "[Mods]\nMod=a\nMod=b\n"))
    assert [node.value for node in merged.select("Mods/Mod")] == ["a", "b"]
    plan = plan_merge(target, "[Multipliers]\nFindRate=1.6\nFindRate=1.7\n")
    assert [action.kind for action in plan.actions] == [ActionKind.COMBINE, ActionKind.ASK]


def test_a_snippet_that_fits_several_places_names_them() -> None:
    target = server_file("station.ini")
    with pytest.raises(SnippetRefused, match="several places") as caught:
        plan_merge(target, "Hands=3\nRating=4\nFindRate=2\n")
    assert caught.value.places[:2] == ("Multipliers", '"Circuit Gate Bilge"')


def test_an_entry_that_the_target_has_in_one_place_needs_no_place_said() -> None:
    target = server_file(FINDS)
    plan = plan_merge(target, '<find name="Copper Gimbal" worth="50"/>')
    assert [(action.kind, action.address) for action in plan.actions] == [
        (ActionKind.COMBINE, "shelf[brass]/find[Copper Gimbal]")
    ]
    with pytest.raises(SnippetRefused, match="several places"):
        plan_merge(target, '<find name="Copper Gimbal" worth="50"/><find name="New One" worth="5"/>')


def test_the_entries_of_a_shelf_are_planned_one_by_one_and_the_parts_of_an_entry_with_it() -> None:
    target = server_file(FINDS)
    text = '<shelf family="brass"><find name="Copper Gimbal" worth="50"/><find name="New One" worth="5"/></shelf>'
    assert [(action.kind, action.address) for action in plan_merge(target, text).actions] == [
        (ActionKind.COMBINE, "shelf[brass]/find[Copper Gimbal]"),
        (ActionKind.ADD, "shelf[brass]/find[New One]"),
    ]
    hulls = server_file("craft.xml")
    text = '<hull name="Skiff"><rig part="Hand Winch" count="2"/><rig prat="Scrubber" count="1"/></hull>'
    plan = plan_merge(hulls, text)
    assert [(action.kind, action.address) for action in plan.actions] == [(ActionKind.ASK, "hull[Skiff]")]
    assert plan.actions[0].reason.startswith("A new rig in it has no @part, by which the others are told apart.")


@pytest.mark.parametrize("path", [FINDS, "station.ini", BELL, "galley/board.json"])
def test_a_file_merged_into_itself_changes_nothing(path: str) -> None:
    target = server_file(path)
    plan = plan_merge(target, target.text)
    assert {action.kind for action in plan.actions} == {ActionKind.SAME}
    assert apply_plan(target, plan).text == target.text


def test_a_snippet_may_be_larger_than_its_target() -> None:
    whole = server_file(FINDS)
    book, _ = read_gamebook(gamebook())
    assert book is not None
    small = book.read(b"<finds>\n</finds>\n", FINDS)
    merged = apply_plan(small, plan_merge(small, whole.text))
    assert len(merged.select("shelf/find")) == len(whole.select("shelf/find"))
