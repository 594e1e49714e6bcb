"""Values out of several files, and trades that gain in a circle."""

from __future__ import annotations

import random
from collections.abc import Sequence
from fractions import Fraction
from itertools import product

import pytest

from zerrit.core.checks import check
from zerrit.core.documents import Document, read_document
from zerrit.core.errors import FigureRefused
from zerrit.core.expressions import ExpressionInvalid
from zerrit.core.expressions.exact import parse_exact
from zerrit.core.figures import Trade, derive, find_loops, loop_in_words, read_trades, table_worth, worth_of_things
from zerrit.core.figures.money_loops import fix_in_words
from zerrit.core.figures.odds import Chance
from zerrit.core.gamebooks import Gamebook, read_gamebook

SHOP = """\
shops:
  - {town: Aft, mood: glad, goods: {wood: {price: 3}, nail: {price: 0.5}, chair: {price: ask}, carp: {price: ask}}}
  - {town: Bow, mood: sour, goods: {wood: {price: 4}, chair: {price: ask}, "big, old carp": {price: 9}}}
guild:
  chair: {base: 12, group: home}
  carp: {base: ask, group: fish}
groups: {home: 10, fish: 6}
moods: {glad: 90, sour: 120}
recipes:
  chair: {in: [{t: wood, n: 2}, {t: nail, n: 4}], fee: 1}
"""
BOOK = """\
gamebook: 1
game: harbour
derived:
  - name: cost
    each: "shop.yml#shops/*/goods/*"
    value: price
    sentinel: ask
    fallback: ["shop.yml#guild/{:name}/base", "shop.yml#groups/{there.group}"]
    at: town
    inputs: {mood: ["shop.yml#moods/{mood}", 100]}
    result: value * mood / 100 * (1 - amount / 100)
loops:
  - name: market
    trades:
      - {name: buy, each: "shop.yml#shops/*/goods/*", gives: [{price: cost, stock: 0}], gets: [{thing: ":name"}]}
      - {name: sell, each: "shop.yml#shops/*/goods/*", gives: [{thing: ":name"}], gets: [{price: cost, stock: 40}]}
      - name: make
        each: shop.yml#recipes/*
        gives: [{list: "in/*", thing: t, count: n}, {money: [fee, 0]}]
        gets: [{thing: ":name"}]
"""


def book(text: str = BOOK) -> Gamebook:
    found, faults = read_gamebook(text.encode())
    assert found is not None, faults
    return found


def files(text: str = SHOP) -> dict[str, Document]:
    return {"shop.yml": read_document(text.encode(), "shop.yml")}


# --- derived values ---------------------------------------------------------------------------------------------------


def test_a_value_is_followed_from_file_to_file_and_made_with_numbers_of_others() -> None:
    rows = {(row.place, row.thing): row for row in derive(book(), files(), "cost")}
    assert rows["Aft", "wood"].at(Fraction(0)) == Fraction(27, 10)
    assert rows["Aft", "wood"].at(Fraction(50)) == Fraction(27, 20)
    assert rows["Aft", "wood"].at(None) is None
    chair, carp = rows["Aft", "chair"], rows["Aft", "carp"]
    assert (chair.source, chair.at(Fraction(0))) == ("shop.yml#guild/chair/base", Fraction(54, 5))
    assert (carp.source, carp.at(Fraction(0))) == ("shop.yml#groups/fish", Fraction(27, 5))
    assert carp.inputs == {"mood": (Fraction(90), "shop.yml#moods/glad")}
    assert rows["Bow", "big, old carp"].at(Fraction(0)) == Fraction(54, 5)


def test_where_the_chain_ends_is_told() -> None:
    lost = files(SHOP.replace("group: fish", "group: game"))
    (row,) = (row for row in derive(book(), lost, "cost") if row.thing == "carp")
    assert row.fault == "shop.yml#groups/game does not lead to one value"
    (finding,) = (one for one in check(lost, book()) if one.code == "meaning.sentinel")
    assert "sends the game to shop.yml#groups/game, but nothing is there" in finding.message
    words = files(SHOP.replace("glad: 90", "glad: high"))
    faults = {row.fault for row in derive(book(), words, "cost") if row.place == "Aft"}
    assert faults == {"mood: `high` at shop.yml#moods/glad is not a number"}


