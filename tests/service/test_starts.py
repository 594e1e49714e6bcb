"""What a start and a stop leave behind: logs of every kind, evidence, files that the game writes, games that stop late."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from pytest import MonkeyPatch

from tests.quick import GAMEBOOK, Quick, QuickGame, quick_stack
from zerrit import api
from zerrit.client import ProblemError
from zerrit.work.deploy.start_watch import Verdict, Watched

MUST_LOAD = GAMEBOOK.replace("list: grounds}", "list: grounds, required: true}")


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        yield stack


@pytest.mark.parametrize("kind", ["folder", "ftp", "sftp"])
def test_a_log_that_is_overwritten_at_each_start_is_read_from_its_beginning(tmp_path: Path, kind: str) -> None:
    with quick_stack(tmp_path) as quick:
        quick.game().log_is = "overwritten"
        quick.add(kind=kind)
        log = quick.game().folder / "logs/station.log"
        log.parent.mkdir(exist_ok=True)
        log.write_text("an old log that is longer than the one of the next start\n" * 40)
        run = quick.deploy("sea/1.yml#holds=7")
        assert (run.state, run.evidence.doubts) == ("deployed", [])
        run = quick.deploy("sea/1.yml#holds=8")
        assert (run.state, run.evidence.doubts) == ("deployed", [])
        assert "read 0" in run.evidence.log
        quick.game().at_start = {"sea/0.yml": b"number: 0\nholds: 5000000\n"}
        run = quick.deploy("sea/1.yml#holds=9")
        assert "its log says: ERROR 0.yml holds too much" in run.outcome


def test_of_a_pattern_the_newest_file_is_the_log(quick: Quick) -> None:
    quick.zerrit.save_gamebook("quick", GAMEBOOK.replace("log: logs/station.log", "log: logs/station*.log"))
    quick.game().log_is = "new file"
    quick.add()
    for value in (7, 8):
        run = quick.deploy(f"sea/1.yml#holds={value}")
        assert run.state == "deployed", run.outcome
        assert "station is open" in run.evidence.log


def test_a_reload_is_not_held_against_a_full_start(quick: Quick) -> None:
    quick.add()
    assert quick.deploy("sea/1.yml#holds=7").state == "deployed"
    run = quick.deploy("live/bell.yml#volume=3")
    assert (run.evidence.in_place, run.evidence.log_gone, run.evidence.log_against) == (True, [], None)
    run = quick.deploy("sea/1.yml#holds=8")
    assert (run.evidence.log_gone, run.evidence.log_new) == ([], [])


def test_a_restart_obeys_the_rules_of_what_must_be_loaded(quick: Quick) -> None:
    quick.zerrit.save_gamebook("quick", MUST_LOAD.replace(r"read (?P<name>\S+)", r"never (?P<name>\S+)"))
    quick.add()
    run = quick.end_of(quick.zerrit.restart("reef"))
    assert "the game did not say that it loaded 0, 1" in run.outcome
    assert (run.state, quick.game().state) == ("rolled-back", "running")
    assert "does not come up" not in run.outcome


def test_the_way_back_is_judged_by_what_the_old_files_load(quick: Quick) -> None:
    quick.zerrit.save_gamebook("quick", MUST_LOAD)
    quick.add()
    change = quick.change("sea/1.yml#holds=5000000")
    quick.zerrit.add_step(change, api.StepIn(kind="put-file", address="sea/zz.yml", content="number: 99\nholds: 1\n"))
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "rolled-back", run.outcome
    assert "zz" not in run.outcome.split("It ended at")[0]


def test_a_game_that_stops_late_is_started_again(quick: Quick) -> None:
    quick.add(patience=0.3, settle=1.5)
    quick.game().stop_takes = 0.9
    run = quick.deploy("sea/1.yml#holds=7")
    assert run.outcome.startswith("Nothing was written. It ended at stop: the game did not stop within 0.3 s.")
    assert quick.game().state == "running", "it stopped after the run had given up, and was started again"
    assert b"holds: 0" in quick.files()["sea/1.yml"]


def test_the_patience_of_the_server_holds_at_the_stop(tmp_path: Path) -> None:
    with quick_stack(tmp_path, patience=0.2) as quick:
        quick.add(patience=8)
        quick.game().stop_takes = 1.0
        assert quick.deploy("sea/1.yml#holds=7").state == "deployed"


def test_what_the_game_writes_when_it_stops_is_not_drift(quick: Quick) -> None:
    quick.add()
    quick.game().at_stop = {"sea/2.yml": b"number: 2\nholds: 0\nvisits: 14\n"}
    run = quick.deploy("sea/2.yml#holds=7")
    assert (run.state, run.evidence.drifted) == ("deployed", []), run.outcome
    assert "sea/2.yml" in run.evidence.written_at_stop
    assert quick.files()["sea/2.yml"] == b"number: 2\nholds: 7\nvisits: 14\n"
    with pytest.raises(ProblemError, match="reef"):
        quick.zerrit.drift("reef")


def test_what_another_person_wrote_before_the_stop_is_drift(quick: Quick) -> None:
    quick.add()
    change = quick.change("sea/1.yml#holds=7")
    (quick.game().folder / "sea/3.yml").write_text("number: 3\nholds: 33\n")
    run = quick.end_of(quick.zerrit.deploy(change))
    assert (run.evidence.drifted, run.evidence.written_at_stop) == (["sea/3.yml"], ["station.ini"])
    before = next(one for one in quick.zerrit.snapshots("reef") if one.id == run.before)
    assert not before.is_good, "no one saw the game come up with these files"


def test_what_the_host_packs_at_the_start_is_not_drift(quick: Quick) -> None:
    quick.add()
    quick.game().at_start = {"packs/sea.txt": b"packed anew"}
    run = quick.deploy("sea/1.yml#holds=7")
    assert (run.state, run.evidence.written_at_start) == ("deployed", ["packs/sea.txt"])
    assert not quick.zerrit.fetch("reef").is_new
    with pytest.raises(ProblemError, match="reef"):
        quick.zerrit.drift("reef")


@pytest.mark.parametrize("kind", ["folder", "ftp"])
def test_what_a_failed_start_wrote_is_kept_before_it_is_removed(tmp_path: Path, kind: str) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add(kind=kind)
        big = b"head" + b"\0" * (9 << 20) + b"the end"
        quick.game().at_start = {
            "core.4711": b"\x7fdump",
            "sea/3.yml": b"number: 3\nholds: 33\n",
            "logs/trace.txt": b"bulkhead 4 gave way\n",
            "logs/huge.dump": big,
        }
        run = quick.deploy("sea/1.yml#holds=5000000")
        assert run.state == "rolled-back", run.outcome
        kept = {file.path: file for file in run.evidence_files}
        crash = next(path for path in kept if path.startswith("crashes/"))
        assert kept.keys() >= {"core.4711", "sea/3.yml", "logs/trace.txt", "logs/station.log", "logs/huge.dump", crash}
        assert (kept["core.4711"].kind, kept["sea/3.yml"].kind) == ("added", "changed")
        assert quick.zerrit.evidence_file(run.id, "core.4711") == b"\x7fdump"
        assert quick.zerrit.evidence_file(run.id, "logs/trace.txt") == b"bulkhead 4 gave way\n"
        assert quick.zerrit.evidence_file(run.id, "logs/huge.dump") == big[-(1 << 20) :]
        assert kept["logs/huge.dump"].note == f"only the last {1 << 20:,} of {len(big):,} bytes are kept"
        with pytest.raises(ProblemError, match="has no evidence file"):
            quick.zerrit.evidence_file(run.id, "sea/1.yml.old")


def test_a_crash_file_that_is_finished_late_is_in_the_evidence(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    """The log says that the game died before its crash file is complete; the game has stopped when it is looked for again."""
    quick.add()
    started, seen, watching = Watched.start, Watched.crashes_since, threading.Event()

    def start(self: Watched, *given: Any, **more: Any) -> Verdict:
        watching.set()
        try:
            return started(self, *given, **more)
        finally:
            watching.clear()

    monkeypatch.setattr(Watched, "start", start)
    monkeypatch.setattr(Watched, "crashes_since", lambda self, before: () if watching.is_set() else seen(self, before))
    run = quick.deploy("sea/2.yml#holds=6000000")
    assert run.state == "rolled-back"
    assert len(run.evidence.crash_files) == 1


def test_the_log_is_seen_while_the_game_starts(quick: Quick) -> None:
    quick.add()
    quick.workspace.settle = 1.5
    change = quick.change("sea/1.yml#holds=6")
    run = quick.zerrit.deploy(change)
    seen = ""
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        now = quick.zerrit.run(run.id)
        if now.state != "running":
            break
        seen = now.live_log or seen
        time.sleep(0.1)
    assert "station is open" in seen
    done = quick.zerrit.run(run.id)
    assert (done.state, done.live_log) == ("deployed", "")


def test_a_log_with_colours_for_a_terminal_is_judged_as_people_read_it(quick: Quick, monkeypatch: MonkeyPatch) -> None:
    plain = QuickGame._log

    def coloured(game: QuickGame, text: str) -> None:
        plain(game, f"\x1b[1;32m{text[:3]}\x1b[0m{text[3:]}")

    monkeypatch.setattr(QuickGame, "_log", coloured)
    quick.add()
    run = quick.deploy("sea/1.yml#holds=5")
    assert run.state == "deployed"
    assert "station is open" in run.evidence.log
    assert "\x1b" not in run.evidence.log
