"""Notes beside places of a server, and comments in a change."""

from __future__ import annotations

import pytest

from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import DemoStack
from zerrit.records import PlaceNote, open_database

Shared = tuple[DemoStack, Client]
PLACE = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds"


def test_a_note_stays_beside_its_place_until_its_author_removes_it(shared: Shared) -> None:
    _, zerrit = shared
    added = zerrit.add_note("coral-gate", PLACE, "  left at 12..40 for the regatta \n")
    assert (added.text, added.change) == ("left at 12..40 for the regatta", None)
    assert [one.id for one in zerrit.about("coral-gate", PLACE).notes] == [added.id]
    assert zerrit.about("lantern-shelf", PLACE).notes == []
    with pytest.raises(ProblemError, match="an empty note says nothing"):
        zerrit.add_note("coral-gate", PLACE, "   ")
    with pytest.raises(ProblemError, match="no server"):
        zerrit.add_note("nowhere", PLACE, "x")
    with pytest.raises(ProblemError, match="address"):
        zerrit.add_note("coral-gate", "sea/finds.xml#shelf[", "x")
    zerrit.remove_note(added.id)
    assert zerrit.notes("coral-gate") == []
    with pytest.raises(ProblemError, match="There is no note"):
        zerrit.remove_note(added.id)


def test_only_the_author_removes_a_note(zerrit: Client, stack: DemoStack) -> None:
    added = zerrit.add_note("coral-gate", PLACE, "mine")
    with open_database(stack.folder / "data" / "zerrit.db").session() as session:
        session.get_one(PlaceNote, added.id).author = "corwin"
    with pytest.raises(ProblemError, match="corwin wrote this"):
        zerrit.remove_note(added.id)


def test_a_note_becomes_a_decision_of_the_gamebook(zerrit: Client) -> None:
    note = zerrit.add_note("coral-gate", "station.ini#World/DayLength", "crews\n  asked for long days")
    seen = zerrit.keep_note(note.id, dry_run=True)
    (line,) = [line.text for line in seen.lines if line.kind == "added"]
    assert not seen.is_saved
    assert '{at: "station.ini#World/DayLength", why: crews asked for long days, by: isolde' in line
    kept = zerrit.keep_note(note.id)
    assert kept.is_saved
    with pytest.raises(ProblemError, match="has a decision at"):
        zerrit.keep_note(note.id)
    change = zerrit.create_change("coral-gate", "Short days").id
    zerrit.add_step(change, api.StepIn(kind="set", address="station.ini#World/DayLength", operation="=60"))
    told = [one.message for one in zerrit.check(change).findings if one.code == "meaning.decision"]
    assert len(told) == 1
    assert "crews asked for long days" in told[0]
    of_file = zerrit.add_note("coral-gate", "station.ini", "the whole file")
    with pytest.raises(ProblemError, match="not beside a value"):
        zerrit.keep_note(of_file.id)
    comment = zerrit.add_comment(change, "why?", "station.ini#World/DayLength")
    with pytest.raises(ProblemError, match="not beside a value"):
        zerrit.keep_note(comment.id)
    with pytest.raises(ProblemError, match="no note 9999"):
        zerrit.keep_note(9999)


def test_comments_are_those_of_one_change(shared: Shared) -> None:
    _, zerrit = shared
    one, other = (zerrit.create_change("coral-gate", title).id for title in ("One", "Other"))
    zerrit.add_comment(one, "why?", PLACE)
    zerrit.add_comment(one, "fine by me")
    assert [(c.text, c.address, c.change) for c in zerrit.comments(one)] == [
        ("why?", PLACE, one),
        ("fine by me", "", one),
    ]
    assert zerrit.comments(other) == []
    assert zerrit.about("coral-gate", PLACE, one).notes == []


def test_the_rules_of_a_place_are_those_that_it_takes_part_in(shared: Shared) -> None:
    _, zerrit = shared
    found = zerrit.about("coral-gate", PLACE).rules
    assert [(rule.part, rule.text.split(": ")[0]) for rule in found][:2] == [
        ("field", "sea/finds.xml / shelf/find"),
        ("must", "sea/finds.xml / shelf/find"),
    ]
    assert "balance" in [rule.part for rule in found]
    other = zerrit.about("coral-gate", PLACE.replace("@holds", "@name")).rules
    assert not {rule.id for rule in other} & {found[0].id, found[1].id}
    assert zerrit.place_of_rule("coral-gate", PLACE).location == found[0].location
    new = zerrit.place_of_rule("coral-gate", "addins/tidebell/settings.yml#settings/volume")
    assert new.location == ["files", "addins/*/settings.yml", "entries", "settings", "fields", "volume"]
    in_none = zerrit.place_of_rule("coral-gate", "crew/parties.yml#newcomers")
    assert in_none.location == ["files", "crew/parties.yml", "entries", ".", "fields", "newcomers"]


def test_notes_for_players_say_what_is_new_gone_and_other(zerrit: Client) -> None:
    change = zerrit.create_change("coral-gate", "Fewer gimbals").id
    entry = PLACE.rpartition("/")[0]
    for step in (
        api.StepIn(kind="set", address=PLACE, operation="=12..30"),
        api.StepIn(kind="set", address=f"{entry}/@worth", operation="=50"),
        api.StepIn(kind="copy", address=entry, key="Tin Gimbal"),
        api.StepIn(kind="remove", address="sea/finds.xml#shelf[float]/find[Small Amber Float]"),
        api.StepIn(kind="set", address="station.ini#Pumps/Bus", operation="=70"),
    ):
        zerrit.add_step(change, step)
    lines = zerrit.player_notes(change).text.splitlines()
    assert lines[:3] == ["# Fewer gimbals", "", "Takes effect after a restart."]
    assert "* Removed: Small Amber Float" in lines
    assert "* New: Tin Gimbal" in lines
    (values,) = [line for line in lines if line.startswith("* Copper Gimbal: ")]
    assert "holds 12..40 → 12..30" in values and " → 50" in values
    assert [line for line in lines if "Bus" in line and "→ 70" in line]
    empty = zerrit.create_change("coral-gate", "Nothing yet").id
    assert "Players will notice no difference." in zerrit.player_notes(empty).text
