"""Who may use Zerrit: the first admin, signing in, sessions and tokens."""

from __future__ import annotations

import hashlib
import math
import secrets
from collections.abc import Sequence
from datetime import timedelta
from typing import Final, Literal

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from zerrit.core.addresses import parse_address
from zerrit.records import Person, Token
from zerrit.work.base.activity_log import note
from zerrit.work.base.errors import NotFound, Refused, SignInFailed, SignInWaits
from zerrit.work.base.workspace import Workspace

MIN_PASSWORD: Final = 8
ADMIN: Final = "admin"
HELPER: Final = "helper"
MOST_PLACES: Final = 100  #: that a helper may change
ACCESS: Final = "access"  #: the event that some sessions or tokens ended
USED_EVERY: Final = timedelta(hours=1)
LIFETIMES: Final = {"session": timedelta(days=14), "bearer": timedelta(days=365)}

_hasher = PasswordHasher()
# Verified when the name is unknown, so that the time of the answer does not tell which names exist.
_NOBODY: Final = _hasher.hash(secrets.token_hex(16))


def ensure_admin(workspace: Workspace, name: str, password: str | None) -> str | None:
    """Make the first admin when there is no one yet. Returns the password if it was made up here, else None."""
    with workspace.session() as session:
        if session.scalar(select(func.count(Person.id))):
            return None
        chosen = password or secrets.token_urlsafe(12)
        if len(chosen) < MIN_PASSWORD:
            raise Refused(f"A password has at least {MIN_PASSWORD} characters.")
        session.add(Person(name=name, password_hash=_hasher.hash(chosen), role=ADMIN, created_at=workspace.now()))
        note(workspace, session, name, "person.added", None, f"{name}, the first admin")
    return None if password else chosen


def people(session: Session) -> list[Person]:
    """Everyone who may sign in, by name."""
    return list(session.scalars(select(Person).order_by(Person.name)))


def add_person(
    workspace: Workspace, by: str, name: str, password: str, role: Literal["admin", "helper"], places: Sequence[str]
) -> Person:
    """Someone more who may sign in. Raises Refused: the name is taken, the password too short. AddressInvalid."""
    _require_sound(role, places, password)
    if not name.isprintable() or name != name.strip() or not name:
        raise Refused("A name has printable characters, and no blank before or behind it.")
    hashed = _hasher.hash(password)
    with workspace.writing() as session:
        if session.scalar(select(Person).where(Person.name == name)) is not None:
            raise Refused(f"There is someone with the name {name} already.")
        person = Person(name=name, password_hash=hashed, role=role, may_change=list(places), created_at=workspace.now())
        session.add(person)
        session.flush()
        note(workspace, session, by, "person.added", None, f"{name}, {role}{_in_words(places)}")
    return person


def set_person(
    workspace: Workspace, by: str, name: str, *, places: Sequence[str] | None = None, password: str | None = None
) -> Person:
    """Give a helper other places, or someone another password, which ends all their sessions and tokens.

    Raises NotFound, AddressInvalid. Refused: an admin may change everything; the password is too short, or your own.
    """
    if password is not None and name == by:
        raise Refused("Change your own password with your old one: zerrit password.")
    hashed = None
    with workspace.session() as session:
        role = _person(session, name).role
    _require_sound(role, places or (), password)
    if password is not None:
        hashed = _hasher.hash(password)
    with workspace.writing() as session:
        person = _person(session, name)
        if places is not None:
            person.may_change = list(places)
            note(workspace, session, by, "person.places", None, f"{name}{_in_words(places)}")
        if hashed is not None:
            person.password_hash = hashed
            session.execute(delete(Token).where(Token.person_id == person.id))
            note(workspace, session, by, "person.password", None, f"{name}, a new one")
    workspace.publish(ACCESS, {})
    return person


def remove_person(workspace: Workspace, by: str, name: str) -> None:
    """Someone may not sign in any more; what they did stays. Raises NotFound. Refused: it is yourself."""
    with workspace.writing() as session:
        person = _person(session, name)
        if name == by:
            raise Refused("You cannot remove yourself; another admin can.")
        session.execute(delete(Token).where(Token.person_id == person.id))
        session.delete(person)
        note(workspace, session, by, "person.removed", None, name)
    workspace.publish(ACCESS, {})


def _person(session: Session, name: str) -> Person:
    found = session.scalar(select(Person).where(Person.name == name))
    if found is None:
        raise NotFound(f"There is no one with the name {name}. `zerrit people` lists who there is.")
    return found


def _require_sound(role: str, places: Sequence[str], password: str | None) -> None:
    if password is not None and len(password) < MIN_PASSWORD:
        raise Refused(f"A password has at least {MIN_PASSWORD} characters.")
    if places and role != HELPER:
        raise Refused("An admin may change everything; places are for helpers.")
    if len(places) > MOST_PLACES:
        raise Refused(
            f"A helper has at most {MOST_PLACES} places; a pattern such as `stalls/*.xml#ware/price` fits many."
        )
    for place in places:
        parse_address(place)


def _in_words(places: Sequence[str]) -> str:
    return f", may change {', '.join(places)}" if places else ""


