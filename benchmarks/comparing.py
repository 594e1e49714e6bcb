"""What it takes to compare a change of one value with its base, on a server of 14 MB, beside `git diff` of two folders."""

from __future__ import annotations

import subprocess
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from benchmarks.keeping import workspace_of
from benchmarks.server import server_files
from zerrit.core.steps import Step, StepKind
from zerrit.web import configure_log
from zerrit.work.browse import state_comparison
from zerrit.work.changes import changes
from zerrit.work.snapshots import fetch

SHARE: Final = 0.7  # of the made-up server of 20 MB
ADDRESS: Final = "galley/house.json#prices/Dish 7"
ROUNDS: Final = 5


@dataclass(frozen=True)
class CompareCost:
    """Seconds: the first comparison of a service that has read nothing yet, the fastest of later ones, and git's."""

    megabytes: float
    first: float
    later: float
    git: float


def measure() -> CompareCost:
    configure_log(as_json=True, least="error")
    files = server_files(SHARE)
    with tempfile.TemporaryDirectory(prefix="zerrit-bench-") as name:
        root = Path(name)
        for path, data in files.items():
            for side in ("game", "changed"):
                (root / side / path).parent.mkdir(parents=True, exist_ok=True)
                (root / side / path).write_bytes(data)
        with workspace_of(root / "data", {"kind": "folder", "folder": str(root / "game")}) as workspace:
            fetch.fetch(workspace, "isolde", "reef")
            change = changes.create_change(workspace, "isolde", "reef", "one value")
            changes.add_step(workspace, "isolde", change.id, Step(StepKind.SET, ADDRESS, "=77"))
            later = [
                _timed(lambda: state_comparison.compare_change(workspace, change.id, "base")) for _ in range(ROUNDS)
            ]
            (found,) = state_comparison.compare_change(workspace, change.id, "base").differences
            if found.new != "77":
                raise RuntimeError(f"another difference was found: {found}")
        with workspace_of(root / "data", None) as workspace:
            first = _timed(lambda: state_comparison.compare_change(workspace, change.id, "base"))
        house = root / "changed" / "galley/house.json"
        house.write_bytes(house.read_bytes().replace(b'"Dish 7": ', b'"Dish 7": 1', 1))
        git = min(_timed(lambda: _git(root)) for _ in range(ROUNDS))
    return CompareCost(sum(map(len, files.values())) / 1e6, first, min(later), git)


def _git(root: Path) -> None:
    done = subprocess.run(
        ["git", "diff", "--no-index", "--quiet", "game", "changed"], cwd=root, check=False, capture_output=True
    )
    if done.returncode != 1:
        raise RuntimeError(f"git found no difference: {done.stderr.decode()}")


def _timed(run: Callable[[], object]) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start
