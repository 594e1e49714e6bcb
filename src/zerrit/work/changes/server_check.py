"""Checking a server as it is, and the waivers of its findings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import partial

from sqlalchemy.orm import Session

from zerrit.core.documents import Finding, Severity
from zerrit.records import Server, Waiver
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import get_change, preview
from zerrit.work.changes.finding_status import (
    Documents,
    JudgedFinding,
    WaiverState,
    chooses,
    judge,
    place_of,
    places_at,
    waiver_findings,
    waiver_states,
)
from zerrit.work.servers.servers import get_server
from zerrit.work.snapshots.snapshots import documents, findings_in, require_latest


@dataclass(frozen=True, slots=True)
class ServerCheck:
    """What is found in the latest files of a server. `files` is the number of files that were looked at."""

    findings: tuple[JudgedFinding, ...]
    files: int
    snapshot: int

    @property
    def blocking(self) -> list[JudgedFinding]:
        """Errors that are neither waived nor the vendor's own."""
        return [one for one in self.findings if one.finding.blocks and not one.is_shipped and one.waiver is None]

    @property
    def by_severity(self) -> Counter[Severity]:
        """How many findings of each severity are neither waived nor the vendor's own."""
        return Counter(one.finding.severity for one in self.findings if not one.is_shipped and one.waiver is None)


def check_server(workspace: Workspace, server_id: str) -> ServerCheck:
    """Check the latest files of a server. Raises NotFound."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        latest = require_latest(session, server_id)
        found = findings_in(workspace, session, server, latest)
        files = partial(documents, workspace, session, server, latest)
        states = waiver_states(workspace, session, server_id, found, files)
        judged = judge(workspace, session, server, (), [*found, *waiver_findings(states)], files)
        return ServerCheck(judged, len(latest.files), latest.id)


def check_within(workspace: Workspace, server_id: str, snapshot_id: int, patience: float) -> ServerCheck | None:
    """The check of what was just fetched, so that no one waits for it later; None where it takes longer than `patience`."""
    return workspace.ahead.result(("check", snapshot_id), lambda: check_server(workspace, server_id), patience)


def list_waivers(workspace: Workspace, server_id: str) -> list[WaiverState]:
    """The waivers of a server with what each of them does now. Raises NotFound."""
    with workspace.session() as session:
        server = get_server(session, server_id)
        files = partial(documents, workspace, session, server, require_latest(session, server_id))
        return waiver_states(workspace, session, server_id, _newest_findings(workspace, session, server), files)


def _newest_findings(workspace: Workspace, session: Session, server: Server) -> tuple[Finding, ...]:
    return findings_in(workspace, session, server, require_latest(session, server.id))


def waive(
    workspace: Workspace,
    person: str,
    server_id: str,
    code: str,
    address: str,
    reason: str,
    until: datetime | None = None,
) -> Waiver:
    """Accept a finding in the latest files of a server, with a reason; it stays visible and blocks nothing.

    Raises Refused: no reason is given, the day is over, or there is no such finding. NotFound.
    """
    _require_reason(workspace, reason, until)
    with workspace.session() as session:
        server = get_server(session, server_id)
        found = _newest_findings(workspace, session, server)
        files = partial(documents, workspace, session, server, require_latest(session, server_id))
        if not _is_found(found, code, address, files):
            raise Refused(f"{server_id} has no finding {code} at {address}. `zerrit check {server_id}:` lists them.")
        return _waive(workspace, session, person, server_id, code, address, reason, until)


def waive_in_change(
    workspace: Workspace,
    person: str,
    change_id: int,
    code: str,
    address: str,
    reason: str,
    until: datetime | None = None,
) -> Waiver:
    """The same for a finding of a change. Raises Refused, NotFound."""
    _require_reason(workspace, reason, until)
    with workspace.session() as session:
        change = get_change(session, change_id)
        seen = preview(workspace, session, change)
        if not _is_found([j.finding for j in seen.findings], code, address, lambda: seen.replayed.documents):
            raise Refused(f"Change {change_id} has no finding {code} at {address}.")
        waiver = _waive(workspace, session, person, change.server_id, code, address, reason, until)
    workspace.publish("change", {"change": change_id, "server": change.server_id})
    return waiver


def _is_found(findings: Iterable[Finding], code: str, address: str, documents: Documents) -> bool:
    """Whether a waiver would accept something. Raises AddressInvalid."""
    places = places_at(address, documents()) if chooses(address) else frozenset((address,))
    return any(one.code == code and (place_of(one) == address or one.address in places) for one in findings)


def _require_reason(workspace: Workspace, reason: str, until: datetime | None) -> None:
    if not reason.strip():
        raise Refused("Give a reason for the waiver; someone will ask later.")
    if until is not None and until <= workspace.now():
        raise Refused(f"{until:%Y-%m-%d} is over; give a day to come, or none.")


def _waive(
    workspace: Workspace,
    session: Session,
    person: str,
    server_id: str,
    code: str,
    address: str,
    reason: str,
    until: datetime | None,
) -> Waiver:
    waiver = Waiver(
        server_id=server_id,
        code=code,
        address=address,
        reason=reason.strip()[:1000],
        author=person,
        created_at=workspace.now(),
        until=until,
    )
    session.add(waiver)
    session.flush()
    note(workspace, session, person, "finding.waived", server_id, f"{code} at {address}: {reason.strip()}")
    return waiver


def remove_waiver(workspace: Workspace, person: str, server_id: str, waiver_id: int) -> None:
    """Take a waiver back; what it accepted counts again. Raises NotFound."""
    with workspace.session() as session:
        waiver = session.get(Waiver, waiver_id)
        if waiver is None or waiver.server_id != server_id:
            raise NotFound(f"{server_id} has no waiver {waiver_id}. `zerrit waiver list {server_id}` lists them.")
        session.delete(waiver)
        note(workspace, session, person, "waiver.removed", server_id, f"{waiver.code} at {waiver.address}")