def sign_in(
    workspace: Workspace,
    name: str,
    password: str,
    kind: Literal["session", "bearer"],
    *,
    address: str = "",
    label: str = "",
) -> str:
    """Check a password and create a new token; only its digest is kept.

    `address` is where the request came from, `label` what the token is for. The password is checked outside any
    session of the database: it takes as long as it is meant to.

    Raises SignInFailed: name or password is wrong; it does not say which. SignInWaits: after wrong passwords before.
    """
    _require_turn(workspace, name, address)
    with workspace.session() as session:
        person = session.scalar(select(Person).where(Person.name == name))
    is_right = _is_right(person, password)
    if person is None or not is_right:
        workspace.sign_ins.failed(name, address)
        with workspace.writing() as session:
            note(workspace, session, name, "person.sign-in-failed", None, f"from {address}" if address else "")
        raise SignInFailed("The name or the password is wrong.")
    workspace.sign_ins.succeeded(name, address)
    return _new_token(workspace, person, kind, label)


def _new_token(workspace: Workspace, person: Person, kind: Literal["session", "bearer"], label: str) -> str:
    """A token for a person whose password is right; only its digest is kept. Raises SignInFailed: no longer so."""
    token, now = secrets.token_urlsafe(32), workspace.now()
    with workspace.writing() as session:
        session.execute(delete(Token).where(Token.expires_at < now))
        if session.get_one(Person, person.id).password_hash != person.password_hash:
            raise SignInFailed("The password was changed just now.")
        row = Token(person_id=person.id, digest=_digest(token), kind=kind, name=label, created_at=now)
        row.expires_at = now + LIFETIMES[kind]
        session.add(row)
        note(workspace, session, person.name, "person.signed-in", None, f"{kind} {label}".strip())
    return token


def _require_turn(workspace: Workspace, name: str, address: str) -> None:
    """Raises SignInWaits: after wrong passwords the next try is not possible yet."""
    left = workspace.sign_ins.wait_for(name, address)
    if left > 0:
        raise SignInWaits(f"After wrong passwords the next try is possible in {math.ceil(left)} s.", left)


def has_password(workspace: Workspace, name: str, password: str) -> bool:
    """A person of that name has that password."""
    with workspace.session() as session:
        person = session.scalar(select(Person).where(Person.name == name))
    return _is_right(person, password)


def _is_right(person: Person | None, password: str) -> bool:
    try:
        return _hasher.verify(person.password_hash if person else _NOBODY, password) and person is not None
    except (VerificationError, UnicodeError):
        return False


def change_password(workspace: Workspace, person: Person, old: str, new: str, token: str, *, address: str = "") -> None:
    """Give a person another password. All their other sessions and tokens end; the one that asks stays.

    Raises SignInFailed: the old password is wrong. Refused: the new one is too short. SignInWaits.
    """
    if len(new) < MIN_PASSWORD:
        raise Refused(f"A password has at least {MIN_PASSWORD} characters.")
    _require_turn(workspace, person.name, address)
    if not _is_right(person, old):
        workspace.sign_ins.failed(person.name, address)
        raise SignInFailed("The old password is wrong; nothing was changed.")
    hashed = _hasher.hash(new)
    with workspace.writing() as session:
        session.get_one(Person, person.id).password_hash = hashed
        others = delete(Token).where(Token.person_id == person.id, Token.digest != _digest(token))
        ended = session.execute(others).rowcount  # type: ignore[attr-defined]  # a statement that deletes has it
        note(workspace, session, person.name, "person.password", None, f"{ended} other sessions and tokens ended")
    workspace.publish(ACCESS, {})


def person_of(workspace: Workspace, session: Session, token: str) -> Person | None:
    """Whose token this is, or None when it is unknown or has run out."""
    found = _valid_token(workspace, session, token)
    return found.person if found else None


def who_uses(workspace: Workspace, token: str) -> Person | None:
    """Whose token this is, noting when it was used last.

    That time is exact to the hour, which is enough to see which tokens are not needed any more.
    """
    with workspace.session() as session:
        found = _valid_token(workspace, session, token)
    if found is None:
        return None
    now = workspace.now()
    if found.used_at is None or now - found.used_at > USED_EVERY:
        with workspace.writing() as session:
            session.execute(update(Token).where(Token.id == found.id).values(used_at=now))
    return found.person


def _valid_token(workspace: Workspace, session: Session, token: str) -> Token | None:
    return session.scalar(select(Token).where(Token.digest == _digest(token), Token.expires_at > workspace.now()))


def tokens_of(workspace: Workspace, session: Session, person: Person) -> list[Token]:
    """The sessions and tokens of a person that are valid, the newest first."""
    valid = (Token.person_id == person.id, Token.expires_at > workspace.now())
    return list(session.scalars(select(Token).where(*valid).order_by(Token.id.desc())))


def is_this(found: Token, token: str) -> bool:
    """Whether a stored token is this one."""
    return found.digest == _digest(token)


def revoke(workspace: Workspace, person: Person, token_id: int) -> None:
    """End a session or a token of a person. Raises NotFound: they have none of that number."""
    with workspace.writing() as session:
        found = session.get(Token, token_id) if token_id < 2**63 else None
        if found is None or found.person_id != person.id:
            raise NotFound(f"You have no token {token_id}. `zerrit tokens` lists yours.")
        session.delete(found)
        note(workspace, session, person.name, "person.revoked", None, f"{found.kind} {found.name}".strip())
    workspace.publish(ACCESS, {})


def sign_out(workspace: Workspace, token: str) -> None:
    """End the session or token that a request came with."""
    with workspace.writing() as session:
        session.execute(delete(Token).where(Token.digest == _digest(token)))
    workspace.publish(ACCESS, {})


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "surrogatepass")).hexdigest()
