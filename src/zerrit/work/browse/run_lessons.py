"""What runs and changes of a server teach a draft: the logs of its starts, files that its game writes, values that hold."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.discovery import Sort, sort_of
from zerrit.core.documents import read_document
from zerrit.core.documents.value_edits import Operation, OperationKind, ValueChange, set_values
from zerrit.core.drafting import Guess, KeptLog
from zerrit.core.errors import ZerritError
from zerrit.core.states import ChangeState, RunState
from zerrit.core.wording import counted
from zerrit.records import Change, Run, Server, load_content
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import worked_out
from zerrit.work.servers.servers import list_servers
from zerrit.work.servers.start_logs import parted
from zerrit.work.snapshots.live_files import known_files

MOST_RUNS: Final = 40  #: of a server, the newest ones
MOST_CHANGES: Final = 100  #: of a server, the newest ones
MOST_VALUES: Final = 1000
MOST_LAYERS: Final = 3  #: values of one place
FEWEST_STOPS: Final = 2  #: at which a game wrote a file, so that it is not chance


def servers_alike(session: Session, server_id: str) -> list[Server]:
    """The server and those with the same gamebook."""
    servers = list_servers(session)
    own = next((one for one in servers if one.id == server_id), None)
    book = own.gamebook if own is not None else ""
    return [one for one in servers if one.id == server_id or (book and one.gamebook == book)]


# --- starts and stops -------------------------------------------------------------------------------------------------


def runs_of(session: Session, server: Server) -> Sequence[Run]:
    """The newest runs of a server that ended, the newest first."""
    return list(session.scalars(select(Run).where(Run.id.in_(ended_runs(session, server))).order_by(Run.id.desc())))


def ended_runs(session: Session, server: Server) -> list[int]:
    """Their numbers, without what was seen in them."""
    wanted = select(Run.id).where(Run.server_id == server.id, Run.state != RunState.RUNNING)
    return list(session.scalars(wanted.order_by(Run.id.desc()).limit(MOST_RUNS)))


def kept_logs(session: Session, servers: Sequence[Server]) -> list[KeptLog]:
    """The logs of starts that went well, and of those that did not."""
    return [log for server in servers for run in runs_of(session, server) for log in _logs_of(session, run)]


def _logs_of(session: Session, run: Run) -> Iterator[KeptLog]:
    facts = run.evidence
    if run.after_id is not None and run.state in (RunState.DEPLOYED, RunState.DONE):
        for path, kept in facts.kept_logs.items():
            yield KeptLog(kept.text, True, path, kept.before)
    elif run.state == RunState.ROLLED_BACK and facts.before_start is not None and not run.cancelled_by:
        before = {path: size for path, size, _ in facts.outside_before}
        before |= (
            {path: file.size for path, file in known_files(session, run.before_id).items()} if run.before_id else {}
        )
        for row in run.written_by_start:
            if row.digest is None or row.note or sort_of(row.path) is not Sort.LOG:
                continue
            data = load_content(session, row.digest)
            begin = before.get(row.path, 0)
            yield KeptLog(parted(data, begin if len(data) > begin else 0).text, False, row.path)


def written_at_stops(session: Session, servers: Sequence[Server]) -> Iterator[Guess]:
    """Files that games wrote when they stopped, more than once."""
    stops, times = 0, Counter[str]()
    for server in servers:
        for run in runs_of(session, server):
            if run.evidence.told_to_stop and run.evidence.changed_before_stop is not None:
                stops += 1
                times.update(run.evidence.written_at_stop)
    for path, often in sorted(times.items()):
        if often >= FEWEST_STOPS and sort_of(path) not in (Sort.LOG, Sort.CRASH):
            seen = f"written at {often} of {counted(stops, 'stop')}"
            yield Guess(("files", path, "rewritten_at_stop"), True, seen, support=often)


# --- values that hold -------------------------------------------------------------------------------------------------


def confirmed(session: Session, server: Server) -> Sequence[Change]:
    """The changes of a server that someone confirmed in the game, the oldest first."""
    wanted = select(Change).where(Change.server_id == server.id, Change.state == ChangeState.CONFIRMED)
    return list(session.scalars(wanted.order_by(Change.id.desc()).limit(MOST_CHANGES)))[::-1]


def with_confirmed_values(
    workspace: Workspace, session: Session, servers: Sequence[Server], newest: Mapping[str, bytes]
) -> list[dict[str, bytes]]:
    """The newest defaults as confirmed changes would have them: as many trees as one place had values, none where there are none.

    A draft takes them for what a version of the game had, so that no rule is made that such a value breaks.
    """
    layers: list[dict[str, str]] = []
    for one in _confirmed_values(workspace, session, servers):
        layer = next((held for held in layers if held.get(one.address, one.new) == one.new), None)
        if layer is None and len(layers) < MOST_LAYERS:
            layers.append(layer := {})
        if layer is not None:
            layer[one.address] = one.new or ""
    trees = [{**newest, **_edited(newest, layer)} for layer in layers]
    return [tree for tree in trees if tree != newest]


def _confirmed_values(workspace: Workspace, session: Session, servers: Sequence[Server]) -> list[ValueChange]:
    found: list[ValueChange] = []
    for server in servers:
        for change in confirmed(session, server):
            try:
                known = worked_out(workspace, session, change)
            except ZerritError:
                continue  # what it was built on is not kept any more
            found += [
                one
                for outcome in known.replayed.outcomes
                for one in outcome.changes
                if one.old is not None and one.new is not None
            ]
    return found[-MOST_VALUES:]


def _edited(files: Mapping[str, bytes], values: Mapping[str, str]) -> dict[str, bytes]:
    """The files in which the values are, as far as these have such places."""
    edited: dict[str, bytes] = {}
    for text, value in values.items():
        try:
            address = parse_address(text)
            data = edited.get(address.path) or files.get(address.path)
            if data is None or not address.segments:
                continue
            document = read_document(data, address.path)
            if not document.ok or document.format.traits.line_based:
                continue
            edit = set_values(document, address.segments, Operation(OperationKind.SET, value))
            edited[address.path] = edit.document.to_bytes()
        except ZerritError:
            continue  # the defaults have no such place
    return edited
