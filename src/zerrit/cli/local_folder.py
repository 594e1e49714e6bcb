"""Files of a local folder or archive that go to a server."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import click

from zerrit.core.archives import Archive, Member, open_archive
from zerrit.core.documents import MAX_BYTES
from zerrit.core.errors import ArchiveRefused
from zerrit.core.paths import name_matches


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
        file = self._folder / path
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


def chosen_files(source: Path, only: Sequence[str], without: Sequence[str]) -> dict[str, bytes]:
    """The files of a folder or archive by their paths in it, those that fit a pattern of `only` and none of `without`.

    Raises UsageError: none is left, or SOURCE is no archive.
    """
    with opened(source) as archive:
        if not archive.members:
            raise click.UsageError(f"{source} holds no file.")
        chosen = [
            member.path
            for member in archive.members
            if (not only or _fits(only, member.path)) and not _fits(without, member.path)
        ]
        if not chosen:
            raise click.UsageError(
                f"None of the {len(archive.members)} files of {source} is left by --only and --without."
            )
        return {path: archive.read(path) for path in chosen}


def _fits(patterns: Sequence[str], path: str) -> bool:
    return any(name_matches(pattern, path) for pattern in patterns)
