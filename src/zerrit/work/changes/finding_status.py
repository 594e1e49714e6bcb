"""What findings mean for a change: which it brings in, which stood in the vendor's own files, which are waived."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

from sqlalchemy import select
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.core.documents import CODES, Document, Finding, Severity
from zerrit.core.documents.file_selection import values_at
from zerrit.core.documents.findings import known_again
from zerrit.core.errors import AddressInvalid
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


Documents = Callable[[], Mapping[str, Document]]  #: the files that findings are in; asked for where a waiver chooses


def judge(
    workspace: Workspace,
    session: Session,
    server: Server,
    old: Iterable[Finding],
    new: Iterable[Finding],
    documents: Documents,
) -> tuple[JudgedFinding, ...]:
    """All findings after a change, judged beside those before it."""
    waivers = [_Waived(w, documents) for w in waivers_of(session, server.id) if not is_ended(workspace, w)]
    found = list(new)
    was_there = known_again(old, found)
    shipped = known_again(shipped_findings(workspace, session, server), found)
    return tuple(
        JudgedFinding(
            finding, not is_known, is_shipped, next((one.waiver for one in waivers if one.accepts(finding)), None)
        )
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


class _Waived:
    """What a waiver accepts: the finding at its address, or at each of the places that its address chooses."""

    def __init__(self, waiver: Waiver, documents: Documents) -> None:
        self.waiver = waiver
        self._documents = documents

    def accepts(self, finding: Finding) -> bool:
        if finding.code != self.waiver.code:
            return False
        return place_of(finding) == self.waiver.address or (self._chooses and finding.address in self._places)

    @cached_property
    def _chooses(self) -> bool:
        return chooses(self.waiver.address)

    @cached_property
    def _places(self) -> frozenset[str]:
        return places_at(self.waiver.address, self._documents())


def chooses(place: str) -> bool:
    """Whether the place of a waiver is an address that may lead to several places."""
    try:
        return parse_address(place).is_pattern
    except AddressInvalid:
        return False


def places_at(address: str, documents: Mapping[str, Document]) -> frozenset[str]:
    """The addresses of all places that an address leads to."""
    found = values_at(address, documents)
    return frozenset(f"{document.path}#{document.keys.address_of(node)}" for document, node in found)


@dataclass(frozen=True, slots=True)
class WaiverState:
    """A waiver and what it does now: `holds` (it accepts a finding), `unused` (there is none) or `ended`.

    Of the findings that it accepts, `finding` is the first.
    """

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
    workspace: Workspace, session: Session, server_id: str, findings: Iterable[Finding], documents: Documents
) -> list[WaiverState]:
    """Every waiver of a server beside what is found there now."""
    found = list(findings)
    states = []
    for waiver in waivers_of(session, server_id):
        waived = _Waived(waiver, documents)
        finding = next((one for one in found if waived.accepts(one)), None)
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
