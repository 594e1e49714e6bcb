"""
Packing folders as a game wants them, so that the same files always give the same bytes.

Times, owners and rights are left out, and the files come in the order of their paths. Besides ZIP and TAR there is a plain
form, as an example of one that a game may have made up: the names and sizes of the files, then their bytes.
`docs/packed-folders.md` describes it.
"""

from __future__ import annotations

import gzip
import io
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Mapping
from typing import Final, Literal

from zerrit.core.archives import MOST_MEMBERS, MOST_UNPACKED, ArchiveBroken, sums_in, unpack
from zerrit.core.errors import ArchiveRefused
from zerrit.core.paths import safe_path

Form = Literal["zip", "tar", "tar.gz", "plain"]

_FIRST_DAY: Final = (1980, 1, 1, 0, 0, 0)  # the earliest time that a ZIP can say
_GZIP, _BZIP2, _XZ = b"\x1f\x8b", b"BZh", b"\xfd7zXZ\x00"
_HEAD: Final = b"packed folder 1\n"
_ENDINGS: Final[Mapping[str, Form]] = {".tar.gz": "tar.gz", ".tgz": "tar.gz", ".tar": "tar"}


def form_of(path: str) -> Form:
    """The form of a packed file by its ending; ZIP where that says nothing, since most games use it under a name of their own."""
    return next((form for ending, form in _ENDINGS.items() if path.lower().endswith(ending)), "zip")


def form_in(data: bytes) -> Form | None:
    """The form of a ZIP or TAR by its bytes; None for one that is compressed in another way."""
    if zipfile.is_zipfile(io.BytesIO(data)):
        return "zip"
    if data.startswith(_GZIP):
        return "tar.gz"
    return None if data.startswith((_BZIP2, _XZ)) else "tar"


def sums_of(form: Form, data: bytes) -> dict[str, int]:
    """The CRC-32 of each file of a packed file, by its path; of a ZIP its directory says them.

    Raises ArchiveRefused: it is not of that form, or damaged.
    """
    if form != "zip":
        return {path: zlib.crc32(content) for path, content in unpack_as(form, data).items()}
    try:
        return sums_in(data)
    except ArchiveBroken as error:
        raise ArchiveRefused(f"it is no ZIP that can be read ({error})") from error


def pack(form: Form, files: Mapping[str, bytes]) -> bytes:
    """Files by their paths as one packed file; the same files always give the same bytes."""
    return _PACKERS[form]({safe_path(path): files[path] for path in sorted(files)})


def unpack_as(form: Form, data: bytes) -> dict[str, bytes]:
    """The files of a packed file by their paths. Raises ArchiveRefused: it is not of that form, or damaged."""
    return _plain_files(data) if form == "plain" else unpack(data)


def _zip(files: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as packed:
        for path, data in files.items():
            info = zipfile.ZipInfo(path, _FIRST_DAY)
            info.compress_type, info.create_system = zipfile.ZIP_DEFLATED, 3
            info.external_attr = 0o100644 << 16
            packed.writestr(info, data)
    return buffer.getvalue()


def _tar(files: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w", format=tarfile.PAX_FORMAT) as packed:
        for path, data in files.items():
            info = tarfile.TarInfo(path)
            info.size = len(data)
            packed.addfile(info, io.BytesIO(data))
    return buffer.getvalue()


def _tar_gz(files: Mapping[str, bytes]) -> bytes:
    return gzip.compress(_tar(files), compresslevel=6, mtime=0)


def _plain(files: Mapping[str, bytes]) -> bytes:
    lines = [f"{len(data)} {path}\n".encode() for path, data in files.items()]
    return b"".join([_HEAD, f"{len(files)}\n".encode(), *lines, *files.values()])


def _plain_files(data: bytes) -> dict[str, bytes]:
    broken = ArchiveRefused("This is not a packed folder of the plain form, or it is cut off.")
    if not data.startswith(_HEAD):
        raise broken
    stream = io.BytesIO(data)
    stream.seek(len(_HEAD))
    try:
        count = int(stream.readline(20))
        if not 0 <= count <= MOST_MEMBERS:
            raise broken
        listed: list[tuple[str, int]] = []
        for _ in range(count):
            size, _, path = stream.readline(4100).decode().rstrip("\n").partition(" ")
            listed.append((safe_path(path), int(size)))
    except ValueError as error:
        raise broken from error
    if any(size < 0 for _, size in listed) or sum(size for _, size in listed) > MOST_UNPACKED:
        raise broken
    files = {path: stream.read(size) for path, size in listed}
    if len(files) != count or any(len(files[path]) != size for path, size in listed) or stream.read(1):
        raise broken
    return files


_PACKERS: Final[Mapping[Form, Callable[[Mapping[str, bytes]], bytes]]] = {
    "zip": _zip,
    "tar": _tar,
    "tar.gz": _tar_gz,
    "plain": _plain,
}
