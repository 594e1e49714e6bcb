"""The log of what was done, by whom; append-only, each row bound to the one before by its hash."""

from __future__ import annotations

import hashlib
import json

from sqlalchemy import false, select, update
from sqlalchemy.orm import Session

from zerrit.records import Activity
from zerrit.work.workspace import Workspace


def note(workspace: Workspace, session: Session, person: str, action: str, server_id: str | None, detail: str) -> None:
    """Append one row."""
    # A statement that changes nothing takes the write lock, so that no other row can come between the last and ours.
    session.execute(update(Activity).where(false()).values(detail=""))
    last = session.scalar(select(Activity.hash).order_by(Activity.id.desc()).limit(1)) or ""
    at = workspace.now()
    body = json.dumps([last, at.isoformat(), person, action, server_id, detail], ensure_ascii=False)
    digest = hashlib.sha256(body.encode()).hexdigest()
    session.add(
        Activity(at=at, person=person, action=action, server_id=server_id, detail=detail, before_hash=last, hash=digest)
    )
    session.flush()


def list_activity(session: Session, server_id: str | None, most: int = 200) -> list[Activity]:
    query = select(Activity).order_by(Activity.id.desc()).limit(most)
    if server_id is not None:
        query = query.where(Activity.server_id == server_id)
    return list(session.scalars(query))
