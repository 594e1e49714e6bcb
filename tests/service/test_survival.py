"""A few of the kills of `make kills`, and of the faults of `make faults`, with every test run."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.faulting import fill
from tests.killing import run_kills


def test_a_service_that_is_killed_leaves_the_old_or_the_new_files(tmp_path: Path) -> None:
    result = run_kills(2, seed=11, folder=tmp_path)
    assert result.kills >= 2
    assert result.faults == []


@pytest.mark.parametrize(
    ("kind", "fault", "passing", "staying"),
    [
        ("ftp", "drops each transfer", "B", "F"),
        ("sftp", "refuses to write", "B", "B"),
        ("folder", "never says it is ready", "B", "F"),
    ],
)
def test_a_fault_while_files_are_written(tmp_path: Path, kind: str, fault: str, passing: str, staying: str) -> None:
    matrix = fill(tmp_path, (kind,), ("write",), (fault,), is_loud=False)
    assert matrix.faults == []
    cell = matrix.cells[fault, "write", kind]
    assert (cell.passing, cell.staying) == (passing, staying)
