"""A check that takes over from an earlier one finds exactly what a check from nothing finds."""

from __future__ import annotations

from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core.checks import check_files_of, gather_files
from zerrit.core.documents import Document
from zerrit.core.gamebooks import read_gamebook
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook

BOOK, _ = read_gamebook(gamebook(), "fathomline.yml")
assert BOOK is not None
FILES = gather_files(default_files(), BOOK, query=query)
CHECKED = check_files_of(FILES, BOOK)
SMALL = sorted(path for path, document in FILES.documents.items() if len(document.text) < 5000)


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


def test_after_an_edit_only_what_depends_on_it_is_worked_out_again() -> None:
    path = "galley/menus/supper.json"
    changed = FILES.documents[path].with_text(FILES.documents[path].text.replace('"price": ', '"price": 1', 1))
    files = replace(FILES, documents={**FILES.documents, path: changed})
    checked = check_files_of(files, BOOK, earlier=CHECKED)
    old, new = CHECKED.examination, checked.examination
    assert old is not None and new is not None
    again = new.worked_out_again(old)
    parts = {part for key in again for part in key[1:] if isinstance(part, str)}
    assert parts == {path, "galley/menus/*.json#dishes/*/from"}
    assert len(again) < 12
