"""What was seen in draws, how many draws tell two settings apart, and which weight gives a chance."""

from __future__ import annotations

import math
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core.errors import FigureRefused
from zerrit.core.figures import (
    Prize,
    Range,
    Table,
    draws_to_tell_apart,
    odds,
    once_in,
    pieces,
    seen_in_draws,
    seen_in_pieces,
    seen_in_words,
    weight_for,
)
from zerrit.core.figures.odds import with_number

TENTH = Fraction(1, 10)


def binomial(chance: Fraction, draws: int, number: int) -> Fraction:
    return math.comb(draws, number) * chance**number * (1 - chance) ** (draws - number)


@settings(max_examples=60, deadline=None)
@given(st.fractions(0, 1, max_denominator=40), st.integers(1, 40), st.data())
def test_what_is_seen_in_draws_is_the_tail_of_the_binomial(chance: Fraction, draws: int, data: st.DataObject) -> None:
    count = data.draw(st.integers(0, draws))
    found = seen_in_draws("x", chance, count, draws)
    if count >= chance * draws:
        exact = sum((binomial(chance, draws, n) for n in range(count, draws + 1)), Fraction())
    else:
        exact = sum((binomial(chance, draws, n) for n in range(count + 1)), Fraction())
    assert abs(Fraction(found.chance) - exact) <= exact / 10**50


def test_pieces_are_what_two_ways_of_counting_them_give() -> None:
    once = [Fraction(1, 2), Fraction(1, 4), Fraction(1, 4)]
    exact = [Fraction(0)] * 7
    for a in range(3):
        for b in range(3):
            for c in range(3):
                exact[a + b + c] += once[a] * once[b] * once[c]
    found = seen_in_pieces("x", once, 5, 3)
    assert Fraction(found.chance) == exact[5] + exact[6]
    assert (found.expected, found.is_more) == (Fraction(9, 4), True)
    assert Fraction(seen_in_pieces("x", once, 1, 3).chance) == exact[0] + exact[1]


def test_it_is_said_in_words() -> None:
    assert seen_in_words(seen_in_draws("plans", TENTH, 10, 10)) == (
        "plans in 10 of 10 draws: with the files as they are that, or more, happens once in 10 billion times "
        "(on average 1). Most likely the setting is not in effect, or it means something else."
    )
    assert "Nothing speaks against the setting." in seen_in_words(seen_in_draws("plans", TENTH, 0, 20))
    assert "cannot happen" in seen_in_words(seen_in_draws("plans", Fraction(0), 1, 20))
    assert "That is rare, but happens" in seen_in_words(seen_in_draws("plans", TENTH, 4, 12))
    assert once_in(seen_in_draws("x", TENTH, 1, 1).chance) == "once in 10"
    assert once_in(seen_in_draws("x", TENTH, 3, 30).chance) == "in 59 of 100"


@pytest.mark.parametrize(
    ("count", "draws", "said"),
    [(11, 10, "cannot come in 11"), (1, 0, "not between 1"), (-1, 5, "not a number of times")],
)
def test_what_cannot_have_been_seen_is_refused(count: int, draws: int, said: str) -> None:
    with pytest.raises(FigureRefused, match=said):
        seen_in_draws("x", TENTH, count, draws)


@pytest.mark.parametrize(
    ("one", "other"),
    [
        (TENTH, Fraction(1, 20)),
        (Fraction(1, 2), Fraction(3, 5)),
        (Fraction(0), Fraction(1)),
        (Fraction(1, 200), Fraction(1, 100)),
    ],
)
def test_so_many_draws_do_tell_two_chances_apart(one: Fraction, other: Fraction) -> None:
    found = draws_to_tell_apart(one, other)
    low, high = min(one, other), max(one, other)
    wrong = sum((binomial(low, found.draws, n) for n in range(found.least, found.draws + 1)), Fraction())
    missed = sum((binomial(high, found.draws, n) for n in range(found.least)), Fraction())
    assert wrong <= Fraction(1, 20)
    assert missed <= Fraction(1, 20)


def test_the_same_chance_cannot_be_told_apart() -> None:
    with pytest.raises(FigureRefused, match="no number of draws tells them apart"):
        draws_to_tell_apart(TENTH, TENTH)


# --- the other way round ----------------------------------------------------------------------------------------------


