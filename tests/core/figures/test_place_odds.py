"""The odds that a place takes part in, for the thing, for the prize, for the table, and for what has none."""

from __future__ import annotations

from fractions import Fraction

import pytest

from zerrit.core.documents import Document, read_document
from zerrit.core.figures import AllOdds
from zerrit.core.gamebooks import Gamebook, read_gamebook

BOOK = b"""gamebook: 1
game: orchard
files:
  baskets.yml: {}
  fruit.xml: {}
draws:
  - {name: baskets, tables: "baskets.yml#baskets/[*]", takes: 1, prizes: of, weight: share, thing: fruit, table: basket}
"""
BASKETS = b"""baskets:
  - name: Early
    of:
      - {fruit: Pear, share: 3}
      - {basket: Late, share: 1}
  - name: Late
    of:
      - {fruit: Quince, share: 1}
      - {fruit: Pear, share: 1}
  - name: Winter
    of:
      - {fruit: Medlar, share: 2}
"""
FRUIT = b'<fruit><kind name="Pear" price="3"/><kind name="Quince" price="9"/><kind name="Stone" price="0"/></fruit>'


@pytest.fixture(scope="module")
def book() -> Gamebook:
    read, faults = read_gamebook(BOOK, "orchard.yml")
    assert read is not None and not faults
    return read


def world(book: Gamebook, baskets: bytes = BASKETS) -> dict[str, Document]:
    return {"baskets.yml": book.read(baskets, "baskets.yml"), "fruit.xml": book.read(FRUIT, "fruit.xml")}


def at(book: Gamebook, documents: dict[str, Document], path: str, address: str) -> list[tuple[str, str, Fraction]]:
    (node,) = documents[path].select(address)
    return [(o.table, o.thing, o.at_least_one) for o in AllOdds(book, documents).of(documents[path], node)]


@pytest.mark.parametrize(
    ("path", "address", "odds"),
    [
        ("fruit.xml", "kind[Pear]/@price", [("Early", "Pear", Fraction(7, 8))]),
        ("fruit.xml", "kind[Quince]", [("Early", "Quince", Fraction(1, 8))]),
        ("fruit.xml", "kind[Stone]", []),
        ("baskets.yml", "baskets/[Early]/of/[#1]/share", [("Early", "Pear", Fraction(7, 8))]),
        ("baskets.yml", "baskets/[Late]", [("Late", "Quince", Fraction(1, 2)), ("Late", "Pear", Fraction(1, 2))]),
        ("baskets.yml", "baskets/[Winter]/of/[#1]/share", [("Winter", "Medlar", Fraction(1))]),
    ],
)
def test_a_place_has_the_odds_of_what_it_stands_for(
    book: Gamebook, path: str, address: str, odds: list[tuple[str, str, Fraction]]
) -> None:
    assert sorted(at(book, world(book), path, address)) == sorted(odds)


def test_a_prize_that_leads_to_a_table_has_the_odds_of_that_table(book: Gamebook) -> None:
    documents = world(book)
    (table, *_) = documents["baskets.yml"].select("baskets/[Early]/of")
    found = AllOdds(book, documents).of(documents["baskets.yml"], table.children[1].children[0])
    assert {(one.table, one.at_least_one) for one in found} == {("Late", Fraction(1, 2))}


def test_of_tables_that_cannot_be_read_nothing_is_said(book: Gamebook) -> None:
    no_number = world(book, BASKETS.replace(b"share: 2", b"share: much"))
    assert at(book, no_number, "fruit.xml", "kind[Quince]") == []
    no_table = world(book, BASKETS.replace(b"basket: Late", b"basket: Gone"))
    assert at(book, no_table, "fruit.xml", "kind[Pear]") == [("Late", "Pear", Fraction(1, 2))]


def test_a_file_that_the_gamebook_does_not_know_has_no_odds(book: Gamebook) -> None:
    documents = world(book)
    other = read_document(b"<fruit><kind name='Plum'/></fruit>", "other.xml")
    (node,) = other.select("kind")
    assert AllOdds(book, documents).of(other, node) == ()
