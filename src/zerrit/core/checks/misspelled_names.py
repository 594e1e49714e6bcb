"""
Names that are misspelled where they are given: the places that use them are then the ones that look wrong.

A word that a list does not hold may be right, and the name in the list the slip. That is likely where it is used in several
places, and nothing uses a name of the list that resembles it. Both are told then, since which is right only a person knows.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Final

from zerrit.core.checks.other_lists import list_and_word_of
from zerrit.core.checks.word_families import word_families
from zerrit.core.documents import CODES, Finding
from zerrit.core.examination.check_context import Examination, Unknown
from zerrit.core.examination.word_lists import word_places, words_of
from zerrit.core.nearest import nearest
from zerrit.core.rules import ValuesAt

CODE: Final = "meaning.unused-name"
MOST: Final = 50  #: findings of a check that are looked into
FEWEST: Final = 2  #: uses of a word that is not there


def with_misspelled_names(examination: Examination, findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings; with those of an unknown word also the name that nothing uses and that may be the slip."""
    listed = list(findings)
    asked = [one for one in listed if one.code == "meaning.unknown-name"][:MOST]
    words = {id(one): list_and_word_of(examination, one) for one in asked}
    times = Counter(words.values())
    unused = _Unused(examination)
    told: set[tuple[str, str]] = set()
    for finding in listed:
        name, word = words.get(id(finding), ("", ""))
        # A name that is used once and wrong there is likelier a slip at its use.
        meant = unused.like(name, word) if name and word and times[name, word] >= FEWEST else ""
        place = word_places(examination, name).get(meant) if meant else None
        if place is None:
            yield finding
            continue
        document, node = place
        at = node.value_start if node.is_value and node.value_start >= 0 else node.start
        line, column = document.source.locate(at)
        hint = f"Nothing uses `{meant}` in {document.path}, line {line}; it may be that name that is misspelled."
        yield replace(finding, hint=f"{finding.hint} {hint}".lstrip())
        if (name, meant) not in told:
            told.add((name, meant))
            where = f"{finding.path}, line {finding.line}"
            message = (
                f"Nothing uses `{meant}`, while `{word}` in {where} is not among the {name}. Is this name misspelled?"
            )
            address = examination.address(document, node)
            severity = CODES[CODE].severity
            yield Finding(CODE, severity, message, document.path, line, column, address, rule=finding.rule)


class _Unused:
    """The words of lists that nothing uses."""

    def __init__(self, examination: Examination) -> None:
        self._examination = examination
        self._known: dict[str, tuple[str, ...]] = {}

    def like(self, name: str, word: str) -> str:
        """The one unused word of a list that resembles another word the most; empty where there is none, or several do."""
        if name not in self._known:
            self._known[name] = self._of(name)
        words = self._known[name]
        found = nearest(word, words, most=1)
        if not found:  # short names resemble nothing much
            found = tuple(one for one in words if len(one) == len(word) and _apart(one, word) == 1)
        return found[0] if len(found) == 1 else ""

    def _of(self, name: str) -> tuple[str, ...]:
        try:
            words = words_of(self._examination, name)
        except Unknown:
            return ()
        family = next((one for one in word_families(self._examination) if one.what == name), None)
        if family is None or not family.uses or not all(isinstance(one, ValuesAt) for one in family.uses):
            return ()  # what files and folders mean by a name is not looked at
        used = {word for use in family.uses if isinstance(use, ValuesAt) for word in _words_at(self._examination, use)}
        return tuple(word for word in words if word not in used)


def _words_at(examination: Examination, use: ValuesAt) -> Iterator[str]:
    for document in examination.matching(use.address.partition("#")[0]):
        if use.take == "value":
            yield from (use.word_in(text) or "" for text in examination.values_in(document, use.address).texts)
            continue
        for node in examination.nodes_in(document, use.address):
            yield (node.name.removeprefix("@") if use.take == "name" else document.keys.key_of(node)) or ""


def _apart(one: str, other: str) -> int:
    return sum(a != b for a, b in zip(one, other, strict=True))
