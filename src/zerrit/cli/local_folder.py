"""Files of a local folder or ZIP that go to a server."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from zerrit.cli.files import contents_of
from zerrit.core.archives import unpack
from zerrit.core.errors import ArchiveRefused
from zerrit.core.wildcards import path_matches


def chosen_files(source: Path, only: Sequence[str], without: Sequence[str]) -> dict[str, bytes]:
    """The files of a folder or ZIP by their paths in it, those that fit a pattern of `only` and none of `without`.

    Symbolic links are left out, since they may lead anywhere. Raises UsageError: none is left, or SOURCE is not a ZIP.
    """
    files = contents_of(source) if source.is_dir() else _in_archive(source)
    if not files:
        raise click.UsageError(f"{source} holds no file.")
    chosen = {
        path: data for path, data in files.items() if (not only or _fits(only, path)) and not _fits(without, path)
    }
    if not chosen:
        raise click.UsageError(f"None of the {len(files)} files of {source} is left by --only and --without.")
    return chosen


def _fits(patterns: Sequence[str], path: str) -> bool:
    """A pattern without a folder, such as `*.pak`, is about the name alone."""
    return any(path_matches(pattern, path if "/" in pattern else path.rpartition("/")[2]) for pattern in patterns)


def _in_archive(archive: Path) -> dict[str, bytes]:
    try:
        return unpack(archive.read_bytes())
    except ArchiveRefused as error:
        raise click.UsageError(f"{archive}: {error}") from error
