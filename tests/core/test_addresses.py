"""Addresses: text to nodes and back."""

from __future__ import annotations

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zerrit.core import parse_address, read_document
from zerrit.core.addresses import Address, KeyPattern, Segment, keyed_segment, may_meet, parse_node_address
from zerrit.core.documents.lookup import find
from zerrit.core.errors import AddressInvalid, AddressNotFound
from zerrit.core.wildcards import path_matches
from zerrit.demo.world_files import default_files

FINDS = read_document(default_files()["sea/finds.xml"], "sea/finds.xml")


@pytest.mark.parametrize(
    "text",
    [
        "coral-gate:sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds",
        "sea/finds.xml#shelf[*]/find[*Float,Copper ?imbal]/@holds",
        'station.ini#Pumps/Spill/["a,b"]/[#3]/After',
        "station.ini#Circuit */Rating",
        "station.ini#C?rcuit *[a*]/Rating",
        'station.ini#"Circuit *"/Rating',
        "galley/recipes/*.json#takes/*/of",
        "a.yml#**/name",
        "launch.sh",
    ],
)
def test_an_address_is_printed_as_it_was_read(text: str) -> None:
    assert str(parse_address(text)) == text


@given(st.text(min_size=1, max_size=12), st.text(min_size=1, max_size=12))
def test_any_name_and_key_survive_printing(name: str, key: str) -> None:
    address = Address("a.xml", (Segment(name, keys=(KeyPattern(key, is_literal=True),)),))
    (segment,) = parse_address(str(address)).segments
    assert segment.name == name
    assert segment.keys[0].matches(key)


@pytest.mark.parametrize(
    "path", ["sea/finds.xml", "station.ini", "galley/board.json", "addins/tidebell/settings.yml", "launch.sh"]
)
def test_every_node_is_found_again_by_its_address(path: str) -> None:
    document = read_document(default_files()[path], path)
    nodes = [node for node in document.root.walk() if node.parent is not None][:3000]
    for node in nodes[:: max(1, len(nodes) // 300)]:
        assert document.select(document.keys.address_of(node)) == [node]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("a.xml#find[A", "find[A is not an address: a bracket `[` is never closed, at character 7."),
        (
            "a.xml#find//b",
            "find//b is not an address: a name is missing between two `/` or at the end, at character 6.",
        ),
        ('a.xml#find["A]', 'find["A] is not an address: a quotation mark is never closed, at character 6.'),
        (
            "a.xml#find[#x]",
            "find[#x] is not an address: `[#` is followed by a number from 1 and `]`, such as [#3], or [#-1] for the last, at character 6.",
        ),
        ("#find", "#find: an address begins with a file, such as configs/items.xml#item[Lamp]."),
    ],
)
def test_what_is_no_address_is_explained(text: str, message: str) -> None:
    with pytest.raises(AddressInvalid) as caught:
        parse_address(text)
    assert str(caught.value) == message


@pytest.mark.parametrize(
    ("address", "message"),
    [
        (
            "shelf[brass]/find[Coper Gimbal]",
            "sea/finds.xml#shelf[brass] has no find that fits [Coper Gimbal]. Nearest: shelf[brass]/find[Copper Gimbal], ",
        ),
        (
            "shelf[brass]/find[Copper Gimbal]/@hlods",
            "sea/finds.xml#shelf[brass]/find[Copper Gimbal] has no `@hlods`. Nearest: shelf[brass]/find[Copper Gimbal]/@holds.",
        ),
        ("shelf[brass]/find[#90]", "sea/finds.xml#shelf[brass] has 48 of find, so there is no number 90."),
        (
            "shelf[*]/find[Zz*]",
            "sea/finds.xml#shelf[*] has no find that fits [Zz*]. There are: shelf[*]/find[Small Amber Float], ",
        ),
        ("sh*f[bras]", "sea/finds.xml has no sh*f that fits [bras]. Nearest: shelf[brass]"),
    ],
)
def test_a_wrong_address_is_answered_with_the_nearest(address: str, message: str) -> None:
    with pytest.raises(AddressNotFound) as caught:
        find(FINDS, parse_node_address(address))
    assert str(caught.value).startswith(message)


def test_keys_prefer_names_and_avoid_numbers() -> None:
    document = read_document(b'<a><b n="1" kind="x" id="9"/><b n="2" kind="y" id="8"/></a>', "a.xml")
    assert [document.keys.address_of(n) for n in document.root.children] == ["b[9]", "b[8]"]
    document = read_document(b'<a><b n="1" kind="x"/><b n="2" kind="y"/></a>', "a.xml")
    assert [document.keys.address_of(n) for n in document.root.children] == ["b[x]", "b[y]"]


def test_one_entry_pasted_twice_does_not_rename_the_others() -> None:
    entries = "".join(f'<b name="n{i}"/>' for i in range(40)) + '<b name="n7"/>'
    document = read_document(f"<a>{entries}</a>".encode(), "a.xml")
    assert document.keys.address_of(document.root.children[3]) == "b[n3]"
    assert document.keys.address_of(document.root.children[40]) == "b[#41]"
    assert len(document.select("b[n7]")) == 2


