"""Slips that are told where they likely are: a name that nothing uses, a number with a zero in front."""

from __future__ import annotations

import pytest

from zerrit.core.checks import check
from zerrit.core.documents import Severity, read_document
from zerrit.core.gamebooks import read_gamebook

CREW = b"crew: [Ada, Bo, Cy]\nboats:\n  - {name: a, captain: Cy}\n  - {name: b, captain: Ada}\n  - {name: c, captain: Cy}\n"
CAPTAINS = b"""gamebook: 1
game: ferry
lists:
  crew: {source: "crew.yml#crew/*"}
refers:
  - {every: "crew.yml#boats/*/captain", list: crew}
"""


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        # Three places fit each other but for the name itself: it may be that one, and both are told.
        ("Bo, Cy]", "Bo, Ci]", [("meaning.unused-name", 1), ("meaning.unknown-name", 3), ("meaning.unknown-name", 5)]),
        # A name that is used once and wrong there is likelier a slip at its use.
        ("b, captain: Ada", "b, captain: Adda", [("meaning.unknown-name", 4)]),
        # Nothing that is unused resembles it.
        ("Bo, Cy]", "Bo]", [("meaning.unknown-name", 3), ("meaning.unknown-name", 5)]),
        # The other name is used, too.
        (
            "Cy]\nboats:",
            "Ci]\nboats:\n  - {name: z, captain: Ci}",
            [("meaning.unknown-name", 4), ("meaning.unknown-name", 6)],
        ),
    ],
)
def test_a_name_that_nothing_uses_may_be_the_one_that_is_misspelled(
    old: str, new: str, told: list[tuple[str, int]]
) -> None:
    book, _ = read_gamebook(CAPTAINS)
    assert book is not None
    document = read_document(CREW.decode().replace(old, new).encode(), "crew.yml")
    found = [one for one in check({"crew.yml": document}, book) if one.code != "gamebook.checks-nothing"]
    assert [(one.code, one.line) for one in found] == told
    if told[0][0] == "meaning.unused-name":
        assert found[0].message == (
            "Nothing uses `Ci`, while `Cy` in crew.yml, line 3 is not among the crew. Is this name misspelled?"
        )
        assert "it may be that name that is misspelled" in found[1].hint


@pytest.mark.parametrize(
    ("field", "values", "told"),
    [
        ("is: number", ["0.5", "05", "1.5"], ["Is 0.5 meant, or 5?"]),
        ("is: integer", ["4", "-020", "7"], ["Is -0.20 meant, or -20?"]),
        ("is: quantity, units: [kg]", ["0.2 kg", "020 kg"], ["Is 0.20 kg meant, or 20 kg?"]),
        ("is: range", ["1..4", "02..5"], ["Is 0.2..5 meant, or 2..5?"]),
        ("is: integer", ["05", "07", "11"], []),  # that is how they are written here
        ("is: number", ["0", "0.5", "-0.5", "10"], []),
        ("matches: '[0-9]+'", ["05", "7"], []),
    ],
)
def test_a_number_with_a_zero_in_front(field: str, values: list[str], told: list[str]) -> None:
    book, faults = read_gamebook(
        f"gamebook: 1\ngame: x\nfiles:\n  x.json: {{entries: {{'*': {{fields: {{n: {{{field}, severity: error}}}}}}}}}}\n".encode()
    )
    assert book is not None, faults
    text = "[" + ", ".join(f'{{"n": "{value}"}}' for value in values) + "]"
    found = [one for one in check({"x.json": read_document(text.encode(), "x.json")}, book) if one.rule]
    assert [one.hint for one in found] == told
    assert all((one.code, one.severity) == ("meaning.zero-in-front", Severity.NOTICE) for one in found)