def test_thresholds_and_percents_come_from_other_files() -> None:
    text = "goods: {tea: {price: 10, kind: dry}}\nkinds: {dry: {few: 5, many: 25}}\nrates: {few: 150, many: 50}\n"
    rule = (
        "gamebook: 1\ngame: g\nderived: [{name: p, each: 'a.yml#goods/*', value: price, between: {low: 'a.yml#kinds/{kind}/few', "
        "high: ['a.yml#kinds/{kind}/most', 'a.yml#kinds/{kind}/many'], at_low: 'a.yml#rates/few', at_high: 'a.yml#rates/many', "
        "percent: true}}]"
    )
    (row,) = derive(book(rule), {"a.yml": read_document(text.encode(), "a.yml")}, "p")
    assert (row.low, row.high) == ((5, 15), (25, 5))
    assert [row.at(Fraction(stock)) for stock in (0, 5, 15, 99)] == [15, 15, 10, 5]


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("result: value * tax", "`result` uses tax, which is not one of value, amount"),
        ("result: value >", "is not an expression"),
        ("inputs: {tax: 5}", "`inputs` are for `result`"),
        ("sentinel: ask, fallback: 'a.yml#b/{there.c}'", "there is no {there.…}"),
    ],
)
def test_a_derived_value_that_contradicts_itself_is_a_fault(rule: str, said: str) -> None:
    text = f"gamebook: 1\ngame: g\nderived: [{{name: p, each: 'a.yml#goods/*', value: price, {rule}}}]"
    found, faults = read_gamebook(text.encode())
    assert found is None
    assert said in faults[0].message


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("a / 3 * 3", 7),
        ("round(a / 2)", 4),
        ("floor(a / 2)", 3),
        ("clamp(a, 1, 5)", 5),
        ("max(a, -a) % 4", 3),
        ("-a + 0.1 * 3", Fraction(-67, 10)),
    ],
)
def test_expressions_over_numbers_are_exact(text: str, value: Fraction) -> None:
    assert parse_exact(text).value({"a": Fraction(7)}) == value


@pytest.mark.parametrize(
    "text", ["a.b", "a if a else b", "f(a)", "'x'", "a and b", "clamp(a)", "a > b", "[a]", "(" * 300, "a" * 600, "True"]
)
def test_other_expressions_are_refused(text: str) -> None:
    with pytest.raises(ExpressionInvalid):
        parse_exact(text)
    with pytest.raises(ExpressionInvalid, match="divides by zero"):
        parse_exact("a / (a - a)").value({"a": Fraction(7)})


def test_what_a_table_is_worth() -> None:
    worth = worth_of_things(book(), files(), "cost", Fraction(0))
    assert worth["wood"] == (Fraction(27, 10), Fraction(24, 5))
    found = table_worth([Chance("wood", Fraction(1), Fraction(2)), Chance("gem", Fraction(1), Fraction(1))], worth)
    assert (found.least, found.most, found.without) == (Fraction(27, 5), Fraction(48, 5), ("gem",))
    with pytest.raises(FigureRefused, match="depends on an amount"):
        worth_of_things(book(), files(), "cost")
    assert worth_of_things(book(), files(), "shop.yml#shops/[Aft]/goods/*/price")["nail"] == (
        Fraction(1, 2),
        Fraction(1, 2),
    )


# --- loops ------------------------------------------------------------------------------------------------------------


def test_the_loops_of_a_market_with_their_smallest_fixes() -> None:
    gamebook = book()
    trades = read_trades(gamebook, files(), gamebook.rules.loops[0])
    found = find_loops(trades.trades)
    assert [loop_in_words(loop) for loop in found.loops] == [
        "4 × buy nail, 2 × buy wood, make chair, sell chair: a round gains 0.44 money",
        "buy wood, sell wood: a round gains 0.18 money",
    ]
    fix = found.loops[1].fix
    assert fix is not None
    assert fix_in_words(fix) == (
        "Lower what sell brings at shop.yml#shops/[Bow]/goods/wood from 2.88 to 2.7, and nothing is gained. "
        "It is worked out from shop.yml#shops/[Bow]/goods/wood/price."
    )
    assert found.bound == 0
    findings = [one for one in check(files(), gamebook) if one.code == "meaning.loop"]
    assert {one.message for one in findings} == {f"{loop_in_words(loop)}." for loop in found.loops}
    assert [one.line for one in findings] == [3, 3]
    mended = files(SHOP.replace("sour: 120", "sour: 100"))
    assert [one for one in check(mended, gamebook) if one.code == "meaning.loop"] == []


