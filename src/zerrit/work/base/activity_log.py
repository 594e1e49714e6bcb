"""The log of what was done, by whom; append-only, each row bound to the one before by its hash."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import UTC
from typing import Final

from sqlalchemy import false, select, update
from sqlalchemy.orm import Session

from zerrit.records import Activity
from zerrit.work.base.workspace import Workspace

MOST_FAULTS: Final = 100  # that are named


def note(workspace: Workspace, session: Session, person: str, action: str, server_id: str | None, detail: str) -> None:
    """Append one row."""
    # A statement that changes nothing takes the write lock, so that no other row can come between the last and ours.
    session.execute(update(Activity).where(false()).values(detail=""))
    last = session.scalar(select(Activity.hash).order_by(Activity.id.desc()).limit(1)) or ""
    row = Activity(
        at=workspace.now(),
        person=_writable(person),
        action=action,
        server_id=server_id,
        detail=_writable(detail),
        before_hash=last,
    )
    row.hash = _digest(row)
    session.add(row)
    session.flush()
    # The number of the last row is in the header of the file too: a row taken off the end breaks no chain.
    session.connection().exec_driver_sql(f"PRAGMA user_version = {row.id & 0x7FFFFFFF}")


def _digest(row: Activity) -> str:
    at = row.at if row.at.tzinfo else row.at.replace(tzinfo=UTC)
    body = json.dumps(
        [row.before_hash, at.isoformat(), row.person, row.action, row.server_id, row.detail], ensure_ascii=False
    )
    return hashlib.sha256(body.encode()).hexdigest()


def _writable(text: str) -> str:
    return text.encode("utf-8", "backslashreplace").decode()


@dataclass(frozen=True, slots=True)
class Chain:
    """What verifying the log came to: how many rows it has, and what is wrong with which."""

    rows: int
    faults: tuple[str, ...]


def verify(session: Session) -> Chain:
    """Work out the hash of every row anew, and hold each against the one before it."""
    faults: list[str] = []
    rows, before, last = 0, "", 0
    for row in session.scalars(select(Activity).order_by(Activity.id).execution_options(yield_per=1000)):
        rows += 1
        where = f"row {row.id} ({row.at:%Y-%m-%d %H:%M:%S}, {row.action}, by {row.person})"
        if _digest(row) != row.hash:
            faults.append(f"{where} was altered.")
        if row.before_hash != before:
            gap = f"between row {last} and row {row.id}" if last else f"before row {row.id}"
            faults.append(f"What stood {gap} was removed or altered.")
        before, last = row.hash, row.id
        if len(faults) >= MOST_FAULTS:
            faults.append("Further rows were not looked at.")
            return Chain(rows, tuple(faults))
    noted = session.connection().exec_driver_sql("PRAGMA user_version").scalar_one()
    if noted > last:
        faults.append(f"What stood after row {last} was removed: the last row was row {noted}.")
    return Chain(rows, tuple(faults))


def list_activity(session: Session, server_id: str | None, most: int = 200) -> list[Activity]:
    """What was done, with one server or at all, the newest first."""
    query = select(Activity).order_by(Activity.id.desc()).limit(most)
    if server_id is not None:
        query = query.where(Activity.server_id == server_id)
    return list(session.scalars(query))
