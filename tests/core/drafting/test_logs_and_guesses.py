"""What a draft guesses of a game: from logs of good and failed starts, and from what files say of themselves."""

from __future__ import annotations

import re
import time

import pytest

from zerrit.core.drafting import Guess, KeptLog, draft
from zerrit.core.drafting.comment_inference import effect_in, said_in, said_of_file
from zerrit.core.drafting.log_inference import learn_from_logs
from zerrit.core.expressions import compile_pattern
from zerrit.core.gamebooks import read_gamebook
from zerrit.core.units import as_plain_number

WARES = {"jars": frozenset(("jug", "bowl", "plate", "cup"))}


def learned(good: list[str], failed: list[str], names: list[str] | None = None) -> dict[str, Guess]:
    paths = names or [""] * (len(good) + len(failed))
    logs = [
        KeptLog(text, number < len(good), path)
        for number, (text, path) in enumerate(zip([*good, *failed], paths, strict=True))
    ]
    return {one.at[-1]: one for one in learn_from_logs(logs, WARES, ["wares.json", "helpers.yml", "old/helpers.yml"])}


@pytest.mark.parametrize(
    "stamp",
    [
        "",
        "[20:01:0{}] ",
        "2026-11-29 20:01:0{} | ",
        "[2026-11-2{}T20:01:02.113Z] ",
        "Nov 2{} 20:01:02 ",
        "Sun, 2{} Nov 2026 8:01:02 PM - ",
    ],
)
def test_times_before_lines_are_no_part_of_them(stamp: str) -> None:
    lines = ["Kiln 3.1 begins", "ovens: 4", "The kiln is open, potters may come", "a potter came: 17"]
    good = ["\n".join(stamp.format(number) + line for line in lines) for number in (1, 2, 3)]
    failed = ["\n".join(stamp.format(5) + line for line in [*lines[:2], "FATAL no wood in oven 3"])]
    found = learned(good, failed)
    assert found["ready_pattern"].content == "The kiln is open, potters may come"
    assert found["ready_pattern"].evidence == "in 3 of 3 good starts, in none of 1 failed one"
    assert found["log_patterns"].content == r"\bFATAL\b"


def test_lines_of_json_are_lines() -> None:
    good = ['{"t": "2026-11-29T20:01:02Z", "msg": "Accepting players on port 7777"}\n{"msg": "1 came"}'] * 2
    found = learned(good, ['{"t": "2026-11-29T20:01:02Z", "level": "ERROR", "msg": "port in use"}'])
    pattern = compile_pattern(str(found["ready_pattern"].content))
    assert pattern.search('{"t": "2026-12-01T07:00:00Z", "msg": "Accepting players on port 7778"}')
    assert not pattern.search('{"t": "2026-12-01T07:00:00Z", "msg": "Accepting nobody on port 7778"}')


def test_of_several_lines_the_last_one_is_the_one_that_says_ready() -> None:
    good = [
        "shop is open\nwood is ready\nThe house has started\nkiln is open",
        "shop is open\nwood is ready\nkiln is open",
    ]
    assert learned(good, [])["ready_pattern"].content == "kiln is open", "the other line is not in both"


def test_of_a_file_with_several_starts_the_last_one_counts() -> None:
    start = "[20:0{0}:02] Kiln 3.{0} begins\n[20:0{0}:03] ovens: {0}\n[20:0{0}:05] kiln is open\n"
    closed = "[20:0{0}:09] kiln closed\n"
    good = "".join(start.format(number) + closed.format(number) for number in range(4)) + start.format(5)
    failed = start.format(1) + closed.format(1) + "[21:01:02] Kiln 3.1 begins\n[21:01:03] ovens: 1\nFATAL no wood\n"
    found = learned([good], [failed])
    assert found["ready_pattern"].content == "kiln is open"
    assert found["ready_pattern"].evidence == "in 1 of 1 good start, in none of 1 failed one"
    assert (found["closed_pattern"].content, found["closed_pattern"].evidence) == (
        "kiln closed",
        "the last line of 2 logs",
    )
    assert found["log_patterns"].content == r"\bFATAL\b"


@pytest.mark.parametrize(
    "line", ["the kiln is not ready", "waiting until the kiln is open", "could not open", "4 jugs made", "ready ready"]
)
def test_other_lines_do_not_say_ready(line: str) -> None:
    good = [f"begins\n{line}\n"] * 3
    if line == "ready ready":
        good = ["ready\nready\n"] * 3  # one that comes twice may come before the game is ready
    assert "ready_pattern" not in learned(good, [])


