"""What findings mean for a change: which it brings in, which stood in the vendor's own files, which are waived."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.documents import CODES, Finding, Severity
from zerrit.core.documents.findings import known_again
from zerrit.records import Server, Waiver
from zerrit.work.base.workspace import Workspace
from zerrit.work.snapshots.snapshots import defaults_of, findings_in


@dataclass(frozen=True, slots=True)
class JudgedFinding:
    """A finding, whether a change brought it in, whether it is in the defaults too, and the waiver that accepts it."""

    finding: Finding
    is_new: bool
    is_shipped: bool
    waiver: Waiver | None

    @property
    def blocks(self) -> bool:
        """Errors that the change brings in block; what was there before, or is the vendor's own, does not."""
        return self.finding.blocks and self.is_new and not self.is_shipped and self.waiver is None


def judge(
    workspace: Workspace, session: Session, server: Server, old: Iterable[Finding], new: Iterable[Finding]
) -> tuple[JudgedFinding, ...]:
    """All findings after a change, judged beside those before it."""
    ended = {w.id for w in waivers_of(session, server.id) if is_ended(workspace, w)}
    waivers = {(w.code, w.address): w for w in waivers_of(session, server.id) if w.id not in ended}
    found = list(new)
    was_there = known_again(old, found)
    shipped = known_again(shipped_findings(workspace, session, server), found)
    return tuple(
        JudgedFinding(finding, not is_known, is_shipped, waivers.get((finding.code, place_of(finding))))
        for finding, is_known, is_shipped in zip(found, was_there, shipped, strict=True)
    )


def shipped_findings(workspace: Workspace, session: Session, server: Server) -> tuple[Finding, ...]:
    """What is found in the newest defaults: mistakes of the vendor, which block nothing."""
    defaults = defaults_of(session, server.id, None)
    return () if defaults is None else findings_in(workspace, session, server, defaults)


def place_of(finding: Finding) -> str:
    """What a waiver names: the address, or the path with the line for faults that have none."""
    return finding.address or f"{finding.path}:{finding.line}"


# --- waivers ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class WaiverState:
    """A waiver and what it does now: `holds` (it accepts a finding), `unused` (there is none) or `ended`."""

    waiver: Waiver
    state: str
    finding: Finding | None


def waivers_of(session: Session, server_id: str) -> list[Waiver]:
    """The waivers of a server."""
    return list(session.scalars(select(Waiver).where(Waiver.server_id == server_id).order_by(Waiver.id)))


def is_ended(workspace: Workspace, waiver: Waiver) -> bool:
    """Its last day is over."""
    return waiver.until is not None and waiver.until <= workspace.now()


def waiver_states(
    workspace: Workspace, session: Session, server_id: str, findings: Iterable[Finding]
) -> list[WaiverState]:
    """Every waiver of a server beside what is found there now."""
    found = {(finding.code, place_of(finding)): finding for finding in findings}
    states = []
    for waiver in waivers_of(session, server_id):
        finding = found.get((waiver.code, waiver.address))
        state = "ended" if is_ended(workspace, waiver) else "in-use" if finding is not None else "unused"
        states.append(WaiverState(waiver, state, finding))
    return states


def waiver_findings(states: Iterable[WaiverState]) -> list[Finding]:
    """Waivers that accept nothing any more, as findings."""
    found = []
    for one in states:
        waiver = one.waiver
        path = waiver.address.partition("#")[0]
        if one.state == "unused":
            message = f"The waiver {waiver.id} of {waiver.author} ({waiver.code}) accepts nothing any more."
            hint = "Take it back, so that it does not hide the next fault there."
        elif one.state == "ended" and one.finding is not None:
            message = f"The waiver {waiver.id} of {waiver.author} ended; what it accepted counts again."
            hint = "Fix the fault, or waive it again."
        else:
            continue
        code = f"waiver.{one.state}"
        severity: Severity = CODES[code].severity
        found.append(Finding(code, severity, message, path, address=waiver.address, hint=hint))
    return found
