"""A check that takes over from an earlier one finds exactly what a check from nothing finds."""

from __future__ import annotations

import gc
import weakref
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core.checks import Examination, check_files_of, gather_files
from zerrit.core.documents import Document, Format
from zerrit.core.examination.entry_rows import Rows
from zerrit.core.gamebooks import read_gamebook
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook

BOOK, _ = read_gamebook(gamebook(), "fathomline.yml")
assert BOOK is not None
FILES = gather_files(default_files(), BOOK, query=query)
CHECKED = check_files_of(FILES, BOOK)
SMALL = sorted(
    path
    for path, document in FILES.documents.items()
    if len(document.text) < 5000 and document.format is not Format.DATABASE
)


@st.composite
def edited(draw: st.DrawFn) -> dict[str, Document]:
    """One to three files with a few characters taken out, doubled or replaced, or a file that is gone."""
    documents = dict(FILES.documents)
    for path in draw(st.lists(st.sampled_from(SMALL), min_size=1, max_size=3, unique=True)):
        document = documents[path]
        text = document.text
        at = draw(st.integers(0, max(0, len(text) - 1)))
        length = draw(st.integers(0, 6))
        kind = draw(st.sampled_from(("cut", "double", "write", "gone")))
        if kind == "gone":
            del documents[path]
            continue
        middle = {"cut": "", "double": 2 * text[at : at + length], "write": draw(st.text('abz09"<,=', max_size=4))}[
            kind
        ]
        documents[path] = document.with_text(text[:at] + middle + text[at + length :])
    return documents


@settings(max_examples=60)
@given(edited())
def test_an_earlier_check_changes_nothing_of_what_is_found(documents: dict[str, Document]) -> None:
    files = replace(FILES, documents=documents)
    whole = check_files_of(files, BOOK, before=FILES.documents)
    quick = check_files_of(files, BOOK, before=FILES.documents, earlier=CHECKED)
    assert quick.findings == whole.findings
    back = check_files_of(FILES, BOOK, earlier=quick)
    assert back.findings == CHECKED.findings


@settings(max_examples=40)
@given(edited())
def test_values_without_nodes_give_the_same_findings(documents: dict[str, Document]) -> None:
    files = replace(FILES, documents=documents)
    assert check_files_of(files, BOOK).findings == check_files_of(files, BOOK, uses_plain=False).findings


@pytest.mark.parametrize(
    ("path", "text", "names", "places"),
    [
        ("a.json", '{"x": [{"n": "\\u00e9\\n", "v": 1e5}, {"n": null, "v": -0.0}, {"n": true, "v": {"w": 1}}, {"v": []}, 3, "t"]}', "x/*", ["n", "v"]),
        ("a.json", '{"x": {"b": {"n": "1"}, "a": {"n": 2}, "c": 3}}', "x/*", ["n"]),
        ("a.json", '\ufeff{"x": [[{"n": 1}], [{"n": 2}, {"n": 3}]]}', "x/*/*", ["n"]),
        ("a.json", '{"x": [{"n": 1}]}', "y/*", ["n"]),
        ("a.xml", "<r><x n='a &amp; b' v='&#65;\"'/><x v='2'>text</x><y n='3'/><x/></r>", "x", ["@n", "@v", "z"]),
        ("a.xml", '<?xml version="1.0"?>\n<r><!-- c --><x><y n="1"/><z/><y n="2" v=""/></x><x><y/></x></r>', "x/y", ["@n", "@v"]),
        ("a.xml", '<r><x n="a\n  b" v="c\td"/></r>', "x", ["@n", "@v"]),
        ("a.xml", '<r xmlns:q="u"><x q:n="1" n="2"/><q:x n="3"/></r>', "x", ["@n", "@q:n"]),
        ("a.xml", '<r><x n="1"><![CDATA[<x n="2"/>]]></x></r>', "x", ["@n"]),
    ],
)  # fmt: skip
def test_rows_without_nodes_are_those_of_the_nodes(path: str, text: str, names: str, places: list[str]) -> None:
    book, faults = read_gamebook(b"gamebook: 1\ngame: x\n")
    assert book is not None, faults
    files = gather_files({path: text.encode()}, book)
    (document,) = files.documents.values()
    quick, slow = (
        Rows.of(Examination(files, book, uses_plain=uses_plain), document, names) for uses_plain in (True, False)
    )
    assert len(quick) == len(slow)
    for place in places:
        one, other = quick.column(place), slow.column(place)
        assert [list(one.values(i)) for i in range(len(quick))] == [list(other.values(i)) for i in range(len(slow))]
        assert list(one.absent()) == list(other.absent())
        assert one.distinct() == other.distinct()


def test_after_an_edit_only_what_depends_on_it_is_worked_out_again() -> None:
    path = "galley/evenings.json"
    changed = FILES.documents[path].with_text(FILES.documents[path].text.replace('"hours": "1', '"hours": "2', 1))
    files = replace(FILES, documents={**FILES.documents, path: changed})
    checked = check_files_of(files, BOOK, earlier=CHECKED)
    old, new = CHECKED.examination, checked.examination
    assert old is not None and new is not None
    again = [key for key, unit in new._units.items() if old._units.get(key) is not unit]
    parts = {part for key in again for part in key[1:] if isinstance(part, str)}
    assert parts == {path, "galley/evenings.json#evenings/*/dish"}
    assert len(again) < 12


def test_an_earlier_examination_is_let_go() -> None:
    first = check_files_of(FILES, BOOK)
    kept = weakref.ref(first.examination)
    path = "craft.xml"
    changed = FILES.documents[path].with_text(FILES.documents[path].text.replace('crew="2"', 'crew="3"'))
    second = check_files_of(replace(FILES, documents={**FILES.documents, path: changed}), BOOK, earlier=first)
    del first
    gc.collect()
    assert kept() is None, "every edit of an evening would keep one more of them"
    assert second.findings
