"""Rules that are suggested, made from findings and from fields: decided through the service, seen in the gamebook."""

from __future__ import annotations

import pytest

from tests.service.test_checks import BREAKS, CLOSED, with_own_fault
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import DemoStack

GIMBAL = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]"
SERVER = "lantern-shelf"


def text_of(zerrit: Client) -> str:
    return zerrit.gamebook_overview(SERVER).text


def test_suggested_rules_are_accepted_changed_and_rejected(zerrit: Client) -> None:
    before = text_of(zerrit)
    first, second, third, *_ = zerrit.suggestions(SERVER)
    assert first.samples and first.evidence and first.rule.violations == 0
    tried = zerrit.decide(SERVER, [first.id], accept=True, dry_run=True)
    assert (tried.is_saved, text_of(zerrit)) == (False, before)
    assert tried.rule is not None and tried.rule.text == first.rule.text

    zerrit.decide(SERVER, [first.id], accept=True)
    zerrit.decide(SERVER, [second.id], accept=True, data={**second.rule.data, "reason": "we agreed on it"})
    zerrit.decide(SERVER, [third.id], accept=False)
    book = zerrit.gamebook_overview(SERVER)
    assert {first.rule.text, second.rule.text} <= {rule.text for rule in book.rules}
    assert "we agreed on it" in [rule.reason for rule in book.rules]
    assert [line for line in before.splitlines() if line not in book.text.splitlines()] == []
    left = {one.id for one in zerrit.suggestions(SERVER)}
    assert not {first.id, second.id, third.id} & left
    with pytest.raises(ProblemError, match="suggested no more"):
        zerrit.decide(SERVER, [third.id], accept=False)


def test_a_server_without_a_gamebook_gets_one_with_the_first_rule(zerrit: Client) -> None:
    known = zerrit.server(SERVER).model_dump(include={"id", "title", "connection", "control", "maintenance"})
    zerrit.change_server(api.ServerIn.model_validate({**known, "gamebook": None}))
    suggested = zerrit.suggestions(SERVER)
    assert len(suggested) > 50
    made = zerrit.decide(SERVER, [suggested[0].id], accept=True)
    assert (zerrit.server(SERVER).gamebook, made.name) == (SERVER, SERVER)
    assert [rule.text for rule in zerrit.gamebook_overview(SERVER).rules] == [suggested[0].rule.text]


def test_a_drafted_gamebook_is_approved_rule_by_rule(zerrit: Client) -> None:
    assert zerrit.save_as_gamebook(SERVER, zerrit.draft_gamebook(SERVER).text).name == "fathomline"
    suggested = zerrit.suggestions(SERVER)
    assert {one.origin for one in suggested} == {"gamebook"}
    made = zerrit.decide(SERVER, [suggested[0].id], accept=True)
    assert made.rule is not None and made.rule.approved and made.rule.severity == "error"
    zerrit.decide(SERVER, [suggested[1].id], accept=False)
    assert len(zerrit.suggestions(SERVER)) == len(suggested) - 2


@pytest.mark.parametrize("origin", ["draft", "gamebook"])
def test_several_suggested_rules_are_decided_in_one_edit_or_none(zerrit: Client, origin: str) -> None:
    if origin == "gamebook":
        zerrit.save_as_gamebook(SERVER, zerrit.draft_gamebook(SERVER).text)
    before = text_of(zerrit)
    suggested = zerrit.suggestions(SERVER)
    assert {one.origin for one in suggested} == {origin}
    taken, refused = suggested[:8], suggested[8:14]
    with pytest.raises(ProblemError, match="suggested no more"):
        zerrit.decide(SERVER, [taken[0].id, f"{origin}-0123456789ab"], accept=True)
    with pytest.raises(ProblemError, match="single one"):
        zerrit.decide(SERVER, [one.id for one in taken], accept=True, data=taken[0].rule.data)
    assert text_of(zerrit) == before
    tried = zerrit.decide(SERVER, [one.id for one in taken], accept=True, dry_run=True)
    assert not tried.is_saved and text_of(zerrit) == before
    made = zerrit.decide(SERVER, [one.id for one in taken], accept=True)
    zerrit.decide(SERVER, [one.id for one in refused], accept=False)
    assert made.lines == tried.lines
    book = {rule.text: rule for rule in zerrit.gamebook_overview(SERVER).rules}
    assert {book[one.rule.text].approved for one in taken} == {origin == "gamebook"}  # only a draft needs the word
    assert not {one.rule.text for one in refused} & book.keys()
    left = {one.id for one in zerrit.suggestions(SERVER)}
    assert left == {one.id for one in suggested[14:]}


