"""The content store: bytes by SHA-256, each kept once, compressed."""

from __future__ import annotations

import hashlib
import zlib

from sqlalchemy.orm import Session

from zerrit.records.errors import RecordsUnusable
from zerrit.records.models import Content


def digest_of(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def store_content(session: Session, data: bytes) -> str:
    """Keep `data` and return its digest; what is there already is not written again."""
    digest = digest_of(data)
    if session.get(Content, digest) is None:
        session.add(Content(digest=digest, size=len(data), packed=zlib.compress(data, 6)))
        session.flush()
    return digest


def load_content(session: Session, digest: str) -> bytes:
    """The bytes of a digest.

    Raises LookupError: nothing is kept under it. RecordsUnusable: what is kept is damaged.
    """
    content = session.get(Content, digest)
    if content is None:
        raise LookupError(f"no content {digest}")
    try:
        data = zlib.decompress(content.packed)
    except zlib.error:
        data = None
    if data is None or digest_of(data) != digest:
        raise RecordsUnusable(f"The content {digest} is damaged in the database. Restore the database from a backup.")
    return data
