"""Gamebooks that build on others, and cases that a gamebook brings along."""

from __future__ import annotations

from collections.abc import Mapping

import pytest

from zerrit.core.checks import check
from zerrit.core.checks.cases import failed_cases, run_cases
from zerrit.core.documents import Finding, read_document
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.rules import CountRule, DerivedRules

BASE = """\
gamebook: 1
game: loom
files:
  loom.yml:
    purpose: the looms
    entries:
      "looms/*": {key: id, fields: {size: {is: integer, min: 1, max: 4}, pace: {is: number}}}
  other.yml: {purpose: others}
lists:
  dyes: {words: [red, blue]}
  yarns: {words: [wool]}
counts:
  - {id: threads, each: "loom.yml#looms/*", of: [threads, counts]}
  - {id: edges, each: "loom.yml#looms/*", of: [edges, ends]}
derived:
  - {name: price, each: "loom.yml#looms/*", value: size}
cases:
  - {name: of the base, files: {loom.yml: "looms: []"}}
"""
OWN = """\
gamebook: 1
game: loom
extends: base
leave_out: [threads]
files:
  loom.yml:
    entries:
      "looms/*": {fields: {size: {max: 9}, colour: {list: [red, blue]}}}
lists:
  dyes: {words: [green]}
derived:
  - {name: price, each: "loom.yml#looms/*", value: pace}
"""


def read(own: str, books: Mapping[str, str]) -> tuple[Gamebook | None, tuple[Finding, ...]]:
    return read_gamebook(own.encode(), "own.yml", lambda name: books[name].encode() if name in books else None)


def test_the_own_book_goes_before_the_one_that_it_builds_on() -> None:
    book, faults = read(OWN, {"base": BASE})
    assert book is not None, faults
    fields = book.rules.files["loom.yml"].entries["looms/*"].fields
    assert (fields["size"].min, fields["size"].max, sorted(fields)) == (1, 9, ["colour", "pace", "size"])
    assert book.rules.files["loom.yml"].purpose == "the looms"
    assert sorted(book.rules.files) == ["loom.yml", "other.yml"]
    assert [rule.id for rule in book.rules.of(CountRule)] == ["edges"]
    (price,) = book.rules.of(DerivedRules)
    assert price.value == "pace"
    assert book.rules.cases == ()
    loom = read_document(b"looms:\n  - {id: a, size: 7, colour: green}\n", "loom.yml")
    found = [(one.code, one.address) for one in check({"loom.yml": loom}, book) if one.code.startswith("meaning.")]
    assert found == [("meaning.unknown-name", "loom.yml#looms/[a]/colour")]


@pytest.mark.parametrize(
    ("books", "said", "line"),
    [
        ({}, "There is no gamebook base, on which this one builds.", 3),
        ({"base": BASE.replace("max: 4", "mex: 4")}, "has a fault in line 7", 3),
        ({"base": BASE.replace("game: loom", "game: loom\nextends: base", 1)}, "build on each other in a circle", 3),
        ({"base": BASE.replace("game: loom", "game: loom\nextends: deep", 1), "deep": OWN}, "in a circle", 3),
    ],
)
def test_a_base_that_cannot_be_taken_is_a_fault(books: dict[str, str], said: str, line: int) -> None:
    book, (fault,) = read(OWN, books)
    assert (book, fault.line) == (None, line)
    assert said in fault.message


def test_several_build_on_one_another() -> None:
    middle = "gamebook: 1\ngame: loom\nextends: base\nlists:\n  yarns: {words: [silk]}\n"
    book, faults = read(OWN.replace("extends: base", "extends: middle"), {"base": BASE, "middle": middle})
    assert book is not None, faults
    assert {name: tuple(source.words) for name, source in book.rules.lists.items()} == {
        "dyes": ("green",),
        "yarns": ("silk",),
    }


CASES = """\
cases:
  - {name: sound, files: {loom.yml: "looms:\\n  - {id: a, size: 3}\\n"}}
  - name: too large
    files: {loom.yml: "looms:\\n  - {id: a, size: 30}\\n"}
    finds: [meaning.range]
  - name: at its place
    files: {loom.yml: "looms:\\n  - {id: a, size: 30}\\n  - {id: b, size: 40}\\n"}
    finds: ["meaning.range loom.yml#looms/[b]/size"]
  - name: broken
    files: {loom.yml: "looms: ["}
    finds: [meaning.range]
"""


def test_cases_are_tried() -> None:
    book, faults = read(BASE.partition("cases:")[0] + CASES, {})
    assert book is not None, faults
    sound, large, placed, broken = run_cases(book)
    assert (sound.passed, large.passed) == (True, True)
    assert (placed.missing, placed.extra) == ((), ("meaning.range loom.yml#looms/[a]/size",))
    assert broken.missing == ("meaning.range",)
    assert broken.extra
    assert [one.line for one in failed_cases(book)] == [placed.line, broken.line]
    assert str(placed) == "at its place: found too: meaning.range loom.yml#looms/[a]/size"


def test_a_case_with_an_unknown_code_is_a_fault() -> None:
    text = BASE.partition("cases:")[0] + CASES.replace("[meaning.range]", "[meaning.rnage]", 1)
    book, (fault,) = read(text, {})
    assert book is None
    assert fault.message.endswith("`meaning.rnage` is not the code of a finding.")
    assert "meaning.range" in fault.hint