def test_a_game_that_is_ready_and_fails_then_is_told_so() -> None:
    found = learned(["kiln is open\n"] * 2, ["kiln is open\nFATAL the roof fell\n"])
    assert found["ready_pattern"].evidence == "in 2 of 2 good starts, in 1 of 1 failed one"


def test_a_line_that_no_failed_start_has_tells_more() -> None:
    found = learned(["kiln is open\nbell is ready\n"] * 2, ["bell is ready\nFATAL the roof fell\n"])
    assert found["ready_pattern"].content == "kiln is open"


def test_a_word_for_trouble_that_good_starts_say_too_is_none() -> None:
    good = ["ERROR no sponsor, going on without\nkiln is open\n"] * 2
    found = learned(good, ["ERROR no sponsor, going on without\ncannot read wares.json: line 3 is no ware\n"])
    assert found["log_patterns"].content == "cannot read"
    assert found["log_patterns"].evidence == "in 1 of 1 failed start, in none of 2 good ones"
    assert "log_patterns" not in learned(good, ["ERROR no sponsor, going on without\n"])
    assert "log_patterns" not in learned([], ["FATAL no wood\n"]), "no good start says what is no trouble"


def test_things_that_are_named_one_by_one_are_what_was_loaded() -> None:
    lines = [f"ware {name} ({price} coins)" for name, price in (("jug", 4), ("bowl", 6), ("plate", 9), ("cup", 2))]
    found = learned(["\n".join([*lines, "kiln is open", "a potter takes jug"])], [])
    assert found["loaded"].content == {"line": r"ware (?P<name>\S+?) \(\d+ coins\)$", "list": "jars"}
    assert found["loaded"].evidence == "4 of 4 words in 1 log"
    assert "loaded" not in learned(["\n".join(lines[:2])], []), "two are chance"
    mixed = ["made jug.", "made bowl, twice", "made plate", "made cup"]
    pattern = str(learned(["\n".join(mixed)], [])["loaded"].content["line"])
    assert [re.search(pattern, line)["name"] for line in mixed[1:]] == ["bowl", "plate", "cup"]  # type: ignore[index]


@pytest.mark.parametrize(
    ("paths", "expected"),
    [
        (["logs/kiln.log"] * 3, "logs/kiln.log"),
        (["logs/2026-11-27.log", "logs/2026-11-28.log", "logs/2026-11-29_2.log"], "logs/*.log"),
        (["logs/kiln-1.log", "logs/kiln-2.log", "logs/kiln-13.log"], "logs/kiln-*.log"),
        (["logs/kiln.log", "logs/chat.log", "logs/kiln.log"], None),
    ],
)
def test_where_the_log_is(paths: list[str], expected: str | None) -> None:
    found = learned(["a\n", "b\n"], ["c\n"], paths)
    assert (found["log"].content if "log" in found else None) == expected


def test_files_that_the_game_says_it_read_again() -> None:
    found = learned(["kiln is open\nreloaded wares.json (4 wares)\nreload of helpers.yml failed\n"], [])
    assert [one for one in found.values() if one.at[-1] == "takes_effect"] == [
        Guess(("files", "wares.json", "takes_effect"), "reload", "in 1 line of the log")
    ]
    assert "takes_effect" not in learned(["kiln is open\nreloaded helpers.yml\n"], []), "two files have that name"
    assert learned(["reloaded old/helpers.yml\n"], [])["takes_effect"].at == (
        "files",
        "old/helpers.yml",
        "takes_effect",
    )


def test_the_cost_of_a_large_log_is_bounded() -> None:
    text = "".join(f"[20:00:{number % 60:02}] (((((jug {number}\n" for number in range(200_000)) + "x" * 1_000_000
    began = time.perf_counter()
    learned([text, text + "\nkiln is open"], ["a" * 3_000_000 + " [" * 1000])
    assert time.perf_counter() - began < 30


