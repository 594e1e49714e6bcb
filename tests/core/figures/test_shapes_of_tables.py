"""Draw tables in many shapes, out of files and gamebooks, held against odds that were worked out by another way."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from fractions import Fraction
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zerrit.core.documents import Document, read_document
from zerrit.core.errors import FigureRefused
from zerrit.core.figures import Prize, Range, Table, odds, odds_by_table, opened, pieces, read_tables, without_effect
from zerrit.core.figures.draws import tables_by_case
from zerrit.core.gamebooks import Gamebook, read_gamebook

HALF = Fraction(1, 2)


def book(text: str) -> Gamebook:
    found, faults = read_gamebook(f"gamebook: 1\ngame: pier\n{text}".encode())
    assert found is not None, faults
    return found


def faults_of(text: str) -> str:
    found, faults = read_gamebook(f"gamebook: 1\ngame: pier\n{text}".encode())
    assert found is None
    return " ".join(one.message for one in faults)


def files(**texts: str) -> dict[str, Document]:
    names = {name.replace("_", "."): text for name, text in texts.items()}
    return {name: read_document(text.encode(), name) for name, text in names.items()}


def chances(
    draws: str, documents: dict[str, Document], table: str = "", case: str | None = None
) -> dict[str, Fraction]:
    (found,) = odds_by_table(book(draws), documents, table, case).values()
    return {one.thing: one.at_least_one for one in found}


# --- shapes -----------------------------------------------------------------------------------------------------------


def test_sets_in_sets_without_names() -> None:
    documents = files(
        x_xml='<a><box><set p="50"><thing n="rope"/><thing n="sail" p="25"/></set>'
        '<set><thing n="axe"/><set><thing n="gem"/><thing n="pearl"/></set></set></box></a>'
    )
    rules = (
        "draws: [{name: b, tables: x.xml#box, takes: all, chance: '@p', chance_of: 100, sets: "
        "{takes: all, thing: '@n', chance: '@p', chance_of: 100, sets: {takes: 1, thing: '@n'}}}]"
    )
    assert chances(rules, documents) == {
        "axe": 1,
        "gem": HALF,
        "pearl": HALF,
        "rope": HALF,
        "sail": HALF * Fraction(1, 4),
    }


def test_sets_of_the_same_shape_at_any_depth() -> None:
    text = '{"hole": [{"of": [{"of": [{"what": "gem"}, {"what": "sand"}]}, {"what": "sand"}]}, {"what": "sand"}]}'
    rules = "draws: [{name: h, tables: 'x.json#hole', thing: what, sets: {prizes: of, thing: what, sets: same}}]"
    assert chances(rules, files(x_json=text)) == {"sand": 1 - Fraction(1, 8), "gem": Fraction(1, 8)}


def test_parallel_lists_belong_together_by_number() -> None:
    text = '{"ponds": {"north": {"fish": ["carp", "eel"], "odds": [3, 1], "least": [1, 2], "most": [1, 4]}}}'
    rules = "draws: [{name: p, tables: 'x.json#ponds/*', parallel: true, thing: fish, weight: odds, counts: {min: least, max: most}}]"
    (found,) = odds_by_table(book(rules), files(x_json=text)).values()
    assert {one.thing: (one.at_least_one, one.expected) for one in found} == {
        "carp": (Fraction(3, 4), Fraction(3, 4)),
        "eel": (Fraction(1, 4), Fraction(3, 4)),
    }
    with pytest.raises(FigureRefused, match="fish has 2 values and odds has 3"):
        odds_by_table(book(rules), files(x_json=text.replace("[3, 1]", "[3, 1, 1]")))


def test_names_and_values_of_a_map_are_things_and_weights() -> None:
    rules = "draws: [{name: p, tables: 'x.yml#pots/*', thing: ':name', weight: ':value'}]"
    documents = files(x_yml="pots:\n  clay: {ash: 3, soot: 1}\n")
    assert chances(rules, documents) == {"ash": Fraction(3, 4), "soot": Fraction(1, 4)}


@pytest.mark.parametrize(("text", "sail"), [("1", Fraction(2, 3)), ("0", Fraction(5, 9)), ("", Fraction(5, 9))])
def test_repeats_may_be_said_the_other_way_round(text: str, sail: Fraction) -> None:
    once = f' once="{text}"' if text else ""
    documents = files(x_xml=f'<a><box{once}><t n="sail"/><t n="rope"/><t n="axe"/></box></a>')
    rules = "draws: [{name: b, tables: x.xml#box, takes: 2, repeats: '!@once', thing: '@n'}]"
    assert chances(rules, documents)["sail"] == sail


def test_a_word_may_mean_that_all_come() -> None:
    rules = "draws: [{name: b, tables: x.xml#box, takes: '@n', takes_all: '-1', thing: '@n', prizes: t}]"
    documents = files(x_xml='<a><box n="-1"><t n="a"/><t n="b"/></box></a>')
    assert chances(rules, documents) == {"a": 1, "b": 1}


def test_prizes_depend_on_a_case() -> None:
    documents = files(
        x_xml='<a><box><t n="ice" when="winter"/><t n="sun" when="!winter"/><t n="rope"/></box><box><t n="axe"/></box></a>'
    )
    gamebook = book("draws: [{name: b, tables: x.xml#box, thing: '@n', when: '@when'}]")
    assert {name: [one.thing for one in found] for name, found in odds_by_table(gamebook, documents).items()} == {
        "x.xml#box[#1], in no case": ["rope", "sun"],
        "x.xml#box[#2]": ["axe"],
        "x.xml#box[#1], winter": ["ice", "rope"],
    }
    assert len(opened(gamebook, documents, case="winter")) == 2
    with pytest.raises(FigureRefused, match=r"No prize depends on spring\. The cases in the files are: winter"):
        tables_by_case(gamebook, documents, "spring")


def test_quality_and_amounts_are_spread_between_their_ends() -> None:
    documents = files(
        x_xml='<a><box><t n="axe" low="20" high="80"/><t n="axe" low="0" high="10" w="2"/><t n="oil" least="0.5" most="1.5"/></box></a>'
    )
    rules = (
        "draws: [{name: b, tables: x.xml#box, thing: '@n', weight: '@w', quality: {min: '@low', max: '@high'}, "
        "counts: {min: '@least', max: '@most'}}]"
    )
    (found,) = odds_by_table(book(rules), documents).values()
    axe, oil = found
    assert axe.quality is not None
    assert (axe.quality.least, axe.quality.most, axe.quality.mean) == (0, 80, (50 + 2 * 5) / Fraction(3))
    assert (oil.at_least_one, oil.expected, oil.quality) == (Fraction(1, 4), Fraction(1, 4), None)


def test_tables_of_one_name_are_told_apart_by_address_unless_one_is_meant() -> None:
    text = '<a><box id="x"><t n="a"/></box><box id="x"><t n="b"/></box><box id="y"><t n="c" w="1"/></box></a>'
    rules = book("draws: [{name: b, tables: x.xml#box, called: '@id', thing: '@n', table: '@to'}]")
    assert (
        list(read_tables(rules, files(x_xml=text)).tables) == ["x.xml#box[x][#1]", "x.xml#box[x][#2]", "y"]
        or list(read_tables(rules, files(x_xml=text)).tables)[-1] == "y"
    )
    with pytest.raises(FigureRefused, match="leads to x, and several tables are called so"):
        read_tables(rules, files(x_xml=text.replace('n="c"', 'to="x"')))


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("{name: b, tables: x.xml#box}", "needs `thing`, `table` or `sets`"),
        ("{name: b, tables: x.xml#box, thing: n, variant_chance: c}", "goes together with `variant`"),
        ("{name: b, tables: x.xml#box, thing: n, parallel: true, sets: same}", "Parallel lists have no sets"),
        ("{name: b, tables: x.xml#box, thing: n, parallel: true, prizes: p}", "leave `prizes` out"),
        ("{name: b, tables: x.xml#box, thing: n, takes_all: all}", "`takes` gives none"),
        ("{name: b, tables: x.xml#box, thing: n, luck: 4}", "`luck` is not a known key here"),
        ("{name: b, tables: x.xml#box, thing: 'n[', sets: {thing: t}}", "never closed"),
        ("{name: b, tables: x.xml#box, sets: {thing: t, nested: 'x'}}", "text with one {} for the name"),
    ],
)
def test_what_a_gamebook_cannot_say_is_a_fault_in_it(rule: str, said: str) -> None:
    assert said in faults_of(f"draws: [{rule}]")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('<a><box><t n="a" w="much"/></box></a>', "@w is `much`, which is not a number"),
        ("<a><box><t/></box></a>", "does not say what it brings"),
        ('<a><box><t n="a" c="120"/></box></a>', "not between 0 and 1"),
        ('<a><box><t n="a" least="5" most="2"/></box></a>', "@least is 5, above @most (2)"),
        ('<a><box takes="1.5"><t n="a"/></box></a>', "should be a whole number of draws"),
        ('<a><box once="perhaps"><t n="a"/></box></a>', "neither yes nor no"),
    ],
)
def test_numbers_that_cannot_be_are_refused_with_their_place(text: str, said: str) -> None:
    rules = book(
        "draws: [{name: b, tables: x.xml#box, takes: '@takes', repeats: '!@once', prizes: t, thing: '@n', weight: '@w', "
        "chance: '@c', chance_of: 100, counts: {min: '@least', max: '@most'}}]"
    )
    with pytest.raises(FigureRefused) as refused:
        odds_by_table(rules, files(x_xml=text))
    assert said in str(refused.value)


def test_numbers_without_effect_are_told() -> None:
    def table(**more: object) -> Table:
        prizes = (Prize(Fraction(3), "a", weight_at="w"), Prize(Fraction(1), "b", weight_at="w"))
        return Table(**({"name": "t", "draws": Range(), "prizes": prizes} | more))  # type: ignore[arg-type]

    assert without_effect(table()) == []
    assert without_effect(table(takes_all=True)) == ["All prizes come, so the weights change nothing."]
    assert "the weights change nothing" in without_effect(table(draws=Range(2, 2), repeats=False))[0]
    never = (Prize(Fraction(0), "a", weight_at="w"), Prize(Fraction(1), "b", weight_at="w"))
    assert without_effect(table(prizes=never)) == [
        "Only b can be drawn, so its weight changes nothing.",
        "a has the weight 0 and is never drawn.",
    ]
    lost = (
        Prize(Fraction(1), "a", variant="c", variant_chance=Fraction(1)),
        Prize(Fraction(1), "b", chance=Fraction(0)),
    )
    assert without_effect(table(prizes=lost)) == [
        "c always comes in place of a, so a never does.",
        "b has the chance 0 and never comes.",
    ]


# --- against every haul that there can be -----------------------------------------------------------------------------

Haul = tuple[str, ...]


def outcomes(tables: dict[str, Table], name: str) -> Iterator[tuple[Fraction, Haul]]:
    table = tables[name]
    if table.takes_all:
        for parts in product(*(list(of_prize(tables, prize)) for prize in table.prizes)):
            chance = Fraction(1)
            haul: Haul = ()
            for p, brought in parts:
                chance *= p
                haul += brought
            yield chance, haul
        return
    numbers = list(table.draws.all())
    for draws in numbers:
        yield from ((p / len(numbers), haul) for p, haul in sequences(tables, table, draws, frozenset()))


def sequences(
    tables: dict[str, Table], table: Table, draws: int, gone: frozenset[int]
) -> Iterator[tuple[Fraction, Haul]]:
    left = [n for n, prize in enumerate(table.prizes) if prize.weight > 0 and n not in gone]
    if draws == 0 or not left:
        yield Fraction(1), ()
        return
    total = sum((table.prizes[n].weight for n in left), Fraction())
    for n in left:
        after = gone if table.repeats else gone | {n}
        for p, brought in of_prize(tables, table.prizes[n]):
            for q, rest in sequences(tables, table, draws - 1, after):
                yield table.prizes[n].weight / total * p * q, brought + rest


def of_prize(tables: dict[str, Table], prize: Prize) -> Iterator[tuple[Fraction, Haul]]:
    yield 1 - prize.chance, ()
    numbers = list(prize.count.all())
    for number in numbers:
        share = prize.chance / len(numbers)
        if prize.table:
            yield from ((share * p, haul) for p, haul in times(tables, prize.table, number))
            continue
        with_variant = prize.variant_chance if prize.variant else Fraction(0)
        yield share * (1 - with_variant), (prize.thing,) * number
        beside = (prize.thing,) * number + ((prize.variant,) if number else ())
        yield share * with_variant, beside if prize.variant_beside else (prize.variant,) * number


def times(tables: dict[str, Table], name: str, uses: int) -> Iterator[tuple[Fraction, Haul]]:
    if uses == 0:
        yield Fraction(1), ()
        return
    for p, first in outcomes(tables, name):
        for q, rest in times(tables, name, uses - 1):
            yield p * q, first + rest


THINGS = st.builds(
    Prize,
    weight=st.integers(0, 3).map(Fraction),
    thing=st.sampled_from("ab"),
    count=st.sampled_from([Range(), Range(0, 1), Range(1, 2)]),
    variant=st.sampled_from(["", "a", "c"]),
    variant_chance=st.sampled_from([Fraction(), Fraction(1, 4), Fraction(1)]),
    variant_beside=st.booleans(),
    chance=st.sampled_from([Fraction(0), Fraction(1, 3), Fraction(1)]),
)


@st.composite
def tables_of_any_kind(draw: st.DrawFn) -> dict[str, Table]:
    draws = st.sampled_from([Range(), Range(0, 2), Range(2, 2)])
    inner = Table(
        "inner",
        draw(draws),
        (*draw(st.lists(THINGS, min_size=1, max_size=2)), Prize(Fraction(1), "z")),
        draw(st.booleans()),
        draw(st.booleans()),
    )
    leading = Prize(
        draw(st.integers(1, 3).map(Fraction)),
        table="inner",
        count=draw(st.sampled_from([Range(), Range(0, 1)])),
        chance=draw(st.sampled_from([HALF, Fraction(1)])),
    )
    outer = Table(
        "outer", draw(draws), (*draw(st.lists(THINGS, max_size=1)), leading), draw(st.booleans()), draw(st.booleans())
    )
    return {"inner": inner, "outer": outer}


@settings(max_examples=120, deadline=None)
@given(tables_of_any_kind())
def test_chances_averages_and_pieces_are_what_enumerating_every_haul_gives(tables: dict[str, Table]) -> None:
    wanted: dict[str, dict[int, Fraction]] = {}
    for p, haul in outcomes(tables, "outer"):
        counts = Counter(haul)
        for thing in "abcz":
            known = wanted.setdefault(thing, {})
            known[counts[thing]] = known.get(counts[thing], Fraction(0)) + p
    found = {one.thing: one for one in odds(tables, "outer")}
    for thing, hauls in wanted.items():
        by_number = {number: p for number, p in hauls.items() if p}
        expected = sum((number * p for number, p in by_number.items()), Fraction())
        if thing not in found:
            assert by_number == {0: 1}
            continue
        assert (found[thing].at_least_one, found[thing].expected) == (1 - by_number.get(0, Fraction(0)), expected)
        assert {number: p for number, p in enumerate(pieces(tables, "outer", thing)) if p} == by_number
