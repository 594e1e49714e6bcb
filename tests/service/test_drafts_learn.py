"""What drafts learn from other servers with the same gamebook, and from changes that were rolled back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.quick import TOO_MUCH, Quick, quick_stack
from tests.zips import zipped
from zerrit.core.checks.draft_exceptions import exceptions_in
from zerrit.core.gamebooks import read_gamebook


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path, games=("reef", "cove")) as stack:
        yield stack


def test_a_value_that_was_rolled_back_is_warned_of(quick: Quick) -> None:
    client = quick.zerrit
    for name in ("reef", "cove"):
        quick.add(name)
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    assert "rolled back" not in client.draft_gamebook("reef").text
    warned = quick.files("reef") | {"bells.ini": b"[Bells]\n; Above 6 no one sleeps.\nLoud=4\n"}
    client.import_defaults("reef", "2", zipped(warned))
    assert "Above 6 no one sleeps" in client.draft_gamebook("reef").text, "there is advice already"
    run = quick.deploy(f"sea/1.yml#holds={TOO_MUCH}", name="cove")
    assert run.state == "rolled-back"
    text = client.draft_gamebook("reef").text
    assert f"change {quick.zerrit.changes('cove')[0].id} of cove" in text
    (found,) = [one for one in client.suggestions("reef") if "5000000" in one.rule.text]
    assert found.evidence.startswith("change ")
    assert client.suggestions("cove") == [], "it has no defaults to draft from"
    client.decide("reef", [found.id], accept=True)
    change = quick.change(f"sea/1.yml#holds={TOO_MUCH}", name="reef")
    said = [one.message for one in client.check(change).findings if one.code == "meaning.advice"]
    assert len(said) == 1
    assert f"{TOO_MUCH} was rolled back on cove on " in said[0]
    assert quick.deploy("sea/1.yml#holds=7", name="cove").state == "deployed"
    assert "rolled back" in client.draft_gamebook("reef").text


def test_what_does_not_fit_on_another_server_is_told_with_each_rule(quick: Quick) -> None:
    client = quick.zerrit
    for name in ("reef", "cove"):
        quick.add(name)
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    day = [one for one in client.suggestions("reef") if "DayLength" in one.rule.text]
    assert [one.evidence.count("exception") for one in day] == [0]
    assert quick.deploy("station.ini#World/DayLength=96000", name="cove").state == "deployed"
    (told,) = [one for one in client.suggestions("reef") if "DayLength" in one.rule.text]
    assert told.evidence.endswith("; 1 exception in cove")
    assert told.elsewhere == 1
    assert client.suggestions("reef")[-1].id == told.id, "what does not fit everywhere comes last"
    assert told.exceptions == [], "here it holds"


def test_the_files_of_a_server_beside_the_defaults_by_command(tmp_path: Path) -> None:
    for name, amber in (("defaults", 3), ("north", 30_000)):
        (tmp_path / name).mkdir()
        text = f"stall:\n  amber: {amber}\n  birch: 4\n  cedar: 5\n"
        (tmp_path / name / "stall.yml").write_text(text)
    drafted = zerrit("gamebook", "draft", "defaults", "--server-files", "north", cwd=tmp_path)
    (line,) = [line for line in drafted.out.splitlines() if "amber" in line]
    assert line.endswith("; 1 exception in north")
    assert drafted.out.count("exception") == 1


BARE = "gamebook: 1\ngame: quick\nignore: [logs/**, crashes/**]\n"


def test_the_logs_of_starts_say_when_a_game_is_ready_what_means_trouble_and_what_it_read(quick: Quick) -> None:
    client = quick.zerrit
    quick.add("reef")
    client.save_gamebook("quick", BARE)
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    for value in (3, 4):
        assert quick.deploy(f"sea/1.yml#holds={value}").state == "deployed"
    assert quick.deploy(f"sea/2.yml#holds={TOO_MUCH}").state == "rolled-back", "the game was seen to go down"
    guesses = {one.rule.text: one for one in client.suggestions("reef") if one.rule.part == "guesses"}
    assert sorted(guesses) == sorted(
        [
            "the log names each of files of sea.yml in a line that fits `read (?P<name>\\S+?)$`",
            "the game writes its log to logs/station.log",
            "a line of the log that fits `station is open` says that the game is ready",
            "a line of the log that fits `station closed` says that the game has stopped",
            "the game writes station.ini automatically when it stops",
            "a line of the log that fits `\\bERROR\\b` means trouble",
        ]
    )
    ready = guesses["a line of the log that fits `station is open` says that the game is ready"]
    assert ready.evidence == "in 2 of 2 good starts, in none of 1 failed one; confidence 0.750"
    assert ready.rule.severity is None, "a guess judges nothing"

    client.decide("reef", [one.id for one in guesses.values()], accept=True)
    text = client.gamebook_text("quick").text
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    trouble = book.rules.trouble
    assert (trouble.log, trouble.ready_pattern, trouble.closed_pattern) == (
        "logs/station.log",
        "station is open",
        "station closed",
    )
    assert trouble.log_patterns == ("\\bERROR\\b",)
    assert book.is_rewritten("station.ini")
    assert [one for one in client.suggestions("reef") if one.rule.part == "guesses"] == []
    quick.misbehave(silent=True)
    assert "did not say that it is ready" in quick.deploy("sea/3.yml#holds=2").outcome


def test_nothing_follows_from_the_guesses_of_a_draft(quick: Quick) -> None:
    client = quick.zerrit
    quick.add("reef")
    client.save_gamebook("quick", BARE)
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    assert quick.deploy("sea/1.yml#holds=3").state == "deployed"
    draft = client.draft_gamebook("reef").text
    assert "station is open" in draft
    client.save_gamebook("quick", draft)
    quick.misbehave(silent=True)
    assert quick.deploy("sea/1.yml#holds=5").state == "deployed"
    (ready,) = [one for one in client.suggestions("reef") if "is ready" in one.rule.text]
    client.decide("reef", [ready.id], accept=False)
    assert "is ready" not in str([one.rule.text for one in client.suggestions("reef")])
    text = client.gamebook_text("quick").text
    assert "ready_pattern" not in text.split("rejected:")[0], "a guess that was rejected is gone"


def test_a_value_that_was_confirmed_in_the_game_counts_as_one_that_holds(quick: Quick) -> None:
    client = quick.zerrit
    quick.add("reef")
    client.import_defaults("reef", "1", zipped(quick.files("reef")))
    (day,) = [one for one in client.suggestions("reef") if "DayLength" in one.rule.text]
    assert "to 770" in day.rule.text
    change = quick.change("station.ini#World/DayLength=9000", "sea/1.yml#holds=2")
    assert quick.end_of(client.deploy(change)).state == "deployed"
    (look,) = client.change(change).checklist
    client.answer_checklist(change, look.id, True)
    assert client.change(change).state == "confirmed"
    (day,) = [one for one in client.suggestions("reef") if "DayLength" in one.rule.text]
    assert "to 72000" in day.rule.text.replace(",", "")


def test_a_file_of_a_server_that_cannot_be_read_is_told_with_each_rule_on_it(tmp_path: Path) -> None:
    for name, text in (("defaults", '{"amber": 3, "birch": 4}'), ("north", '{"amber": 3, "birch": }')):
        (tmp_path / name).mkdir()
        (tmp_path / name / "stall.json").write_text(text)
    drafted = zerrit("gamebook", "draft", "defaults", "--server-files", "north", cwd=tmp_path)
    (line,) = [line for line in drafted.out.splitlines() if "amber" in line]
    assert line.endswith("; not held against north, where stall.json has an error")
    assert exceptions_in(line) == 1, "it is no rule without exceptions"
