"""Edits of a gamebook by its rules: nothing else in the text changes, and what cannot be certain is refused."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

import pytest

from zerrit.core import read_document
from zerrit.core.checks import check_files_of, gather_files, samples_of, statistics_of
from zerrit.core.documents import Finding, Format, Severity
from zerrit.core.drafting import draft
from zerrit.core.errors import EditRefused
from zerrit.core.gamebooks import Gamebook, PlacedRule, read_gamebook
from zerrit.core.gamebooks.rule_edits import data_at, with_part, without_part
from zerrit.core.gamebooks.rule_proposals import (
    Relation,
    allowing,
    as_mapping,
    located,
    relating,
    skipping,
    weighing,
    with_parts,
)
from zerrit.core.gamebooks.suggested_rules import accepted, evidence_of, identity_of, is_new, is_open, rejected
from zerrit.demo import world_files

WORLDS = Path(__file__).parents[2] / "worlds"
Tree = Mapping[str, bytes]


def tree_of(world: str) -> Tree:
    folder = WORLDS / world / "1"
    return {one.relative_to(folder).as_posix(): one.read_bytes() for one in folder.rglob("*") if one.is_file()}


def read(text: str) -> Gamebook:
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    return book


def draft_of(world: str) -> Gamebook:
    return read(draft([tree_of(world)], world, "version 1"))


ALL = ["apiary", "observatory", "orchard", "post", "pottery", "tramway"]


def books() -> Iterator[Gamebook]:
    yield read(world_files.gamebook().decode())
    yield from (draft_of(world) for world in ALL)


def other_lines(old: str, new: str) -> tuple[list[str], list[str]]:
    """The lines of each that the other does not have."""
    before, after = old.splitlines(), new.splitlines()
    return [one for one in before if one not in after], [one for one in after if one not in before]


def test_each_rule_of_each_gamebook_is_changed_and_removed_without_touching_another_line() -> None:
    for book in books():
        text = book.source.text
        for placed in book.placed[:: len(book.placed) // 12 + 1]:  # some of each part
            data = as_mapping(book, placed)
            edited = with_part(text, placed.location, {**data, "reason": "it was so"})
            gone, come = other_lines(text, edited)
            assert len(gone) <= 1 or "sources" in data, (placed.location, gone)
            assert any("it was so" in line for line in come)
            without = without_part(text, placed.location)
            assert data_at(without, placed.location) != data_at(text, placed.location)
            assert not [
                line
                for line in other_lines(text, without)[1]
                if not line.rstrip().partition("#")[0].endswith(("{}", "}", "[]", "{} ", "} "))
            ]


@pytest.mark.parametrize(
    ("text", "location", "data", "wanted"),
    [
        (
            "gamebook: 1\ngame: x\n",
            ("refers", 0),
            {"every": "a#b", "list": "w"},
            'refers:\n  - {every: "a#b", list: w}\n',
        ),
        ("a: 1\nrefers:\n  - {x: 1} # one\n", ("refers", 1), {"x": 2}, "  - {x: 1} # one\n  - {x: 2}\n"),
        ("a: 1\nrefers: []\nb: 2\n", ("refers", 0), {"x": 2}, "refers: [{x: 2}]\nb: 2\n"),
        ("f:\n  k: {}  # note\n", ("f", "k", "min"), 3, "  k: {min: 3}  # note\n"),
        ("f:\n  k:\n    min: 3 # low\n", ("f", "k", "min"), 4, "    min: 4 # low\n"),
        ('f:\n  k: {w: ["a", b]}\n', ("f", "k", "w", 2), "yes", '  k: {w: ["a", b, "yes"]}\n'),
        ("f:\r\n  k:\r\n    a: 1\r\n", ("f", "k", "b"), "x: y", '    a: 1\r\n    b: "x: y"\r\n'),
    ],
)
def test_a_part_is_written_as_its_neighbours_are(
    text: str, location: tuple[str | int, ...], data: object, wanted: str
) -> None:
    edited = with_part(text, location, data)
    assert edited.endswith(wanted)
    assert data_at(edited, location) == data


def test_what_cannot_be_said_for_certain_is_refused() -> None:
    with pytest.raises(EditRefused, match="single value"):
        with_part("game: x\n", ("game", "name"), "y")
    with pytest.raises(EditRefused, match="several lines"):
        with_part("a:\n  - one\n  - two\n", ("a",), "three")
    with pytest.raises(EditRefused, match="Nothing is at refers / 3"):
        without_part("refers:\n  - {x: 1}\n", ("refers", 2))


def test_a_comment_behind_brackets_is_about_them_and_stays_with_them() -> None:
    text = "f:\n  a: {x: 1}  # about a\n  b: {y: 2}  # about b\n  c: [1]  # about c\n  d: 4\n"
    root = read_document(text.encode(), "x.yml", format=Format.YAML).root.children[0]
    assert [one.comment for one in root.children] == ["about a", "about b", "about c", ""]
    assert without_part(text, ("f", "b")) == "f:\n  a: {x: 1}  # about a\n  c: [1]  # about c\n  d: 4\n"


# --- suggestions --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("world", ALL)
def test_every_rule_of_a_draft_is_accepted_or_rejected_one_by_one(world: str) -> None:
    book, paths = draft_of(world), tuple(tree_of(world))
    for placed in [one for one in book.placed if is_open(book, one)]:
        assert evidence_of(book, placed) or placed.part in ("closed", "field"), placed.location
        text, location = accepted(book, book, placed, paths, None)
        after = read(text)
        mine = next(one for one in after.placed if one.location == location)
        assert mine.rule.approved and not is_open(after, mine)
        after = read(rejected(book, book, placed))
        assert not [one for one in after.placed if is_open(after, one) and identity_of(one) == identity_of(placed)]
        assert not is_new(after, placed, paths)


@pytest.mark.parametrize("world", ALL)
def test_a_gamebook_that_grows_by_accepted_rules_finds_nothing_in_what_they_were_seen_in(world: str) -> None:
    files = tree_of(world)
    drafted, paths = draft_of(world), tuple(files)
    book = read(f"gamebook: 1\ngame: {world}\n")
    count = 0
    while suggested := [one for one in drafted.placed if is_new(book, one, paths)]:
        text, _ = accepted(book, drafted, suggested[0], paths, None)
        book = read(text)
        count += 1
    assert count >= 8
    assert [f.code for f in check_files_of(gather_files(files, book), book).findings if f.rule] == []


def test_a_rejected_rule_leaves_the_name_of_its_field_known() -> None:
    """Without its name, a closed group would call the field unknown."""
    files = tree_of("apiary")
    book = draft_of("apiary")
    for placed in [one for one in book.placed if one.part == "field" and one.says_something]:
        after = read(rejected(book, book, placed))
        codes = [one.code for one in check_files_of(gather_files(files, after), after).findings]
        assert "meaning.unknown-field" not in codes


def test_a_changed_rule_is_accepted_as_it_was_changed_and_the_drafted_one_is_suggested_no_more() -> None:
    drafted, paths = draft_of("post"), tuple(tree_of("post"))
    book = read("gamebook: 1\ngame: post\n")
    placed = next(one for one in drafted.placed if one.part == "unique")
    data = {**as_mapping(drafted, placed), "name": "my names", "severity": "warning"}
    after = read(accepted(book, drafted, placed, paths, data)[0])
    assert [(one.part, as_mapping(after, one)) for one in after.placed] == [("unique", data)]
    assert not is_new(after, placed, paths)


def test_samples_say_what_a_rule_is_about() -> None:
    book = draft_of("orchard")
    checked = check_files_of(gather_files(tree_of("orchard"), book), book)
    for placed in book.placed:
        if placed.part == "field" and placed.says_something:
            samples = samples_of(checked, placed)
            assert samples and samples[0].count >= samples[-1].count
            assert all(located_in(checked, one.address).value == one.value for one in samples)


def located_in(checked, address: str):  # type: ignore[no-untyped-def]
    path, _, node = address.partition("#")
    return checked.examination.documents[path].select(node)[0]


# --- from findings and from fields ----------------------------------------------------------------------------------------

SHOP = """gamebook: 1
game: shop
files:
  wares.xml:
    entries:
      ware:
        key: "@name"
        fields:
          price: {path: "@price", is: integer, min: 1, max: 90}
          kind: {path: "@kind", list: [cloth, tool]}
          place: {path: "@place", list: places}
  kept.yml: {entries: {kept: {fields: {what: {path: "*", usual: [lantern, rope]}}}}}
