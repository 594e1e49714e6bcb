"""
Archives from outside (ZIP, TAR, also compressed with gzip, bzip2 or xz): listed and read within bounds, and nowhere else.

An archive is hostile until it is read: its directory can name paths outside of any folder, the same path twice, or the same
bytes many times over, and it can say one size and hold another. It is taken as a whole or refused as a whole.
"""

from __future__ import annotations

import io
import lzma
import re
import stat
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import PurePosixPath
from typing import BinaryIO, Final, NamedTuple, Protocol

from zerrit.core.documents.source import MAX_BYTES
from zerrit.core.errors import ArchiveRefused, PathRefused
from zerrit.core.paths import folders_of, safe_path

MOST_MEMBERS: Final = 20_000
MOST_UNPACKED: Final = 512 << 20  # bytes that are unpacked into memory
MOST_LISTED: Final = 8 << 30  # bytes that an archive may hold so that it is listed
_LOCAL_HEADER: Final = 30  # bytes of the header before each member, without its name
_IN_UTF_8: Final = 0x800  # flag of a member of a ZIP: its name is in UTF-8
_LOCKED: Final = 0x1  # flag of a member of a ZIP: a password is needed
#: Names that some hosts take for devices, with any ending.
_DEVICES: Final = frozenset(
    ["con", "prn", "aux", "nul", *(f"{port}{number}" for port in ("com", "lpt") for number in range(1, 10))]
)
#: A path that nothing is to be said against, as most are; every other one is looked at part by part.
_PLAIN: Final = re.compile(
    r"(?:(?!(?:con|prn|aux|nul|com\d|lpt\d)(?:[./]|\Z))[\w-]++(?:\.[\w-]++)*+(?:/(?!\Z)|\Z))+",
    re.ASCII | re.IGNORECASE,
)
_FAULTS: Final = (
    zipfile.BadZipFile,
    tarfile.TarError,
    zlib.error,
    lzma.LZMAError,
    NotImplementedError,
    RuntimeError,
    EOFError,
    OSError,
    ValueError,
    OverflowError,
)
_NOT_ONE: Final = (
    "This is neither a ZIP nor a TAR that can be unpacked; it may be damaged, cut off or locked by a password."
)


_ENDINGS: Final = (".zip", ".tar", ".tgz", ".tbz2", ".txz", ".tar.gz", ".tar.bz2", ".tar.xz")
ARCHIVE_ENDING: Final = re.compile(rf"(?:{'|'.join(map(re.escape, _ENDINGS))})$", re.IGNORECASE)


class ArchiveBroken(ValueError):
    """The bytes are no ZIP that can be read."""


class Member(NamedTuple):
    """One file of an archive. `is_program`: it may be executed where the archive says so."""

    path: str
    size: int
    is_program: bool = False


class Archive(Protocol):
    """Files that are packed, or in a folder. Contents are read when someone asks for them."""

    @property
    def members(self) -> tuple[Member, ...]:
        """Every file, in the order in which they are there."""
        ...

    @property
    def empty_folders(self) -> tuple[str, ...]:
        """The folders in which nothing is."""
        ...

    def read(self, path: str) -> bytes:
        """The bytes of a file. Raises ArchiveRefused: it is damaged, or larger than it says."""
        ...

    def contents(self) -> Iterator[tuple[Member, bytes]]:
        """All files with their bytes, one after the other. Raises ArchiveRefused."""
        ...


@contextmanager
def open_archive(file: BinaryIO) -> Iterator[Archive]:
    """An archive that is read from a file, which must be seekable. Only its directory is read at once.

    Raises ArchiveRefused: it is neither a ZIP nor a TAR, is damaged or locked, holds a path that leaves it or that occurs
    twice, a link, members that overlap, or more than the bounds.
    """
    with ExitStack() as open_until:
        with _refusing():  # not around what is done with it
            opened: _Zip | _Tar
            if zipfile.is_zipfile(file):
                opened = _Zip(open_until.enter_context(zipfile.ZipFile(file)))
            else:
                file.seek(0)
                opened = _Tar(open_until.enter_context(tarfile.open(fileobj=file, mode="r:*")))
        yield opened


@contextmanager
def _refusing() -> Iterator[None]:
    try:
        yield
    except ArchiveRefused:
        raise
    except PathRefused as error:
        raise ArchiveRefused(f"The archive is refused: {error}") from error
    except _FAULTS as error:
        raise ArchiveRefused(_NOT_ONE) from error


class _Zip:
    def __init__(self, packed: zipfile.ZipFile) -> None:
        self._packed = packed
        files = [info for info in packed.infolist() if not info.is_dir()]
        _require_no_overlap(files)
        self._infos: dict[str, zipfile.ZipInfo] = {}
        members: list[Member] = []
        names = _Names()
        for info in files:
            if stat.S_ISLNK(info.external_attr >> 16):
                raise _is_link(info.filename)
            if info.flag_bits & _LOCKED:
                raise ArchiveRefused("The archive is locked by a password. Unpack it yourself, then take the folder.")
            path = names.take(_zip_name(info), info.file_size)
            self._infos[path] = info
            members.append(Member(path, info.file_size, bool(info.external_attr >> 16 & stat.S_IXUSR)))
        self.members = tuple(members)
        self.empty_folders = _empty((info.filename for info in packed.infolist() if info.is_dir()), self._infos)

    def read(self, path: str) -> bytes:
        with _refusing(), self._packed.open(self._infos[path]) as member:
            return _bounded(path, member.read)

    def contents(self) -> Iterator[tuple[Member, bytes]]:
        for member in self.members:
            yield member, self.read(member.path)


