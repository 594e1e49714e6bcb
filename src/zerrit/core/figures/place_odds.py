"""The odds that one place of a file takes part in: of the thing that it is or draws, or of the table that it is."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.errors import FigureRefused
from zerrit.core.figures.draws import name_of_table, prize_at, read_tables, table_nodes
from zerrit.core.figures.odds import Chance, Table, odds
from zerrit.core.gamebooks import Gamebook

MOST: Final = 12


@dataclass(frozen=True, slots=True)
class PlaceOdds:
    """A thing and a table that brings it: the probability of at least one in a use of the table, and the average number."""

    table: str
    thing: str
    at_least_one: Fraction
    expected: Fraction


class AllOdds:
    """The odds of the tables in a state of the files, each worked out when it is first asked for."""

    def __init__(self, gamebook: Gamebook, documents: Mapping[str, Document]) -> None:
        self.gamebook = gamebook
        self._tables: Mapping[str, Table] = {}
        self._outer: Sequence[str] = ()
        self._known: dict[str, Sequence[Chance]] = {}
        with contextlib.suppress(FigureRefused):  # a table cannot be read: the figures say where, here nothing is said
            found = read_tables(gamebook, documents)
            self._tables, self._outer = found.tables, found.outer

    def of(self, document: Document, node: Node) -> tuple[PlaceOdds, ...]:
        """What a place has to do with draws: a prize or a thing with all tables that players open, or a table of its own.

        The most likely first, at most `MOST`.
        """
        things, table = self._meant(document, node)
        if table:
            rows = [PlaceOdds(table, one.thing, one.at_least_one, one.expected) for one in self._of_table(table)]
        else:
            rows = [
                PlaceOdds(name, one.thing, one.at_least_one, one.expected)
                for name in self._outer
                for one in self._of_table(name)
                if one.thing in things
            ]
        return tuple(sorted(rows, key=lambda one: -one.at_least_one)[:MOST])

    def _meant(self, document: Document, node: Node) -> tuple[set[str], str]:
        """The things that a place stands for; or the table that it is, or leads to."""
        for rules, table in table_nodes(self.gamebook, document):
            above = node
            while above is not table and above.parent is not None:
                above = above.parent
            if above is not table:
                continue
            try:
                prize = prize_at(document, table, node, rules)
            except FigureRefused:
                return set(), ""
            if prize is None:
                return set(), name_of_table(document, table, rules)
            return {one for one in (prize.thing, prize.variant) if one}, prize.table
        things: set[str] = set()
        at: Node | None = node
        while at is not None and at.parent is not None:
            things.add(document.keys.key_of(at))
            at = at.parent
        return things - {""}, ""

    def _of_table(self, name: str) -> Sequence[Chance]:
        if name not in self._known:
            try:
                self._known[name] = odds(self._tables, name)
            except FigureRefused:
                self._known[name] = ()
        return self._known[name]
