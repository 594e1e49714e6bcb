"""Places that must have the same words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

from pydantic import BeforeValidator, Field, model_validator

from zerrit.core.documents import Finding
from zerrit.core.examination.check_context import Unknown, listed
from zerrit.core.examination.condition_fields import Around, with_more
from zerrit.core.nearest import did_you_mean
from zerrit.core.paths import file_stems, folder_names
from zerrit.core.rules.base import Name, Part, Text
from zerrit.core.rules.listed import ListedRule, Named
from zerrit.core.rules.word_uses import PathsLike, ValuesAt, WordUse

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination


class FolderNames(Part):
    """The names of folders."""

    folder: Name = Field(description="a path pattern such as `maps/*`")


class FileNames(Part):
    """The names of files, without their ending."""

    file: Name = Field(description="a path pattern such as `keys/*.key`")


class AgreeRule(ListedRule):
    """Places that must have the same words: a short form is the list of them.

    Values at addresses must be the same; the names of folders or files must have them among them. With `every`, each
    value must be the name of the folder or file that it is in.
    """

    part: ClassVar[str] = "agree"
    about: ClassVar[str] = "values that must be the same words"
    code: ClassVar[str] = "meaning.disagree"

    sources: tuple[Text | FolderNames | FileNames, ...] = Field((), description="addresses, {folder: …}, {file: …}")
    every: str = Field("", description="an address, each value of which must be its own folder's or file's name")
    name_of: Literal["folder", "file"] = Field("folder", description="what `every` is held against")

    @model_validator(mode="after")
    def _has_two(self) -> AgreeRule:
        if not self.every and len(self.sources) < 2:
            raise ValueError("give two sources that must agree, or `every` and `name_of`")
        return self

    @classmethod
    def annotation(cls) -> Any:
        return Agreement

    def addresses(self) -> Iterator[Named]:
        texts = (place for place in (*self.sources, self.every) if isinstance(place, str) and place)
        yield from (Named((), text) for text in texts)

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        """Of `every` each file has words of its own, which are not among these."""
        for place in self.sources:
            if isinstance(place, str):
                yield "", ValuesAt(place)
            elif isinstance(place, FolderNames):
                yield "", PathsLike(place.folder, "folder")
            else:
                yield "", PathsLike(place.file, "file")

    def sentence(self) -> str:
        if self.every:
            return f"every {self.every} is the name of its {self.name_of}"
        places = [
            place if isinstance(place, str) else next(iter(place.model_dump().values())) for place in self.sources
        ]
        return f"these have the same words: {', '.join(places)}"

    def count(self, examination: Examination) -> int | None:
        return len(examination.nodes(self.every)) if self.every else None

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from super().unmeasured(examination)
        for names in self.sources:
            if not isinstance(names, str) and not _names_of(examination, names):
                yield f"nothing fits {names.folder if isinstance(names, FolderNames) else names.file}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The places have the same words."""
        try:
            documents = examination.sound(*(named.text for named in self.addresses()))
        except Unknown:
            return
        yield from examination.findings_of(("agree", number), (*documents, examination.paths), _agree, self)


def _agreement(value: object) -> object:
    return {"sources": value} if isinstance(value, list | tuple) else value


Agreement = Annotated[
    AgreeRule,
    BeforeValidator(_agreement, json_schema_input_type=AgreeRule | tuple[Text | FolderNames | FileNames, ...]),
]


def _agree(examination: Examination, rule: AgreeRule) -> Iterator[Finding]:
    if rule.every:
        yield from _own_names(examination, rule)
    texts = [place for place in rule.sources if isinstance(place, str)]
    values = {text: [(d, n) for d, n in examination.nodes(text) if n.value is not None] for text in texts}
    words = {text: frozenset(node.value for _, node in values[text]) for text in texts if values[text]}
    if not words:
        return
    # Where most places say the same, the odd one is told, whichever comes first.
    shared = Counter(words.values())
    first = max(words, key=lambda text: shared[words[text]])
    wanted = {node.value: (document, node) for document, node in values[first]}
    for text in texts:
        if text == first or not values[text]:
            continue
        found = {node.value for _, node in values[text]}
        for document, node in values[text]:
            if node.value not in wanted:
                other, there = values[first][0]
                says = f"`{there.value}`" if len(wanted) == 1 else f"none such ({listed([w or '' for w in wanted])})"
                yield examination.finding(
                    rule,
                    "meaning.disagree",
                    (document, node),
                    f"`{node.value}` is here, but {examination.address(other, there)} says {says}. "
                    "The two must be the same word.",
                    did_you_mean(node.value or "", [word or "" for word in wanted]) if len(wanted) > 1 else "",
                    Around(document, node),
                )
        if len(values[first]) > 1:
            for word, place in wanted.items():
                if word not in found:
                    message = f"`{word}` is here, but not at {text}, which must name the same."
                    yield examination.finding(rule, "meaning.disagree", place, message, fields=Around(*place))
    for names in rule.sources:
        if isinstance(names, str):
            continue
        known = _names_of(examination, names)
        what, pattern = ("folder", names.folder) if isinstance(names, FolderNames) else ("file", names.file)
        for document, node in values[first]:
            if node.value not in known:
                message = f"`{node.value}` is here, but there is no {what} of that name ({pattern})."
                hint = did_you_mean(node.value or "", known)
                yield examination.finding(
                    rule, "meaning.disagree", (document, node), message, hint, Around(document, node)
                )


def _names_of(examination: Examination, names: FolderNames | FileNames) -> list[str]:
    if isinstance(names, FileNames):
        return file_stems(names.file, examination.paths)
    return folder_names(names.folder, examination.paths)


def _own_names(examination: Examination, rule: AgreeRule) -> Iterator[Finding]:
    for document, node in examination.nodes(rule.every):
        path = PurePosixPath(document.path)
        own = path.stem if rule.name_of == "file" else path.parent.name
        if node.value is not None and node.value != own:
            message = (
                f"`{node.value}` is here, but the {rule.name_of} is called `{own}`. The two must be the same word."
            )
            yield examination.finding(
                rule, "meaning.disagree", (document, node), message, fields=with_more(Around(document, node), own=own)
            )
