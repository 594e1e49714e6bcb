"""
A gamebook, read and ready to be asked.

A mistake in a gamebook is a finding with a line in the gamebook itself, like one in any other file: it is read
with our own YAML reader, and what the schema refuses is looked up in its tree.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from pydantic import ValidationError

from zerrit.core.addresses import Address, parse_address
from zerrit.core.documents import Document, Finding, Node, Severity, Slot, read_document
from zerrit.core.errors import AddressInvalid
from zerrit.core.gamebooks.schema import FieldRules, FileRules, GamebookFile
from zerrit.core.nearest import did_you_mean
from zerrit.core.paths import path_matches


@dataclass(frozen=True)
class Gamebook:
    """What is known of one game's files."""

    rules: GamebookFile
    source: Document
    _files: dict[str, FileRules | None] = field(default_factory=dict, repr=False)

    @property
    def game(self) -> str:
        return self.rules.game

    def file(self, path: str) -> FileRules | None:
        """The rules of a file, by its path or by the first pattern that fits it."""
        if path not in self._files:
            exact = self.rules.files.get(path)
            self._files[path] = exact or next(
                (rules for pattern, rules in self.rules.files.items() if path_matches(pattern, path)), None
            )
        return self._files[path]

    def read(self, data: bytes, path: str) -> Document:
        """Read a file the way that this game does: its tolerances, its keys."""
        rules = self.file(path)
        if rules is None:
            return read_document(data, path)
        keys = {_kind(names): entry.key for names, entry in rules.entries.items() if entry.key}
        slots = {name: Slot(slot.at, slot.split) for name, slot in rules.slots.items()}
        return read_document(data, path, tolerate=rules.tolerate, keys=keys, slots=slots)

    def is_ignored(self, path: str) -> bool:
        return any(path_matches(pattern, path) for pattern in self.rules.ignore)

    def is_watched(self, path: str) -> bool:
        return any(path_matches(pattern, path) for pattern in self.rules.watch)

    def is_tracked(self, path: str) -> bool:
        """The content of the file is kept, so that it can be compared and put back."""
        return not self.is_ignored(path) and not self.is_watched(path)

    def is_rewritten(self, path: str) -> bool:
        rules = self.file(path)
        return rules is not None and rules.rewritten_at_stop

    def field_rules(self, path: str, node: Node) -> FieldRules | None:
        """What is known of the field that a node is."""
        rules = self.file(path)
        if rules is None:
            return None
        names = "/".join(node.names)
        return self._fields_by_place(path, rules).get(names)

    def _fields_by_place(self, path: str, rules: FileRules) -> Mapping[str, FieldRules]:
        cached = self._places.get(id(rules))
        if cached is None:
            cached = {}
            for entry_names, entry in rules.entries.items():
                for name, field_rules in entry.fields.items():
                    cached[_kind(f"{entry_names}/{field_rules.at or name}")] = field_rules
            self._places[id(rules)] = cached
        return cached

    @cached_property
    def _places(self) -> dict[int, dict[str, FieldRules]]:
        return {}


def read_gamebook(data: bytes, path: str = "gamebook.yml") -> tuple[Gamebook | None, tuple[Finding, ...]]:
    """Read a gamebook. Returns it, or None when it cannot be used, and the findings in it."""
    document = read_document(data, path)
    errors = [finding for finding in document.findings if finding.severity is Severity.ERROR]
    if errors:
        return None, tuple(errors)
    try:
        rules = GamebookFile.model_validate(document.to_data())
    except ValidationError as error:
        return None, tuple(_finding(document, dict(item)) for item in error.errors())
    faults = tuple(_crossed(document, rules))
    return (None if faults else Gamebook(rules, document)), faults


def _finding(document: Document, item: Mapping[str, Any]) -> Finding:
    place, node = _locate(document, item["loc"])
    message = str(item["msg"]).removeprefix("Value error, ")
    if item["type"] == "extra_forbidden":
        place, _ = _locate(document, item["loc"][:-1])
        message = f"`{item['loc'][-1]}` is nothing that a gamebook has here."
    elif item["type"] == "missing":
        message = f"`{item['loc'][-1]}` is missing here."
    return _at(document, node, f"{place}: {message}" if place else message)


def _at(document: Document, node: Node, message: str, hint: str = "") -> Finding:
    line, column = document.source.locate(node.start)
    return Finding("gamebook.invalid", Severity.ERROR, message, document.path, line, column, hint=hint)


def _locate(document: Document, location: tuple[int | str, ...]) -> tuple[str, Node]:
    node = document.root
    words: list[str] = []
    for part in location:
        child = node.children[part] if isinstance(part, int) and part < len(node.children) else node.child(str(part))
        if child is None:
            break
        node = child
        words.append(str(part + 1) if isinstance(part, int) else part)
    return " / ".join(words), node


def _kind(names: str) -> str:
    """The names of a kind of node as the tree has them: an item of a list has none."""
    return "/".join("" if name == "*" else name for name in names.split("/"))


def _crossed(document: Document, rules: GamebookFile) -> list[Finding]:
    """Faults that no single rule shows: lists that are not there, addresses that are none."""
    faults: list[Finding] = []

    def check_list(name: str, location: tuple[int | str, ...]) -> None:
        if name not in rules.lists:
            place, node = _locate(document, location)
            faults.append(_at(document, node, f"{place}: there is no list `{name}`.", did_you_mean(name, rules.lists)))

    def check_address(text: str, location: tuple[int | str, ...]) -> Address | None:
        try:
            return parse_address(text)
        except AddressInvalid as error:
            place, node = _locate(document, location)
            faults.append(_at(document, node, f"{place}: {error}"))
            return None

    for path, file in rules.files.items():
        for names, entry in file.entries.items():
            base = ("files", path, "entries", names)
            check_address(f"file#{names}", base)
            for name, field_rules in entry.fields.items():
                check_address(f"file#{field_rules.at or name}", (*base, "fields", name))
                if field_rules.within:
                    check_list(field_rules.within, (*base, "fields", name, "in"))
            for number, must in enumerate(entry.must):
                for missing in sorted(must.that.names - entry.fields.keys()):
                    place, node = _locate(document, (*base, "must", number, "that"))
                    hint = did_you_mean(missing, entry.fields)
                    faults.append(_at(document, node, f"{place}: `{missing}` is none of the fields above.", hint))
    for name, source in rules.lists.items():
        if source.source:
            check_address(source.source, ("lists", name, "from"))
    for number, refer in enumerate(rules.refers):
        check_list(refer.to, ("refers", number, "to"))
        check_address(refer.every, ("refers", number, "every"))
    for number, unique in enumerate(rules.unique):
        for index, address in enumerate(unique.over):
            check_address(address, ("unique", number, "over", index))
    for number, draw in enumerate(rules.draws):
        check_address(draw.tables, ("draws", number, "tables"))
    for number, derived in enumerate(rules.derived):
        check_address(derived.each, ("derived", number, "each"))
    return faults