def test_the_rule_behind_a_finding_is_changed_from_it(zerrit: Client, stack: DemoStack) -> None:
    with_own_fault(zerrit, stack)
    (fault,) = [f for f in zerrit.check_server(SERVER).findings if f.severity == "error"]
    with pytest.raises(ProblemError, match="not found at"):
        zerrit.adjust_rule(SERVER, CLOSED, GIMBAL, "allow")
    softer = zerrit.adjust_rule(SERVER, fault.code, fault.waiver_address, "warning")
    assert softer.rule is not None and softer.rule.severity == "warning"
    assert zerrit.check_server(SERVER).blocking == 0
    zerrit.adjust_rule(SERVER, fault.code, fault.waiver_address, "allow")
    assert [f for f in zerrit.check_server(SERVER).findings if f.code == CLOSED] == []


def test_a_finding_of_a_change_is_allowed_while_the_change_is_open(zerrit: Client) -> None:
    change = zerrit.create_change(SERVER, "More parties")
    found = zerrit.add_step(change.id, BREAKS)
    (fault,) = [f for f in found.findings if f.blocks]
    made = zerrit.adjust_rule(SERVER, fault.code, fault.waiver_address, "allow", change=change.id)
    assert made.is_saved
    assert zerrit.change(change.id).blocking == []


def test_two_fields_make_a_rule(zerrit: Client) -> None:
    made = zerrit.relate(SERVER, "at-most", f"{GIMBAL}/@worth", f"{GIMBAL}/@heft", dry_run=True)
    assert made.rule is not None
    assert (made.rule.places, len(made.appeared) > 0, made.is_saved) == (399, True, False)
    with pytest.raises(ProblemError, match="Choose one field"):
        zerrit.relate(SERVER, "equal", f"{GIMBAL}", f"{GIMBAL}/@heft")


@pytest.mark.parametrize(
    ("location", "data", "said"),
    [
        (["refers", 0], {"every": "a.xml#b"}, "`list` is missing"),
        (["refers", 900], {"every": "sea/finds.xml#shelf/find/@ground", "list": "nothing"}, "no list `nothing`"),
        (["game", "x"], {"a": 1}, "single value"),
        (
            ["files", "sea/finds.xml", "entries", "shelf/find", "must", 90],
            {"condition": "ground <= worth"},
            "cannot be used on these files",
        ),
        (["refers", 900], None, "Nothing is at refers / 901"),
    ],
)
def test_what_is_no_rule_is_refused_and_nothing_is_saved(
    shared: tuple[DemoStack, Client], location: list[str | int], data: dict[str, object] | None, said: str
) -> None:
    _, zerrit = shared
    before = text_of(zerrit)
    with pytest.raises(ProblemError, match=said):
        zerrit.put_rule(SERVER, location, data)
    assert text_of(zerrit) == before


def test_a_rule_that_is_no_small_thing_is_refused(shared: tuple[DemoStack, Client]) -> None:
    deep: dict[str, object] = {}
    for _ in range(50):
        deep = {"a": deep}
    for data, said in ((deep, "levels deep"), ({"words": ["x"] * 5000}, "at most 2000 values")):
        with pytest.raises(ProblemError, match=said):
            shared[1].put_rule(SERVER, ["lists", "x"], data)
