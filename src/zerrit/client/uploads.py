"""Sending the contents of files: in parts, and only what the service does not have."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from hashlib import sha256
from typing import Final, Literal

from zerrit import api

PART: Final = 16 << 20  # bytes that are sent at once, unless one file has more
FILES_OF_PART: Final = 200


def digests_by_path(files: Mapping[str, bytes]) -> dict[str, str]:
    """The SHA-256 of each file, by which the service stores it."""
    return {path: sha256(data).hexdigest() for path, data in files.items()}


def parts_of(
    files: Mapping[str, bytes], digests: Mapping[str, str], missing: Collection[str]
) -> Iterator[dict[str, bytes]]:
    """The missing contents, each once, as many at a time as one request takes."""
    left = set(missing)
    part: dict[str, bytes] = {}
    weight = 0
    for path, data in files.items():
        if digests[path] not in left:
            continue
        left.discard(digests[path])
        if part and (weight + len(data) > PART or len(part) >= FILES_OF_PART):
            yield part
            part, weight = {}, 0
        part[path] = data
        weight += len(data)
    if part:
        yield part


def folder_step(
    path: str, digests: Mapping[str, str], *, replace_all: bool, if_refused: Literal["fail", "leave-out"]
) -> api.StepIn:
    """The step that puts a folder."""
    files = dict(digests)
    return api.StepIn(kind="put-folder", address=path, files=files, replace_all=replace_all, if_refused=if_refused)