def crate(*, repeats: bool = True) -> dict[str, Table]:
    prizes = (
        Prize(Fraction(3), "rope", address="rope", weight_at="rope/w"),
        Prize(Fraction(5), "sail", address="sail", weight_at="sail/w"),
        Prize(Fraction(2), table="small", address="small", weight_at="small/w"),
    )
    small = Table(
        "small", Range(), (Prize(Fraction(1), "gem", address="gem", weight_at="gem/w"), Prize(Fraction(3), "sand"))
    )
    return {"crate": Table("crate", Range(1, 2), prizes, repeats), "small": small}


@pytest.mark.parametrize("repeats", [True, False])
@pytest.mark.parametrize(
    ("thing", "wanted"), [("rope", Fraction(1, 2)), ("gem", Fraction(1, 5)), ("sail", Fraction(1, 20))]
)
def test_the_weight_for_a_chance_gives_that_chance(thing: str, wanted: Fraction, repeats: bool) -> None:
    found = weight_for(crate(repeats=repeats), "crate", thing, wanted)
    assert found.below.result <= wanted <= found.above.result
    assert float(found.above.result - found.below.result) < 1e-4
    prize = next(p for t in crate(repeats=repeats).values() for p in t.prizes if p.thing == thing)
    tables = crate(repeats=repeats)
    own = next(p for t in tables.values() for p in t.prizes if p.thing == prize.thing)
    changed = with_number(tables, own, weight=Fraction(found.below.number))
    result = next(one.at_least_one for one in odds(changed, "crate") if one.thing == thing)
    assert result == found.below.result


def test_whole_weights_averages_and_exact_answers() -> None:
    whole = weight_for(crate(), "crate", "rope", Fraction(1, 2), whole=True)
    assert (whole.below.number, whole.above.number, whole.address) == (4, 5, "rope/w")
    one = {"t": Table("t", Range(), (Prize(Fraction(1), "a", weight_at="w", address="w"), Prize(Fraction(3), "b")))}
    exact = weight_for(one, "t", "a", Fraction(1, 2))
    assert exact.below == exact.above
    assert (exact.below.number, exact.below.result) == (3, Fraction(1, 2))
    average = weight_for(crate(), "crate", "sail", Fraction(1), aim="average")
    assert average.below.result <= 1 <= average.above.result


def test_a_chance_of_its_own_is_what_is_changed_where_all_come() -> None:
    prize = Prize(Fraction(1), "a", chance=Fraction(1, 4), chance_at="c", address="c")
    tables = {"t": Table("t", Range(), (prize, Prize(Fraction(1), "b")), takes_all=True)}
    found = weight_for(tables, "t", "a", TENTH)
    assert (found.what, found.address) == ("chance", "c")
    assert found.below.result == TENTH


@pytest.mark.parametrize(
    ("thing", "wanted", "place", "said"),
    [
        ("plum", TENTH, "", "Nothing in crate brings plum"),
        ("gem", Fraction(99, 100), "", r"it can be from almost 0 % to [0-9.]+ %\."),
        ("gem", TENTH, "elsewhere", "No prize at elsewhere brings gem"),
    ],
)
def test_what_no_weight_gives_is_refused(thing: str, wanted: Fraction, place: str, said: str) -> None:
    with pytest.raises(FigureRefused, match=said):
        weight_for(crate(), "crate", thing, wanted, place=place)


def test_of_several_prizes_one_has_to_be_named() -> None:
    prizes = tuple(
        Prize(Fraction(1), name, address=f"{name}{n}", weight_at=f"{name}{n}/w") for n, name in enumerate("aab")
    )
    tables = {"t": Table("t", Range(), prizes)}
    with pytest.raises(FigureRefused, match="2 prizes bring a: a0, a1"):
        weight_for(tables, "t", "a", Fraction(1, 2))
    assert weight_for(tables, "t", "a", Fraction(3, 4), place="a1").below.number == 2


def test_pieces_of_a_thing_that_no_table_brings_are_refused() -> None:
    with pytest.raises(FigureRefused, match="No table brings plum"):
        pieces(crate(), "crate", "plum")
    uneven = {"t": Table("t", Range(), (Prize(Fraction(1), "oil", count=Range(Fraction(1, 2), Fraction(3, 2))),))}
    with pytest.raises(FigureRefused, match="not whole numbers"):
        pieces(uneven, "t", "oil")
