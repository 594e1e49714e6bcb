"""Every kind of rule says all that is asked of it, whatever kinds there are."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path

import pytest

from tests.core.checks.test_gamebooks_and_checks import BOOK, files_of
from zerrit.core import rules
from zerrit.core.addresses import parse_address
from zerrit.core.checks import check_files_of, statistics_of
from zerrit.core.documents import CODES, read_document
from zerrit.core.examination.game_files import Files
from zerrit.core.gamebooks import GamebookFile, json_schema, read_gamebook
from zerrit.core.rules import KINDS, ListedRule

#: A game with the kinds of rules that the demo has no use for.
LOOM = (
    read_gamebook(
        b"gamebook: 1\ngame: loom\nsame_order:\n  - {first: 'warp.yml#threads/*', second: 'weft.yml#threads/*'}\n"
        b"guesses:\n  - {at: [trouble, log], value: loom.log}\n"
    )[0]
    or BOOK
)
LOOM_FILES = {path: read_document(b"threads: [red, blue]\n", path) for path in ("warp.yml", "weft.yml")}
DOCS = Path(__file__).parents[3] / "docs"
kinds = pytest.mark.parametrize("kind", KINDS, ids=[kind.part for kind in KINDS])


@kinds
def test_a_kind_is_whole(kind: type[ListedRule]) -> None:
    assert kind.part in GamebookFile.model_fields
    assert kind.part in json_schema()["properties"]
    assert kind.about
    assert not kind.code or kind.code in CODES
    assert f"`{kind.part}`" in (DOCS / "gamebook.md").read_text()
    home = import_module(kind.__module__)
    assert Path(str(home.__file__)).parent == Path(str(rules.__file__)).parent
    listed = [one for one in vars(home).values() if isinstance(one, type) and one in KINDS]
    assert listed == [kind], "a module holds one kind"


@kinds
def test_a_kind_speaks_of_its_places(kind: type[ListedRule]) -> None:
    """The demo's gamebook, or the one here, has a rule of each kind; its files have what each asks for."""
    book, files = (BOOK, files_of()) if BOOK.rules.of(kind) else (LOOM, Files(LOOM_FILES))
    own = book.rules.of(kind)
    assert own, f"no rule in {kind.part} of the demo"
    for rule in own:
        assert rule.sentence().strip()
        assert all(parse_address(named.text).segments for named in rule.addresses())
        assert all(named.text in book.rules.lists for named in rule.lists() if named.text)
        assert list(rule.faults()) == []
    measured = {one.id: one for one in statistics_of(check_files_of(files, book)) if one.part == kind.part}
    assert len(measured) == len(own) + (
        sum(len(e.must) for f in book.rules.files.values() for e in f.entries.values()) if kind.part == "must" else 0
    )
    assert {one.unmeasured for one in measured.values()} == {""}


@kinds
def test_a_kind_that_finds_nothing_to_measure_says_so(kind: type[ListedRule]) -> None:
    found = [one for one in statistics_of(check_files_of(Files({}), BOOK)) if one.part == kind.part]
    silent = [one.text for one in found if not one.unmeasured]
    assert [text for text in silent if "{" in text or kind.part != "present"] == []
