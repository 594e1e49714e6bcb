"""Files that a host does not take, such as programs: known from the settings of the server before anything is sent."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zerrit.core.documents import CODES, Finding
from zerrit.core.paths import name_matches
from zerrit.core.steps import Replay, Step
from zerrit.records import Server


@dataclass(frozen=True, slots=True)
class RefusedFiles:
    """What steps put that the host refuses: `left_out` by the choice of its step, the rest makes a deploy fail."""

    left_out: tuple[str, ...]
    fails: tuple[str, ...]

    def findings(self) -> list[Finding]:
        """One finding for each file."""
        found = [
            _finding("host.leaves-out", path, f"{path} is left out: the host refuses it.") for path in self.left_out
        ]
        return found + [
            _finding("host.refuses", path, f"The host refuses {path}, so the deploy would fail there.")
            for path in self.fails
        ]


def refused_by(server: Server, steps: Iterable[Step], replayed: Replay) -> RefusedFiles:
    """The files that steps make new or different, and that fit what the server's host refuses."""
    patterns: Sequence[str] = server.maintenance.refused_files
    if not patterns:
        return RefusedFiles((), ())
    there = replayed.documents.keys() | replayed.others.keys()
    refused = [
        path for path in sorted(replayed.touched) if path in there and any(name_matches(one, path) for one in patterns)
    ]
    optional = may_be_left_out(steps)
    return RefusedFiles(
        tuple(path for path in refused if path in optional), tuple(path for path in refused if path not in optional)
    )


def may_be_left_out(steps: Iterable[Step]) -> frozenset[str]:
    """The files that a deploy goes on without where the host refuses them."""
    found: set[str] = set()
    for step in steps:
        if step.if_refused == "leave-out":
            folder = step.address.rstrip("/")
            found.update(f"{folder}/{path}" for path in step.files)
            if not step.files:
                found.add(folder)
    return frozenset(found)


def _finding(code: str, path: str, message: str) -> Finding:
    return Finding(code, CODES[code].severity, message, path, hint=CODES[code].advice)
