"""Slots: parts of a text file that can be addressed, checked and changed, while the rest of the line stays closed."""

from __future__ import annotations

import pytest

from zerrit.core import Document, read_document
from zerrit.core.documents import NodeKind, Slot
from zerrit.core.documents.slots import check_form
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.merge import merge_three
from zerrit.core.steps import replay, step_from_words

TEXT = '#!/bin/sh\n# the chart\nCHART="coral-gate"\nMODS="deepsong;surveyor-kit"\nexec ./station --wait=10 --mods "$MODS"\n'
SLOTS = {"chart": Slot('CHART="{}"'), "mods": Slot('MODS="{}"', ";"), "wait": Slot("--wait={}")}


def read(text: str = TEXT) -> Document:
    return read_document(text.encode(), "launch.sh", slots=SLOTS)


def after(*words: str, address: str, text: str = TEXT) -> str:
    done = replay({"launch.sh": read(text)}, [step_from_words(f"launch.sh#{address}", words)], read_document)
    assert done.is_whole, done.outcomes[0].message
    return done.documents["launch.sh"].text


def test_a_slot_is_a_value_or_a_list_in_place_of_its_line() -> None:
    document = read()
    assert [node.value for node in document.select("chart")] == ["coral-gate"]
    assert [node.value for node in document.select("mods/*")] == ["deepsong", "surveyor-kit"]
    assert [node.value for node in document.select("wait")] == ["10"]
    (mods,) = document.select("mods")
    assert mods.kind is NodeKind.LIST
    (kit,) = document.select("mods/[surveyor-kit]")
    assert document.select(document.keys.address_of(kit)) == [kit]
    assert document.keys.address_of(kit) == "mods/[surveyor-kit]"


def test_other_lines_stay_lines_and_the_comment_is_the_help_of_the_slot() -> None:
    document = read()
    assert [node.value for node in document.select("line")] == ["#!/bin/sh", "# the chart"]
    assert document.select("chart")[0].comment == "the chart"


def test_two_slots_of_one_line_stand_in_its_order_and_never_overlap() -> None:
    slots = {"b": Slot("--b={}"), "a": Slot("--a={}"), "again": Slot("run --a={}")}
    document = read_document(b"run --a=1 --b=2\n", "launch.sh", slots=slots)
    assert [(node.name, node.value) for node in document.root.children] == [("a", "1"), ("b", "2")]


@pytest.mark.parametrize(
    ("address", "words", "old", "new"),
    [
        ("chart", ("=lantern-shelf",), "coral-gate", "lantern-shelf"),
        ("wait", ("+5",), "wait=10", "wait=15"),
        ("mods", ("add", "-", "=tide-watch"), "surveyor-kit", "surveyor-kit;tide-watch"),
        ("mods/[deepsong]", ("remove",), "deepsong;", ""),
        ("mods/[surveyor-kit]", ("remove",), ";surveyor-kit", ""),
        ("mods/[deepsong]", ("=deepsong-2",), "deepsong", "deepsong-2"),
    ],
)
def test_a_slot_is_changed_and_nothing_else(address: str, words: tuple[str, ...], old: str, new: str) -> None:
    assert after(*words, address=address) == TEXT.replace(old, new, 1)


def test_what_would_break_the_list_is_refused() -> None:
    done = replay({"launch.sh": read()}, [step_from_words("launch.sh#mods", ("add", "-", "=a;b"))], read_document)
    assert "which parts the entries of mods" in done.outcomes[0].message


@pytest.mark.parametrize(
    ("at", "fault"),
    [("--mods=", "has no {}"), ("{} {}", "more than one {}"), ("{}", "no text before {}"), ("a={}", "")],
)
def test_the_form_of_a_slot_is_checked(at: str, fault: str) -> None:
    assert fault in check_form(at)
    assert bool(check_form(at)) == bool(fault)


def test_a_gamebook_names_slots() -> None:
    book = "gamebook: 1\ngame: x\nfiles:\n  launch.sh:\n    slots:\n      wait: {pattern: '--wait={}'}\n"
    gamebook, faults = read_gamebook(book.encode())
    assert gamebook is not None, faults
    assert [node.value for node in gamebook.read(TEXT.encode(), "launch.sh").select("wait")] == ["10"]
    gamebook, faults = read_gamebook(book.replace("{}", "").encode())
    assert gamebook is None
    assert "has no {} where the value is" in faults[0].message


PRICES = '# prices\nprice of rope = 5\n  price of lamp oil = "7"   # dear\ngive(ada, a;b)\ngive(bo, c)\nother line\n'
KEYED = {"price": Slot("price of {key} = {}"), "give": Slot("give({key}, {})", ";")}


def keyed(text: str, path: str = "prices.txt") -> Document:
    return read_document(text.encode(), path, slots=KEYED)


@pytest.mark.parametrize(
    ("address", "words", "old", "new"),
    [
        ("price[rope]/value", ("+3",), "rope = 5", "rope = 8"),
        ("price[lamp oil]/value", ("=9",), 'oil = "7"', 'oil = "9"'),
        ("price[rope]", ("copy", "tar"), "rope = 5\n", "rope = 5\nprice of tar = 5\n"),
        ("price[rope]", ("rename", "cord"), "of rope", "of cord"),
        ("price[rope]", ("remove",), "price of rope = 5\n", ""),
        ("price[rope]", ("comment-out",), "price of rope", "# price of rope"),
        ("", ("add", "price", "key=pitch", "value=4"), "# dear\n", '# dear\n  price of pitch = "4"   # dear\n'),
        ("give[ada]/value", ("add", "-", "=z"), "a;b)", "a;b;z)"),
        ("give[ada]/value/[a]", ("remove",), "a;b)", "b)"),
        ("give[bo]/value/[c]", ("=d",), "bo, c)", "bo, d)"),
    ],
)
def test_a_slot_with_a_key_makes_entries_of_lines(address: str, words: tuple[str, ...], old: str, new: str) -> None:
    for path in ("prices.txt", "prices.sh", "prices.py"):  # in a script they go before what its language has
        done = replay({path: keyed(PRICES, path)}, [step_from_words(f"{path}#{address}", words)], read_document)
        assert done.is_whole, done.outcomes
        assert done.documents[path].text == PRICES.replace(old, new, 1)


def test_lines_with_a_key_are_merged_by_it_and_what_is_around_is_not_lost() -> None:
    base, mine = keyed(PRICES), keyed(PRICES.replace("rope = 5", "rope = 6"))
    theirs = keyed(PRICES.replace("bo, c", "bo, c;e").replace("# dear", "# cheap"))
    merged = merge_three(base, mine, theirs)
    assert merged.conflicts == ()
    assert merged.document.text == PRICES.replace("rope = 5", "rope = 6").replace("bo, c", "bo, c;e").replace(
        "dear", "cheap"
    )


@pytest.mark.parametrize("pattern", ["{key}{}", "a {key} b", "{} {key}", "{key} {key} {}"])
def test_the_form_of_a_slot_with_a_key_is_checked(pattern: str) -> None:
    assert check_form(pattern)
