"""Known settings that a file does not have: where they would be, and what the game takes instead, in made-up games of four formats."""

from __future__ import annotations

import pytest

from zerrit.core.documents import read_document
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.gamebooks.absent_settings import absent_settings


def book(files: str) -> Gamebook:
    gamebook, faults = read_gamebook(f"gamebook: 1\ngame: kiln\nfiles:\n{files}".encode(), "gamebook.yml")
    assert gamebook is not None, faults
    return gamebook


KILN = """  kiln.ini:
    entries:
      Fire: {fields: {Heat: {is: integer, min: 0, max: 1300}, Draft: {is: number, default: 0.5, note: how wide the flap is}}}
      Cooling: {fields: {Slow: {default: true}, Speed: {}}}
"""
GLAZES = """  glazes.xml:
    entries:
      glaze: {key: "@name", fields: {tone: {path: "@tone", default: matt}, least: {path: mix/ash, default: 3}, any: {path: "mix/*"}}}
"""
POTS = """  pots.json:
    entries:
      "pots/*": {fields: {size: {default: 4}, "lid/kind": {path: '"lid/kind"', default: flat}}}
"""


def absent(rules: str, path: str, text: str, address: str) -> list[tuple[str, str, bool]]:
    document = read_document(text.encode(), path)
    gamebook = book(rules)
    (node,) = document.select(address) if address else (document.root,)
    found = absent_settings(gamebook, document, node)
    return [(one.address, one.default, one.is_below_nothing) for one in found]


@pytest.mark.parametrize(
    ("address", "expected"),
    [
        ("Fire", [("Fire/Draft", "0.5", False)]),
        ("Fire/Heat", []),
        # Of the whole file, the groups with a fixed name: of one that is absent, what has a default.
        ("", [("Fire/Draft", "0.5", False), ("Cooling/Slow", "true", True)]),
    ],
)
def test_of_sections(address: str, expected: list[tuple[str, str, bool]]) -> None:
    assert absent(KILN, "kiln.ini", "[Fire]\nHeat = 900\n", address) == expected


def test_what_is_there_is_not_told() -> None:
    full = "[Fire]\nHeat = 900\nDraft = 1\n[Cooling]\nSlow = no\nSpeed = 2\n"
    assert absent(KILN, "kiln.ini", full, "") == []


def test_of_attributes_and_children() -> None:
    text = '<glazes><glaze name="moss" tone="wet"/><glaze name="sky"><mix><ash>2</ash></mix></glaze></glazes>'
    moss = absent(GLAZES, "glazes.xml", text, "glaze[moss]")
    assert moss == [("glaze[moss]/mix/ash", "3", True)], "an open pattern is no setting that could be absent"
    assert absent(GLAZES, "glazes.xml", text, "glaze[sky]") == [("glaze[sky]/@tone", "matt", False)]
    assert absent(GLAZES, "glazes.xml", text, "") == [], "entries are asked one by one"


def test_a_name_that_needs_quotes_can_be_asked_again() -> None:
    text = '{"pots": {"jug": {"size": 2}}}'
    (found,) = absent(POTS, "pots.json", text, "pots/jug")
    assert found == ('pots/jug/"lid/kind"', "flat", False)
    there = '{"pots": {"jug": {"size": 2, "lid/kind": "domed"}}}'
    assert absent(POTS, "pots.json", there, "pots/jug") == []


@pytest.mark.parametrize(
    ("field", "fault"),
    [
        ("{is: integer, max: 4, default: 5}", "outside of `min` and `max`"),
        ("{is: number, default: many}", "is not a number"),
        ("{list: [wet, dry], default: damp}", "none of the words"),
        ("{matches: '[a-z]+', default: A1}", "does not fit `matches`"),
        ("{always: true, default: 3}", "says that it never is"),
    ],
)
def test_a_default_that_its_own_field_refuses_is_a_fault_of_the_gamebook(field: str, fault: str) -> None:
    text = f"gamebook: 1\ngame: kiln\nfiles:\n  a.ini:\n    entries:\n      Fire: {{fields: {{Heat: {field}}}}}\n"
    _, faults = read_gamebook(text.encode(), "gamebook.yml")
    assert any(fault in one.message for one in faults), faults
