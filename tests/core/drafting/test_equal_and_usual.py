"""What drafts see across files: fields that are equal for the same key, usual words, references with text around them."""

from __future__ import annotations

import pytest

from tests.core.drafting.test_comments_and_gates import book_of, codes
from zerrit.core.checks import check_files_of, gather_files
from zerrit.core.drafting import draft
from zerrit.core.nearest import slip_of

KITES = """\
kites:
  - {name: Swift, span: 2.4, colour: red, line: 85}
  - {name: Tern, span: 3.1, colour: blue, line: 120}
  - {name: Gannet, span: 4.75, colour: red, line: 260}
  - {name: Plover, span: 1.9, colour: white, line: 85}
"""
SHOP = """\
{
  "stock": [
    {"kite": "Swift", "span": 2.4, "price": 12},
    {"kite": "Tern", "span": 3.1, "price": 12},
    {"kite": "Gannet", "span": 4.75, "price": 31},
    {"kite": "Plover", "span": 1.9, "price": 9}
  ]
}
"""
FIELD = '<field>\n  <hung kite="Swift" span="2.4"/>\n  <hung kite="Tern" span="3.1"/>\n  <hung kite="Gannet" span="4.75"/>\n  <hung kite="Plover" span="1.9"/>\n</field>\n'


def files(**texts: str) -> dict[str, bytes]:
    return {name.replace("_", "."): text.encode() for name, text in texts.items()}


TWO = files(kites_yml=KITES, shop_json=SHOP)
THREE = files(kites_yml=KITES, shop_json=SHOP, field_xml=FIELD)


def test_fields_that_are_equal_for_the_same_key_have_to_stay_equal() -> None:
    book = book_of(TWO)
    assert codes(book, TWO) == []
    (rule,) = book.rules.same_values
    assert {(rule.table.each, rule.table.value), (rule.other.each, rule.other.value)} == {
        ("kites.yml#kites/*", "span"),
        ("shop.json#stock/*", "span"),
    }
    assert rule.both
    moved = {**TWO, "shop.json": SHOP.replace("4.75", "5.25").encode()}
    assert [code for code, _ in codes(book, moved)] == ["meaning.not-same"]
    gone = {**TWO, "shop.json": SHOP.replace('    {"kite": "Tern", "span": 3.1, "price": 12},\n', "").encode()}
    assert ("meaning.not-same", 3) in codes(book, gone)


def test_what_follows_from_two_equal_pairs_is_not_said_again() -> None:
    book = book_of(THREE)
    assert len(book.rules.same_values) == 2
    for path in THREE:
        broken = {**THREE, path: THREE[path].replace(b"4.75", b"4.57")}
        assert {code for code, _ in codes(book, broken)} == {"meaning.not-same"}, path


def test_of_three_places_the_odd_one_is_told() -> None:
    """Two boards and a list: what two of the three say is taken for right, wherever it is."""
    boards = {"boards/east.xml": FIELD.encode(), "boards/west.xml": FIELD.encode()}
    every = {"kites.yml": KITES.encode(), **boards}
    book = book_of(every)
    assert codes(book, every) == []
    for path, line in (("boards/east.xml", 4), ("boards/west.xml", 4), ("kites.yml", 4)):
        broken = {**every, path: every[path].replace(b"4.75", b"4.57")}
        (found,) = check_files_of(gather_files(broken, book), book).findings
        assert (found.path, found.line, found.code) == (path, line, "meaning.not-same")
        assert "4.57 here, but 4.75" in found.message


def test_names_of_a_map_are_keys() -> None:
    goods = [
        f"good {word}"
        for word in [
            "amber",
            "birch",
            "cedar",
            "daisy",
            "elder",
            "fern",
            "gorse",
            "heath",
            "iris",
            "juniper",
            "kale",
            "lilac",
        ]
    ]
    prices = "prices:\n" + "".join(f"  {word}: {17 + 13 * n}\n" for n, word in enumerate(goods))
    rows = "sold:\n" + "".join(f"  - {{what: {word}, asks: {17 + 13 * n}}}\n" for n, word in enumerate(goods))
    both = files(prices_yml=prices, sold_yml=rows)
    book = book_of(both)
    (rule,) = book.rules.same_values
    assert {rule.table.take, rule.other.take} == {"name", "value"}
    broken = {**both, "prices.yml": prices.replace("good fern: 82", "good fern: 83").encode()}
    assert [code for code, _ in codes(book, broken)] == ["meaning.not-same"]


