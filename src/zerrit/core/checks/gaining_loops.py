"""Trades that gain in a circle, by the gamebook's part `loops`."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Final

from zerrit.core.documents import CODES, Document, Finding
from zerrit.core.errors import AddressInvalid, FigureRefused
from zerrit.core.examination.check_context import Examination
from zerrit.core.expressions.address_templates import with_any
from zerrit.core.figures.money_loops import find_loops, fix_in_words, loop_in_words
from zerrit.core.figures.trades import read_trades
from zerrit.core.rules import DerivedRules
from zerrit.core.rules.loops import LoopRules

CODE: Final = "meaning.loop"
MOST: Final = 10  #: loops of one rule that are told; after these are ended, the next ones show


def check_loops(examination: Examination) -> Iterator[Finding]:
    """Each loop of trades that gains."""
    for number, rules in enumerate(examination.gamebook.rules.loops):
        documents = tuple(
            dict.fromkeys(one for path in _paths(examination, rules) for one in examination.matching(path))
        )
        if documents and all(document.ok for document in documents):
            yield from examination.findings_of(("loops", number), documents, _found, rules)


def _paths(examination: Examination, rules: LoopRules) -> Iterator[str]:
    """The files on which the trades depend."""
    book = examination.gamebook.rules
    named = {amount.price for trade in rules.trades for amount in (*trade.gives, *trade.gets) if amount.price}
    texts = [trade.each for trade in rules.trades]
    texts += [text for trade in rules.trades for amount in (*trade.gives, *trade.gets) for text in amount.money]
    for derived in book.of(DerivedRules):
        if derived.name in named:
            texts += [derived.each, *derived.fallback, *(text for _, text in derived.sources())]
    if any(amount.table for trade in rules.trades for amount in trade.gets):
        texts += [draws.tables for draws in book.draws]
    yield from dict.fromkeys(with_any(text.partition("#")[0]) for text in texts if "#" in text)


def _found(examination: Examination, rules: LoopRules) -> Iterator[Finding]:
    severity = examination.gamebook.severity(rules, CODE)
    name = f"loops {rules.name}"
    try:
        trades = read_trades(examination.gamebook, examination.documents, rules)
        loops = find_loops(trades.trades, Fraction(rules.least_gain), MOST).loops
    except FigureRefused as reason:
        path = rules.trades[0].each.partition("#")[0]
        message = f"Whether the trades of {rules.name} gain in a circle could not be worked out: {reason}"
        yield Finding(CODE, CODES[CODE].severity, message, path, rule=name)
        return
    for loop in loops:
        address = loop.fix.address if loop.fix is not None else loop.steps[0].trade.address
        path = address.partition("#")[0]
        line, column = _spot(examination.documents.get(path), address)
        hint = fix_in_words(loop.fix) if loop.fix is not None else ""
        message = rules.message or f"{loop_in_words(loop)}."
        yield Finding(CODE, severity, message, path, line, column, address, hint, None, name, rules.reason)


def _spot(document: Document | None, address: str) -> tuple[int, int]:
    try:
        nodes = document.select(address.partition("#")[2]) if document is not None else []
    except AddressInvalid:
        nodes = []
    return document.source.locate(nodes[0].start) if document is not None and nodes else (0, 0)
