"""Mistakes put into the demo world: how many are found, at their true place, with and without a written gamebook."""

from __future__ import annotations

import pytest

from fuzzing.mistakes import Bench, World, entries_of, false_alarms, mistakes, read
from zerrit.core.drafting import draft
from zerrit.demo.world_files import default_files, gamebook, next_default_files

OLD, NEW = default_files(), next_default_files()
TABLE = mistakes(World(OLD), seed=5)


def test_the_table_holds_two_hundred_mistakes_over_all_notes_that_a_check_can_see() -> None:
    assert len(TABLE) >= 200
    notes = {mistake.note for mistake in TABLE}
    seen = {
        "2",
        "6",
        "7",
        "8",
        "9",
        "10",
        "11",
        "12",
        "14",
        "15",
        "16",
        "17",
        "18",
        "19",
        "20",
        "21",
        "22",
        "23",
        "25",
        "27",
        "28",
    }
    assert seen <= notes


@pytest.mark.parametrize(
    ("book", "least"),
    [
        pytest.param(gamebook(), 0.95, id="the demo gamebook"),
        pytest.param(draft([OLD], "fathomline", "2.1").encode(), 0.80, id="a draft alone"),
    ],
)
def test_mistakes_are_found_at_their_true_place(book: bytes, least: float) -> None:
    bench = Bench(OLD, read(book))
    missed = [mistake.title for mistake in TABLE if not mistake.is_found(bench.new_findings(mistake))]
    assert len(missed) <= (1 - least) * len(TABLE), missed


def test_nothing_is_found_in_the_untouched_world() -> None:
    assert false_alarms(OLD, read(gamebook())) == 0
    book = read(draft([OLD], "fathomline", "2.1").encode())
    assert false_alarms(OLD, book) == 0
    assert false_alarms(NEW, book) <= 0.01 * entries_of(NEW)