def test_path_patterns() -> None:
    assert path_matches("galley/*.json", "galley/a.json")
    assert not path_matches("galley/*.json", "galley/recipes/a.json")
    assert path_matches("**/settings.yml", "addins/a/settings.yml")


@pytest.mark.parametrize("stars", [6, 12, 40])
def test_many_stars_cost_no_more_than_the_text_is_long(stars: int) -> None:
    """A pattern that fits almost, in every way to share the text among its stars, is answered at once."""
    text, pattern = "a" * 3000, "a*" * stars + "b"
    began = time.process_time()
    assert not KeyPattern(pattern).matches(text)
    assert not path_matches("**a*" * stars + "b", text)
    deep = parse_node_address("/".join(["**", "a"] * stars + ["b", "b"]))
    place = parse_node_address("/".join(["a"] * 200 + ["c"]))
    may_meet(deep, place)
    assert time.process_time() - began < 5  # it was minutes


def test_half_pairs_of_a_json_file_are_characters_like_others() -> None:
    assert KeyPattern("a?*").matches("a\ud800b")
    assert not KeyPattern("a\ud801*").matches("a\ud800b")
    assert KeyPattern("a\ud800*").matches("a\ud800b")


@pytest.mark.parametrize(
    ("pattern", "place", "is_met"),
    [
        ("a/**/c", "a/b/b/c", True),
        ("a/**/c", "a", True),
        ("a/b", "a/b/c", True),
        ("a/**", "b", False),
        ("**/c/**/d", "a/c/b/d/e", True),
        ("a/c", "a/b", False),
        ("**", "a/b", True),
    ],
)
def test_a_pattern_meets_what_it_names_and_what_is_above_and_below(pattern: str, place: str, is_met: bool) -> None:
    assert may_meet(parse_node_address(pattern), parse_node_address(place)) is is_met


@pytest.mark.parametrize("key", ["a?c", "?", "a*", "a,b", '"', "#2", " x", ""])
def test_a_printed_key_leads_to_itself_alone(key: str) -> None:
    """With other keys beside it that it would fit as a pattern."""
    segment = parse_node_address(str(keyed_segment("find", key)))[0]
    assert [other for other in (key, "abc", "a", "b", "x", "2", "ab") if segment.keys[0].matches(other)] == [key]


def test_a_key_is_its_letters_and_their_case() -> None:
    assert KeyPattern("Tide").matches("Tide")
    assert not KeyPattern("Tide").matches("tide")
    assert not KeyPattern("T*").matches("tide")


def test_more_wildcards_than_can_be_matched_are_refused() -> None:
    with pytest.raises(AddressInvalid, match="has too many wildcards"):
        path_matches("*a" * 200_000, "a")


SECTIONS = read_document(b"[Plot North]\nsize=4\n[Plot South]\nsize=6\n[Plot *]\nsize=9\n[Well]\nsize=1\n", "farm.ini")


@pytest.mark.parametrize(
    ("address", "values"),
    [
        ("Plot */size", ["4", "6", "9"]),
        ("Plot ?o*/size", ["4", "6"]),
        ("*th/size", ["4", "6"]),
        ('"Plot *"/size', ["9"]),
        ("*/s?ze", ["4", "6", "9", "1"]),
        ("plot */size", []),
    ],
)
def test_a_name_may_hold_wildcards_and_in_quotes_it_is_its_letters(address: str, values: list[str]) -> None:
    assert [node.value for node in SECTIONS.select(address)] == values


def test_a_pattern_in_a_name_meets_the_places_that_it_names() -> None:
    assert may_meet(parse_node_address("Plot */size"), parse_node_address('"Plot North"/size'))
    assert not may_meet(parse_node_address("Plot */size"), parse_node_address("Well/size"))
    assert not may_meet(parse_node_address('"Plot *"/size'), parse_node_address('"Plot North"/size'))


def test_attributes_and_keyed_entries_are_chosen_by_a_pattern_in_their_names() -> None:
    document = read_document(
        b'<a><lamp id="x" min="1" max="9"/><lantern id="y" min="2" max="8"/><rope id="x"/></a>', "a.xml"
    )
    assert [node.value for node in document.select("la*/@m*")] == ["1", "9", "2", "8"]
    assert [node.name for node in document.select("*[x]")] == ["lamp", "rope"]
    assert [node.name for node in document.select("l*[x,y]")] == ["lamp", "lantern"]
    assert [node.name for node in document.select("la*[#1]")] == ["lamp"]


@pytest.mark.parametrize(
    ("address", "nearest"),
    [
        ("find[Copper Gimbal]", "shelf[brass]/find[Copper Gimbal]."),
        ("find[Coper Gimbal]/@holds", "shelf[brass]/find[Copper Gimbal], "),
        ("find[*Float]", "shelf/find[*Float]."),
        ("find", "shelf/find."),
        ("shelf[brass]/@holds", "shelf[brass]/find/@holds."),
    ],
)
def test_a_level_that_was_left_out_is_named(address: str, nearest: str) -> None:
    with pytest.raises(AddressNotFound) as caught:
        find(FINDS, parse_node_address(address))
    assert f"Nearest: {nearest}" in str(caught.value)
