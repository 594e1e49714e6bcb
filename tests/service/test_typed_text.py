"""Text typed into a file of a server: checked while it is typed, saved as steps, by two people at once."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.quick import Quick, quick_stack
from zerrit import api
from zerrit.client import Client, ProblemError

PATH = "station.ini"


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add()
        yield stack


def opened(zerrit: Client, change: int | None = None, path: str = PATH) -> api.FileOut:
    return zerrit.file("reef", path, change)


def replaced(file: api.FileOut, old: str, new: str) -> api.TypedIn:
    """The complete text with one edit."""
    assert old in file.text
    return api.TypedIn(path=file.path, digest=file.digest, text=file.text.replace(old, new, 1))


def new_change(zerrit: Client) -> int:
    return zerrit.create_change("reef", "typing").id


def a_line(file: api.FileOut) -> tuple[int, str]:
    """The number and text of a line that sets something."""
    lines = file.text.splitlines()
    return next((number, line) for number, line in enumerate(lines, 1) if "=" in line and not line.startswith(";"))


def test_typed_text_is_saved_as_steps_and_the_file_is_exactly_as_typed(quick: Quick) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    file = opened(zerrit, change)
    _number, line = a_line(file)
    name = line.partition("=")[0]
    typed = replaced(file, line, f"{name}=typed")
    saved = zerrit.save_text(change, typed)
    after = opened(zerrit, change)
    assert (after.text, after.digest, saved.text) == (typed.text, saved.digest, None)
    steps = zerrit.change(change).step_list
    assert [(step.position, step.kind, step.summary) for step in steps] == [(1, "set", "=typed")]
    assert saved.positions == [1]


def test_pieces_count_lines_and_columns_as_editors_do(quick: Quick) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    first = zerrit.save_text(change, replaced(file := opened(zerrit, change), a_line(file)[1], "Name=\U0001f41a é x"))
    number = a_line(opened(zerrit, change))[0]
    # The shell takes two units of UTF-16, so the x is in column 11.
    piece = api.PieceIn(from_line=number, from_column=11, to_line=number, to_column=12, text="y\nMore=1")
    zerrit.save_text(change, api.TypedIn(path=PATH, digest=first.digest, pieces=[piece]))
    lines = opened(zerrit, change).text.splitlines()
    assert lines[number - 1 : number + 1] == ["Name=\U0001f41a é y", "More=1"]


@pytest.mark.parametrize(
    ("piece", "why"),
    [
        ((999, 1, 999, 1), "has no line 999"),
        ((1, 500, 1, 500), "has no column 500"),
        ((2, 1, 1, 1), "ends before it begins"),
        ((0, 1, 1, 1), "has no line 0"),
    ],
)
def test_a_piece_that_is_not_in_the_file_is_refused(quick: Quick, piece: tuple[int, int, int, int], why: str) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    file = opened(zerrit, change)
    one = api.PieceIn(from_line=piece[0], from_column=piece[1], to_line=piece[2], to_column=piece[3], text="x")
    with pytest.raises(ProblemError, match=why):
        zerrit.save_text(change, api.TypedIn(path=PATH, digest=file.digest, pieces=[one]))
    assert zerrit.change(change).steps == 0


def test_typing_is_checked_without_being_saved(quick: Quick) -> None:
    zerrit = quick.zerrit
    file = opened(zerrit, path="sea/1.yml")
    typed = api.TypedIn(path=file.path, digest=file.digest, text=file.text + "holds: [1\n")
    found = zerrit.check_typed("reef", typed)
    assert any(one.severity == "error" for one in found.findings)
    assert opened(zerrit, path="sea/1.yml").text == file.text


def test_two_people_type_into_one_file(quick: Quick) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    mine = yours = opened(zerrit, change)
    lines = [line for line in mine.text.splitlines() if "=" in line and not line.startswith(";")]
    zerrit.save_text(change, replaced(yours, lines[0], f"{lines[0].partition('=')[0]}=yours"))
    late = replaced(mine, lines[1], f"{lines[1].partition('=')[0]}=mine")
    with pytest.raises(ProblemError) as refused:
        zerrit.save_text(change, late)
    assert (refused.value.problem.status, "has changed since you opened it" in str(refused.value)) == (412, True)
    saved = zerrit.save_text(change, late.model_copy(update={"base": mine.text}))
    assert saved.text is not None
    assert "=yours" in saved.text
    assert "=mine" in saved.text
    assert opened(zerrit, change).text == saved.text


def test_what_does_not_fit_the_edit_of_another_is_refused_and_nothing_is_lost(quick: Quick) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    file = opened(zerrit, change)
    line = a_line(file)[1]
    zerrit.save_text(change, api.TypedIn(path=PATH, digest=file.digest, text=file.text.replace(f"{line}\n", "", 1)))
    late = replaced(file, line, f"{line.partition('=')[0]}=mine")
    with pytest.raises(ProblemError, match="your text does not fit"):
        zerrit.save_text(change, late.model_copy(update={"base": file.text}))
    assert zerrit.change(change).steps == 1


def test_a_new_file_is_typed(quick: Quick) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    zerrit.save_text(change, api.TypedIn(path="sea/99.yml", text="holds: 3\n"))
    assert [step.kind for step in zerrit.change(change).step_list] == ["put-file"]
    with pytest.raises(ProblemError, match="leaves the server"):
        zerrit.save_text(change, api.TypedIn(path="../evil.yml", text="x: 1\n"))


def test_text_that_is_there_already_is_refused(quick: Quick) -> None:
    zerrit = quick.zerrit
    change = new_change(zerrit)
    file = opened(zerrit, change)
    with pytest.raises(ProblemError, match="has this text already"):
        zerrit.save_text(change, api.TypedIn(path=PATH, digest=file.digest, text=file.text))