class _Tar:
    def __init__(self, tar: tarfile.TarFile) -> None:
        self._tar = tar
        self._infos: dict[str, tarfile.TarInfo] = {}
        names = _Names()
        folders: list[str] = []
        for info in tar:
            if info.isreg():
                self._infos[names.take(info.name, info.size)] = info
            elif info.isdir():
                folders.append(info.name)
                if len(folders) > MOST_MEMBERS:
                    raise ArchiveRefused(f"The archive holds more than {MOST_MEMBERS:,} folders; no more are unpacked.")
            else:
                raise _is_link(info.name)
        self.empty_folders = _empty(folders, self._infos)
        self.members = tuple(
            Member(path, info.size, bool(info.mode & stat.S_IXUSR)) for path, info in self._infos.items()
        )

    def read(self, path: str) -> bytes:
        with _refusing():
            member = self._tar.extractfile(self._infos[path])
            assert member is not None  # noqa: S101 (it is a file)
            with member:
                return _bounded(path, member.read)

    def contents(self) -> Iterator[tuple[Member, bytes]]:
        """In the order of the archive, since a compressed one can only be read forwards."""
        for member in self.members:
            yield member, self.read(member.path)


def _empty(folders: Iterable[str], files: Iterable[str]) -> tuple[str, ...]:
    """Of the folders that an archive names, those in which it has nothing."""
    named = {_path(folder.rstrip("/")) for folder in folders if folder.strip("./")}
    return tuple(sorted(named - folders_of((*files, *named))))


def is_archive_name(path: str) -> bool:
    """The ending of the name says that it is an archive."""
    return path.lower().endswith(_ENDINGS)


def programs_of(members: Sequence[Member]) -> frozenset[str]:
    """The files that may be executed; none where all may, since systems that know no such right pack them so."""
    programs = frozenset(member.path for member in members if member.is_program)
    return programs if len(programs) < len(members) else frozenset()


class _Names:
    """The paths of an archive as they are taken, each once in any letter case, and all within bounds."""

    def __init__(self) -> None:
        self._folded: set[str] = set()
        self._size = 0

    def take(self, name: str, size: int) -> str:
        path = _path(name)
        folded = path.casefold()
        if folded in self._folded:
            raise ArchiveRefused(f"The archive holds `{path}` twice. Pack it again; nothing of it was used.")
        self._folded.add(folded)
        self._size += size
        if len(self._folded) > MOST_MEMBERS:
            raise ArchiveRefused(f"The archive holds more than {MOST_MEMBERS:,} files; no more are unpacked.")
        if self._size > MOST_LISTED:
            raise ArchiveRefused(f"The archive holds more than {MOST_LISTED >> 30} GB, which is the most that is read.")
        return path


def _is_link(name: str) -> ArchiveRefused:
    return ArchiveRefused(
        f"The archive holds `{name[:120]}`, which is a link or a device and no file. Pack it again without; nothing of it "
        "was used."
    )


def _zip_name(info: zipfile.ZipInfo) -> str:
    """The name of a member. Many programs write names in UTF-8 and do not say so."""
    if info.flag_bits & _IN_UTF_8 or info.filename.isascii():
        return info.filename
    try:
        return info.filename.encode("cp437").decode("utf-8")
    except UnicodeError:
        return info.filename


def _bounded(path: str, read: Callable[[int], bytes]) -> bytes:
    data = read(MAX_BYTES + 1)
    if len(data) > MAX_BYTES:
        raise ArchiveRefused(
            f"{path} in the archive is larger than {MAX_BYTES >> 20} MB, the most that a file can have."
        )
    return data


def sums_in(archive: bytes) -> dict[str, int]:
    """The CRC-32 of each file in a ZIP, by its path there.

    Raises ArchiveBroken, with the reason.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(archive)) as packed:
            return {info.filename: info.CRC for info in packed.infolist()[:MOST_MEMBERS] if not info.is_dir()}
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
        raise ArchiveBroken(str(error)) from error


def unpack(archive: bytes, below: str = "") -> dict[str, bytes]:
    """The files of a ZIP or TAR by path. Paths below the folder `below` (with `/` at its end) are checked without it as well.

    Raises ArchiveRefused: it is neither, is damaged or locked, holds a path that leaves it or that occurs twice, a link,
    members that overlap, or more than the bounds.
    """
    with open_archive(io.BytesIO(archive)) as opened:
        if sum(member.size for member in opened.members) > MOST_UNPACKED:
            raise ArchiveRefused(
                f"The archive holds more than {MOST_UNPACKED >> 20} MB, which is the most that is unpacked."
            )
        for member in opened.members:
            if below and member.path.startswith(below):
                safe_path(member.path.removeprefix(below))
        files = {member.path: data for member, data in opened.contents()}
    if not files:
        raise ArchiveRefused("The archive holds no file.")
    return files


def _require_no_overlap(members: list[zipfile.ZipInfo]) -> None:
    end = 0
    for info in sorted(members, key=lambda one: one.header_offset):
        if info.header_offset < end:
            raise ArchiveRefused("Members of the archive overlap, as in archives made to do harm. It is refused.")
        end = info.header_offset + _LOCAL_HEADER + info.compress_size


def _path(name: str) -> str:
    if _PLAIN.fullmatch(name):
        return name
    path = safe_path(str(PurePosixPath(name)))
    try:
        path.encode()
    except UnicodeEncodeError as error:
        raise PathRefused(f"`{path[:120]!r}` is not a file name in UTF-8; such a path is refused.") from error
    for part in path.split("/"):
        if part.partition(".")[0].strip().casefold() in _DEVICES or part[-1] in ". ":
            raise PathRefused(
                f"`{path[:120]}`: `{part[:60]}` is not a file name on every host; such a path is refused."
            )
    return path