def test_entries_without_a_trade_are_told() -> None:
    text = SHOP.replace("n: 4", "n: four")
    gamebook = book()
    found = read_trades(gamebook, files(text), gamebook.rules.loops[0])
    assert (
        found.left_out == ("shop.yml#recipes/chair/in/[nail]/n (line 9): `four` is not a number",)
        or "`four`" in found.left_out[0]
    )


def trade(name: str, gives: dict[str, int], gets: dict[str, int], pays: int = 0, earns: int = 0) -> Trade:
    def exact(side: dict[str, int]) -> dict[str, Fraction]:
        return {thing: Fraction(many) for thing, many in side.items()}

    return Trade(name, name, exact(gives), exact(gets), Fraction(pays), Fraction(earns), name)


def gains(trades: Sequence[Trade], most: int = 4) -> bool:
    """Whether some numbers of trades gain: all of them tried."""
    for times in product(range(most), repeat=len(trades)):
        left: dict[str, Fraction] = {}
        money = Fraction()
        for one, many in zip(trades, times, strict=True):
            money += (one.earns - one.pays) * many
            for sign, side in ((1, one.gets), (-1, one.gives)):
                for thing, number in side.items():
                    left[thing] = left.get(thing, Fraction()) + sign * number * many
        if money > 0 and all(number >= 0 for number in left.values()):
            return True
    return False


def test_loops_are_found_where_trying_all_small_numbers_of_trades_finds_one() -> None:
    chance = random.Random(7)
    with_loops = 0
    for _ in range(400):
        trades = []
        for number in range(chance.randint(1, 5)):
            kind = chance.choice("bsrr")
            if kind == "b":
                trades.append(trade(f"t{number}", {}, {chance.choice("abc"): 1}, pays=chance.randint(1, 9)))
            elif kind == "s":
                trades.append(trade(f"t{number}", {chance.choice("abc"): 1}, {}, earns=chance.randint(1, 9)))
            else:
                gives = {thing: chance.randint(1, 2) for thing in chance.sample("abc", chance.randint(1, 2))}
                gets = {thing: chance.randint(1, 3) for thing in chance.sample("abc", chance.randint(1, 2))}
                trades.append(trade(f"t{number}", gives, gets, pays=chance.choice([0, 0, 1])))
        found = find_loops(trades)
        money = [loop for loop in found.loops if loop.gain > 0]
        is_gaining = gains(trades)
        with_loops += is_gaining
        assert bool(money) or not is_gaining
        for loop in money:  # each that is told gains, in exact numbers
            left: dict[str, Fraction] = {}
            for step in loop.steps:
                for sign, side in ((1, step.trade.gets), (-1, step.trade.gives)):
                    for thing, number in side.items():
                        left[thing] = left.get(thing, Fraction()) + sign * number * step.times
            assert all(number >= 0 for number in left.values())
        if not money:
            assert found.bound == 0
    assert with_loops > 50


def test_things_out_of_nothing_are_a_loop_and_gifts_are_not() -> None:
    found = find_loops([trade("double", {"gem": 1}, {"gem": 2}), trade("find", {}, {"shell": 1})])
    (loop,) = found.loops
    assert (loop.gain, loop.things, loop.fix) == (0, {"gem": 1}, None)
    assert [one.name for one in found.gifts] == ["find"]


def test_a_loop_that_gains_nothing_is_none() -> None:
    even = find_loops([trade("buy", {}, {"a": 1}, pays=5), trade("sell", {"a": 1}, {}, earns=5)])
    assert (even.loops, even.bound) == ((), 0)


@pytest.mark.parametrize(
    ("amount", "said"),
    [
        ("{thing: a, money: 4}", "this says thing and money"),
        ("{count: 2}", "this says nothing"),
        ("{price: cst}", "`cst` is not one of the derived values"),
        ("{thing: a, stock: 3}", "`stock` goes together with `price`"),
        ("{table: '=b'}", "can be got, not given"),
    ],
)
def test_trades_that_contradict_themselves_are_faults(amount: str, said: str) -> None:
    text = f"gamebook: 1\ngame: g\nloops: [{{name: l, trades: [{{name: t, each: a.yml#b, gives: [{amount}], gets: [{{money: 1}}]}}]}}]"
    found, faults = read_gamebook(text.encode())
    assert found is None
    assert said in faults[0].message
