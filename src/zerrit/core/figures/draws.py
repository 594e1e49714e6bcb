"""Draw tables out of a game's files, as its gamebook describes them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from fractions import Fraction

from zerrit.core.documents.document import Document
from zerrit.core.documents.file_selection import below, values_at
from zerrit.core.documents.measures import Measure, measured
from zerrit.core.documents.node import Node
from zerrit.core.documents.scalars import as_number, as_switch
from zerrit.core.errors import FigureRefused
from zerrit.core.figures.odds import Chance, Prize, Range, Table, odds
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules import DrawRules, RangeAt


def outer_tables(gamebook: Gamebook, documents: Mapping[str, Document]) -> tuple[dict[str, Table], list[str]]:
    """All draw tables by their names, and the names of those that no other table leads to: what a player opens.

    Raises FigureRefused: a table cannot be read; the message names the place.
    """
    tables: dict[str, Table] = {}
    for rules in gamebook.rules.draws:
        for document, node in values_at(rules.tables, documents):
            table = _table(document, node, rules)
            if table.name in tables:
                raise FigureRefused(f"{_place(document, node)}: there is another draw table called {table.name}.")
            tables[table.name] = table
    inner = {prize.table for table in tables.values() for prize in table.prizes if prize.table}
    return tables, [name for name in tables if name not in inner]


def odds_by_table(gamebook: Gamebook, documents: Mapping[str, Document], name: str = "") -> dict[str, list[Chance]]:
    """The odds of one table, or of each that a player opens.

    Raises FigureRefused: the gamebook describes no draw tables, there is none of that name, or one cannot be read.
    """
    if not gamebook.rules.draws:
        raise FigureRefused("The gamebook describes no draw tables. Its part `draws` says where they are.")
    tables, outer = outer_tables(gamebook, documents)
    if not tables:
        places = ", ".join(rules.tables for rules in gamebook.rules.draws)
        raise FigureRefused(f"No draw table is at {places}.")
    return {one: odds(tables, one) for one in ([name] if name else outer)}


def table_nodes(gamebook: Gamebook, document: Document) -> Iterator[tuple[DrawRules, Node]]:
    """Where in a file its draw tables are."""
    for rules in gamebook.rules.draws:
        for _, node in values_at(rules.tables, {document.path: document}):
            yield rules, node


def prize_at(document: Document, table: Node, node: Node, rules: DrawRules) -> Prize | None:
    """The prize of a table that a node is, or is in; None where it is in none. Raises FigureRefused: it cannot be read."""
    prizes = {id(child) for child in _prize_nodes(document, table, rules)}
    at: Node | None = node
    while at is not None and id(at) not in prizes:
        at = at.parent
    return _prize(document, at, rules) if at is not None else None


def _prize_nodes(document: Document, table: Node, rules: DrawRules) -> list[Node]:
    group = below(table, rules.prizes) if rules.prizes else table
    if group is None:
        raise FigureRefused(f"{_place(document, table)} has no {rules.prizes}, where its prizes should be.")
    return [child for child in group.children if not child.name.startswith("@")]


def _table(document: Document, node: Node, rules: DrawRules) -> Table:
    name = document.keys.key_of(node) or node.name
    prizes = tuple(_prize(document, child, rules) for child in _prize_nodes(document, node, rules))
    return Table(name, _range(document, node, rules.takes), prizes, _repeats(document, node, rules))


def _prize(document: Document, node: Node, rules: DrawRules) -> Prize:
    thing, table, variant = (_text(node, place) for place in (rules.thing, rules.table, rules.variant))
    before, _, after = rules.nested.partition("{}")
    if rules.nested and thing.startswith(before) and thing.endswith(after) and len(thing) > len(before + after):
        thing, table = "", thing[len(before) : len(thing) - len(after)]
    if bool(thing) is bool(table):
        wanted = " or ".join(place for place in (rules.thing, rules.table) if place)
        raise FigureRefused(f"{_place(document, node)} does not say what it brings ({wanted}).")
    return Prize(
        _number(document, node, rules.weight, Fraction(1)),
        thing,
        table,
        _range(document, node, rules.counts),
        variant,
        _number(document, node, rules.variant_chance, Fraction()) if variant else Fraction(),
    )


def _repeats(document: Document, node: Node, rules: DrawRules) -> bool:
    if isinstance(rules.repeats, bool):
        return rules.repeats
    text = _text(node, rules.repeats)
    answer = as_switch(text) if text else True
    if answer is None:
        raise FigureRefused(f"{_place(document, node)}: {rules.repeats} is `{text}`, which is neither yes nor no.")
    return answer


def _range(document: Document, node: Node, at: int | RangeAt) -> Range:
    if isinstance(at, int):
        return Range(at, at)
    ranged = measured(_text(node, at.min), Measure.RANGE) if not at.max else None
    if ranged is not None:
        least, most = Fraction(ranged.low), Fraction(ranged.high)
    else:
        least = _number(document, node, at.min, Fraction(1))
        most = _number(document, node, at.max, least)
    if least.denominator != 1 or most.denominator != 1:
        raise FigureRefused(
            f"{_place(document, node)}: {at.min} and {at.max or 'its other end'} should be whole numbers."
        )
    return Range(int(least), int(most))


def _number(document: Document, node: Node, place: str, otherwise: Fraction) -> Fraction:
    text = _text(node, place)
    if not text:
        return otherwise
    is_share = text.endswith("%")
    number = as_number(text.removesuffix("%"))
    if number is None:
        raise FigureRefused(f"{_place(document, node)}: {place} is `{text}`, which is not a number.")
    return Fraction(number) / (100 if is_share else 1)


def _text(node: Node, place: str) -> str:
    if not place:
        return ""
    found = below(node, place)
    return found.value or "" if found is not None else ""


def _place(document: Document, node: Node) -> str:
    return f"{document.path}#{document.keys.address_of(node)} (line {document.line_of(node)})"
