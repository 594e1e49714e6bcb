"""Local files as the commands take, read and write them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO, Final

import click

from zerrit.cli.output import print_findings
from zerrit.core.documents import Document, read_document
from zerrit.core.documents.source import decode
from zerrit.core.errors import ZerritError

if TYPE_CHECKING:
    from zerrit.core.examination.game_files import Files
    from zerrit.core.gamebooks import Gamebook

FILE: Final = click.Path(exists=True, dir_okay=False, path_type=Path)
FOLDER: Final = click.Path(exists=True, file_okay=False, path_type=Path)
FILE_OR_FOLDER: Final = click.Path(exists=True, path_type=Path)
OUT: Final = click.Path(dir_okay=False, path_type=Path)


def text_file(name: str, **more: Any) -> Callable[[Any], Any]:
    """An argument that is a text file in any encoding, or - for standard input; the command gets its text."""

    def read(_ctx: click.Context, _param: click.Parameter, file: BinaryIO) -> str:
        return decode(file.read()).text

    return click.argument(name, type=click.File("rb"), callback=read, **more)


def load_gamebook(path: Path) -> Gamebook:
    # Its models are a heavy import that few commands need.
    """Read a gamebook from a file. Raises ZerritError: it has an error, which is printed first."""
    from zerrit.core.gamebooks import read_gamebook  # noqa: PLC0415

    gamebook, faults = read_gamebook(path.read_bytes(), path.name, beside(path))
    if gamebook is None:
        print_findings(faults)
        raise ZerritError(f"The gamebook {path} cannot be used.")
    return gamebook


def beside(path: Path) -> Callable[[str], bytes | None]:
    """What gives the gamebooks beside one, on which it may build: by a path from its folder, or without the ending."""

    def base_of(name: str) -> bytes | None:
        found = next((one for one in (path.parent / name, path.parent / f"{name}.yml") if one.is_file()), None)
        return found.read_bytes() if found is not None else None

    return base_of


def read_files(path: Path, gamebook: Gamebook | None) -> Files:
    """A folder with all files in it by their paths there, or one file by the path that was given.

    symbolic links are left out, since they may lead anywhere.
    """
    from zerrit.core.examination.game_files import gather_files  # noqa: PLC0415  # only for checks

    if path.is_file():
        # The folder of a single file says nothing of where the game's folder begins; the gamebook does.
        name = gamebook.path_in_game(path.as_posix()) if gamebook is not None else str(path)
        return gather_files({name: path.read_bytes()}, gamebook, is_whole=False)
    found: dict[str, bytes] = {}
    for file in sorted(path.rglob("*")):
        name = file.relative_to(path).as_posix()
        is_ignored = gamebook is not None and gamebook.is_ignored(name)
        if file.is_file() and not file.is_symlink() and not is_ignored:
            # Of a watched file only its name counts.
            found[name] = b"" if gamebook is not None and gamebook.is_watched(name) else file.read_bytes()
    return gather_files(found, gamebook, query=_query)


def _query(database: bytes, statement: str) -> Sequence[tuple[str, ...]]:
    from zerrit.databases import query  # noqa: PLC0415  # SQLAlchemy, which only few gamebooks need

    return query(database, statement)


def contents_of(folder: Path) -> dict[str, bytes]:
    """Every file of a folder by its path in it; symbolic links are left out, since they may lead anywhere."""
    files = (file for file in sorted(folder.rglob("*")) if file.is_file() and not file.is_symlink())
    return {file.relative_to(folder).as_posix(): file.read_bytes() for file in files}


def read_all(folder: Path) -> dict[str, Document]:
    """The documents of a folder by their paths in it."""
    return {path: read_document(data, path) for path, data in contents_of(folder).items()}


def save(path: Path, data: bytes) -> None:
    """Write beside the target, then rename: a full disk leaves the old file as it was."""
    part = path.with_name(f".{path.name}.part")
    try:
        part.write_bytes(data)
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise click.ClickException(f"{path} cannot be written: {error.strerror}. Nothing was changed.") from error
