"""A service with more servers than it keeps complete checks of, and how its threads share one interpreter."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from tests.quick import quick_stack
from zerrit.work.base.workspace import Recent
from zerrit.work.snapshots import snapshots


def test_the_overview_checks_no_server_again_that_is_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    names = ("reef", "shoal", "bank")
    checked: list[object] = []
    original = snapshots.check_files_of

    def counting(*arguments: object, **options: object) -> object:
        checked.append(arguments)
        return original(*arguments, **options)  # type: ignore[arg-type]  # as it was called

    with quick_stack(tmp_path, names) as quick:
        for name in names:
            quick.add(name)
        quick.workspace.checked = Recent(1)
        quick.zerrit.overview()
        monkeypatch.setattr(snapshots, "check_files_of", counting)
        for _ in range(3):
            quick.zerrit.overview()
        assert checked == []
        (quick.game("shoal").folder / "sea/1.yml").write_text("holds: {\n")
        quick.zerrit.fetch("shoal")
        assert [one.server for one in quick.zerrit.overview().items if one.kind == "findings"] == ["shoal"]
        assert len(checked) == 1


def test_what_is_larger_than_all_that_is_kept_is_made_and_not_kept() -> None:
    kept: Recent[str, tuple[int, ...]] = Recent(3, len)
    assert kept.get_or_make("long", lambda: (1, 2, 3, 4)) == (1, 2, 3, 4)
    assert kept.get_or_make("short", lambda: (1, 2)) == (1, 2)
    assert (kept.get("long"), kept.get("short")) == (None, (1, 2))


GARBAGE = """
import gc, sys
from zerrit.web import process_settings
process_settings.YOUNG = 50
before = gc.get_threshold(), sys.getswitchinterval()
gc.collect()
with process_settings.quick_answers():
    kept = [[number] for number in range(50 * 11 * (process_settings.WORTH_A_LOOK + 5))]
    assert not process_settings.collect_if_due(is_quiet=False)
    assert process_settings.collect_if_due(is_quiet=True)
    assert not process_settings.collect_if_due(is_quiet=True)
    kept += [[number] for number in range(50 * 11 * (process_settings.OVERDUE + 40))]
    assert process_settings.collect_if_due(is_quiet=False)
assert (gc.get_threshold(), sys.getswitchinterval()) == before
"""


def test_garbage_is_collected_while_no_one_waits_and_at_last_all_the_same() -> None:
    # In a process of its own: services of other tests in this one collect, too.
    done = subprocess.run([sys.executable, "-c", GARBAGE], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
