"""Sending the contents of files: in parts, and only what the service does not have."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from hashlib import sha256
from typing import Final, Literal

from zerrit import api

Progress = Callable[[int], None]  #: told how many bytes are sent


def no_progress(_sent: int) -> None:
    """No one waits for it."""


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


def bundle_of(
    file_name: str, digest: str, origin: str, digests: Mapping[str, str], programs: Collection[str]
) -> api.BundleIn:
    """A bundle whose contents were sent; without a digest of its archive, it is that of its paths and contents."""
    own = digest or sha256("\n".join(f"{digests[path]}  {path}" for path in sorted(digests)).encode()).hexdigest()
    files = [api.BundleFileIn(path=path, digest=one, is_program=path in programs) for path, one in digests.items()]
    return api.BundleIn(file_name=file_name, digest=own, origin=origin, files=files)


def folder_step(
    path: str,
    digests: Mapping[str, str],
    *,
    folders: Collection[str],
    programs: Collection[str],
    replace_all: bool,
    if_refused: Literal["fail", "leave-out"],
) -> api.StepIn:
    """The step that puts a folder."""
    return api.StepIn(
        kind="put-folder",
        address=path,
        files=dict(digests),
        folders=sorted(folders),
        executables=sorted(programs),
        replace_all=replace_all,
        if_refused=if_refused,
    )
