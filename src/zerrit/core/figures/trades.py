"""Trades out of a game's files, as its gamebook describes them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.document import Document, declared_text
from zerrit.core.documents.file_selection import place_below, values_at
from zerrit.core.documents.measures import reckoned
from zerrit.core.documents.node import Node
from zerrit.core.documents.selection import select
from zerrit.core.errors import FigureRefused
from zerrit.core.expressions.address_templates import filled_address
from zerrit.core.figures.derived import DerivedRow, derive
from zerrit.core.figures.draws import read_tables
from zerrit.core.figures.odds import Chance, odds
from zerrit.core.gamebooks import Gamebook
from zerrit.core.rules.derived import is_number
from zerrit.core.rules.draws import OWN_NAME, OWN_VALUE, RangeAt
from zerrit.core.rules.loops import AmountRules, LoopRules, TradeRules


@dataclass(slots=True)
class Trade:
    """One trade: what is given and what is got for it, on average. `pays` and `earns` are money.

    `price_at` is the place of the money, where that is one number as it is written; `made_from` where a derived price begins.
    """

    name: str
    address: str
    gives: dict[str, Fraction] = field(default_factory=dict)
    gets: dict[str, Fraction] = field(default_factory=dict)
    pays: Fraction = Fraction()
    earns: Fraction = Fraction()
    price_at: str = ""
    made_from: str = ""

    @property
    def is_gift(self) -> bool:
        """It takes nothing."""
        return not self.pays and not any(self.gives.values())


@dataclass(frozen=True, slots=True)
class Trades:
    """All trades of a rule; `left_out` are entries without one, each with the reason."""

    trades: tuple[Trade, ...]
    left_out: tuple[str, ...]


def read_trades(gamebook: Gamebook, documents: Mapping[str, Document], rules: LoopRules) -> Trades:
    """The trades of a rule. An entry that says that it has no price, or that holds a word for a number, is left out and told.

    Raises FigureRefused: the gamebook has no such derived value, or a draw table cannot be worked out.
    """
    reader = _Reader(gamebook, documents)
    found: list[Trade] = []
    left_out: list[str] = []
    for rule in rules.trades:
        entries = list(values_at(rule.each, documents))
        if not entries:
            left_out.append(f"{rule.name}: nothing is at {rule.each}")
        for document, node in entries:
            try:
                found.append(reader.trade(document, node, rule))
            except _LeftOut as reason:
                left_out.append(str(reason))
    return Trades(tuple(found), tuple(left_out))


class _LeftOut(Exception):
    """An entry has no trade."""


class _Reader:
    def __init__(self, gamebook: Gamebook, documents: Mapping[str, Document]) -> None:
        self.gamebook = gamebook
        self.documents = documents
        self._derived: dict[str, dict[str, DerivedRow]] = {}
        self._odds: dict[str, list[Chance]] = {}
        self._tables = read_tables(gamebook, documents).tables if gamebook.rules.draws else {}

    def trade(self, document: Document, node: Node, rule: TradeRules) -> Trade:
        trade = Trade(rule.name, f"{document.path}#{document.keys.address_of(node)}")
        for given in rule.gives:
            trade.pays += self._add(document, node, given, trade.gives, trade)
        for got in rule.gets:
            trade.earns += self._add(document, node, got, trade.gets, trade)
        if sum(bool(amount.money or amount.price) for amount in (*rule.gives, *rule.gets)) > 1:
            trade.price_at = ""  # no single number is the money of it
        return trade

    def _add(
        self, document: Document, node: Node, rules: AmountRules, side: dict[str, Fraction], trade: Trade
    ) -> Fraction:
        """Put what is given or got with a side. Returns the money of it."""
        money = Fraction()
        for entry in self._entries(document, node, rules):
            many = self._count(document, entry, rules) * self._chance(document, entry, rules)
            if rules.money or rules.price:
                price, at = self._money(document, entry, rules)
                trade.price_at, trade.made_from = ("", at) if rules.price or many != 1 else (at, "")
                money += price * many
            elif rules.table:
                for chance in self._brings(document, entry, rules.table):
                    side[chance.thing] = side.get(chance.thing, Fraction()) + chance.expected * many
            else:
                thing = self._word(document, entry, rules.thing)
                if not thing:
                    raise _LeftOut(f"{_place(document, entry)} has no {rules.thing}")
                side[thing] = side.get(thing, Fraction()) + many
        return money

    def _entries(self, document: Document, node: Node, rules: AmountRules) -> Iterator[Node]:
        if not rules.list_at:
            yield node
            return
        yield from select(node, document.keys, parse_node_address(rules.list_at))

    def _money(self, document: Document, node: Node, rules: AmountRules) -> tuple[Fraction, str]:
        if rules.price:
            return self._price(document, node, rules)
        for text in rules.money:
            if is_number(text):
                return self._number_of(text, text), ""
            if "#" in text:
                address = filled_address(text, node)
                found = (
                    [one for one in values_at(address, self.documents) if one[1].value is not None] if address else []
                )
                if len(found) > 1:
                    raise _LeftOut(f"{_place(document, node)}: {address} leads to {len(found)} values")
            else:
                own = self._node(document, node, text)
                found = [(document, own)] if own is not None and own.value is not None else []
            if found:
                return self._number_of(declared_text(*found[0]), found[0]), _address(*found[0])
        raise _LeftOut(f"{_place(document, node)} has no price at {' or '.join(rules.money)}")

    def _price(self, document: Document, node: Node, rules: AmountRules) -> tuple[Fraction, str]:
        if rules.price not in self._derived:
            rows = derive(self.gamebook, self.documents, rules.price)
            self._derived[rules.price] = {row.address: row for row in rows}
        row = self._derived[rules.price].get(_address(document, node))
        if row is None:
            raise _LeftOut(f"{_place(document, node)} has no derived value {rules.price}")
        value = row.at(Fraction(rules.stock) if rules.stock is not None else None)
        if value is None:
            raise _LeftOut(
                f"{_place(document, node)}: {row.fault or 'its price depends on a stock, which `stock` says'}"
            )
        return value, row.source

    def _count(self, document: Document, node: Node, rules: AmountRules) -> Fraction:
        count = rules.count
        if isinstance(count, RangeAt):
            ends = [self._optional(document, node, place) for place in (count.min, count.max or count.min)]
            known = [one for one in ends if one is not None]
            return sum(known, Fraction()) / len(known) if known else Fraction(1)
        if isinstance(count, str) and not is_number(count):
            found = self._optional(document, node, count)
            return Fraction(1) if found is None else found
        return Fraction(count)

    def _chance(self, document: Document, node: Node, rules: AmountRules) -> Fraction:
        if not rules.chance:
            return Fraction(1)
        found = self._node(document, node, rules.chance)
        if found is None or found.value is None:
            return Fraction(1)
        text = found.value.strip()
        number = self._number_of(text.removesuffix("%"), (document, found))
        share = number / 100 if text.endswith("%") else number / Fraction(rules.chance_of)
        if not 0 <= share <= 1:
            raise _LeftOut(f"{_place(document, found)}: `{text}` is not a chance")
        return share

    def _optional(self, document: Document, node: Node, place: str) -> Fraction | None:
        found = self._node(document, node, place)
        if found is None or found.value is None:
            return None
        ends = reckoned(declared_text(document, found))
        if ends is None:
            raise _LeftOut(f"{_place(document, found)}: `{found.value}` is not a number")
        return (Fraction(ends.low) + Fraction(ends.high)) / 2

    def _brings(self, document: Document, node: Node, place: str) -> list[Chance]:
        name = self._word(document, node, place)
        if name not in self._tables:
            raise _LeftOut(f"{_place(document, node)}: there is no draw table {name or place}")
        if name not in self._odds:
            self._odds[name] = odds(self._tables, name)
        return self._odds[name]

    def _word(self, document: Document, node: Node, place: str) -> str:
        if place.startswith("="):
            return place[1:]
        if place == OWN_NAME:
            return document.keys.key_of(node) or node.name.removeprefix("@")
        found = self._node(document, node, place)
        return (found.value or "") if found is not None else ""

    def _node(self, document: Document, node: Node, place: str) -> Node | None:
        return node if place == OWN_VALUE else place_below(document, node, place)

    def _number_of(self, text: str, at: str | tuple[Document, Node]) -> Fraction:
        found = reckoned(text.removesuffix("%"))
        number = Fraction(found.high) if found is not None and not found.is_range else None
        if number is None or number < 0:
            place = at if isinstance(at, str) else _place(*at)
            raise _LeftOut(f"{place}: `{text}` is not a number" if number is None else f"{place}: {text} is below 0")
        return number / 100 if text.endswith("%") else number


def loop_rules(gamebook: Gamebook, name: str = "") -> LoopRules:
    """The trades called `name`, or the only ones. Raises FigureRefused: there are none, or several."""
    rules = gamebook.rules.loops
    if not rules:
        raise FigureRefused("The gamebook describes no trades. Its part `loops` says where they are.")
    found = [one for one in rules if name in ("", one.name)]
    if len(found) != 1:
        raise FigureRefused(f"Say which trades: {', '.join(one.name for one in rules)}.")
    return found[0]


def _address(document: Document, node: Node) -> str:
    return f"{document.path}#{document.keys.address_of(node)}"


def _place(document: Document, node: Node) -> str:
    return f"{_address(document, node)} (line {document.line_of(node)})"
