"""Checks that hold entries beside each other: variants kept alike, points near others, values that lead elsewhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal

from zerrit.core.addresses import parse_address, parse_node_address
from zerrit.core.checks.check_context import Examination, Placed, Unknown, listed
from zerrit.core.checks.condition_fields import Around
from zerrit.core.checks.entry_rows import Rows
from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.file_selection import place_below
from zerrit.core.documents.measures import MeasuredText
from zerrit.core.documents.scalars import as_number
from zerrit.core.documents.selection import select
from zerrit.core.figures.derived import filled_address
from zerrit.core.figures.distance import distance
from zerrit.core.gamebooks import (
    AlikeRule,
    DerivedRules,
    ExpressionInvalid,
    NearRule,
    NotApplicable,
    compile_pattern,
    kind_of,
)
from zerrit.core.gamebooks.address_templates import filled_with, places_in, with_any
from zerrit.core.nearest import did_you_mean


def check_alike(examination: Examination) -> Iterator[Finding]:
    """Variants of one thing have the same values."""
    for number, rule in enumerate(examination.gamebook.rules.alike):
        for document in examination.matching(rule.each.partition("#")[0]):
            yield from examination.findings_of(("alike", number, document.path), (document,), _alike, document, rule)


def _alike(examination: Examination, document: Document, rule: AlikeRule) -> Iterator[Finding]:
    pattern = compile_pattern(rule.group_by)
    groups: dict[str, list[Node]] = {}
    for node in examination.nodes_in(document, rule.each):
        match = pattern.fullmatch(document.keys.key_of(node))
        if match:
            groups.setdefault(match.group(1) if match.groups() else "", []).append(node)
    for nodes in groups.values():
        for place in rule.fields if len(nodes) > 1 else ():
            yield from _odd_ones(examination, document, rule, nodes, place)


def _odd_ones(
    examination: Examination, document: Document, rule: AlikeRule, nodes: Sequence[Node], place: str
) -> Iterator[Finding]:
    segments = parse_node_address(place)
    found = [(node, next(iter(select(node, document.keys, segments)), None)) for node in nodes]
    values = Counter(one.value for _, one in found if one is not None)
    if len(values) < 2 and all(one is not None for _, one in found):
        return
    if not values:
        return
    usual = values.most_common(1)[0][0]
    others = [document.keys.key_of(node) for node, one in found if one is not None and one.value == usual]
    for node, one in found:
        if one is not None and one.value == usual:
            continue
        own = f"{place} is {one.value} here" if one is not None else f"{place} is missing here"
        message = f"{own}, but {usual} in {listed(others)}. These variants are kept alike."
        yield examination.finding(
            rule, "meaning.alike", (document, one or node), message, fields=Around(document, one or node)
        )


# --- points -----------------------------------------------------------------------------------------------------------


def check_near(examination: Examination) -> Iterator[Finding]:
    """Points lie within a distance of others."""
    for number, rule in enumerate(examination.gamebook.rules.near):
        try:
            documents = examination.sound(rule.each, rule.target)
        except Unknown:
            continue
        yield from examination.findings_of(("near", number), documents, _near, rule)


def _near(examination: Examination, rule: NearRule) -> Iterator[Finding]:
    places = rule.target_coordinates or rule.coordinates
    centres: list[tuple[Placed, tuple[Decimal, ...]]] = []
    for place in examination.nodes(rule.target):
        centre = point_of(*place, places)
        if centre is not None:
            centres.append((place, centre))
        else:
            yield _not_measured(examination, rule, place, places)
    for document, node in examination.nodes(rule.each):
        point = point_of(document, node, rule.coordinates)
        if point is None:
            yield _not_measured(examination, rule, (document, node), rule.coordinates)
            continue
        wanted = _field(document, node, rule.target_field) if rule.target_field else None
        near = [
            centre for centre in centres if not rule.target_field or _is_called(centre[0], rule.target_field, wanted)
        ]
        if not near:
            continue  # a name that is not a name is found by the rule that refers
        centre_at, there = min(((c[0], distance(point, c[1])) for c in near), key=lambda pair: pair[1])
        within = (
            rule.distance if isinstance(rule.distance, Decimal) else as_number(_field(*centre_at, rule.distance) or "")
        )
        if within is None:
            yield _not_measured(examination, rule, centre_at, [str(rule.distance)])
        if within is not None and there > within:
            name = document.keys.key_of(node) or node.name
            message = f"{name} is {there:f} away, more than the {within:f} within which it is reached."
            holder = place_below(document, node, rule.coordinates[0])
            yield examination.finding(
                rule, "meaning.far", (document, holder or node), message, fields=Around(document, node)
            )


def point_of(document: Document, node: Node, places: Sequence[str]) -> tuple[Decimal, ...] | None:
    """The coordinates of an entry; None where one of them cannot be read."""
    found = [as_number(_field(document, node, place) or "") for place in places]
    return tuple(number for number in found if number is not None) if None not in found else None


def unreadable(document: Document, node: Node, places: Sequence[str]) -> str:
    """Which of the places of an entry holds no number."""
    name = document.keys.key_of(node) or node.name or "an entry"
    for place in places:
        text = _field(document, node, place)
        if text is None:
            return f"`{name}` has no `{place}`"
        if as_number(text) is None:
            return f"`{place}` of `{name}` is `{text}`, which is not a number"
    return ""


def _not_measured(examination: Examination, rule: NearRule, place: Placed, places: Sequence[str]) -> Finding:
    message = f"Not measured: {unreadable(*place, places)}."
    return examination.finding(rule, "meaning.not-measured", place, message, fields=Around(*place), says_why=True)


def _field(document: Document, node: Node, place: str) -> str | None:
    found = place_below(document, node, place)
    return found.value if found is not None else None


def _is_called(place: Placed, by: str, wanted: str | None) -> bool:
    return wanted is not None and wanted in (_field(*place, by), place[0].keys.key_of(place[1]))


# --- values from elsewhere --------------------------------------------------------------------------------------------


def check_derived(examination: Examination) -> Iterator[Finding]:
    """Where a value has the word that means "look elsewhere", there is something elsewhere."""
    for number, rule in enumerate(examination.gamebook.rules.derived):
        if not rule.sentinel:
            continue
        try:
            elsewhere = examination.sound(rule.fallback)
            examination.sound(rule.each)
        except Unknown:
            continue
        reached: dict[str, bool] = {}
        for document in examination.matching(rule.each.partition("#")[0]):
            yield from examination.findings_of(
                ("derived", number, document.path), (document, *elsewhere), _derived, document, rule, reached
            )


def _derived(
    examination: Examination, document: Document, rule: DerivedRules, reached: dict[str, bool]
) -> Iterator[Finding]:
    rows = Rows.of(examination, document, rule.each.partition("#")[2])
    column = rows.column(rule.value)
    own = {place: rows.column(place) for place in places_in(rule.fallback)}
    for index, number, text in column:
        if text != rule.sentinel:
            continue
        filled = {place: one.values(index) for place, one in own.items()}
        if all(len(values) == 1 for values in filled.values()):
            elsewhere = filled_with(rule.fallback, {place: values[0] for place, values in filled.items()})
        else:
            elsewhere = filled_address(rule.fallback, rows.node(index))
        if elsewhere not in reached:
            reached[elsewhere] = bool(elsewhere) and any(
                node.value is not None for _, node in examination.nodes(elsewhere)
            )
        if reached[elsewhere]:
            continue
        holder = column.node(index, number)
        message = f"`{rule.sentinel}` sends the game to {elsewhere or rule.fallback}, but nothing is there."
        wanted = parse_address(elsewhere).segments[-1].name if elsewhere else ""
        hint = did_you_mean(wanted, _beside(examination, rule))
        yield examination.finding(rule, "meaning.sentinel", (document, holder), message, hint, Around(document, holder))


def _beside(examination: Examination, rule: DerivedRules) -> list[str]:
    """The names that there are where the value should be."""
    parent = with_any(rule.fallback)
    return [document.keys.key_of(node) or node.name for document, node in examination.nodes(parent)]


# --- advice -----------------------------------------------------------------------------------------------------------


def check_advice(examination: Examination) -> Iterator[Finding]:
    """Values that are allowed, but that those who know the game warn of."""
    for number, rule in enumerate(examination.gamebook.rules.advice):
        if rule.standing == "doubted":
            continue
        for document in examination.matching(rule.every.partition("#")[0]):
            yield from examination.findings_of(
                ("advice", number, document.path), (document,), _advice, document, number
            )


def _advice(examination: Examination, document: Document, number: int) -> Iterator[Finding]:
    rule = examination.gamebook.rules.advice[number]
    values = examination.values_in(document, rule.every)
    declared = document.reading.measures.of(kind_of(rule.every.partition("#")[2]))
    for index, text in enumerate(values.texts):
        try:
            own = MeasuredText(text, declared) if declared is not None else text
            if not rule.condition.names - {"value"} and not rule.condition.holds({"value": (own,)}):
                continue
            node = values.node(index)
            if not rule.condition.holds(Around(document, node)):
                continue
        except NotApplicable:
            continue
        except ExpressionInvalid as error:
            yield examination.gamebook.fault(("advice", number), f"This advice cannot be worked out: {error}")
            return
        message = f"Take care: {rule.condition.text.replace('value', text, 1)}."
        known: Mapping[str, str] = {"heard of in": rule.version, "from": rule.origin}
        hint = ", ".join(f"{word} {said}" for word, said in known.items() if said)
        yield examination.finding(rule, "meaning.advice", (document, node), message, hint, Around(document, node))