def test_what_is_equal_by_chance_is_not_drafted() -> None:
    lines = "more:\n" + "".join(f"  - {{of: {kite}, line: 85}}\n" for kite in ("Swift", "Plover", "Rook"))
    assert book_of(files(kites_yml=KITES, more_yml=lines)).rules.same_values == ()


def test_a_second_version_refutes_what_was_equal_by_chance() -> None:
    newer = {**TWO, "shop.json": SHOP.replace("1.9", "1.6").encode()}
    assert book_of(TWO, newer).rules.same_values == ()
    assert book_of(newer, TWO).rules.same_values == ()


def test_a_slip_in_a_usual_word_is_told() -> None:
    book = book_of(TWO)
    (field,) = [
        one for name, one in book.rules.files["kites.yml"].entries["kites/*"].fields.items() if name == "colour"
    ]
    assert field.usual == ("blue", "red", "white")
    for wrong in ("whte", "wihte", "whitte", "wite", "White"):
        assert ("meaning.misspelled", 5) in codes(book, {**TWO, "kites.yml": KITES.replace("white", wrong).encode()}), (
            wrong
        )
    for other in ("green", "whites", "grey", "wh1te"):
        assert codes(book, {**TWO, "kites.yml": KITES.replace("white", other).encode()}) == [], other


@pytest.mark.parametrize(
    ("word", "usual", "meant"),
    [
        ("Clver", ["Clover", "Alder"], "Clover"),
        ("rey", ["rye"], "rye"),
        ("ryx", ["rye"], None),
        ("milk", ["silk", "tar"], None),
        ("boot", ["boat"], "boat"),
        ("boot", ["boat", "raft"], None),
        ("lantren", ["lantern", "raft"], "lantern"),
        ("lamtern", ["lantern", "raft"], "lantern"),
        ("bas", ["bass", "alto"], "bass"),
        ("tar", ["tart", "pie"], None),
        ("Upper Fod", ["Upper Ford", "Mill"], "Upper Ford"),
        ("tar_small", ["tart_small", "pie"], None),
        ("bells", ["bell", "drum"], None),
        ("seed", ["seeds", "drum"], None),
        ("bell_big", ["ball_big", "ball_small"], None),
        ("HeavyGrapple", ["Heavy Grapple", "x"], "Heavy Grapple"),
        ("Heavy Graple", ["Heavy Grapple", "x"], "Heavy Grapple"),
        ("Boat 2", ["Boat 1"], None),
        ("boat-1", ["boat 1"], None),
        ("boat", ["boat"], None),
        ("boats", ["boat"], None),
        ("", ["a"], None),
        ("x", [], None),
    ],
)
def test_what_a_slip_is(word: str, usual: list[str], meant: str | None) -> None:
    assert slip_of(word, tuple(usual)) == meant


def test_names_that_are_near_each_other_are_not_usual() -> None:
    piers = "piers:\n" + "".join(
        f"  - {{name: {name}}}\n" for name in ("Marlin", "Merlin", "Clover", "Furze", "Gorse", "Iris", "Heath")
    )
    text = draft([files(piers_yml=piers)], "g", "1")
    assert "usual: [Clover, Furze, Gorse, Heath, Iris]" in text
    near = "piers:\n" + "".join(f"  - {{name: {name}}}\n" for name in ("Marlin", "Merlin", "Alderr", "Alder", "Gorse"))
    assert "usual" not in draft([files(piers_yml=near)], "g", "1")


