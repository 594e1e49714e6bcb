"""The families of words that a gamebook knows: its lists with all that uses them, and places that must have the same word."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from zerrit.core.addresses import place_in_kind
from zerrit.core.documents import Document, Node
from zerrit.core.examination.check_context import Examination
from zerrit.core.examination.condition_fields import Around
from zerrit.core.expressions import ExpressionInvalid, NotApplicable
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import SAME_WORD, AgreeRule, ListSource, PathsLike, ValuesAt, WordFamily, WordUse


def word_families(examination: Examination) -> Iterator[WordFamily]:
    """All places that hold the same words, by the rules of the gamebook."""
    rules = examination.gamebook.rules
    uses: dict[str, list[WordUse]] = {name: [] for name in rules.lists}
    for _, rule in rules.listed():
        own: list[WordUse] = []
        for list_name, use in rule.word_uses():
            uses[list_name].append(use) if list_name in uses else own.append(use)
        if own:
            yield WordFamily(SAME_WORD, tuple(own))
        if isinstance(rule, AgreeRule) and rule.every:
            yield from _own_names(examination, rule)
    for pattern, file in rules.files.items():
        is_its = partial(_has_rules, examination.gamebook, pattern)
        for names, entry in file.entries.items():
            for name, one in entry.fields.items():
                if isinstance(one.allowed, str) and one.allowed in uses:
                    address = f"{pattern}#{place_in_kind(names, one.path or name)}"
                    uses[one.allowed].append(ValuesAt(address, is_file=is_its))
    for name, found in uses.items():
        source = rules.lists[name]
        yield WordFamily(
            name, tuple(found), tuple(_sources(source)), frozenset(source.words), tuple(_elsewhere(source))
        )
    for draws in rules.draws:
        yield WordFamily(draws.name, tuple(draws.word_uses()))
    for kind in rules.bundles:
        yield WordFamily(f"bundles of the kind {kind.kind}", tuple(kind.word_uses()))


def _sources(source: ListSource) -> Iterator[WordUse]:
    chosen = partial(_is_chosen, source)
    yield from (ValuesAt(address, source.take, is_meant=chosen) for address in source.source)
    if source.file_names:
        yield PathsLike(source.file_names, "file")
    if source.folders:
        yield PathsLike(source.folders, "folder")


def _is_chosen(source: ListSource, document: Document, node: Node) -> bool:
    try:
        return source.only_if is None or source.only_if.holds(Around(document, node))
    except (NotApplicable, ExpressionInvalid):
        return False


def _elsewhere(source: ListSource) -> Iterator[str]:
    if source.csv is not None:
        yield source.csv.file
    if source.sql is not None:
        yield source.sql.database


def _has_rules(gamebook: Gamebook, pattern: str, path: str) -> bool:
    """Of several patterns that fit a file, the first one speaks of it."""
    return gamebook.file(path) is gamebook.rules.files[pattern]


def _own_names(examination: Examination, rule: AgreeRule) -> Iterator[WordFamily]:
    """Each file in which values must be the name of the file or its folder."""
    for document in examination.matching(rule.every.partition("#")[0]):
        folder = document.path.rpartition("/")[0]
        path = document.path if rule.name_of == "file" else folder
        if path:
            is_its = partial(str.__eq__, document.path)
            part = PathsLike(_beside(path), rule.name_of, only=path)
            yield WordFamily(SAME_WORD, (ValuesAt(rule.every, is_file=is_its), part))


def _beside(path: str) -> str:
    """A pattern that fits a path and those that it could become."""
    folder, slash, name = path.rpartition("/")
    stem, dot, ending = name.rpartition(".")
    last = f"*{dot}{ending}" if stem else "*"
    return f"{folder}{slash}{last}"
