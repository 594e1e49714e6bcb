"""What drafts hear of comments, the two ends of a range by their names, settings of scripts, and switches with settings behind them."""

from __future__ import annotations

from decimal import Decimal

import pytest

from zerrit.core.checks import check_files_of, gather_files
from zerrit.core.drafting import draft
from zerrit.core.drafting.comment_inference import Said, said_in
from zerrit.core.gamebooks import Gamebook, read_gamebook


def said(comment: str, *values: str) -> Said:
    return said_in([comment], values)


@pytest.mark.parametrize(
    ("comment", "value", "least", "most"),
    [
        ("Strength from 1 to 12; above 8 boats sink.", "4", 1, 12),
        ("minutes (5 to 240)", "30", 5, 240),
        ("between 0.5 and 2", "1", "0.5", 2),
        ("range 1-10", "5", 1, 10),
        ("Allowed: -5..5", "0", -5, 5),
        ("at most 64", "20", None, 64),
        ("min 2, max 8", "4", 2, 8),
        ("1 = default, 0 to 10", "1", 0, 10),
        ("5-10", "7", 5, 10),
    ],
)
def test_limits_are_heard(comment: str, value: str, least: object, most: object) -> None:
    found = said(comment, value)
    assert (found.least, found.most) == tuple(None if one is None else Decimal(str(one)) for one in (least, most))


@pytest.mark.parametrize(
    ("comment", "value"),
    [
        ("from 23:00 to 07:00", "5"),
        ("it takes 5 to 10 minutes", "7"),
        ("from 1 to 12, at night from 2 to 6", "4"),
        ("from 1 to 3", "4"),
        ("between 3 and 3", "3"),
        ("10% to 20%", "15"),
        ("see page 4", "4"),
        ("", "4"),
    ],
)
def test_what_may_mean_something_else_is_not(comment: str, value: str) -> None:
    assert said(comment, value) == Said()


@pytest.mark.parametrize(
    ("comment", "value", "words"),
    [
        ("one of: mild, hard, wild", "mild", ("mild", "hard", "wild")),
        ("red | green | blue", "green", ("red", "green", "blue")),
        ("either hot or cold", "cold", ("hot", "cold")),
        ("one of: mild, hard", "wild", ()),
        ("allowed are words of your own choice", "wild", ()),
        ("red | green and amber | blue", "green", ()),
    ],
)
def test_words_are_heard(comment: str, value: str, words: tuple[str, ...]) -> None:
    assert said(comment, value).words == words


@pytest.mark.parametrize(
    ("comment", "value", "default"),
    [
        ("minutes, default 30", "45", "30"),
        ("Default: 0.5. Less is slower.", "1", "0.5"),
        ("1 = default, 0 to 10", "2", "1"),
        ("12 is the default", "9", "12"),
        ("true (default) or false", "false", "true"),
        ("one of: mild, hard; default is mild", "hard", "mild"),
        ("default 30, at night default 10", "20", ""),
        ("default is on Mondays", "4", ""),
        ("the default map", "Island", ""),
        ("by default 5 % are lost", "4", ""),
        ("default 10:30", "4", ""),
    ],
)
def test_a_default_is_heard(comment: str, value: str, default: str) -> None:
    assert said(comment, value).default == default


@pytest.mark.parametrize(
    ("comment", "value", "warned"),
    [
        ("1 is as shipped. Above 3 the nets tear.", "1", [("value > 3", "Above 3 the nets tear")]),
        ("below 0.5 no one comes", "2", [("value < 0.5", "below 0.5 no one comes")]),
        (
            "more than 12 boats sink the pier; under 2 it is idle",
            "4",
            [("value > 12", "more than 12 boats sink the pier"), ("value < 2", "under 2 it is idle")],
        ),
        ("Above 3 the nets tear.", "5", []),
        ("not above 3", "2", []),
        ("above 3:00 it is dark", "1", []),
        ("above 3 and below 9 it is loud", "4", []),
        ("it hangs above the door", "4", []),
        ("above {x} 3", "1", []),
    ],
)
def test_warnings_are_heard(comment: str, value: str, warned: list[tuple[str, str]]) -> None:
    assert [(one.condition, one.sentence) for one in said(comment, value).warned] == warned


def test_defaults_and_warnings_are_in_the_draft() -> None:
    files = {"set.yml": b"pier:\n  boats: 4  # default 6; more than 12 sink it\n  lamps: 3\n"}
    book = book_of(files)
    assert book.rules.files["set.yml"].entries["pier"].fields["boats"].default == "6"
    assert codes(book, files) == []
    assert codes(book, {"set.yml": files["set.yml"].replace(b"4", b"13")}) == [("meaning.advice", 2)]


def test_several_comments_say_nothing_for_all() -> None:
    assert said_in(["from 1 to 5", "from 1 to 9"], ["4"]) == Said()


STORMS = """\
storms:
  enabled: false
  strength: 4  # from 1 to 12
  every: 30
bands:
  - {id: a, min_depth: 2, max_depth: 9}
  - {id: b, min_depth: 4, max_depth: 4}
"""


def book_of(*trees: dict[str, bytes]) -> Gamebook:
    text = draft(list(trees), "g", "1").replace("drafted:", "# drafted:", 1)
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    return book


def codes(book: Gamebook, files: dict[str, bytes], before: dict[str, bytes] | None = None) -> list[tuple[str, int]]:
    old = gather_files(before, book).documents if before is not None else None
    return [(one.code, one.line) for one in check_files_of(gather_files(files, book), book, before=old).findings]


def test_a_draft_has_limits_ends_and_gates() -> None:
    files = {"set.yml": STORMS.encode()}
    book = book_of(files)
    assert codes(book, files) == []
    assert codes(book, {"set.yml": STORMS.replace("strength: 4", "strength: 13").encode()}) == [("meaning.range", 3)]
    swapped = STORMS.replace("min_depth: 2, max_depth: 9", "min_depth: 9, max_depth: 2").encode()
    assert ("meaning.must", 6) in codes(book, {"set.yml": swapped})
    faster = {"set.yml": STORMS.replace("every: 30", "every: 20").encode()}
    assert codes(book, faster) == []
    assert codes(book, faster, before=files) == [("meaning.gate", 4)]


def test_a_setting_of_a_script_that_two_versions_have_has_to_be_there() -> None:
    head = b"-- The mill\nlocal Mill = require('base')\n\nMill.Stones = {\n  north = { speed = 9 },\n}\n"
    old, new = (
        head + b"Mill.Hands = 9\nMill.Night = false\n",
        head + b"Mill.Hands = 10\nMill.Night = true\nMill.Bell = 3\n",
    )
    one, both = book_of({"m.lua": new}), book_of({"m.lua": old}, {"m.lua": new})
    broken = {"m.lua": new.replace(b"= 10", b"= ten")}
    assert codes(one, broken) == []
    assert [code for code, _ in codes(both, broken)] == ["meaning.missing-field"]
    assert codes(both, {"m.lua": new.replace(b"Mill.Bell = 3\n", b"")}) == []