NESTS = """\
sets:
  - {set: Strings, of: [flax, "box[Ribbons]", "box[Tails]"]}
  - {set: Ribbons, of: [silk, hemp, flax]}
  - {set: Tails, of: ["box[Ribbons]", jute]}
"""
GOODS = "goods:\n" + "".join(
    f"  - {{good: {word}, worth: {n}}}\n" for n, word in enumerate(("flax", "silk", "hemp", "jute", "wool"), 3)
)


def test_references_with_text_around_them_are_seen_beside_plain_ones() -> None:
    both = files(sets_yml=NESTS, goods_yml=GOODS)
    book = book_of(both)
    rules = {
        (one.list_name, one.within, one.exceptions) for one in book.rules.refers if one.every == "sets.yml#sets/*/of/*"
    }
    assert {(within, exceptions) for _, within, exceptions in rules} == {("box[{}]", ()), ("", ("box[*]",))}
    assert codes(book, both) == []
    for old, new in (('"box[Tails]"]', '"box[Tailes]"]'), ("jute]", "jut]"), ('"box[Tails]"]', '"box[]"]')):
        wrong = {**both, "sets.yml": NESTS.replace(old, new).encode()}
        assert "meaning.unknown-name" in [code for code, _ in codes(book, wrong)], new


def test_numbers_behind_a_name_may_be_any() -> None:
    ingredients = (
        'recipes:\n  - {makes: rope, of: ["flax:0", "hemp:2"]}\n  - {makes: sail, of: ["silk:4", "jute:1", "flax:3"]}\n'
    )
    both = files(recipes_yml=ingredients, goods_yml=GOODS)
    book = book_of(both)
    (rule,) = [one for one in book.rules.refers if one.within]
    assert rule.within == "{}:*"
    assert codes(book, {**both, "recipes.yml": ingredients.replace("silk:4", "wool:99").encode()}) == []
    found = codes(book, {**both, "recipes.yml": ingredients.replace("silk:4", "slik:4").encode()})
    assert found == [("meaning.unknown-name", 3)]


def test_two_lists_in_one_order_stay_so() -> None:
    order, start = (
        "flags-on\ntails-long\nwind-old\n",
        "#!/bin/sh\n./kites --part flags-on --part tails-long --part wind-old\n",
    )
    both = {"order.txt": order.encode(), "start.sh": start.encode()}
    book = book_of(both)
    assert codes(book, both) == []
    swapped = {**both, "order.txt": b"tails-long\nflags-on\nwind-old\n"}
    assert "meaning.same-order" in [code for code, _ in codes(book, swapped)]


BALES = ["amber", "birch", "cedar", "daisy", "elder", "fern", "gorse", "heath"]
STORE = "goods:\n" + "".join(
    f"  {word}_bale:\n    price: {7 + 3 * n}\n    goes_to: {BALES[(3 * n + 1) % 8]}_bale\n"
    for n, word in enumerate(BALES)
)
STALL = "stall:\n  sells: [amber_bale, fern_bale]\n  extra:\n" + "".join(
    f"    {word}_bale: {n}\n" for n, word in enumerate(BALES[:4])
)


def test_names_of_a_map_are_words_that_others_refer_to_and_that_refer() -> None:
    both = files(store_yml=STORE, stall_yml=STALL)
    book = book_of(both)
    assert codes(book, both) == []
    for path, old, new, line in (
        ("store.yml", "goes_to: elder_bale", "goes_to: eldre_bale", 7),
        ("stall.yml", "[amber_bale", "[ambre_bale", 2),
        ("stall.yml", "    birch_bale", "    brich_bale", 5),
    ):
        broken = {**both, path: both[path].decode().replace(old, new, 1).encode()}
        assert ("meaning.unknown-name", line) in codes(book, broken), new
    more = {**both, "stall.yml": STALL.encode() + b"    heath_bale: 9\n"}
    assert codes(book, more) == [], "one more of the known goods is no fault"
    grown = {**both, "store.yml": STORE.encode() + b"  iris_bale:\n    price: 9\n    goes_to: fern_bale\n"}
    assert codes(book, grown) == [], "what is new in the store need not be on the stall"
