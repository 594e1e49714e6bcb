"""The content store: bytes by SHA-256, each kept once, compressed; large ones in files of their own."""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Final

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from zerrit.records.errors import RecordsUnusable
from zerrit.records.large_contents import LARGE_FROM, LargeContents
from zerrit.records.models import Content

LEVEL: Final = 3  #: of zlib; higher ones take much longer on configuration files and save little
IN_FILE: Final = b""  #: what is packed of a large content, which is in a file of its own
_AT_ONCE: Final = 500  # SQLite takes some thousand values in one statement

#: Hashing and compressing let other threads run in the meantime.
_workers: Final = ThreadPoolExecutor(2, "zerrit-content")


def digest_of(data: bytes) -> str:
    """The SHA-256 of content in hexadecimal, by which it is stored."""
    return hashlib.sha256(data).hexdigest()


def store_content(session: Session, data: bytes) -> str:
    """Keep `data` and return its digest; what is there already is not written again."""
    return store_contents(session, (data,))[0]


def store_contents(session: Session, pieces: Sequence[bytes]) -> list[str]:
    """Keep several at once, and return their digests in order."""
    large = large_contents(session)
    digests = list(_workers.map(lambda data: large.store(data) if len(data) >= LARGE_FROM else digest_of(data), pieces))
    known = set(known_digests(session, digests))
    new = {digest: data for digest, data in zip(digests, pieces, strict=True) if digest not in known}
    packed = _workers.map(_packed, new.values())
    rows = [
        {"digest": digest, "size": len(data), "packed": bytes_}
        for (digest, data), bytes_ in zip(new.items(), packed, strict=True)
    ]
    if rows:
        # Another person may keep the same bytes at the same moment.
        session.execute(insert(Content).on_conflict_do_nothing(), rows)
    return digests


def _packed(data: bytes) -> bytes:
    return zlib.compress(data, LEVEL) if len(data) < LARGE_FROM else IN_FILE


def large_contents(session: Session) -> LargeContents:
    """The large contents beside the database of a session."""
    return LargeContents(Path(session.connection().engine.url.database or ""))


def known_digests(session: Session, digests: Iterable[str]) -> Iterator[str]:
    """Those of the digests under which something is kept."""
    wanted = list(dict.fromkeys(digests))
    for start in range(0, len(wanted), _AT_ONCE):
        yield from session.scalars(select(Content.digest).where(Content.digest.in_(wanted[start : start + _AT_ONCE])))


def content_sizes(session: Session, digests: Iterable[str]) -> dict[str, int]:
    """The size in bytes of each kept content."""
    wanted = list(dict.fromkeys(digests))
    found: dict[str, int] = {}
    for start in range(0, len(wanted), _AT_ONCE):
        rows = session.execute(
            select(Content.digest, Content.size).where(Content.digest.in_(wanted[start : start + _AT_ONCE]))
        )
        found.update((digest, size) for digest, size in rows)
    return found


def load_content(session: Session, digest: str) -> bytes:
    """The bytes of a digest.

    Raises LookupError: nothing is kept under it. RecordsUnusable: what is kept is damaged.
    """
    packed = session.scalar(select(Content.packed).where(Content.digest == digest))
    if packed is None:
        raise LookupError(f"no content {digest}")
    return _sound(digest, packed, large_contents(session))


def load_contents(session: Session, digests: Iterable[str]) -> dict[str, bytes]:
    """The bytes of several digests, quicker than one by one.

    Raises LookupError: nothing is kept under one. RecordsUnusable: what is kept is damaged.
    """
    wanted = list(dict.fromkeys(digests))
    large = large_contents(session)
    found: dict[str, bytes] = {}
    for start in range(0, len(wanted), _AT_ONCE):
        chosen = wanted[start : start + _AT_ONCE]
        rows = session.execute(select(Content.digest, Content.packed).where(Content.digest.in_(chosen)))
        found.update((digest, _sound(digest, packed, large)) for digest, packed in rows)
    missing = next((digest for digest in wanted if digest not in found), None)
    if missing is not None:
        raise LookupError(f"no content {missing}")
    return found


def _sound(digest: str, packed: bytes, large: LargeContents) -> bytes:
    data = unpacked(digest, packed, large)
    if data is None:
        raise RecordsUnusable(f"The content {digest} is damaged in the database. Restore the database from a backup.")
    return data


def unpacked(digest: str, packed: bytes, large: LargeContents) -> bytes | None:
    """The bytes that were packed, or None where they are not those of the digest any more."""
    if packed == IN_FILE:
        return large.load(digest)
    try:
        data = zlib.decompress(packed)
    except zlib.error:
        return None
    return data if digest_of(data) == digest else None
