"""Folders in which only certain file names are read."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Finding
from zerrit.core.examination.check_context import Unknown, listed
from zerrit.core.examination.word_lists import words_of
from zerrit.core.expressions import compile_pattern
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules.base import Name, Pattern, Texts
from zerrit.core.rules.listed import Fault, ListedRule, Named
from zerrit.core.rules.word_uses import PathsLike, WordUse
from zerrit.core.wildcards import path_matches

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class FileNameRule(ListedRule):
    """Of the files that a pattern fits, only those with certain names are read."""

    part: ClassVar[str] = "file_names"
    about: ClassVar[str] = "folders in which only certain file names are read"
    code: ClassVar[str] = "meaning.file-name"

    files: Name = Field(description="a path pattern")
    only: Texts = Field((), description="the names that are read")
    list_name: str = Field("", alias="list", description="or the list that holds them, without their ending")
    matches: Pattern = Field("", description="or a regular expression that a whole name, with its ending, must match")
    form: str = Field("", description="what `matches` asks for, in words: `the word chart, a hyphen, two digits`")

    def lists(self) -> Iterator[Named]:
        yield Named(("list",), self.list_name)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        if self.list_name:
            yield self.list_name, PathsLike(self.files, "file")

    def sentence(self) -> str:
        names = [*self.only, *([self.list_name] if self.list_name else [])]
        if self.matches:
            names.append(self.form or f"names of the form {self.matches}")
        return f"{self.files}: only {listed(names)} are read"

    def count(self, examination: Examination) -> int:
        return sum(path_matches(self.files, path) for path in examination.paths)

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        if not self.count(examination):
            yield f"no file fits {self.files}"
        yield from super().unmeasured(examination)

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """Files that must have certain names to be read have one of them."""
        del number
        if not examination.files.is_whole:
            return  # a single file is given by the path that leads to it from here, which says nothing of its folder
        try:
            known = (*self.only, *(words_of(examination, self.list_name) if self.list_name else ()))
        except Unknown:
            return
        form = compile_pattern(self.matches) if self.matches else None
        for path in examination.paths:
            name = PurePosixPath(path).name
            if not path_matches(self.files, path) or name in known or PurePosixPath(path).stem in known:
                continue
            if form is None:
                message = f"`{name}` is not a name that the game reads here, so the file has no effect."
            elif not form.fullmatch(name):
                wanted = self.form or self.matches
                message = f"`{name}` does not have the form of the names that the game reads here: {wanted}."
            else:
                continue
            yield examination.finding(self, "meaning.file-name", path, message, did_you_mean(name, known))

    def faults(self) -> Iterator[Fault]:
        if not (self.only or self.list_name or self.matches):
            yield Fault((), "It says of no names that they are read; write `only`, `list` or `matches`.")
        if self.form and not self.matches:
            yield Fault(("form",), "`form` says in words what `matches` asks for, which is missing.")
