"""
A server with the tables of its database: their rows are one more file beside those of the game.

That file is written last, and in one transaction: when it fails, all files are there to be put back, and no row was written.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Mapping
from types import TracebackType
from typing import Final, NoReturn, Self

from zerrit.connections.connection import (
    Connection,
    ConnectionFailed,
    ConnectionFault,
    Limits,
    Listed,
    NewFile,
    RemoteFile,
    in_listing,
    in_the_way,
)
from zerrit.databases import RowFault, RowsFailed, TableServer
from zerrit.settings import TablesDatabase

_FAULTS: Final = {
    RowFault.UNREACHABLE: ConnectionFault.UNREACHABLE,
    RowFault.SIGN_IN: ConnectionFault.SIGN_IN,
    RowFault.MISSING: ConnectionFault.DENIED,
    RowFault.ENDLESS: ConnectionFault.ENDLESS,
    RowFault.REFUSED: ConnectionFault.DENIED,
    RowFault.CHANGED: ConnectionFault.UNSTEADY,
}


def open_with_tables(files: Connection, settings: TablesDatabase, secret: str, limits: Limits) -> ConnectionWithTables:
    """A connection to the tables of a database server beside the files. Raises ConnectionFailed."""
    try:
        tables = TableServer(settings.database, secret, settings.tables, limits.timeout)
    except RowsFailed as error:
        files.close()
        raise ConnectionFailed(_FAULTS[error.fault], str(error)) from error
    return ConnectionWithTables(files, tables, settings.shown_as)


class ConnectionWithTables:
    """The files of `files`, and the rows of `tables` at `path`."""

    def __init__(self, files: Connection, tables: TableServer, path: str) -> None:
        self._files = files
        self._tables = tables
        self._path = path
        self._listed: bytes | None = None

    @property
    def identity(self) -> str:
        """The certificate or key that the host of the files shows; empty where it shows none."""
        return getattr(self._files, "identity", "")

    @property
    def left_out(self) -> Mapping[str, str]:
        return self._files.left_out

    @property
    def empty_folders(self) -> frozenset[str]:
        return self._files.empty_folders

    @property
    def is_manual(self) -> bool:
        return self._files.is_manual

    def files(self, below: str = "") -> list[RemoteFile]:
        found = self._files.files(below)
        if below:
            return found
        if any(file.path == self._path for file in found):
            raise ConnectionFailed(
                ConnectionFault.DENIED,
                f"{self._path} is a file of the game, so the rows of the database cannot be shown there. Choose another path in the "
                "settings of the server.",
            )
        self._listed = self._read()
        # When rows were changed no one knows, so they are read each time.
        rows = RemoteFile(self._path, len(self._listed), int(time.time()))
        return sorted([*found, rows], key=lambda file: file.path)

    def listing(self, folder: str = "") -> list[Listed]:
        above, _, name = self._path.rpartition("/")
        found = self._files.listing(folder)
        return found if folder != above else sorted([*found, Listed(name, False, 0)], key=in_listing)

    def read(self, path: str, start: int = 0) -> bytes:
        return self._read()[start:] if path == self._path else self._files.read(path, start)

    def read_many(self, files: Iterable[RemoteFile]) -> Iterator[tuple[RemoteFile, bytes | ConnectionFailed]]:
        wanted = list(files)
        yield from self._files.read_many(file for file in wanted if file.path != self._path)
        for file in wanted:
            if file.path == self._path:
                rows, self._listed = self._listed, None
                yield file, self._read() if rows is None else rows

    def write(self, path: str, data: bytes, *, is_executable: bool | None = None) -> None:
        if path == self._path:
            self._write(data, "")
        else:
            self._files.write(path, data, is_executable=is_executable)

    def write_many(self, files: Iterable[NewFile]) -> Iterator[tuple[str, int | ConnectionFailed]]:
        rows: list[NewFile] = []

        def of_files() -> Iterator[NewFile]:
            for file in files:
                if file.path == self._path:
                    rows.append(file)
                else:
                    yield file

        yield from self._files.write_many(of_files())
        for file in rows:
            self._write(file.data, file.replaced)
            yield file.path, len(file.data)

    def refusal(self, path: str, data: bytes) -> str:
        if path != self._path:
            return self._files.refusal(path, data)
        try:
            self._tables.try_writing(data)
        except RowsFailed as error:
            if error.fault is not RowFault.REFUSED:
                raise self._failed(error) from error
            return str(error)
        return ""

    def remove(self, path: str) -> None:
        self._require_file(path)
        self._files.remove(path)

    def remove_many(self, paths: Iterable[str]) -> Iterator[str]:
        wanted = list(paths)
        for path in wanted:
            self._require_file(path)
        return self._files.remove_many(wanted)

    def set_executable(self, path: str, *, wanted: bool) -> bool:
        return path != self._path and self._files.set_executable(path, wanted=wanted)

    def move(self, path: str, target: str) -> None:
        self._require_file(path)
        if target == self._path:
            raise in_the_way(target)
        self._files.move(path, target)

    def make_folder(self, path: str) -> None:
        self._files.make_folder(path)

    def remove_folder(self, path: str) -> bool:
        return self._files.remove_folder(path)

    def sweep(self) -> int:
        return self._files.sweep()

    def close(self) -> None:
        self._files.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    # --- rows ---------------------------------------------------------------------------------------------------------

    def _read(self) -> bytes:
        try:
            return self._tables.read()
        except RowsFailed as error:
            raise self._failed(error) from error

    def _write(self, data: bytes, replaced: str) -> None:
        try:
            self._tables.write(data, replaced)
        except RowsFailed as error:
            raise self._failed(error) from error

    def _failed(self, error: RowsFailed) -> ConnectionFailed:
        return ConnectionFailed(_FAULTS[error.fault], f"{self._path}: {error}")

    def _require_file(self, path: str) -> None:
        if path == self._path:
            _refuse_removal(path)


def _refuse_removal(path: str) -> NoReturn:
    raise ConnectionFailed(
        ConnectionFault.DENIED, f"{path} stands for the tables of a database; only their rows can be changed."
    )
