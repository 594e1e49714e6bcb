"""The text difference names only lines that differ, and can be applied."""

from __future__ import annotations

import subprocess
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from zerrit.core.compare.line_alignment import line_matches
from zerrit.core.compare.line_difference import text_difference

LINES = st.lists(st.sampled_from(["a", "b", "c", "", "dd"]), max_size=30)


@given(LINES, LINES)
def test_matches_are_equal_lines_in_one_order(old: list[str], new: list[str]) -> None:
    i = j = 0
    for match in line_matches(old, new):
        assert match.size > 0
        assert match.old >= i
        assert match.new >= j
        assert old[match.old : match.old + match.size] == new[match.new : match.new + match.size]
        i, j = match.old + match.size, match.new + match.size


@given(LINES, LINES, st.booleans())
def test_what_is_shown_makes_the_one_text_of_the_other(old: list[str], new: list[str], ends: bool) -> None:
    one, other = ("".join(f"{line}\n" for line in lines) + ("" if ends else "x") for lines in (old, new))
    shown = text_difference(one, other, "a", "b", context=1_000).splitlines()[3:]
    if one == other:
        assert shown == []
        return
    kept = [line for line in shown if not line.startswith("\\")]
    assert [line[1:] for line in kept if line[0] in " -"] == one.splitlines()
    assert [line[1:] for line in kept if line[0] in " +"] == other.splitlines()


def test_a_moved_entry_is_told_by_its_own_lines() -> None:
    entries = [f'<event name="e{n}">\n  <count>1</count>\n  <active>1</active>\n</event>\n' for n in range(400)]
    moved = entries[:30] + entries[33:300] + entries[30:33] + entries[300:]
    shown = text_difference("".join(entries), "".join(moved), "a", "b").splitlines()
    assert sum(line.startswith(("-", "+")) for line in shown) == 2 * 12 + 2


def test_two_texts_with_nothing_in_common_take_no_long_time() -> None:
    old, new = ("".join(f"{word}{n % 7}\n" for n in range(30_000)) for word in ("x", "y"))
    assert len(text_difference(old, new, "a", "b").splitlines()) == 60_003


def test_other_tools_can_apply_it(tmp_path: Path) -> None:
    old = "".join(f"line {n % 13}\n" for n in range(200))
    new = old.replace("line 5\n", "line five\n", 3) + "last\n"
    (tmp_path / "f").write_text(old)
    (tmp_path / "d").write_text(text_difference(old, new, "f", "f"))
    subprocess.run(["git", "apply", "-p0", "d"], cwd=tmp_path, check=True)
    assert (tmp_path / "f").read_text() == new
