"""Local files as the commands take, read and write them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO, Final

import click

from zerrit.cli.output import print_findings
from zerrit.core.documents import Document, read_document
from zerrit.core.documents.source import decode
from zerrit.core.errors import ZerritError

if TYPE_CHECKING:
    from zerrit.core.gamebooks import Gamebook

FILE: Final = click.Path(exists=True, dir_okay=False, path_type=Path)
FILE_OR_FOLDER: Final = click.Path(exists=True, path_type=Path)
OUT: Final = click.Path(dir_okay=False, path_type=Path)


def text_file(name: str, **more: Any) -> Callable[[Any], Any]:
    """An argument that is a text file in any encoding, or - for standard input; the command gets its text."""

    def read(_ctx: click.Context, _param: click.Parameter, file: BinaryIO) -> str:
        return decode(file.read()).text

    return click.argument(name, type=click.File("rb"), callback=read, **more)


def load_gamebook(path: Path) -> Gamebook:
    # Its models are a heavy import that few commands need.
    from zerrit.core.gamebooks import read_gamebook  # noqa: PLC0415

    gamebook, faults = read_gamebook(path.read_bytes(), path.name)
    if gamebook is None:
        print_findings(faults)
        raise ZerritError(f"The gamebook {path} cannot be used.")
    return gamebook


def read_path(path: Path, gamebook: Gamebook | None) -> dict[str, Document]:
    def read(file: Path, name: str) -> Document:
        data = file.read_bytes()
        return gamebook.read(data, name) if gamebook else read_document(data, name)

    if path.is_file():
        return {str(path): read(path, str(path))}
    found: dict[str, Document] = {}
    for file in sorted(path.rglob("*")):
        name = file.relative_to(path).as_posix()
        is_wanted = gamebook is None or gamebook.is_tracked(name)
        if file.is_file() and not file.is_symlink() and is_wanted:
            document = read(file, name)
            if not document.is_binary:
                found[name] = document
    return found


def read_all(folder: Path) -> dict[str, Document]:
    """Every file of a folder by its path in it; links are left out, since they may lead anywhere."""
    files = (file for file in sorted(folder.rglob("*")) if file.is_file() and not file.is_symlink())
    return {(name := file.relative_to(folder).as_posix()): read_document(file.read_bytes(), name) for file in files}


def save(path: Path, data: bytes) -> None:
    """Write beside the target, then rename: a full disk leaves the old file as it was."""
    part = path.with_name(f".{path.name}.part")
    try:
        part.write_bytes(data)
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise click.ClickException(f"{path} cannot be written: {error.strerror}. Nothing was changed.") from error
