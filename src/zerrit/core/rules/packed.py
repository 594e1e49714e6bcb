"""Folders that the game reads packed."""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from dataclasses import replace
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field, model_validator

from zerrit.core.documents import Finding, Severity
from zerrit.core.errors import ArchiveRefused
from zerrit.core.packing import Form, form_of, sums_of
from zerrit.core.rules.base import Name, Text
from zerrit.core.rules.listed import ListedRule

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class PackedRule(ListedRule):
    """The game reads a packed copy of a folder, which must hold the same."""

    part: ClassVar[str] = "packed"
    about: ClassVar[str] = "folders that the game reads packed"
    code: ClassVar[str] = "meaning.packed"

    folder: Name = Field(description="the folder with the files")
    into: Name = Field(description="the packed file that the game reads")
    packed_by: Literal["person", "host", "zerrit"] = Field(
        "person",
        description="who packs it: a person, the host at each start, or Zerrit at each deploy that changes the folder",
    )
    form: Form | None = Field(None, description="the form of the packed file; by default that of its ending, else ZIP")
    command: tuple[Text, ...] = Field(
        (),
        description="a command that packs it in a form of the game's own, with {folder} and {file} in its words; run on the "
        "machine of the service where the server's settings allow it",
    )

    @model_validator(mode="after")
    def _fits(self) -> PackedRule:
        if self.command and not all(any(hole in word for word in self.command) for hole in ("{folder}", "{file}")):
            raise ValueError(
                "the command has {folder} and {file} in its words: what to pack, and where the result goes"
            )
        if self.command and self.packed_by != "zerrit":
            raise ValueError("a command is for folders that Zerrit packs: packed_by: zerrit")
        return self

    @property
    def known_form(self) -> Form | None:
        """The form in which it can be read; None for one of the game's own."""
        return None if self.command else self.form or form_of(self.into)

    def binaries(self) -> Iterator[str]:
        yield self.into

    def sentence(self) -> str:
        who = {"host": "; the host packs it", "zerrit": "; Zerrit packs it"}.get(self.packed_by, "")
        return f"{self.into} holds what {self.folder} holds{who}"

    def is_inside(self, path: str) -> bool:
        """The path is in the folder."""
        return path.startswith(f"{self.folder.rstrip('/')}/")

    def _inside(self, examination: Examination) -> list[str]:
        return [path for path in examination.paths if self.is_inside(path)]

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        if not self._inside(examination):
            yield f"there is no folder {self.folder}"
        if self.into not in examination.paths:
            yield f"there is no file {self.into}"
        if self.command:
            yield f"{self.into} is packed in a form of its own, which is not read"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The packed copy of the folder holds what the folder holds."""
        archive, paths = examination.files.data(self.into), self._inside(examination)
        documents = tuple(examination.documents.get(path) for path in paths)
        if archive is not None and self.known_form is not None:
            yield from examination.findings_of(
                ("packed", number), (archive, tuple(paths), *documents), _packed, self, archive, paths
            )


def _packed(examination: Examination, rule: PackedRule, archive: bytes, paths: list[str]) -> Iterator[Finding]:
    form = rule.known_form
    assert form is not None  # noqa: S101 (`check` saw to it)
    try:
        packed = sums_of(form, archive)
    except ArchiveRefused as error:
        said = f"{rule.into} cannot be read: {error}"
        yield examination.finding(rule, "meaning.packed", rule.into, said)
        return
    contents: dict[str, bytes] = {}
    for path in paths:
        document = examination.documents.get(path)
        data = document.to_bytes() if document is not None else examination.files.data(path)
        if data is not None:
            contents[path] = data
    advice, is_notice = {
        "person": ("Pack the folder again.", False),
        "host": ("The host packs it at the next start.", True),
        "zerrit": ("Zerrit packs it with the next change in that folder.", True),
    }[rule.packed_by]
    for path, said in unlike(rule, contents, packed, set(paths)):
        message = f"{said}, which is what the game reads. {advice}"
        finding = examination.finding(rule, "meaning.packed", path, message)
        yield replace(finding, severity=Severity.NOTICE) if is_notice and rule.severity is None else finding


def unlike(
    rule: PackedRule, contents: dict[str, bytes], packed: dict[str, int], there: set[str]
) -> Iterator[tuple[str, str]]:
    """Where a packed file, by the CRC-32 of what is in it, does not hold what the folder holds: the path, and what is wrong."""
    folder = rule.folder.rstrip("/")
    for path, data in contents.items():
        name = path[len(folder) + 1 :]
        if name not in packed:
            yield path, f"{path} is not in {rule.into}"
        elif packed[name] != zlib.crc32(data):
            yield path, f"{path} is newer than its copy in {rule.into}"
    for name in sorted(packed.keys() - {path[len(folder) + 1 :] for path in there}):
        yield rule.into, f"{name} is no longer in {folder}, and still in {rule.into}"
