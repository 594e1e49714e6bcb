"""Which step of several made a start fail: halving, on a copy of the server, until one is named."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from zerrit.core.examination.game_files import Files
from zerrit.core.gamebooks import Gamebook
from zerrit.core.steps import Step
from zerrit.records import Change, Server, store_contents
from zerrit.work.base.run_records import get_run
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change, replayed_on, step_of
from zerrit.work.deploy.rehearsal import rehearse, require_rehearsal
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import digests, documents_of, get_snapshot


@dataclass(frozen=True, slots=True)
class _Part:
    change_id: int
    title: str
    number: int
    step: Step


def find_culprit(workspace: Workspace, run_id: int, say: Callable[[str], None], pause: Callable[[float], None]) -> str:
    """Name the first step with which a copy of the server does not start any more, in words.

    The steps are tried from the first on, half of those in question each time: a step may need those before it.

    Raises Refused: there is no way to start a copy. ControlError.
    """
    with workspace.session() as session:
        run = get_run(session, run_id)
        server = get_server(session, run.server_id)
        gamebook, _ = gamebook_of(session, server)
        require_rehearsal(server, gamebook)
        if run.before_id is None:
            return "The run ended before it had a snapshot; there is nothing to search in."
        base = digests(session, get_snapshot(session, server.id, run.before_id))
        parts = [part for change_id in run.change_ids for part in _parts(get_change(session, change_id))]
    trial = _Trial(workspace, server, gamebook, base, [part.step for part in parts], say, pause)
    reason = trial.trouble(len(parts))
    if not reason:
        return "A copy of the server starts with all of it; what failed is outside of the files."
    if trial.trouble(0):
        return "A copy of the server does not start even without it; what failed is not among these steps."
    fine, failing = 0, len(parts)
    while failing - fine > 1:
        middle = (fine + failing) // 2
        say(f"trying the first {middle} of {len(parts)} steps")
        found = trial.trouble(middle)
        if found:
            failing, reason = middle, found
        else:
            fine = middle
    part = parts[failing - 1]
    return (
        f"Step {part.number} of change {part.change_id} ({part.title}) is the first with which a copy does not start: "
        f"{part.step.kind} {part.step.address} {part.step.operation}".rstrip()
        + f". {reason}"
    )


def _parts(change: Change) -> list[_Part]:
    return [_Part(change.id, change.title, number, step_of(row)) for number, row in enumerate(change.steps, 1)]


@dataclass(frozen=True)
class _Trial:
    workspace: Workspace
    server: Server
    gamebook: Gamebook | None
    base: Mapping[str, str]
    steps: list[Step]
    say: Callable[[str], None]
    pause: Callable[[float], None]

    def trouble(self, first: int) -> str:
        """What goes wrong with a copy that has the first so many steps; empty when nothing does."""
        with self.workspace.session() as session:
            before = documents_of(self.workspace, session, self.server, self.base)
            others = {path: digest for path, digest in self.base.items() if path not in before}
            replayed = replayed_on(session, self.gamebook, Files(before, others), self.steps[:first])
        held = dict(self.base)
        paths = sorted(replayed.touched)
        with self.workspace.session() as session:
            there = [path for path in paths if path in replayed.documents]
            held.update(
                zip(there, store_contents(session, [replayed.documents[p].to_bytes() for p in there]), strict=True)
            )
        for path in paths:
            digest = replayed.others.get(path)
            if digest:
                held[path] = digest
            elif path not in replayed.documents:
                held.pop(path, None)
        verdict = rehearse(
            self.workspace, self.server, self.gamebook, held, expected={}, say=self.say, pause=self.pause
        )
        return verdict.trouble
