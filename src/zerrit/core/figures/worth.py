"""What a use of a draw table brings in money, on average."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from zerrit.core.documents.document import Document, declared_text
from zerrit.core.documents.file_selection import values_at
from zerrit.core.documents.measures import reckoned
from zerrit.core.errors import FigureRefused
from zerrit.core.figures.derived import derive
from zerrit.core.figures.odds import Chance
from zerrit.core.gamebooks import Gamebook

Worth = Mapping[str, tuple[Fraction, Fraction]]  #: of each thing the least and the greatest worth


@dataclass(frozen=True, slots=True)
class TableWorth:
    """The average worth of a use; from `least` to `most` where a thing has several prices. `without` have no worth."""

    least: Fraction
    most: Fraction
    without: tuple[str, ...]


def worth_of_things(
    gamebook: Gamebook, documents: Mapping[str, Document], source: str, amount: Fraction | None = None
) -> Worth:
    """What each thing is worth: by a derived value of this name, or by the numbers at an address, each of the entry around it.

    Raises AddressInvalid, FigureRefused: there is no such value, or no number is at the address.
    """
    found: dict[str, list[Fraction]] = {}
    if "#" not in source:
        rows = derive(gamebook, documents, source)
        if amount is None and rows and all(not row.fault and row.at(None) is None for row in rows):
            raise FigureRefused(f"{source} depends on an amount, such as the stock of a store. Say at which amount.")
        for row in rows:
            value = row.at(amount)
            if value is not None:
                found.setdefault(row.thing, []).append(value)
    else:
        for document, node in values_at(source, documents):
            number = reckoned(declared_text(document, node)) if node.value is not None else None
            entry = node.parent if node.parent is not None and node.parent.parent is not None else node
            thing = document.keys.key_of(entry) or (node.name if entry is node else entry.name)
            if number is not None and not number.is_range:
                found.setdefault(thing, []).append(Fraction(number.high))
            if not document.keys.key_of(entry) and number is not None:
                found.setdefault(node.name.removeprefix("@"), []).append(Fraction(number.high))
    if not found:
        raise FigureRefused(f"No thing has a worth by {source}. It is a derived value, or an address of numbers.")
    return {thing: (min(values), max(values)) for thing, values in found.items()}


def table_worth(chances: Sequence[Chance], worth: Worth) -> TableWorth:
    """What the things of a table are worth together."""
    priced = [(one.expected, worth[one.thing]) for one in chances if one.thing in worth]
    least = sum((expected * low for expected, (low, _) in priced), Fraction())
    most = sum((expected * high for expected, (_, high) in priced), Fraction())
    return TableWorth(least, most, tuple(one.thing for one in chances if one.thing not in worth and one.expected))
