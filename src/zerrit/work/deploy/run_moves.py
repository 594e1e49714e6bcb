"""What a run does besides writing contents: files that only get another path or other rights, and empty folders."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.connections import Connection, RemoteFile
from zerrit.core.file_steps import Marks
from zerrit.core.paths import folders_of, pack_of
from zerrit.core.steps import Replay
from zerrit.records import Run, RunFacts, Snapshot
from zerrit.work.deploy.journal import StageFailed
from zerrit.work.deploy.packing import Writes
from zerrit.work.deploy.run_folders import made_by_runs, paths_after
from zerrit.work.snapshots.live_files import FetchedFile, Known, Taken


@dataclass(frozen=True)
class Besides:
    """What is done besides writing.

    `moves`: the new path of a file by the one that it has; `marked`: whether a file becomes executable, of those that are not
    written; `executable`: the same of those that are. `folders_new` and `folders_gone` are empty ones.
    """

    moves: Mapping[str, str] = field(default_factory=dict)
    marked: Mapping[str, bool] = field(default_factory=dict)
    executable: Mapping[str, bool] = field(default_factory=dict)
    folders_new: tuple[str, ...] = ()
    folders_gone: tuple[str, ...] = ()

    def note(self, facts: RunFacts) -> None:
        """Keep it with the run, before anything is done."""
        facts.moves, facts.marked = dict(self.moves), dict(self.marked)
        facts.folders_new, facts.folders_gone = list(self.folders_new), list(self.folders_gone)

    def __str__(self) -> str:
        counts = (
            (len(self.moves), "moved on the host"),
            (len(self.marked), "with other rights"),
            (len(self.folders_new), "new empty folders"),
        )
        return "".join(f", {count} {what}" for count, what in counts if count)


def composed(moved: Mapping[str, str], before: Mapping[str, str], replayed: Replay) -> dict[str, str]:
    """The moves of several changes as one: the first path of each file by the last one. `before` are the files before these
    steps.
    """
    kept = {
        path: origin
        for path, origin in moved.items()
        if path not in replayed.left and replayed.others.get(path) == before.get(path)
    }
    return kept | {path: moved.get(origin, origin) for path, origin in replayed.moved.items()}


def only_moved(moved: Mapping[str, str], taken: Taken, after: Iterable[str]) -> dict[str, str]:
    """The watched files that a host can rename: nothing else comes to the place that they have or to the one that they get."""
    there = taken.by_path
    kept = set(after)
    return {
        origin: path
        for path, origin in moved.items()
        if path not in there and origin not in kept and origin in there and there[origin].digest is None
    }


def besides(taken: Taken, writes: Writes, moves: Mapping[str, str], marks: Marks, left: Iterable[str]) -> Besides:
    """What steps bring about besides contents. `marks` are those after them, `left` what they took away."""
    now = taken.marks
    named = {path for path in now.executable ^ marks.executable if not pack_of(path)}
    written = {path for path, digest in writes.items() if digest is not None}
    origins = {path: origin for origin, path in moves.items()}
    changed = {
        path: path in marks.executable
        for path in named
        if (path in marks.executable) != (origins.get(path, path) in now.executable)
    }
    after = paths_after(taken.by_path, with_moves(writes, moves))
    emptied = folders_of(path for path in taken.by_path if not pack_of(path)) - folders_of(after)
    roots = tuple(left)
    gone = {one for one in emptied if any(one == root or one.startswith(f"{root}/") for root in roots)}
    gone |= now.empty_folders - marks.empty_folders - folders_of(after)
    return Besides(
        moves,
        {path: wanted for path, wanted in changed.items() if path not in written and path in after},
        {path: wanted for path, wanted in changed.items() if path in written}
        | {path: True for path in written & marks.executable if path not in taken.by_path},
        tuple(sorted(marks.empty_folders - now.empty_folders)),
        tuple(sorted(gone)),
    )


def besides_back(session: Session, server_id: str, snapshot: Snapshot, taken: Taken, writes: Writes) -> Besides:
    """What makes a server as a snapshot says, besides contents. Only folders that runs have made are taken away."""
    moves = _moves_back(session, server_id, snapshot, taken)
    then = {file.path: file.is_executable for file in snapshot.files}
    executable = {
        path: was for path, digest in writes.items() if digest is not None and (was := then.get(path)) is not None
    }
    after = paths_after(taken.by_path, with_moves(writes, moves))
    there = folders_of(path for path in taken.by_path if not pack_of(path))
    there |= taken.empty_folders | folders_of(taken.empty_folders)
    empty = snapshot.empty_folders or ()
    wanted = folders_of(after) | set(empty) | folders_of(empty)
    gone = (there - wanted) & made_by_runs(session, server_id)
    new = set(empty) - taken.empty_folders - folders_of(after)
    marked = other_rights(taken.by_path, then, writes)
    return Besides(moves, marked, executable, tuple(sorted(new)), tuple(sorted(gone)))


def other_rights(now: Known, then: Mapping[str, bool | None], writes: Writes) -> dict[str, bool]:
    """The files whose rights are not as they were, of those that are not written anyway."""
    return {
        path: was
        for path, was in then.items()
        if was is not None
        and path in now
        and path not in writes
        and now[path].is_executable is not None
        and now[path].is_executable is not was
        and not pack_of(path)
    }


def _moves_back(session: Session, server_id: str, snapshot: Snapshot, taken: Taken) -> dict[str, str]:
    """Watched files that runs have moved since a snapshot, and that are as they were but for their path."""
    there = taken.by_path
    lost = {file.path: file for file in snapshot.files if file.digest is None and file.path not in there}
    if not lost:
        return {}
    at = {path: path for path in lost}
    query = select(Run).where(Run.server_id == server_id, Run.after_id.is_not(None), Run.before_id >= snapshot.id)
    for run in session.scalars(query.order_by(Run.id)):
        moves = run.evidence.moves
        at = {path: moves.get(now, now) for path, now in at.items()}
    then = {file.path for file in snapshot.files}
    return {
        now: path
        for path, now in at.items()
        if now in there
        and now not in then
        and (there[now].size, there[now].modified) == (lost[path].size, lost[path].modified)
    }


def with_moves(writes: Writes, moves: Mapping[str, str]) -> Writes:
    """Moves told as what they come to: one file less, and another more."""
    return {**writes, **dict.fromkeys(moves), **dict.fromkeys(moves.values(), "")}


def as_moved(files: Known, facts: RunFacts) -> dict[str, FetchedFile]:
    """Files with the paths and rights that a run gives to them."""
    found = dict(files)
    for origin, path in facts.moves.items():
        file = found.pop(origin, None)
        if file is not None:
            found[path] = file._replace(path=path)
    for path, wanted in facts.marked.items():
        if path in found:
            found[path] = found[path]._replace(is_executable=wanted)
    return found


def move_all(connection: Connection, moves: Mapping[str, str]) -> None:
    """Move files on the host; those that were moved before stay. Raises ConnectionFailed."""
    for origin, path in sorted(moves.items()):
        connection.move(origin, path)


def move_back(connection: Connection, moves: Mapping[str, str]) -> bool:
    """Lead files back to where they were, whatever is there now. Returns whether any had to be. Raises ConnectionFailed."""
    if not moves:
        return False
    present = {file.path for file in connection.files()}
    back = {path: origin for origin, path in moves.items() if path in present}
    for origin in back.values():
        if origin in present:
            connection.remove(origin)  # the game wrote it since; it is kept as evidence
    move_all(connection, back)
    return bool(back)


def mark_all(connection: Connection, marked: Mapping[str, bool]) -> list[str]:
    """Give files other rights. Returns those whose rights the host does not let be changed. Raises ConnectionFailed."""
    return [path for path, wanted in sorted(marked.items()) if not connection.set_executable(path, wanted=wanted)]


def look_at(connection: Connection, facts: RunFacts, before: Known, executable: Mapping[str, bool]) -> list[str]:
    """See that moves, rights and folders are as they should be. Returns what could not be seen, one sentence each.

    Raises StageFailed: something is not so. ConnectionFailed.
    """
    present = {file.path: file for file in connection.files()}
    for origin, path in facts.moves.items():
        moved = present.get(path)
        if origin in present or moved is None or (origin in before and moved.size != before[origin].size):
            raise StageFailed(f"{origin} should have been moved to {path}, and was not")
    lacking = [one for one in facts.folders_new if one not in _folders(connection, present)]
    if lacking:
        raise StageFailed(f"the folder {lacking[0]} should be there, and is not")
    left = [one for one in facts.folders_gone if one in connection.empty_folders]
    doubts = [f"the empty folder {one} could not be removed" for one in left]
    for path, wanted in {**facts.marked, **executable}.items():
        now = present[path].is_executable if path in present else None
        if now is not wanted:
            words = "can be run as a program" if wanted else "cannot be run as a program any more"
            seen = "the host does not show it" if now is None else "the host did not take it over"
            doubts.append(f"whether {path} {words} is not certain: {seen}. Set it on the host")
    return doubts


def _folders(connection: Connection, present: Mapping[str, RemoteFile]) -> set[str]:
    return set(connection.empty_folders) | folders_of(connection.empty_folders) | folders_of(present)
