"""
Carrying one's own changes over an upgrade: what the vendor changed between two versions of the defaults, what was
changed here, what merges automatically, and what conflicts. The result becomes a change like any other.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from sqlalchemy.orm import Session

from zerrit.core.compare import Difference, DifferenceKind, compare_documents
from zerrit.core.documents import Document, read_document
from zerrit.core.merge import Conflict, FileMerge, FileState, KeyNote, merge_folders, notes_of
from zerrit.core.steps import Step, StepKind, whole_file
from zerrit.core.wording import counted
from zerrit.records import Change
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import create_with_steps
from zerrit.work.servers.servers import get_server
from zerrit.work.snapshots.snapshots import documents, require_defaults, require_latest

#: The same choice for all conflicts that are not decided one by one.
SIDES: Final = ("mine", "theirs")


@dataclass(frozen=True, slots=True)
class UpgradeFile:
    """One file: what the vendor changed, what was changed here, what merged, what conflicts."""

    path: str
    state: FileState
    vendor: tuple[Difference, ...]
    own: tuple[Difference, ...]
    merge: FileMerge
    added: tuple[KeyNote, ...]
    dropped: tuple[KeyNote, ...]


@dataclass(frozen=True, slots=True)
class Upgrade:
    """An upgrade from the defaults called `old` to those called `new`, on the latest files of the server.

    `choices` are those that decided conflicts. `remaining`: files that the new version does not have any more; they stay
    on the server.
    """

    server: str
    old: str
    new: str
    files: tuple[UpgradeFile, ...]
    conflicts: tuple[Conflict, ...]
    choices: Mapping[str, str]
    remaining: tuple[str, ...]


def plan_upgrade(
    workspace: Workspace, server_id: str, old: str, new: str, choices: Mapping[str, str] | None = None, rest: str = ""
) -> Upgrade:
    """Work out what an upgrade would do. Nothing is changed.

    `choices` decides conflicts by address: mine, theirs or =VALUE; `rest` all others.

    Raises NotFound: there are no such defaults. Refused: both are the same. MergeRefused: a choice fits no conflict.
    """
    with workspace.session() as session:
        return _planned(workspace, session, server_id, old, new, choices or {}, rest)[0]


def open_upgrade(
    workspace: Workspace,
    person: str,
    server_id: str,
    old: str,
    new: str,
    title: str,
    choices: Mapping[str, str],
    rest: str = "",
) -> Change:
    """Make a change of an upgrade, a step for each file.

    Raises Refused: a conflict is undecided, or there is nothing to do.
    """
    with workspace.session() as session:
        upgrade, sides = _planned(workspace, session, server_id, old, new, choices, rest)
    if upgrade.conflicts:
        shown = ", ".join(conflict.address for conflict in upgrade.conflicts[:5])
        raise Refused(
            f"{counted(len(upgrade.conflicts), 'conflict', 'conflicts')} still to be decided: {shown}. Choose mine or theirs."
        )
    steps = [step for file in upgrade.files for step in _steps(file, sides, upgrade.choices)]
    if not steps:
        raise Refused(f"Between {old} and {new} nothing changes for {server_id}; there is nothing to carry over.")
    return create_with_steps(workspace, person, server_id, title or f"Upgrade from {old} to {new}", steps)


@dataclass(frozen=True, slots=True)
class _Sides:
    """The files of the old defaults, of the server, and of the new defaults."""

    base: Mapping[str, Document]
    mine: Mapping[str, Document]
    theirs: Mapping[str, Document]


def _planned(
    workspace: Workspace, session: Session, server_id: str, old: str, new: str, choices: Mapping[str, str], rest: str
) -> tuple[Upgrade, _Sides]:
    if old == new:
        raise Refused(f"Both versions are {old}. Name the one that the server's files are from, and the new one.")
    if rest and rest not in SIDES:
        raise Refused(f"`{rest}` decides no conflict. Write mine or theirs.")
    server = get_server(session, server_id)
    base, theirs = (
        documents(workspace, session, server, require_defaults(session, server_id, label)) for label in (old, new)
    )
    mine = documents(workspace, session, server, require_latest(session, server_id))
    merges = merge_folders(base, mine, theirs)
    given = dict(choices)
    if rest:
        given = {conflict.address: rest for merge in merges for conflict in merge.conflicts} | given
    if given:
        merges = merge_folders(base, mine, theirs, given)
    sides = _Sides(base, mine, theirs)
    files = tuple(_file(merge, sides) for merge in merges if merge.state not in (FileState.KEPT, FileState.REMOVED))
    remaining = tuple(sorted(path for path in base.keys() & mine.keys() if path not in theirs))
    conflicts = tuple(conflict for merge in merges for conflict in merge.conflicts)
    return Upgrade(server_id, old, new, files, conflicts, given, remaining), sides


def _file(merge: FileMerge, sides: _Sides) -> UpgradeFile:
    old, own, new = (side.get(merge.path) for side in (sides.base, sides.mine, sides.theirs))
    vendor = compare_documents(old, new) if old and new else []
    changed = compare_documents(old, own) if old and own else []
    added = notes_of(vendor, DifferenceKind.ADDED, new)
    dropped = notes_of(vendor, DifferenceKind.REMOVED, old)
    return UpgradeFile(merge.path, merge.state, tuple(vendor), tuple(changed), merge, added, dropped)


def _steps(file: UpgradeFile, sides: _Sides, choices: Mapping[str, str]) -> list[Step]:
    """A file that all have is carried over, so that the step also fits a server that drifted; any other is put.

    None where the server's file stays as it is, since the choices, or its admin before, made it so.
    """
    merge, path = file.merge, file.path
    own = sides.mine.get(path)
    if merge.data is None or (own is not None and merge.data == own.to_bytes()):
        return []
    if own is None or path in choices or path not in sides.base or path not in sides.theirs:
        return [whole_file(path, read_document(merge.data, path))]
    prefix = f"{path}#"
    chosen = {address.removeprefix(prefix): word for address, word in choices.items() if address.startswith(prefix)}
    old, new = sides.base[path].text, sides.theirs[path].text
    return [Step(StepKind.MERGE_VERSION, path, base=old, content=new, choices=chosen)]
