"""The entries of a file as lines of a table: the same whether read anew or taken from the version before, and never all at once."""

from __future__ import annotations

import gc
import json
import random
import re
from collections.abc import Callable
from weakref import ref

import pytest

from zerrit.core.documents import Document, read_document
from zerrit.work.browse.entry_lines import SETTINGS, EntryLines, lines_of


def ferries_xml(count: int, extra: str = "") -> str:
    rows = [
        f'  <!-- boat {n} -->\n  <ferry id="F{n}" berth="{n % 7}"><crew name="A{n}" pay="{n}"/>'
        f'<crew name="B{n}" pay="3"/><hull><paint>{n % 3}</paint></hull></ferry>\n'
        for n in range(count)
    ]
    return f'<harbour tide="4">\n{"".join(rows)}{extra}</harbour>\n'


def ferries_json(count: int, extra: str = "") -> str:
    rows = [
        {"id": f"F{n}", "berth": n % 7, "crew": [{"name": f"A{n}", "pay": n}], "hull": {"paint": n % 3}}
        for n in range(count)
    ]
    return json.dumps({"tide": 4, "ferries": rows, "note": extra}, indent=1)


def ferries_yaml(count: int, extra: str = "") -> str:
    rows = [f"  F{n}: {{id: F{n}, berth: {n % 7}}}  # boat {n}\n" for n in range(count)]
    return f"tide: 4\nnote: '{extra}'\nferries:\n{''.join(rows)}"


def all_of(document: Document) -> object:
    """Everything that a table says, as plain values."""
    table = lines_of(document)
    assert table.look()
    return {
        kind: (
            [(line.node.start, line.trail, dict(line.cells), dict(line.parts), line.text) for line in found.lines],
            {name: node.start for name, node in found.columns.items()},
            found.parts,
            found.total,
        )
        for kind in table.counts()
        for found in [table.kind(kind)]
    }


def edited(text: str, chance: random.Random) -> str:
    """The text with a few numbers and words in it changed, or an entry taken out or doubled."""
    lines = text.splitlines(keepends=True)
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(lines))
        lines[at] = re.sub(r"\d+", lambda _: str(chance.randint(0, 9)), lines[at], count=1)
    return "".join(lines)


@pytest.mark.parametrize(("suffix", "make"), [("xml", ferries_xml), ("json", ferries_json), ("yaml", ferries_yaml)])
def test_an_edited_file_has_the_lines_of_one_that_is_read_anew(suffix: str, make: Callable[..., str]) -> None:
    chance = random.Random(suffix)
    document = read_document(make(250).encode(), f"harbour.{suffix}")
    all_of(document)
    for number in range(12):
        document = document.with_text(edited(document.text, chance))
        anew = read_document(document.to_bytes(), f"other-{number}.{suffix}")
        assert all_of(document) == all_of(anew)


def test_nothing_is_taken_over_where_entries_are_named_by_another_field() -> None:
    before = read_document(ferries_xml(250).encode(), "named.xml")
    all_of(before)
    text = before.text.replace(' id="F', ' name="F').replace('<crew name="', '<crew id="')
    assert all_of(before.with_text(text)) == all_of(read_document(text.encode(), "named-anew.xml"))


def test_a_comment_alone_changes_the_line_of_its_entry() -> None:
    before = read_document(ferries_xml(250).encode(), "told.xml")
    all_of(before)
    after = before.with_text(before.text.replace("<!-- boat 7 -->", "<!-- the blue one -->"))
    table = lines_of(after)
    table.look()
    assert "the blue one" in table.kind("ferry").lines[7].text
    assert table.kind("ferry").lines[7].node.comment == "the blue one"


def test_without_patience_a_part_is_read_and_all_are_counted() -> None:
    document = read_document(ferries_xml(3000).encode(), "many.xml")
    table = EntryLines(document)
    assert not table.look(0)
    assert not table.is_complete
    first = table.kind("ferry")
    assert 0 < len(first.lines) < 3000
    assert first.total == 3000
    assert table.counts()["ferry"] == 3000
    assert table.counts()["ferry/crew"] == 2 * len(first.lines)
    assert table.counts()[SETTINGS] == 1
    assert table.look()
    assert len(table.kind("ferry").lines) == 3000
    assert table.counts()["ferry/crew"] == 6000


def test_a_version_that_no_one_holds_takes_no_memory() -> None:
    document = read_document(ferries_xml(50).encode(), "gone.xml")
    all_of(document)
    gone = ref(document)
    del document
    gc.collect()
    assert gone() is None
