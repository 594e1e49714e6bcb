"""
Check documents against a gamebook.

Every check has one shape, `Check`: it is given all documents and yields findings. A new kind of rule is one
more function in `CHECKS`. A check never raises because of what stands in a file.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from decimal import Decimal
from typing import Final

from zerrit.core.checks.lists import words_of
from zerrit.core.documents import CODES, Document, Finding, Format, Node, in_reading_order
from zerrit.core.documents.gathering import values_at
from zerrit.core.documents.lookup import enclosing
from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.gamebooks import EntryRules, ExpressionInvalid, FieldRules, FileRules, Gamebook
from zerrit.core.gamebooks.expressions import Expression, NotApplicable
from zerrit.core.nearest import did_you_mean

MOST_ADDRESSED: Final = 100  # findings of one file that get an address; beyond that nobody goes by them
Documents = Mapping[str, Document]
Check = Callable[["_Subject"], Iterable[Finding]]


class _Subject:
    """All that checks look at, with the lists filled once."""

    def __init__(self, documents: Documents, gamebook: Gamebook) -> None:
        self.documents = documents
        self.gamebook = gamebook
        self._lists: dict[str, tuple[str, ...]] = {}

    def words(self, name: str) -> tuple[str, ...]:
        if name not in self._lists:
            self._lists[name] = words_of(self.gamebook.rules.lists[name], self.documents)
        return self._lists[name]

    def files_with_rules(self) -> Iterator[tuple[Document, FileRules]]:
        for path, document in self.documents.items():
            rules = self.gamebook.file(path)
            if rules is not None:
                yield document, rules


def check(documents: Documents, gamebook: Gamebook | None = None) -> tuple[Finding, ...]:
    """All findings in these documents: those of reading, then those of meaning."""
    found = [finding for document in documents.values() for finding in _addressed(document)]
    if gamebook is not None:
        subject = _Subject(documents, gamebook)
        for one in CHECKS:
            found.extend(one(subject))
    return in_reading_order(found)


def _addressed(document: Document) -> Iterator[Finding]:
    """The findings of reading, each with the address of the entry that it stands in."""
    for number, finding in enumerate(document.findings):
        if number >= MOST_ADDRESSED or not finding.line or document.format is Format.TEXT:
            yield finding
            continue
        node = enclosing(document, document.source.offset_of(finding.line, finding.column))
        address = document.keys.address_of(node)
        yield replace(finding, address=f"{document.path}#{address}") if address else finding


def _finding(code: str, document: Document, node: Node, message: str, hint: str = "") -> Finding:
    at = node.value_start if node.is_value and node.value_start >= 0 else node.start
    line, column = document.source.locate(at)
    address = f"{document.path}#{document.keys.address_of(node)}"
    return Finding(code, CODES[code].severity, message, document.path, line, column, address, hint)


# --- fields -----------------------------------------------------------------------------------------------------------


def check_fields(subject: _Subject) -> Iterator[Finding]:
    """Kind, range and word list of each known field."""
    for document, rules in subject.files_with_rules():
        for names, entry in rules.entries.items():
            for name, field in entry.fields.items():
                for node in document.select(f"{names}/{field.at or name}"):
                    if node.value is not None:
                        yield from _check_value(subject, document, node, name, field)


def _check_value(subject: _Subject, document: Document, node: Node, name: str, field: FieldRules) -> Iterator[Finding]:
    value = node.value or ""
    if field.within:
        words = subject.words(field.within)
        if value not in words:
            yield _unknown(document, node, value, field.within, words)
    if field.kind == "switch" and as_switch(value) is None:
        yield _finding("meaning.type", document, node, f"{name} is a switch (yes or no), but `{value}` stands here.")
    number = as_number(value)
    is_number = field.kind in ("integer", "number") or field.least is not None or field.most is not None
    if is_number and number is None:
        yield _finding("meaning.type", document, node, f"{name} is a number, but `{value}` stands here.")
    elif number is not None:
        if field.kind == "integer" and number != number.to_integral_value():
            yield _finding("meaning.type", document, node, f"{name} is a whole number, but {value} stands here.")
        low, high = field.least, field.most
        if (low is not None and number < low) or (high is not None and number > high):
            yield _finding("meaning.range", document, node, f"{name} is {value}; it must be {_range(low, high)}.")


def _range(low: Decimal | None, high: Decimal | None) -> str:
    if low is not None and high is not None:
        return f"from {low:g} to {high:g}"
    return f"at least {low:g}" if low is not None else f"at most {high:g}"


def _unknown(document: Document, node: Node, value: str, list_name: str, words: tuple[str, ...]) -> Finding:
    known = f"{len(words)} names are known" if len(words) != 1 else "one name is known"
    return _finding(
        "meaning.unknown-name",
        document,
        node,
        f"`{value}` is not among the {list_name} ({known}).",
        did_you_mean(value, words),
    )


# --- conditions -------------------------------------------------------------------------------------------------------


def check_conditions(subject: _Subject) -> Iterator[Finding]:
    """The `must` rules of each entry."""
    for document, rules in subject.files_with_rules():
        for names, entry in rules.entries.items():
            if entry.must:
                for node in document.select(names):
                    yield from _check_entry(document, node, entry)


def _check_entry(document: Document, node: Node, entry: EntryRules) -> Iterator[Finding]:
    fields = {
        name: [below.value or "" for below in _below(node, field.at or name)] for name, field in entry.fields.items()
    }
    for must in entry.must:
        try:
            holds = must.that.holds(fields)
        except NotApplicable:
            continue
        except ExpressionInvalid as error:
            yield _finding(
                "gamebook.invalid", document, node, f"A rule of the gamebook cannot be worked out here: {error}"
            )
            continue
        if not holds:
            say = must.say or f"{must.that.text} does not hold here."
            yield _finding("meaning.must", document, node, _filled(say, must.that, fields))


def _below(node: Node, place: str) -> list[Node]:
    nodes = [node]
    for name in place.split("/"):
        nodes = [child for parent in nodes for child in parent.children if name in ("*", child.name)]
    return [found for found in nodes if found.value is not None]


def _filled(say: str, expression: Expression, fields: Mapping[str, list[str]]) -> str:
    return re.sub(r"\{([^{}]{1,80})\}", lambda match: expression.value(match.group(1), fields), say)


# --- links between files ----------------------------------------------------------------------------------------------


def check_references(subject: _Subject) -> Iterator[Finding]:
    """Every value at an address is a word of its list."""
    for rule in subject.gamebook.rules.refers:
        words = subject.words(rule.to)
        known = frozenset(words)
        for document, node in values_at(rule.every, subject.documents):
            if node.value is not None and node.value not in known:
                yield _unknown(document, node, node.value, rule.to, words)


def check_unique(subject: _Subject) -> Iterator[Finding]:
    """No value stands twice in a family."""
    for rule in subject.gamebook.rules.unique:
        first: dict[str, tuple[Document, Node]] = {}
        for address in rule.over:
            for document, node in values_at(address, subject.documents):
                if node.value is None:
                    continue
                if node.value not in first:
                    first[node.value] = (document, node)
                    continue
                other, there = first[node.value]
                where = f"line {other.line_of(there)}"
                if other.path != document.path:
                    where = f"{other.path}, {where}"
                yield _finding(
                    "meaning.duplicate",
                    document,
                    node,
                    f"`{node.value}` stands twice among the {rule.name}; the first is in {where}.",
                )


def check_presence(subject: _Subject) -> Iterator[Finding]:
    """Files that the gamebook calls by name are there."""
    for pattern, rules in subject.gamebook.rules.files.items():
        if "*" not in pattern and pattern not in subject.documents:
            what = f" ({rules.purpose})" if rules.purpose else ""
            message = f"The gamebook knows {pattern}{what}, but it is not there."
            yield Finding("gamebook.file-missing", CODES["gamebook.file-missing"].severity, message, pattern)


CHECKS: Final[tuple[Check, ...]] = (check_fields, check_conditions, check_references, check_unique, check_presence)
