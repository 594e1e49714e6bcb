"""Folders that the game reads packed."""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.archives import ArchiveBroken, sums_in
from zerrit.core.documents import Finding
from zerrit.core.rules.base import Name
from zerrit.core.rules.listed import ListedRule

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class PackedRule(ListedRule):
    """The game reads a packed copy of a folder, which must hold the same."""

    part: ClassVar[str] = "packed"
    about: ClassVar[str] = "folders that the game reads packed"
    code: ClassVar[str] = "meaning.packed"

    folder: Name = Field(description="the folder with the files")
    into: Name = Field(description="the ZIP that the game reads")

    def binaries(self) -> Iterator[str]:
        yield self.into

    def sentence(self) -> str:
        return f"{self.into} holds what {self.folder} holds"

    def _inside(self, examination: Examination) -> list[str]:
        return [path for path in examination.paths if path.startswith(f"{self.folder.rstrip('/')}/")]

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        if not self._inside(examination):
            yield f"there is no folder {self.folder}"
        if self.into not in examination.paths:
            yield f"there is no file {self.into}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The packed copy of the folder holds what the folder holds."""
        archive, paths = examination.files.data(self.into), self._inside(examination)
        documents = tuple(examination.documents.get(path) for path in paths)
        if archive is not None:
            yield from examination.findings_of(
                ("packed", number), (archive, tuple(paths), *documents), _packed, self, archive, paths
            )


def _packed(examination: Examination, rule: PackedRule, archive: bytes, paths: list[str]) -> Iterator[Finding]:
    folder = rule.folder.rstrip("/")
    try:
        sums = sums_in(archive)
    except ArchiveBroken as error:
        yield examination.finding(
            rule, "meaning.packed", rule.into, f"{rule.into} is no ZIP that can be read: {error}."
        )
        return
    for path in paths:
        name = path[len(folder) + 1 :]
        document = examination.documents.get(path)
        data = document.to_bytes() if document is not None else examination.files.data(path)
        if data is None:
            continue
        if name not in sums:
            message = f"{path} is not in {rule.into}, which is what the game reads. Pack the folder again."
        elif sums[name] != zlib.crc32(data):
            message = f"{path} is newer than its copy in {rule.into}, which is what the game reads. Pack it again."
        else:
            continue
        yield examination.finding(rule, "meaning.packed", path, message)
    for name in sums.keys() - {path[len(folder) + 1 :] for path in paths}:
        message = f"{rule.into} holds {name}, which is no longer in {folder}. Pack the folder again."
        yield examination.finding(rule, "meaning.packed", rule.into, message)
