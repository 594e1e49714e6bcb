"""Words that are in the wrong place: a value that its own list does not hold, but another list of the gamebook does."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Final

from zerrit.core.addresses import parse_address
from zerrit.core.documents import Finding, Node
from zerrit.core.documents.selection import select
from zerrit.core.errors import AddressInvalid
from zerrit.core.examination.check_context import Examination, Unknown
from zerrit.core.examination.word_lists import known_words
from zerrit.core.rules import FieldRules, ReferRule
from zerrit.core.word_forms import word_in

MOST: Final = 200  #: findings of a check that are looked into


def with_other_lists(examination: Examination, findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings; those of an unknown word say in their hint which other list has the word."""
    asked = 0
    for finding in findings:
        if finding.code != "meaning.unknown-name" or asked >= MOST:
            yield finding
            continue
        asked += 1
        others = _others(examination, finding)
        if others:
            said = f"It is one of the {' and of the '.join(others)}."
            yield replace(finding, hint=f"{said} {finding.hint}".rstrip())
        else:
            yield finding


def list_and_word_of(examination: Examination, finding: Finding) -> tuple[str, str]:
    """The list that a word was looked for in, and the word at the place of the finding; empty where that is not known.

    Of words that a rule names itself there is no list.
    """
    placed = examination.gamebook.by_id.get(finding.rule)
    rule = placed.rule if placed is not None else None
    node = _node_at(examination, finding)
    if node is None or not isinstance(rule, ReferRule | FieldRules):
        return "", ""
    if isinstance(rule, FieldRules):
        return rule.allowed if isinstance(rule.allowed, str) else "", node.value or ""
    value = rule.text_of(node)
    return rule.list_name, (word_in(rule.within, value) or "") if rule.within else value


def _others(examination: Examination, finding: Finding) -> list[str]:
    """The lists that have the word at the place of a finding, but for the one that it was looked for in."""
    own, word = list_and_word_of(examination, finding)
    found = []
    for name in examination.gamebook.rules.lists:
        try:
            if word and name != own and word in known_words(examination, name):
                found.append(name)
        except Unknown:
            continue
    return found[:2]


def _node_at(examination: Examination, finding: Finding) -> Node | None:
    document = examination.documents.get(finding.path)
    if document is None:
        return None
    try:
        segments = parse_address(finding.address).segments
    except AddressInvalid:
        return None
    return next(iter(select(document.root, document.keys, segments)), None)
