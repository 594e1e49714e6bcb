"""Contents that a person uploads for the steps of a change; what is stored already is not sent again."""

from __future__ import annotations

from collections.abc import Sequence

from zerrit.core.documents import MAX_BYTES
from zerrit.records import known_digests, store_content
from zerrit.work.base.errors import Refused
from zerrit.work.base.workspace import Workspace


def missing_contents(workspace: Workspace, digests: Sequence[str]) -> list[str]:
    """Those of the digests under which nothing is stored, each once."""
    with workspace.session() as session:
        known = set(known_digests(session, digests))
    return [digest for digest in dict.fromkeys(digests) if digest not in known]


def save_content(workspace: Workspace, name: str, data: bytes) -> str:
    """Store the bytes of a file; returns their digest. It is pruned like all contents unless a step names it.

    Raises Refused: it is larger than Zerrit keeps.
    """
    if len(data) > MAX_BYTES:
        raise Refused(
            f"{name} has more than {MAX_BYTES:,} bytes, the most that a step takes. Carry it to the server another way."
        )
    with workspace.storing.shared(), workspace.session() as session:
        return store_content(session, data)
