"""Paths that stay inside, and the nearest right name."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zerrit.core.errors import PathRefused
from zerrit.core.nearest import did_you_mean, nearest
from zerrit.core.paths import safe_path
from zerrit.core.wildcards import path_matches
from zerrit.core.wording import counted, sentence


@pytest.mark.parametrize("path", ["a.xml", "sea/finds.xml", "b é.txt", "a..b/c", ".hidden", "a/...b"])
def test_a_path_inside_is_itself(path: str) -> None:
    assert safe_path(path) == path


@pytest.mark.parametrize(
    "path", ["", "/a", "..", "a/../b", "a/..", "./a", "a//b", "a/", "a\\b", "c:", "C:/a", "a\nb", "a\0b", "\x7f"]
)
def test_a_path_that_leads_elsewhere_is_refused(path: str) -> None:
    with pytest.raises(PathRefused, match="leaves the server's folder or is not a file name"):
        safe_path(path)


@given(st.text(max_size=30))
def test_no_accepted_path_climbs(path: str) -> None:
    try:
        accepted = safe_path(path)
    except PathRefused:
        return
    assert not accepted.startswith("/")
    assert ".." not in accepted.split("/")


@pytest.mark.parametrize(
    ("pattern", "path", "fits"),
    [
        ("sea/*.xml", "sea/finds.xml", True),
        ("sea/*.xml", "sea/a/finds.xml", False),
        ("**/*.xml", "finds.xml", True),
        ("**/*.xml", "sea/a/finds.xml", True),
        ("logs/**", "logs/a/b.log", True),
        ("logs/**", "log", False),
        ("a?.txt", "ab.txt", True),
        ("a?.txt", "a/.txt", False),
        ("a.txt", "axtxt", False),
        ("a[1].txt", "a[1].txt", True),
    ],
)
def test_a_pattern_fits_whole_paths(pattern: str, path: str, fits: bool) -> None:
    assert path_matches(pattern, path) is fits


KNOWN = ["Ribbonweed Flats", "Lantern Meadow", "Saltgrass Reach", "Night", "Day"]


@pytest.mark.parametrize(
    ("word", "name"),
    [
        ("Ribbonwed Flats", "Ribbonweed Flats"),
        ("ribbonweed  flats", "Ribbonweed Flats"),
        ("RibbonweedFlats", "Ribbonweed Flats"),
        ("Nigth", "Night"),
        ("day", "Day"),
    ],
)
def test_the_nearest_name_is_proposed(word: str, name: str) -> None:
    assert nearest(word, KNOWN)[0] == name
    assert did_you_mean(word, KNOWN) == f"Did you mean '{name}'?"


def test_a_word_that_is_near_to_nothing_gets_no_proposal() -> None:
    assert nearest("Trench", ["Bus", "Duty"]) == ()
    assert did_you_mean("Trench", []) == ""


def test_a_sentence_ends_in_one_full_stop() -> None:
    assert [sentence(text) for text in ("it broke", "Try again.", "Is it up?")] == [
        "it broke.",
        "Try again.",
        "Is it up?",
    ]


def test_counts_are_worded() -> None:
    assert [counted(n, "file") for n in (0, 1, 2, 1200)] == ["0 files", "1 file", "2 files", "1,200 files"]
