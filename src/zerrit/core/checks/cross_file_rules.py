"""Checks between files: references, unique families, agreement of names, tables with the same values, conditions."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import PurePosixPath

from zerrit.core.checks.address_values import Values
from zerrit.core.checks.check_context import Examination, Placed, Unknown, listed
from zerrit.core.checks.condition_fields import Around, with_more
from zerrit.core.checks.word_lists import known_words, words_of
from zerrit.core.documents import Document, Finding
from zerrit.core.documents.document import declared_text
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.scalars import as_number
from zerrit.core.gamebooks import (
    AgreeRule,
    Expression,
    ExpressionInvalid,
    FileNames,
    FolderNames,
    MustRule,
    NotApplicable,
    ReferRule,
    Rule,
    SameRule,
    Table,
    UniqueRule,
)
from zerrit.core.nearest import did_you_mean
from zerrit.core.paths import file_stems, folder_names
from zerrit.core.wildcards import path_matches
from zerrit.core.wording import counted


def check_references(examination: Examination) -> Iterator[Finding]:
    """Every value at an address is a word of its list."""
    for number, rule in enumerate(examination.gamebook.rules.refers):
        try:
            words = words_of(examination, rule.list_name)
            known = known_words(examination, rule.list_name)
        except Unknown:
            continue
        if not words:
            continue  # said of the list; nothing can be held against it
        for document in examination.matching(rule.every.partition("#")[0]):
            yield from examination.findings_of(
                ("refers", number, document.path), (document, words), _refer, document, rule, words, known
            )


def _refer(
    examination: Examination, document: Document, rule: ReferRule, words: Sequence[str], known: frozenset[str]
) -> Iterator[Finding]:
    values = examination.values_in(document, rule.every)
    for index, value in enumerate(values.texts):
        if value in known or value in rule.exceptions:
            continue
        node = values.node(index)
        fields = Around(document, node)
        try:
            if rule.only_if is not None and not rule.only_if.holds(fields):
                continue
        except NotApplicable:
            continue
        except ExpressionInvalid as error:
            yield _not_worked_out(examination, rule, (document, node), error)
            return
        yield examination.unknown_word(rule, (document, node), rule.list_name, words, fields)


def _not_worked_out(examination: Examination, rule: Rule, place: Placed, error: ExpressionInvalid) -> Finding:
    where = examination.address(*place)
    location = examination.gamebook.place_of(rule).location
    return examination.gamebook.fault(location, f"This rule cannot be worked out at {where}: {error}")


# --- unique -----------------------------------------------------------------------------------------------------------


def check_unique(examination: Examination) -> Iterator[Finding]:
    """No value occurs twice in a family."""
    for number, rule in enumerate(examination.gamebook.rules.unique):
        try:
            documents = examination.sound(*rule.over)
        except Unknown:
            continue
        if rule.scope == "file":
            for document in dict.fromkeys(documents):
                yield from examination.findings_of(
                    ("unique", number, document.path), (document,), _unique, rule, (document,)
                )
        else:
            yield from examination.findings_of(("unique", number), documents, _unique, rule, documents)


def _unique(examination: Examination, rule: UniqueRule, documents: Sequence[Document]) -> Iterator[Finding]:
    first: dict[str, tuple[Values, int]] = {}
    for document in dict.fromkeys(documents):
        for address in rule.over:
            if not path_matches(address.partition("#")[0], document.path):
                continue
            values = examination.values_in(document, address)
            for index, value in enumerate(values.texts):
                here = (values, index)
                other = first.setdefault(value, here)
                if other is here:
                    continue
                node, there = values.node(index), other[0].node(other[1])
                if node is there:
                    continue  # two addresses of the family lead to one place
                where = f"line {other[0].document.line_of(there)}"
                if other[0].document.path != document.path:
                    where = f"{other[0].document.path}, {where}"
                message = f"`{value}` occurs twice among the {rule.name}; the first is in {where}."
                yield examination.finding(
                    rule, "meaning.duplicate", (document, node), message, fields=Around(document, node)
                )


# --- agreement --------------------------------------------------------------------------------------------------------


def check_agreement(examination: Examination) -> Iterator[Finding]:
    """Places that must have the same words do."""
    for number, rule in enumerate(examination.gamebook.rules.agree):
        addresses = [place for place in rule.sources if isinstance(place, str)] + ([rule.every] if rule.every else [])
        try:
            documents = examination.sound(*addresses)
        except Unknown:
            continue
        yield from examination.findings_of(("agree", number), (*documents, examination.paths), _agree, rule)


def _agree(examination: Examination, rule: AgreeRule) -> Iterator[Finding]:
    if rule.every:
        yield from _own_names(examination, rule)
    texts = [place for place in rule.sources if isinstance(place, str)]
    values = {text: [(d, n) for d, n in examination.nodes(text) if n.value is not None] for text in texts}
    first = next((text for text in texts if values[text]), None)
    if first is None:
        return
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


# --- tables -----------------------------------------------------------------------------------------------------------


def check_tables(examination: Examination) -> Iterator[Finding]:
    """Where two tables have the same key, they have the same value."""
    for number, rule in enumerate(examination.gamebook.rules.same_values):
        try:
            inputs: list[object] = []
            for part, table in (("table", rule.table), ("other", rule.other)):
                if table.sql is not None:
                    inputs.append(examination.rows(table.sql, ("same_values", number, part, "sql")))
                else:
                    inputs += examination.sound(table.each)
        except Unknown:
            continue
        yield from examination.findings_of(("same_values", number), tuple(inputs), _same, rule, number)


def _same(examination: Examination, rule: SameRule, number: int) -> Iterator[Finding]:
    ones = _pairs(examination, rule.table, ("same_values", number, "table", "sql"))
    others = _pairs(examination, rule.other, ("same_values", number, "other", "sql"))
    for key, (value, place) in ones.items():
        other = others.get(key)
        if other is None:
            if rule.both:
                message = f"`{key}` is among the {rule.name} here, but not in {_called(rule.other)}."
                hint = did_you_mean(key, others.keys() - ones.keys())
                yield examination.finding(rule, "meaning.not-same", place or _called(rule.table), message, hint)
            continue
        if not _is_equal(value, other[0]):
            there = examination.address(*other[1]) if other[1] is not None else _called(rule.other)
            message = f"{rule.name}: `{key}` has {value} here, but {other[0]} in {there}. The two must be the same."
            at = place or other[1] or _called(rule.table)
            yield examination.finding(rule, "meaning.not-same", at, message)


def _called(table: Table) -> str:
    return table.sql.database if table.sql is not None else table.each.partition("#")[0]


def _pairs(
    examination: Examination, table: Table, location: tuple[int | str, ...]
) -> dict[str, tuple[str, Placed | None]]:
    if table.sql is not None:
        rows = examination.rows(table.sql, location)
        return {row[0]: (row[1], None) for row in rows if len(row) > 1}
    pairs: dict[str, tuple[str, Placed | None]] = {}
    for document, node in examination.nodes(table.each):
        key, value = below(node, table.key), below(node, table.value)
        if key is not None and key.value is not None and value is not None and value.value is not None:
            pairs.setdefault(key.value, (value.value, (document, value)))
    return pairs


def _is_equal(one: str, other: str) -> bool:
    number = as_number(one)
    return one == other or (number is not None and number == as_number(other))


# --- conditions -------------------------------------------------------------------------------------------------------


def check_conditions(examination: Examination) -> Iterator[Finding]:
    """Conditions between values of several places."""
    for number, rule in enumerate(examination.gamebook.rules.must):
        try:
            documents = examination.sound(*rule.let.values())
        except Unknown:
            continue
        yield from examination.findings_of(("must", number), documents, _must, rule)


def _must(examination: Examination, rule: MustRule) -> Iterator[Finding]:
    places = {name: examination.nodes(address) for name, address in rule.let.items()}
    values: Mapping[str, Sequence[str]] = {
        name: [declared_text(document, node) for document, node in found if node.value is not None]
        for name, found in places.items()
    }
    spoken = sorted(rule.condition.names, key=list(rule.let).index)
    place = next((found[0] for name in spoken if (found := places[name])), None)
    if place is None:
        return
    try:
        if (rule.only_if is None or rule.only_if.holds(values)) and not rule.condition.holds(values):
            message = f"{rule.condition.text} does not hold: {_worked(rule.condition, values)}."
            yield examination.finding(rule, "meaning.must", place, message, fields=values)
    except NotApplicable:
        return
    except ExpressionInvalid as error:
        yield _not_worked_out(examination, rule, place, error)


def _worked(expression: Expression, values: Mapping[str, Sequence[str]]) -> str:
    parts = (
        f"{name} is {values[name][0]}"
        if len(values[name]) == 1
        else f"{name} has {counted(len(values[name]), 'value')}"
        for name in sorted(expression.names)
    )
    return ", ".join(parts)
