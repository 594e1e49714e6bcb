"""Figures: exact, held to enumeration on small cases and to simulation with seeds on large ones."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Iterator
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core import Document, read_document
from zerrit.core.errors import FigureRefused
from zerrit.core.figures import (
    Measured,
    Prize,
    Range,
    Table,
    between,
    derive,
    distance,
    distances_at,
    free_numbers,
    odds,
    odds_by_table,
    tally,
)
from zerrit.core.gamebooks import read_gamebook
from zerrit.demo.world_files import default_files, gamebook, server_files

Haul = tuple[str, ...]
Tables = dict[str, Table]


# --- odds --------------------------------------------------------------------------------------------------------------


def outcomes(tables: Tables, name: str) -> Iterator[tuple[Fraction, Haul]]:
    """Every way in which a table can be drawn, with its probability: the plainest reading of what a table says."""
    table = tables[name]
    numbers = list(table.draws.all())
    for draws in numbers:
        yield from ((p / len(numbers), haul) for p, haul in sequences(tables, table, draws, frozenset()))


def sequences(tables: Tables, table: Table, draws: int, gone: frozenset[int]) -> Iterator[tuple[Fraction, Haul]]:
    left = [n for n, prize in enumerate(table.prizes) if prize.weight > 0 and n not in gone]
    if draws == 0 or not left:
        yield Fraction(1), ()
        return
    total = sum(table.prizes[n].weight for n in left)
    for n in left:
        share = table.prizes[n].weight / total
        after = gone if table.repeats else gone | {n}
        for p, brought in of_prize(tables, table.prizes[n]):
            for q, rest in sequences(tables, table, draws - 1, after):
                yield share * p * q, brought + rest


def of_prize(tables: Tables, prize: Prize) -> Iterator[tuple[Fraction, Haul]]:
    numbers = list(prize.count.all())
    for number in numbers:
        if prize.table:
            for p, brought in times(tables, prize.table, number):
                yield p / len(numbers), brought
        else:
            yield (1 - prize.variant_chance) / len(numbers), (prize.thing,) * number
            yield prize.variant_chance / len(numbers), (prize.variant,) * number


def times(tables: Tables, name: str, uses: int) -> Iterator[tuple[Fraction, Haul]]:
    if uses == 0:
        yield Fraction(1), ()
        return
    for p, first in outcomes(tables, name):
        for q, rest in times(tables, name, uses - 1):
            yield p * q, first + rest


def enumerated(tables: Tables, name: str) -> dict[str, tuple[Fraction, Fraction]]:
    found: dict[str, tuple[Fraction, Fraction]] = {}
    for p, haul in outcomes(tables, name):
        for thing, number in Counter(haul).items():
            chance, expected = found.get(thing, (Fraction(), Fraction()))
            found[thing] = (chance + p, expected + p * number)
    return {thing: pair for thing, pair in found.items() if pair[0]}


RANGES = st.sampled_from([Range(), Range(0, 1), Range(1, 2)])
DRAWS = st.sampled_from([Range(), Range(0, 2), Range(2, 2)])
WEIGHTS = st.integers(0, 4).map(Fraction)
SHARES = st.sampled_from([Fraction(), Fraction(1, 4), Fraction(1, 2), Fraction(1)])
THINGS = st.builds(
    Prize,
    weight=WEIGHTS,
    thing=st.sampled_from("abc"),
    count=RANGES,
    variant=st.sampled_from("cd"),
    variant_chance=SHARES,
)


@st.composite
def small_tables(draw: st.DrawFn) -> Tables:
    prizes = tuple(draw(st.lists(THINGS, min_size=1, max_size=2)))
    inner = Table("inner", draw(DRAWS), (*prizes, Prize(Fraction(1), "z")), draw(st.booleans()))
    outer = draw(st.lists(THINGS, max_size=1))
    leading = Prize(
        draw(st.integers(1, 3).map(Fraction)), table="inner", count=draw(st.sampled_from([Range(), Range(0, 1)]))
    )
    return {"inner": inner, "outer": Table("outer", draw(DRAWS), (*outer, leading), draw(st.booleans()))}


@settings(max_examples=80, deadline=None)
@given(small_tables())
def test_odds_are_what_enumerating_every_haul_gives(tables: Tables) -> None:
    found = {c.thing: (c.at_least_one, c.expected) for c in odds(tables, "outer") if c.at_least_one}
    assert found == enumerated(tables, "outer")


def simulated(tables: Tables, name: str, chance: random.Random) -> Counter[str]:
    table = tables[name]
    haul: Counter[str] = Counter()
    left = [prize for prize in table.prizes if prize.weight > 0]
    for _ in range(chance.randint(table.draws.least, table.draws.most)):
        if not left:
            break
        (prize,) = chance.choices(left, [float(one.weight) for one in left])
        if not table.repeats:
            left.remove(prize)
        count = chance.randint(prize.count.least, prize.count.most)
        if prize.table:
            for _ in range(count):
                haul += simulated(tables, prize.table, chance)
        else:
            is_variant = chance.random() < prize.variant_chance
            haul[prize.variant if is_variant else prize.thing] += count
    return haul


@pytest.mark.parametrize("seed", range(3))
def test_odds_of_large_tables_are_what_simulation_gives(seed: int) -> None:
    chance = random.Random(seed)
    sets = {
        f"set {n}": Table(
            f"set {n}",
            Range(1, chance.randint(1, 4)),
            tuple(
                Prize(
                    Fraction(chance.randint(1, 5)),
                    thing=f"thing {chance.randrange(40)}",
                    count=Range(1, chance.randint(1, 3)),
                    variant="odd one",
                    variant_chance=Fraction(chance.randint(0, 3), 20),
                )
                for _ in range(10)
            ),
            repeats=chance.random() < 0.5,
        )
        for n in range(8)
    }
    leading = tuple(Prize(Fraction(chance.randint(1, 9)), table=name) for name in sets)
    tables: Tables = {**sets, "haul": Table("haul", Range(2, 4), leading, repeats=bool(seed % 2))}
    hauls = 8_000
    seen: Counter[str] = Counter()
    pieces: Counter[str] = Counter()
    for _ in range(hauls):
        haul = simulated(tables, "haul", chance)
        seen.update(thing for thing, number in haul.items() if number)
        pieces += haul
    for one in odds(tables, "haul"):
        p = float(one.at_least_one)
        # Five standard deviations of a share out of so many hauls.
        assert abs(seen[one.thing] / hauls - p) < 5 * (p * (1 - p) / hauls) ** 0.5 + 1e-4, one.thing
        assert abs(pieces[one.thing] / hauls - float(one.expected)) < 0.05 * float(one.expected) + 0.02, one.thing


def test_a_variant_eats_into_the_thing_itself() -> None:
    def gimbal(chance: Fraction) -> dict[str, Fraction]:
        prize = Prize(Fraction(1), "Copper Gimbal", variant="Tarnished Gimbal", variant_chance=chance)
        table = Table("box", Range(), (prize, Prize(Fraction(1), "Rope")))
        return {one.thing: one.at_least_one for one in odds({"box": table}, "box")}

    assert gimbal(Fraction(0))["Copper Gimbal"] == Fraction(1, 2)
    assert gimbal(Fraction(1, 2)) == {
        "Rope": Fraction(1, 2),
        "Copper Gimbal": Fraction(1, 4),
        "Tarnished Gimbal": Fraction(1, 4),
    }


@pytest.mark.parametrize(
    ("tables", "reason"),
    [
        ([Table("a", Range(), (Prize(Fraction(1), table="b"),))], "no table b, which a names"),
        ([Table("a", Range(), (Prize(Fraction(1), table="a"),))], "leads back to itself: a > a"),
        ([Table("a", Range(), (Prize(Fraction(0), "x"),))], "no prize has a weight above 0"),
        ([Table("a", Range(), (Prize(Fraction(-1), "x"),))], "weight of x is below 0"),
        ([Table("a", Range(3, 1), (Prize(Fraction(1), "x"),))], "3 to 1 draws is not a range"),
        ([Table("a", Range(), (Prize(Fraction(1), "x", variant="y", variant_chance=Fraction(2)),))], "chance of y"),
        ([Table("a", Range(9, 9), tuple(Prize(Fraction(n), f"t{n}") for n in range(1, 30)), False)], "too much to work out"),
    ],
)  # fmt: skip
def test_tables_that_cannot_be_worked_out_are_refused(tables: list[Table], reason: str) -> None:
    with pytest.raises(FigureRefused, match=reason):
        odds({table.name: table for table in tables}, "a")


# --- what is in the demo world -----------------------------------------------------------------------------------


def world(files: dict[str, bytes]) -> dict[str, Document]:
    book, _ = read_gamebook(gamebook())
    assert book is not None
    return {path: book.read(data, path) for path, data in files.items() if not path.startswith("mods/")}


def test_the_odds_of_the_dredge_come_out_of_its_files() -> None:
    book, _ = read_gamebook(gamebook())
    assert book is not None
    found = odds_by_table(book, world(default_files()))
    assert list(found) == ["Harbour Sweep", "Deep Sweep"]
    amber = next(one for one in found["Harbour Sweep"] if one.thing == "Red Amber Cameo")
    drops = next(one for one in found["Harbour Sweep"] if one.thing == "Clear Amber Drop")
    assert amber.at_least_one * 9 == drops.at_least_one  # shares 1 and 9 in a net of one draw
    assert drops.expected == drops.at_least_one * Fraction(7, 2)
    with pytest.raises(FigureRefused, match="There is no table Harbor Sweep"):
        odds_by_table(book, world(default_files()), "Harbor Sweep")


def test_a_draw_table_with_a_slip_is_told_with_its_place() -> None:
    book, _ = read_gamebook(gamebook())
    assert book is not None
    files = default_files()
    files["dredge/hauls.yml"] = files["dredge/hauls.yml"].replace(b"share: 9,", b"share: nine,")
    with pytest.raises(FigureRefused, match=r"dredge/hauls.yml#nets/\[Orchard Wash\].* share is `nine`, which is no"):
        odds_by_table(book, world(files))


def test_a_price_that_is_not_there_is_looked_up_and_moves_with_the_stock() -> None:
    book, _ = read_gamebook(gamebook())
    assert book is not None
    documents = world(default_files())
    rows = {row.address.rpartition("#")[2]: row for row in derive(book, documents, "night price")}
    plate = rows["board/[Radish Plate]"]
    (house,) = documents["galley/house.json"].select('prices/"Radish Plate"')
    assert (plate.value, plate.source) == (Fraction(house.value or ""), 'galley/house.json#prices/"Radish Plate"')
    assert plate.low is not None
    assert plate.high is not None
    assert (plate.low[0], plate.high[0]) == (40, 160), "the ends of its range of portions"
    assert plate.at(plate.low[0]) == plate.value * Fraction(3, 2)
    assert plate.at(plate.high[0] + 99) == plate.value * Fraction(3, 4)
    assert plate.at((plate.low[0] + plate.high[0]) / 2) == plate.value * Fraction(9, 8)
    porridge = rows["board/[Kelp Porridge]"]
    assert (porridge.value, porridge.source) == (12, 'galley/purser.json#prices/"Kelp Porridge"'), "the house sends on"
    files = default_files()
    files["galley/purser.json"] = files["galley/purser.json"].replace(b'"Kelp Porridge"', b'"Kelp Poridge"')
    (broken,) = (row for row in derive(book, world(files), "night price") if row.fault)
    assert broken.fault == 'galley/purser.json#prices/"Kelp Porridge" does not lead to one value'
    files["galley/purser.json"] = files["galley/purser.json"].replace(
        b'"Kelp Poridge": 12', b'"Kelp Porridge": "ask the purser"'
    )
    (broken,) = (row for row in derive(book, world(files), "night price") if row.fault)
    assert broken.fault == "`ask the purser` is not a number"


def test_a_balance_is_summed_by_group_before_and_after() -> None:
    before, after = world(default_files()), world(server_files("coral-gate"))
    found = tally(before, after, "sea/finds.xml#shelf/find/@holds", ["family"])
    rows = {row.group: row for row in found.rows}
    assert rows["float"].delta == 18  # three sizes of cork float, six more each at the upper end
    assert {row.delta for group, row in rows.items() if group != "float"} == {0}
    assert found.total.delta == 18
    assert found.total.count_before == found.total.count_after == 399


def test_sums_are_exact_where_binary_numbers_are_not() -> None:
    documents = {"a.ini": read_document(b"[A]\nx=0.1\ny=0.2\nz=-0.3\nw=word\n", "a.ini")}
    found = tally(documents, documents, "a.ini#A/*")
    assert (found.total.sum_after, found.skipped) == (Decimal("0.0"), ("a.ini#A/w",))


@pytest.mark.parametrize(
    ("address", "by", "reason"),
    [
        ("a.ini#A/q", "", "Nothing is at"),
        ("a.ini#A/w", "", r"No number is at a.ini#A/w \(1 value\)"),
        ("a.ini#A/x", "kind", "has a field `kind` to group by"),
    ],
)
def test_a_balance_of_nothing_is_refused(address: str, by: str, reason: str) -> None:
    documents = {"a.ini": read_document(b"[A]\nx=1\nw=word\n", "a.ini")}
    with pytest.raises(FigureRefused, match=reason):
        tally(documents, documents, address, [by] if by else [])


@pytest.mark.parametrize(
    ("values", "families"),
    [
        (["CG-01", "CG-02", "CG-04"], [("CG-00", "CG-05", "CG-03")]),
        (["7", "9", "12"], [("0", "13", "8")]),
        (["B-9", "B-10"], [("B-0", "B-11", "")]),
        (["dock 3a", "dock 4a", "pier"], [("dock 0a", "dock 5a", "")]),
    ],
)
def test_the_next_free_number_of_a_family(values: list[str], families: list[tuple[str, str, str]]) -> None:
    text = "".join(f'<b code="{value}"/>' for value in values)
    documents = {"a.xml": read_document(f"<a>{text}</a>".encode(), "a.xml")}
    found = free_numbers(documents, ["a.xml#b/@code"])
    assert [(one.family, one.following, one.gap) for one in found] == families


def test_ids_of_several_files_are_one_set() -> None:
    found = free_numbers(
        {"a.ini": read_document(b"x=K-1\n", "a.ini"), "b.ini": read_document(b"y=K-2\n", "b.ini")},
        ["a.ini#x", "b.ini#y"],
    )
    assert [(one.taken, one.following) for one in found] == [(2, "K-3")]
    with pytest.raises(FigureRefused, match="Nothing is there"):
        free_numbers({}, ["a.ini#x"])


def test_distances_are_exact_where_it_matters() -> None:
    documents = world(default_files())
    rows = distances_at(documents, "sea/chart.xml#ground", Measured(["x", "z"], [Decimal(0)] * 2, radius=Decimal(500)))
    assert [row.address.rpartition("#")[2] for row in rows if row.is_inside] == [
        "ground[Coral Gate]",
        "ground[Old Orchard]",
        "ground[Needle Arch]",
    ]
    assert distance([Decimal(0), Decimal(0), Decimal(0)], [Decimal(2), Decimal(3), Decimal(6)]) == 7
    edge = {"a.ini": read_document(b"[P]\nx=0.3\nz=0.4\n", "a.ini")}
    (row,) = distances_at(edge, "a.ini#P", Measured(["x", "z"], [Decimal(0)] * 2, radius=Decimal("0.5")))
    assert row.is_inside
    (row,) = distances_at(edge, "a.ini#P", Measured(["x", "y"], [Decimal(0)] * 2))
    assert row.fault == "it has no y"
    with pytest.raises(FigureRefused, match="3 numbers, but there should be one for each of 2 axes: x, y"):
        distances_at(edge, "a.ini#P", Measured(["x", "y"], [Decimal(0)] * 3))


@given(st.fractions(0, 9), st.fractions(0, 9), st.fractions(0, 9), st.fractions(0, 9), st.fractions(0, 9))
def test_a_value_between_thresholds_stays_between_them(
    x: Fraction, x0: Fraction, y0: Fraction, x1: Fraction, y1: Fraction
) -> None:
    found = between(x, x0, y0, x1, y1)
    assert min(y0, y1) <= found <= max(y0, y1)
    if x0 != x1:
        assert between(x0, x0, y0, x1, y1) == y0
        assert between(x1, x0, y0, x1, y1) == y1
