"""Files of a local folder or archive that go to a server."""

from __future__ import annotations

import os
import stat
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Final

import click

from zerrit.core.archives import Archive, Member, is_archive_name, open_archive, programs_of
from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import ArchiveRefused
from zerrit.core.paths import name_matches

SHOWN_FROM: Final = 4 << 20  # bytes


class LocalFolder:
    """A folder of this machine, read like an archive. Symbolic links are left out, since they may lead anywhere."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        members: list[Member] = []
        empty: list[str] = []
        for here, folders, names in os.walk(folder):
            folders.sort()
            below = Path(here)
            if not folders and not names and below != folder:
                empty.append(below.relative_to(folder).as_posix())
            for name in sorted(names):
                about = (below / name).lstat()
                if stat.S_ISREG(about.st_mode):
                    path = (below / name).relative_to(folder).as_posix()
                    members.append(Member(path, about.st_size, bool(about.st_mode & stat.S_IXUSR)))
        self.members = tuple(sorted(members))
        self.empty_folders = tuple(sorted(empty))

    def read(self, path: str) -> bytes:
        """The bytes of a file. Raises ArchiveRefused: it is larger than Zerrit takes."""
        return self.read_from(self._folder / path, path)

    @staticmethod
    def read_from(file: Path, path: str) -> bytes:
        """The bytes of a file of this machine. Raises ArchiveRefused: it is larger than Zerrit takes."""
        if file.stat().st_size > MAX_BYTES:
            raise ArchiveRefused(f"{path} is larger than {MAX_BYTES >> 20} MB, the most that a file can have.")
        return file.read_bytes()

    def contents(self) -> Iterator[tuple[Member, bytes]]:
        """All files with their bytes, one after the other."""
        for member in self.members:
            yield member, self.read(member.path)


@contextmanager
def opened(source: Path) -> Iterator[Archive]:
    """A local folder, ZIP or TAR. Raises UsageError: SOURCE is none of them."""
    try:
        if source.is_dir():
            yield LocalFolder(source)
        else:
            with source.open("rb") as file, open_archive(file) as archive:
                yield archive
    except ArchiveRefused as error:
        raise click.UsageError(f"{source}: {error}") from error


class ChosenFiles(Mapping[str, bytes]):
    """Files of a folder or archive by their paths in it; each is read when someone asks for it."""

    def __init__(self, archive: Archive, members: Sequence[Member]) -> None:
        self._archive = archive
        self.members = {member.path: member for member in members}
        self.programs = programs_of(members)
        self.empty_folders: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """The bytes of all files."""
        return sum(member.size for member in self.members.values())

    def __getitem__(self, path: str) -> bytes:
        if path not in self.members:
            raise KeyError(path)
        return self._archive.read(path)

    def __iter__(self) -> Iterator[str]:
        return iter(self.members)

    def __len__(self) -> int:
        return len(self.members)


@contextmanager
def chosen_files(source: Path, only: Sequence[str] = (), without: Sequence[str] = ()) -> Iterator[ChosenFiles]:
    """The files of a folder or archive, those that fit a pattern of `only` and none of `without`.

    Raises UsageError: none is left, or SOURCE is no archive.
    """
    with opened(source) as archive:
        if not archive.members and not archive.empty_folders:
            raise click.UsageError(f"{source} holds no file.")
        chosen = [
            member
            for member in archive.members
            if (not only or _fits(only, member.path)) and not _fits(without, member.path)
        ]
        if archive.members and not chosen:
            raise click.UsageError(
                f"None of the {len(archive.members)} files of {source} is left by --only and --without."
            )
        files = ChosenFiles(archive, chosen)
        if not only:  # a pattern speaks of files
            files.empty_folders = tuple(one for one in archive.empty_folders if not _fits(without, f"{one}/"))
        yield files


@contextmanager
def opened_bundle(source: Path) -> Iterator[Archive]:
    """The same for a bundle: a single file that has no name of an archive is a bundle too, such as `lamps.pak`."""
    if source.is_file() and not is_archive_name(source.name):
        yield SingleFile(source)
        return
    with opened(source) as archive:
        yield archive


class SingleFile:
    """A file of this machine, read like an archive that holds it."""

    empty_folders = ()

    def __init__(self, file: Path) -> None:
        self._file = file
        about = file.stat()
        self.members = (Member(file.name, about.st_size, bool(about.st_mode & stat.S_IXUSR)),)

    def read(self, path: str) -> bytes:
        """The bytes of the file. Raises ArchiveRefused: it is larger than Zerrit takes."""
        return LocalFolder.read_from(self._file, path)

    def contents(self) -> Iterator[tuple[Member, bytes]]:
        """The file with its bytes."""
        yield self.members[0], self.read(self.members[0].path)


def sending(size: int) -> Callable[[int], None]:
    """Says on a terminal how much of a large upload is done."""
    is_shown = size > SHOWN_FROM and sys.stderr.isatty()

    def say(sent: int) -> None:
        if is_shown:
            click.echo(f"\rSent {sent / (1 << 20):.1f} of {size / (1 << 20):.1f} MB", nl=sent >= size, err=True)

    return say


def _fits(patterns: Sequence[str], path: str) -> bool:
    return any(name_matches(pattern, path) for pattern in patterns)
