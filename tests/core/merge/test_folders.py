"""Merging folders: files that came, went, moved and changed on two sides."""

from __future__ import annotations

import pytest

from zerrit.core import read_document
from zerrit.core.documents import Document
from zerrit.core.errors import MergeRefused
from zerrit.core.merge import FileMerge, FileState, merge_folders


def folder(**files: str) -> dict[str, Document]:
    return {
        name.replace("_", "."): read_document(text.encode(), name.replace("_", ".")) for name, text in files.items()
    }


def merged(base: dict[str, Document], mine: dict[str, Document], theirs: dict[str, Document]) -> dict[str, FileMerge]:
    return {merge.path: merge for merge in merge_folders(base, mine, theirs)}


@pytest.mark.parametrize(
    ("base", "mine", "theirs", "state", "text"),
    [
        pytest.param("a: 1\n", "a: 2\n", "a: 1\n", FileState.KEPT, "a: 2\n", id="only mine changed it"),
        pytest.param("a: 1\n", "a: 1\n", "a: 2\n", FileState.UPDATED, "a: 2\n", id="only theirs changed it"),
        pytest.param("a: 1\nb: 1\n", "a: 2\nb: 1\n", "a: 1\nb: 3\n", FileState.MERGED, "a: 2\nb: 3\n", id="both changed it"),
        pytest.param(None, None, "a: 1\n", FileState.ADDED, "a: 1\n", id="theirs brought it"),
        pytest.param(None, "a: 1\n", None, FileState.KEPT, "a: 1\n", id="mine brought it"),
        pytest.param(None, "a: 1\nb: 2\n", "a: 1\nc: 3\n", FileState.MERGED, "a: 1\nb: 2\nc: 3\n", id="both brought it"),
        pytest.param("a: 1\n", "a: 1\n", None, FileState.REMOVED, None, id="theirs removed it"),
        pytest.param("a: 1\n", None, "a: 1\n", FileState.KEPT, None, id="mine removed it"),
        pytest.param("a: 1\n", "a: 2\n", None, FileState.CONFLICT, "a: 2\n", id="changed here, removed there"),
        pytest.param("a: 1\n", None, "a: 2\n", FileState.CONFLICT, None, id="removed here, changed there"),
        pytest.param("a: 1\n", "a: [\n", "a: 2\n", FileState.CONFLICT, "a: [\n", id="mine is broken"),
        pytest.param("a\0", "b\0", "c\0", FileState.CONFLICT, "b\0", id="no text"),
    ],
)  # fmt: skip
def test_one_file(base: str | None, mine: str | None, theirs: str | None, state: FileState, text: str | None) -> None:
    sides = [folder(a_yml=side) if side is not None else {} for side in (base, mine, theirs)]
    (merge,) = merged(sides[0], sides[1], sides[2]).values()
    assert merge.state is state
    assert merge.data == (None if text is None else text.encode())
    assert bool(merge.conflicts) == (state is FileState.CONFLICT)


def test_a_renamed_file_takes_the_edits_of_the_other_side_along() -> None:
    base = folder(old_yml="a: 1\nb: 1\n", stays_yml="x: 1\n")
    mine = folder(old_yml="a: 2\nb: 1\n", stays_yml="x: 1\n")
    theirs = folder(new_yml="a: 1\nb: 1\n", stays_yml="x: 1\n")
    result = merged(base, mine, theirs)
    assert {path: (m.state, m.data) for path, m in result.items()} == {
        "new.yml": (FileState.MOVED, b"a: 2\nb: 1\n"),
        "stays.yml": (FileState.KEPT, b"x: 1\n"),
    }
    other_way = merged(base, theirs, mine)
    assert other_way["new.yml"].data == b"a: 2\nb: 1\n"


def test_two_new_names_for_one_file_are_decided_by_a_person() -> None:
    base = folder(old_yml="a: 1\n")
    result = merged(base, folder(here_yml="a: 1\n"), folder(there_yml="a: 1\n"))
    assert [merge.conflicts[0].reason for merge in result.values()] == [
        "it is called here.yml here and there.yml there"
    ]


def test_conflicts_are_decided_by_path_and_address() -> None:
    base, mine, theirs = (
        folder(a_yml="a: 1\n", b_yml="x\n"),
        folder(a_yml="a: 2\n"),
        folder(a_yml="a: 3\n", b_yml="y\n"),
    )
    open_ones = [conflict.address for merge in merge_folders(base, mine, theirs) for conflict in merge.conflicts]
    assert open_ones == ["a.yml#a", "b.yml"]
    decided = merge_folders(base, mine, theirs, {"a.yml#a": "=9", "b.yml": "theirs"})
    assert [(merge.data, merge.conflicts) for merge in decided] == [(b"a: 9\n", ()), (b"y\n", ())]
    with pytest.raises(MergeRefused, match=r"no conflict at c\.yml"):
        merge_folders(base, mine, theirs, {"c.yml": "mine"})
    with pytest.raises(MergeRefused, match="decided as a whole"):
        merge_folders(base, mine, theirs, {"b.yml": "=1"})
