"""Gamebooks and what follows from them; the demo world itself is free of findings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import pytest

from zerrit.core.checks import Files, check_files_of, gather_files
from zerrit.core.documents import Document, Finding, Severity
from zerrit.core.expressions import ExpressionInvalid, parse_expression
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook, server_files


def _book() -> Gamebook:
    book, faults = read_gamebook(gamebook(), "fathomline.yml")
    assert book is not None, faults
    return book


BOOK = _book()


def world(server: str = "") -> dict[str, Document]:
    return dict(files_of(server).documents)


def files_of(server: str = "") -> Files:
    return gather_files(server_files(server) if server else default_files(), BOOK, query=query)


def findings_in(documents: Mapping[str, Document]) -> list[Finding]:
    """What is found in the demo world with other documents, apart from what it tolerates."""
    found = check_files_of(replace(files_of(), documents=documents), BOOK).findings
    return [finding for finding in found if finding.code != "xml.comment-double-hyphen"]


@pytest.mark.parametrize("server", ["", "coral-gate", "lantern-shelf"])
def test_the_demo_world_has_no_finding(server: str) -> None:
    found = check_files_of(files_of(server), BOOK).findings
    assert [(f.code, f.severity) for f in found] == [("xml.comment-double-hyphen", Severity.NOTICE)]


GIMBAL = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]"


@pytest.mark.parametrize(
    ("address", "operation", "code", "message", "hint"),
    [
        (f"{GIMBAL}/@ground", "=Ribbonwed Flats", "meaning.unknown-name", "`Ribbonwed Flats` is not among the grounds (20 names are known).", "Did you mean 'Ribbonweed Flats'?"),
        (f"{GIMBAL}/@ground", "=ribbonweed flats", "meaning.unknown-name", "`ribbonweed flats` is not among the grounds (20 names are known).", "Did you mean 'Ribbonweed Flats'?"),
        (f"{GIMBAL}/@holds", "=12..900", "meaning.range", "holds is 12..900; it must be from 0 to 120.", ""),
        (f"{GIMBAL}/@holds", "=12..4O", "meaning.type", "holds is a range such as 12..40, but `12..4O` is here.", ""),
        (f"{GIMBAL}/@holds", "=41..40", "meaning.range", "holds is 41..40: its first number is larger than its second.", ""),
        (f"{GIMBAL}/@returns", "=3 tdies", "meaning.form", "returns is `3 tdies`; its unit must be one of tides. Did you mean 'tides'?", ""),
        (f"{GIMBAL}/@worth", "=3O", "meaning.type", "worth is a number, but `3O` is here.", ""),
        ("sea/finds.xml#shelf[brass]/find[Copper Bell Clapper]/@holds", "=7..90", "meaning.must", "Copper Bell Clapper holds up to 90; at Coral Gate the moorings leave room for 80", ""),
        ("sea/finds.xml#shelf[brass]/find[Brass Gimbal]/@name", "=Copper Gimbal", "meaning.duplicate", "`Copper Gimbal` occurs twice among the names of finds; the first is in line 31.", ""),
        ("sea/happenings/icewater.xml#happening[Lantern Fall]/@runs", "=maybe", "meaning.type", "runs is a switch (yes or no), but `maybe` is here.", ""),
        ("galley/board.json#board/[Great Ling]/recipe", "=great-lign", "meaning.unknown-name", "`great-lign` is not among the recipes (28 names are known).", "Did you mean 'great-ling'?"),
        ("dredge/hauls.yml#nets/[Deep Sweep]/of/[\"net[Bone Heap]\"]/thing", "=net[Bone Heep]", "meaning.unknown-name", "`net[Bone Heep]` is not among the nets (7 names are known).", "Did you mean 'net[Bone Heap]'?"),
        ('station.ini#"Circuit Gate Bilge"/Manned', "=Nigth Watch", "meaning.unknown-name", "`Nigth Watch` is not among the rosters (3 names are known).", "Did you mean 'Night Watch'?"),
        ("addins/wreckmarks/settings.yml#settings/wrecks/[#1]/at", "=Wreck of Patience", "meaning.unknown-name", "`Wreck of Patience` is not among the grounds (20 names are known).", "Did you mean 'Wreck of the Patience'?"),
    ],
)  # fmt: skip
def test_a_mistake_of_meaning_is_found_in_plain_words(
    address: str, operation: str, code: str, message: str, hint: str
) -> None:
    files = world()
    if "wrecks" in address:
        address = address.replace("[#1]", "[Wreck of the Patience]")
    replayed = replay(files, [Step(StepKind.SET, address, operation=operation)], BOOK.read)
    assert replayed.is_whole, replayed.outcomes
    found = [f for f in findings_in(replayed.documents) if f.code == code]
    assert [(f.message, f.hint) for f in found] == [(message, hint)]
    assert found[0].path == address.partition("#")[0]
    assert found[0].line > 0
    assert found[0].column > 1
    assert found[0].address


@pytest.mark.parametrize(
    ("text", "line", "message"),
    [
        ("gamebook: 1\ngame: x\nfilez: {}\n", 3, "`filez` is not a known key here."),
        ("gamebook: 1\n", 1, "`game` is missing here."),
        ("gamebook: 1\ngame: x\nrefers:\n  - {every: 'a.xml#b', list: words}\n", 4, "refers / 1 / list: there is no list `words`."),
        ("gamebook: 1\ngame: x\nlists:\n  w: {source: 'a.xml#b['}\n", 4, "lists / w / source: b[ is not an address: a bracket `[` is never closed, at character 3."),
        ("gamebook: 1\ngame: x\ntrouble:\n  log_patterns: ['(']\n", 4, "trouble / log_patterns / 1: `(` is not a regular expression: missing ): ("),
        ("gamebook: 1\ngame: x\nfiles:\n  a.xml:\n    entries:\n      b:\n        must:\n          - {condition: '__import__(1)'}\n", 8, "files / a.xml / entries / b / must / 1 / condition: `__import__(1)`: the functions are sum, min, max, count, has, is_on, abs, round, length, lower, clamp, each of one thing, such as sum(amount); clamp is of three"),
        ("gamebook: 1\ngame: x\nfiles:\n  a.xml: {tolerate: [xml.nothing]}\n", 4, "files / a.xml / tolerate: `xml.nothing` is not a finding that could be tolerated"),
        ("a: [1\n", 1, "`[` opened on line 1 is not closed."),
    ],
)  # fmt: skip
def test_a_mistake_in_a_gamebook_is_a_finding_with_its_line(text: str, line: int, message: str) -> None:
    book, faults = read_gamebook(text.encode())
    assert book is None
    assert [(f.line, f.message) for f in faults] == [(line, message)]


@pytest.mark.parametrize(
    ("text", "fields", "holds"),
    [
        ("least <= holds", {"least": ["3"], "holds": ["4"]}, True),
        ("sum(h) <= 10", {"h": ["4", "7"]}, False),
        ("a * 2 == b and not c > 1", {"a": ["0.1"], "b": ["0.2"], "c": ["1"]}, True),
        ("0 < a < 3 or b == 'x'", {"a": ["3"], "b": ["x"]}, True),
    ],
)
def test_conditions_are_worked_out_exactly(text: str, fields: dict[str, list[str]], holds: bool) -> None:
    assert parse_expression(text).holds(fields) is holds


@pytest.mark.parametrize(
    "text", ["a.b", "[1]", "lambda: 1", "f(a)", "a if b else c", "(" * 300, "1 ** 9", "a; b", "x" * 600, "True"]
)
def test_a_condition_holds_nothing_but_the_small_language(text: str) -> None:
    with pytest.raises(ExpressionInvalid):
        parse_expression(text)


def test_dividing_by_zero_is_said_and_does_not_crash() -> None:
    with pytest.raises(ExpressionInvalid, match="divides by zero"):
        parse_expression("a / b > 1").holds({"a": ["1"], "b": ["0"]})


def test_a_step_over_several_files_is_made_in_all_or_in_none() -> None:
    files = world()
    step = Step(StepKind.SET, "sea/happenings/*.xml#happening[Regatta]/@runs", operation="off")
    replayed = replay(files, [step], BOOK.read)
    assert replayed.outcomes[0].kind is OutcomeKind.IMPOSSIBLE
    assert not replayed.touched


def test_replaying_reports_what_is_so_already_and_what_is_impossible() -> None:
    steps = [
        Step(StepKind.SET, f"{GIMBAL}/@holds", operation="=12..40"),
        Step(StepKind.SET, "sea/find.xml#find", operation="=1"),
        Step(StepKind.PUT_FILE, "crew/notes.txt", content="hello\n"),
    ]
    replayed = replay(world(), steps, BOOK.read)
    assert [o.kind for o in replayed.outcomes] == ["same", "impossible", "done"]
    assert (
        replayed.outcomes[1].message
        == "The server has no file sea/find.xml. Nearest: sea/finds.xml, sea/buoys.xml, sea/chart.xml."
    )
    assert replayed.touched == {"crew/notes.txt"}
