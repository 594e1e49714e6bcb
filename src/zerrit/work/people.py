"""Who may use Zerrit: the first admin, signing in, sessions and tokens."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta
from typing import Final, Literal

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from zerrit.records import Person, Token
from zerrit.work.activity import note
from zerrit.work.errors import Refused, SignInFailed
from zerrit.work.workspace import Workspace

MIN_PASSWORD: Final = 8
LIFETIMES: Final = {"session": timedelta(days=14), "bearer": timedelta(days=365)}

_hasher = PasswordHasher()
# Verified when the name is unknown, so that the time of the answer does not tell which names exist.
_NOBODY: Final = _hasher.hash(secrets.token_hex(16))


def ensure_admin(workspace: Workspace, name: str, password: str | None) -> str | None:
    """Make the first admin when there is nobody yet. Returns the password if it was made up here, else None."""
    with workspace.session() as session:
        if session.scalar(select(func.count(Person.id))):
            return None
        chosen = password or secrets.token_urlsafe(12)
        if len(chosen) < MIN_PASSWORD:
            raise Refused(f"A password has at least {MIN_PASSWORD} characters.")
        session.add(Person(name=name, password_hash=_hasher.hash(chosen), role="admin", created_at=workspace.now()))
        note(workspace, session, name, "person.added", None, f"{name}, the first admin")
    return None if password else chosen


def sign_in(workspace: Workspace, name: str, password: str, kind: Literal["session", "bearer"]) -> str:
    """Check a password and hand out a new token; only its digest is kept.

    Raises SignInFailed: name or password is wrong; it does not say which.
    """
    with workspace.session() as session:
        person = session.scalar(select(Person).where(Person.name == name))
        try:
            _hasher.verify(person.password_hash if person else _NOBODY, password)
        except VerificationError as error:
            raise SignInFailed("The name or the password is wrong.") from error
        if person is None:
            raise SignInFailed("The name or the password is wrong.")
        token = secrets.token_urlsafe(32)
        now = workspace.now()
        session.execute(delete(Token).where(Token.expires_at < now))
        session.add(
            Token(
                person_id=person.id, digest=_digest(token), kind=kind, created_at=now, expires_at=now + LIFETIMES[kind]
            )
        )
        note(workspace, session, name, "person.signed-in", None, kind)
    return token


def person_of(workspace: Workspace, session: Session, token: str) -> Person | None:
    """Whose token this is, or None when it is unknown or has run out."""
    found = session.scalar(select(Token).where(Token.digest == _digest(token), Token.expires_at > workspace.now()))
    return found.person if found else None


def sign_out(session: Session, token: str) -> None:
    session.execute(delete(Token).where(Token.digest == _digest(token)))


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