lists:
  places: {source: "places.xml#place/@name"}
refers:
  - {every: "notes.yml#notes/*", list: places}
  - {every: "kept.yml#kept/*", list: places, take: name}
"""
FILES = {
    "wares.xml": b'<wares>\n <ware name="A" price="100" cost="7" kind="food" place="Quay"/>\n'
    b' <ware name="B" price="8" cost="9" kind="tool" place="Hill"/>\n</wares>\n',
    "places.xml": b'<places><place name="Quay"/></places>\n',
    "notes.yml": b"notes:\n  one: Mill\n",
    "kept.yml": b"kept:\n  Qauy: lantren\n",
}


def found_in(text: str, code: str, address: str):  # type: ignore[no-untyped-def]
    book = read(text)
    checked = check_files_of(gather_files(FILES, book), book)
    return book, [one for one in checked.findings if one.code == code and one.address.startswith(address)]


@pytest.mark.parametrize(
    ("code", "address"),
    [
        ("meaning.range", "wares.xml#ware[A]/@price"),
        ("meaning.unknown-name", "wares.xml#ware[A]/@kind"),
        ("meaning.unknown-name", "wares.xml#ware[B]/@place"),
        ("meaning.unknown-name", "notes.yml#notes/one"),
        ("meaning.unknown-name", "kept.yml#kept/Qauy"),
        ("meaning.misspelled", "kept.yml#kept/Qauy"),
    ],
)
def test_a_value_is_allowed_from_its_finding(code: str, address: str) -> None:
    book, (finding,) = found_in(SHOP, code, address)
    path, _, place = address.partition("#")
    (node,) = book.read(FILES[path], path).select(place)
    text = with_parts(SHOP, allowing(book, finding, node))
    assert found_in(text, code, address)[1] == []
    before = len(check_files_of(gather_files(FILES, book), book).findings)
    after = read(text)
    assert len(check_files_of(gather_files(FILES, after), after).findings) == before - 1


def test_the_rule_behind_a_finding_weighs_less_or_skips_the_file() -> None:
    address = "wares.xml#ware[A]/@price"
    book, (finding,) = found_in(SHOP, "meaning.range", address)
    text = with_parts(SHOP, weighing(book, finding, finding.severity.NOTICE))
    assert [one.severity.value for one in found_in(text, "meaning.range", address)[1]] == ["notice"]
    text = with_parts(SHOP, skipping(book, finding))
    assert found_in(text, "meaning.range", address)[1] == []
    after = read(text)
    checked = check_files_of(gather_files(FILES, after), after)
    rule = next(one for one in statistics_of(checked) if one.id.endswith("ware/@price"))
    assert (rule.places, rule.violations) == (0, 0)
    assert rule.text.endswith("price is a whole number from 1 to 90, except in wares.xml")


def test_a_damaged_file_is_not_made_fine_by_a_rule() -> None:
    book = read(SHOP)
    finding = Finding("text.too-large", Severity.ERROR, "It is too large.", "wares.xml")
    with pytest.raises(EditRefused, match="damaged"):
        skipping(book, finding)
    accepted_by_the_game = Finding("xml.not-closed", Severity.ERROR, "It is not closed.", "wares.xml")
    text = with_parts(SHOP, skipping(book, accepted_by_the_game))
    assert read(text).rules.files["wares.xml"].tolerate == ("xml.not-closed",)
    with pytest.raises(EditRefused, match="says already"):
        skipping(read(text), accepted_by_the_game)


def test_two_fields_of_an_entry_make_a_rule_for_all_of_its_kind() -> None:
    book = read(SHOP)
    document = gather_files(FILES, book).documents["wares.xml"]
    cost, price = ((document, located(document, f"ware[A]/@{name}")) for name in ("cost", "price"))
    text = with_parts(SHOP, relating(book, Relation.AT_MOST, cost, price))
    assert '          cost: {path: "@cost"}\n' in text
    assert found_in(text, "meaning.must", "wares.xml#ware[A]")[1] == []
    (finding,) = found_in(text, "meaning.must", "wares.xml#ware[B]")[1]
    assert "cost <= price" in finding.message
    with pytest.raises(EditRefused, match="one and the same"):
        relating(book, Relation.EQUAL, cost, cost)


def test_a_field_refers_to_the_words_of_another_file() -> None:
    book = read(SHOP.replace("refers:\n", "must: []\nrefers:\n"))
    files = gather_files(FILES, book).documents
    here = (files["wares.xml"], located(files["wares.xml"], "ware[A]/@kind"))
    there = (files["places.xml"], located(files["places.xml"], "place[Quay]/@name"))
    parts = relating(book, Relation.REFERS_TO, here, there)
    assert [one.location for one in parts] == [("refers", 2)]  # its list is there already
    after = read(with_parts(book.source.text, parts))
    assert after.placed[-1].rule.sentence() == "every wares.xml#ware/@kind is one of the places"  # type: ignore[attr-defined]


def placed_of(book: Gamebook, part: str) -> list[PlacedRule]:
    return [one for one in book.placed if one.part == part]


def test_two_fields_of_two_files_must_be_equal() -> None:
    book = read(SHOP)
    files = gather_files(FILES, book).documents
    one = (files["notes.yml"], located(files["notes.yml"], "notes/one"))
    other = (files["places.xml"], located(files["places.xml"], "place[Quay]/@name"))
    after = read(with_parts(SHOP, relating(book, Relation.EQUAL, one, other)))
    assert len(placed_of(after, "agree")) == 1
    found = check_files_of(gather_files(FILES, after), after).findings
    assert "meaning.disagree" in [finding.code for finding in found]


@pytest.mark.parametrize(
    ("world", "path", "entry", "fields", "kind"),
    [
        ("observatory", "targets.yml", "targets/flax/window", ("from", "to"), "targets/*/window"),
        ("apiary", "items.json", "items/rowan_jar", ("stack", "cost"), "items/*"),
        ("tramway", "lines.ini", "Line/Sage Loop", ("Every", "Cars"), '"Line/Sage Loop"'),
    ],
)
def test_a_rule_speaks_of_all_siblings_whose_names_are_data(
    world: str, path: str, entry: str, fields: tuple[str, str], kind: str
) -> None:
    book = read(f"gamebook: 1\ngame: {world}\n")
    document = gather_files(tree_of(world), book).documents[path]
    holder = document.select(entry if "/" in entry and world != "tramway" else f'"{entry}"')[0]
    first, second = (holder.child(name) for name in fields)
    assert first is not None and second is not None
    text = with_parts(book.source.text, relating(book, Relation.AT_MOST, (document, first), (document, second)))
    after = read(text)
    (rule,) = [
        one for one in statistics_of(check_files_of(gather_files(tree_of(world), after), after)) if one.part == "must"
    ]
    if world == "tramway":
        assert rule.location[3] in (kind, "*")
    else:
        assert rule.location[3] == kind
        assert rule.places is not None and rule.places > 10


def test_a_word_is_not_compared_with_a_number() -> None:
    book = read(SHOP)
    document = gather_files(FILES, book).documents["wares.xml"]
    kind, price, place = ((document, located(document, f"ware[A]/@{name}")) for name in ("kind", "price", "place"))
    for relation, first, second in (
        (Relation.AT_MOST, kind, price),
        (Relation.EQUAL, price, kind),
        (Relation.AT_MOST, kind, place),
    ):
        with pytest.raises(EditRefused, match="`food` is not a number"):
            relating(book, relation, first, second)
    assert relating(book, Relation.EQUAL, kind, place)