# --- comments ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("comment", "unit"),
    [
        ("Seconds between two firings", "seconds"),
        ("delay in ms", "milliseconds"),
        ("Range (metres), 0 to 90", "metres"),
        ("how many minutes a potter waits", "minutes"),
        ("Wait; seconds", "seconds"),
        ("Share of broken jugs, %", "percent"),
        ("in seconds or in minutes", ""),
        ("how many jar(s)", ""),
        ("the second oven", ""),
        ("30 s at most", ""),
    ],
)
def test_units_that_a_comment_names(comment: str, unit: str) -> None:
    assert said_in([comment], ["40"]).unit == unit
    assert said_in([comment], ["forty"]).unit == "", "what is no number counts nothing"


@pytest.mark.parametrize(
    ("comment", "effect"),
    [
        ("Takes effect at the next reload", "reload"),
        ("a reload is enough", "reload"),
        ("A reload is not enough", ""),
        ("only for new worlds", "new world"),
        ("Needs a restart", "restart"),
        ("players must rejoin", "rejoin"),
        ("takes effect after a map change", "map change"),
        ("Needs a restart. Players must rejoin", ""),
    ],
)
def test_when_a_comment_says_that_a_value_takes_effect(comment: str, effect: str) -> None:
    assert effect_in(comment) == effect


def test_what_a_file_says_of_itself() -> None:
    said = said_of_file(["The game writes this file anew", "when it stops; edits made meanwhile are lost."])
    assert said.written_said == "The game writes this file anew when it stops"
    assert said_of_file(["The game never writes this file when it stops."]).written_said == ""
    assert said_of_file(["Changes take effect after a reload."]).takes_effect == "reload"
    assert said_of_file(["A change of the ovens takes effect after a reload."]).takes_effect == ""


def test_a_number_with_another_unit_than_its_field_has() -> None:
    assert as_plain_number("5 min", "seconds") == "300"
    assert as_plain_number("250ms", "seconds") == "0.25"
    assert as_plain_number("1 h", "days") == "", "it is no exact number of days"
    assert as_plain_number("5 km", "metres") == "5000"
    assert as_plain_number("5 km", "seconds") == ""
    assert as_plain_number("5 mb", "kilobytes") == "", "games do not agree how many that is"
    assert as_plain_number("9" * 10_000 + " s", "minutes") == ""


# --- drafts -----------------------------------------------------------------------------------------------------------

OLD = {"kiln.ini": b"; This file is written by the game\n; when it stops.\n[fire]\n; Seconds, 10 to 600\npause = 40\n"}
NEW = {"kiln.ini": OLD["kiln.ini"] + b"; How hot it gets (degrees)\nheat = 900\n"}


def test_a_draft_has_units_defaults_of_versions_and_guesses() -> None:
    text = draft([OLD, NEW], "kiln", "1 and 2", guesses=[Guess(("ignore",), "x/**", "seen\n# twice", True)])
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    fields = book.rules.files["kiln.ini"].entries["fire"].fields
    assert (fields["pause"].unit, fields["pause"].min, fields["pause"].max) == ("seconds", 10, 600)
    assert (fields["heat"].unit, fields["heat"].default) == ("degrees", "900")
    assert fields["heat"].note == "How hot it gets (degrees)"
    assert fields["pause"].default == "", "all versions have it"
    assert [one.sentence() for one in book.rules.guesses] == [  # type: ignore[attr-defined]
        "ignore is x/**",
        "the game writes kiln.ini automatically when it stops",
    ]
    assert not book.is_rewritten("kiln.ini"), "a guess has no effect"
    gone = draft([NEW, OLD], "kiln", "2 and 1")
    assert 'default: "900"' in gone
    assert "Only an older version ships it." in gone


@pytest.mark.parametrize(
    ("guess", "said"),
    [
        ("{at: [trouble, log]}", "A guess needs either `value` or `add`."),
        ("{at: [trouble, log], value: a, add: b}", "A guess needs either `value` or `add`."),
        ("{at: [trouble, logg], value: a}", "there is no such key"),
        ("{at: [trouble, ready_pattern], value: '('}", "trouble / ready_pattern"),
        ("{at: [trouble, loaded], add: {line: '(?P<name>a)', list: none}}", "there is no list `none`"),
        ("{at: [], value: a}", "at"),
        ("{at: [gamebook], value: 7}", "gamebook"),
    ],
)
def test_a_guess_that_would_make_no_gamebook_is_a_fault(guess: str, said: str) -> None:
    book, faults = read_gamebook(f"gamebook: 1\ngame: kiln\nguesses:\n  - {guess}\n".encode())
    assert book is None
    assert said in faults[0].message
    assert faults[0].line == 4
