"""Runs from beginning to end: going on after a stop, cancelling, manually, in place, announcements, rehearsals."""

from __future__ import annotations

import io
import os
import re
import sys
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from fastapi import HTTPException

from tests.quick import ADMIN, GAMEBOOK, PASSWORD, SECRET, Quick, quick_stack, running_service, wait_until
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.connections import PART_PREFIX, ManualConnection
from zerrit.work.deploy.deploy_stages import words_ahead


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        yield stack


def names(run: api.RunOut) -> list[str]:
    return [stage.name for stage in run.stages]


def test_a_deploy_by_every_connection_goes_the_same_way(tmp_path: Path) -> None:
    kinds = ("folder", "ftp", "ftps", "sftp")
    with quick_stack(tmp_path, kinds) as quick:
        for kind in kinds:
            quick.add(kind, kind)
            run = quick.deploy("sea/1.yml#holds=7", "station.ini#World/DayLength=120", name=kind)
            assert (run.state, names(run)) == (
                "deployed",
                ["preflight", "stop", "read", "snapshot", "write", "verify", "start", "watch"],
            ), (kind, run.outcome)
            held = quick.files(kind)
            assert b"holds: 7" in held["sea/1.yml"]
            assert b"Starts=1" in held["station.ini"], "what the game wrote when it stopped is kept"
            assert b"DayLength=120" in held["station.ini"]
            assert not any(PART_PREFIX in path for path in held)
            assert [(file.path, file.kind) for file in run.files] == [
                ("sea/1.yml", "changed"),
                ("station.ini", "changed"),
            ]


def test_what_is_read_at_a_reload_is_written_while_the_game_runs(quick: Quick) -> None:
    quick.add()
    run = quick.deploy("live/bell.yml#volume=3")
    assert (run.state, run.evidence.in_place) == ("deployed", True)
    assert names(run) == ["preflight", "read", "snapshot", "write", "verify", "reload", "watch"]
    assert b"Starts=0" in quick.files()["station.ini"], "the game was never stopped"
    assert "read again" in (quick.game().folder / "logs/station.log").read_text()
    detail = quick.zerrit.change(run.changes[0])
    assert [(wait.takes_effect, wait.in_effect_at is not None) for wait in detail.pending] == [("reload", True)]


def test_with_a_file_that_needs_a_restart_among_them_it_is_stopped(quick: Quick) -> None:
    quick.add()
    run = quick.deploy("live/bell.yml#volume=3", "sea/1.yml#holds=7")
    assert (run.state, run.evidence.in_place) == ("deployed", False)


def test_several_changes_go_together_in_their_order(quick: Quick) -> None:
    quick.add()
    first, second = quick.change("sea/1.yml#holds=7"), quick.change("sea/1.yml#number=8")
    run = quick.end_of(quick.zerrit.deploy_together("reef", [first, second]))
    assert (run.state, run.changes) == ("deployed", [first, second])
    assert quick.files()["sea/1.yml"].startswith(b"number: 8\nholds: 7\n")
    assert [quick.zerrit.change(one).state for one in (first, second)] == ["deployed", "deployed"]


def test_a_cancelled_run_takes_back_what_it_wrote(quick: Quick) -> None:
    quick.add()
    before = quick.files()["sea/1.yml"]
    quick.misbehave(silent=True)  # the game never says that it is ready, so the watch goes on
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"))
    wait_until(lambda: quick.zerrit.run(run.id).stage == "watch")
    quick.zerrit.cancel(run.id)
    quick.misbehave()
    ended = quick.end_of(run)
    assert (ended.state, ended.cancelled_by) == ("rolled-back", "isolde")
    assert "It ended at watch: cancelled by isolde." in ended.outcome
    assert quick.files()["sea/1.yml"] == before
    with pytest.raises(ProblemError, match="has ended"):
        quick.zerrit.cancel(run.id)


def test_a_run_that_is_cancelled_before_it_writes_lets_the_game_run(quick: Quick) -> None:
    quick.add()
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"), api.OptionsIn(announce=30))
    wait_until(lambda: quick.game().announced)
    assert quick.game().announced == ["The server restarts in 30 minutes."]
    quick.zerrit.cancel(run.id)
    ended = quick.end_of(run)
    assert (ended.state, ended.outcome) == (
        "cancelled",
        "Nothing was written. It ended at announce: cancelled by isolde.",
    )
    assert quick.game().state == "running"
    assert quick.zerrit.change(run.changes[0]).state == "checked"


def test_it_is_waited_until_nobody_plays(quick: Quick) -> None:
    quick.add()
    quick.game().players = 2
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"), api.OptionsIn(wait="empty"))
    wait_until(lambda: any("2 players" in stage.detail for stage in quick.zerrit.run(run.id).stages))
    quick.game().players = 0
    ended = quick.end_of(run)
    assert ended.state == "deployed"
    assert next(stage.detail for stage in ended.stages if stage.name == "announce") == "no one is on the server"


def test_a_service_that_stops_while_a_run_waits_goes_on_with_it(quick: Quick, tmp_path: Path) -> None:
    quick.add()
    quick.game().players = 1
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"), api.OptionsIn(wait="empty"))
    wait_until(lambda: quick.zerrit.run(run.id).stage == "announce")
    # A second service over the same data: what the first one knew in memory is of no use to it.
    quick.stop_service()
    quick.game().players = 0
    with running_service(tmp_path / "data") as (url, _), Client(url, _token(url)) as again:
        *_, ended = again.follow(run.id)
    assert (ended.state, ended.evidence.resumed) == ("deployed", 1)
    assert names(ended)[:3] == ["preflight", "announce", "announce"]


@pytest.mark.parametrize(
    ("minutes", "ahead"),
    [(1, [1]), (2, [2, 1]), (12, [12, 10, 5, 2, 1]), (30, [30, 15, 10, 5, 2, 1]), (90, [90, 30, 15, 10, 5, 2, 1])],
)
def test_players_are_told_less_and_less_ahead(minutes: int, ahead: list[int]) -> None:
    assert words_ahead(minutes) == ahead


def test_a_countdown_keeps_its_time_while_the_service_is_started_again(quick: Quick, tmp_path: Path) -> None:
    quick.add(announcement="The reef closes in {minutes}.")
    began = datetime.now(UTC)
    quick.workspace.now = lambda: began
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"), api.OptionsIn(announce=2))
    wait_until(lambda: quick.game().announced)
    wait_until(lambda: "stops in 2:00; next word at 1 min" in quick.zerrit.run(run.id).stages[-1].detail)
    quick.stop_service()
    with running_service(tmp_path / "data") as (url, again), Client(url, _token(url)) as zerrit:
        again.now = lambda: began + timedelta(seconds=61)
        wait_until(lambda: len(quick.game().announced) == 2)
        assert quick.game().state == "running", "it is not stopped before its time"
        again.now = lambda: began + timedelta(seconds=121)
        *_, ended = zerrit.follow(run.id)
    assert ended.state == "deployed", ended.outcome
    assert quick.game().announced == ["The reef closes in 2 minutes.", "The reef closes in 1 minute."]


def test_who_cannot_be_told_is_a_doubt_and_no_reason_to_stay(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(text: str) -> None:
        raise HTTPException(500, "no one listens")

    quick.add()
    monkeypatch.setattr(quick.game(), "announce", refuse)
    began = datetime.now(UTC)
    quick.workspace.now = lambda: began
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"), api.OptionsIn(announce=1))
    wait_until(lambda: quick.zerrit.run(run.id).evidence.doubts)
    quick.workspace.now = lambda: began + timedelta(seconds=61)
    ended = quick.end_of(run)
    assert ended.state == "deployed", ended.outcome
    assert ended.evidence.doubts[0].startswith("no one could be told: ")


def _token(url: str) -> str:
    with Client(url) as anonymous:
        return anonymous.token(ADMIN, PASSWORD).token


def test_a_start_that_dies_after_it_was_ready_is_noticed(quick: Quick) -> None:
    quick.add(settle=1.0)
    quick.misbehave(dies_after=0.4, times=1)
    ended = quick.end_of(quick.zerrit.deploy(quick.change("sea/1.yml#holds=7")))
    assert ended.state == "rolled-back"
    assert "the game is not running" in ended.outcome


def test_a_crash_file_outside_of_the_game_is_found_with_its_place(quick: Quick) -> None:
    dumps = quick.game().dumps
    dumps.mkdir(parents=True)
    (dumps / "last-week.dump").write_text("old")
    quick.add(settle=1.0, crash_places=[str(dumps)])
    quick.misbehave(dies_after=0.4, times=1)
    ended = quick.end_of(quick.zerrit.deploy(quick.change("sea/1.yml#holds=7")))
    (place,) = ended.evidence.crash_files
    assert place.startswith(f"{dumps}/")
    assert ended.evidence.crash_files[place] == "a bulkhead gave way\n"
    assert ended.evidence.old_crash_files == 1
    assert ended.evidence.newest_old_crash.startswith(f"{dumps}/last-week.dump, ")
    assert ended.evidence.crash_times[place] >= ended.started_at.replace(microsecond=0)


def test_what_the_game_did_not_load_is_a_doubt(quick: Quick) -> None:
    quick.add()
    change = quick.change("sea/1.yml#holds=7")
    quick.zerrit.add_step(change, api.StepIn(kind="put-file", address="sea/hidden.yml", content="holds: 1\n"))
    load = quick.game()._load

    def forgetful() -> None:
        (quick.game().folder / "sea/hidden.yml").rename(quick.game().folder / "sea/hidden.away")
        load()
        (quick.game().folder / "sea/hidden.away").rename(quick.game().folder / "sea/hidden.yml")

    quick.game()._load = forgetful  # type: ignore[method-assign]
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "deployed"
    assert run.evidence.doubts == ["the game did not say that it loaded hidden (of grounds)"]
    assert "did not say that it loaded hidden" in run.outcome


def test_a_game_that_its_admin_had_stopped_is_left_stopped_when_it_goes_back(quick: Quick) -> None:
    quick.add()
    quick.game().stop()
    run = quick.deploy("sea/1.yml#holds=6000000")
    assert run.state == "rolled-back"
    assert "and the game is stopped, as it was" in run.outcome
    assert quick.game().state == "stopped"


def test_a_file_that_somebody_else_wrote_meanwhile_halts_it(quick: Quick) -> None:
    quick.add()
    change = quick.change("sea/1.yml#holds=7")
    quick.game().players = 1
    run = quick.zerrit.deploy(change, api.OptionsIn(wait="empty"))
    wait_until(lambda: quick.zerrit.run(run.id).stage == "announce")
    other = quick.game().folder / "sea/1.yml"
    other.write_text(other.read_text().replace("holds: 0", "holds: 3"))
    quick.game().players = 0
    ended = quick.end_of(run)
    assert ended.state == "failed"
    assert "sea/1.yml was changed by another person since change 1 was looked at" in ended.outcome
    assert b"holds: 3" in quick.files()["sea/1.yml"]
    assert quick.game().state == "running"


def test_the_look_list_makes_a_change_proven(quick: Quick) -> None:
    quick.add()
    run = quick.deploy("sea/1.yml#holds=7")
    change = run.changes[0]
    (look,) = quick.zerrit.change(change).checklist
    assert (look.text, look.is_right) == ("dive and count", None)
    with pytest.raises(ProblemError, match="Say in a note what is not as it should be"):
        quick.zerrit.answer_checklist(change, look.id, False)
    assert quick.zerrit.answer_checklist(change, look.id, False, "only six").state == "deployed"
    assert quick.zerrit.answer_checklist(change, look.id, True, "seven").state == "confirmed"
    other = quick.deploy("live/bell.yml#volume=2").changes[0]
    assert quick.zerrit.confirm(other, "it rings").state == "confirmed"


# --- manually ----------------------------------------------------------------------------------------------------------


def is_manual(quick: Quick) -> None:
    quick.zerrit.add_server(
        api.ServerIn(id="reef", gamebook="quick", connection=api.ManualConnection(), control=api.ManualControl())
    )
    shown = dict(quick.files()) | {"logs/station.log": (quick.game().folder / "logs/station.log").read_bytes()}
    quick.zerrit.upload("reef", shown)
    quick.zerrit.fetch("reef")


def show_again(quick: Quick, *paths: str) -> None:
    folder = quick.game().folder
    quick.zerrit.upload("reef", {path: (folder / path).read_bytes() for path in (*paths, "logs/station.log")})


def test_a_server_that_is_carried_stopped_and_started_by_hand(quick: Quick) -> None:
    is_manual(quick)
    assert "does not look stopped" in quick.zerrit.game_state("reef").state
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"))
    wait_until(lambda: "Stop reef now" in quick.zerrit.run(run.id).asks)
    with pytest.raises(ProblemError, match=r"does not look stopped.*say so once more"):
        quick.zerrit.report_state("reef", False)
    quick.game().stop()
    show_again(quick, "station.ini")  # its log says now that it has stopped
    wait_until(lambda: "Put 1 file on reef" in quick.zerrit.run(run.id).asks)
    with zipfile.ZipFile(io.BytesIO(quick.zerrit.instructions(run.id))) as packed:
        assert "1. Upload files/sea/1.yml into the folder sea" in packed.read("STEPS.txt").decode()
        (quick.game().folder / "sea/1.yml").write_bytes(packed.read("files/sea/1.yml"))
        assert packed.read("blocks/sea/1.yml.txt").decode().splitlines() == [
            "1. Find these lines (from line 2 on) and take them out:",
            "",
            "holds: 0",
            "",
            "   In their place paste:",
            "",
            "holds: 7",
        ]
    show_again(quick, "sea/1.yml")
    wait_until(lambda: "Start reef now" in quick.zerrit.run(run.id).asks)
    quick.game().start()
    show_again(quick)
    ended = quick.end_of(run)
    assert ended.state == "deployed", ended.outcome
    assert b"holds: 7" in quick.files()["sea/1.yml"]


def test_a_file_that_was_carried_wrongly_is_not_accepted(quick: Quick) -> None:
    is_manual(quick)
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"))
    wait_until(lambda: quick.zerrit.run(run.id).asks)
    quick.game().stop()
    show_again(quick)
    wait_until(lambda: "Put 1 file" in quick.zerrit.run(run.id).asks)
    quick.zerrit.upload("reef", {"sea/1.yml": b"holds: 70\n"})
    wait_until(lambda: any("0 of 1 file are there" in stage.detail for stage in quick.zerrit.run(run.id).stages))
    assert quick.zerrit.run(run.id).stage == "write"
    quick.zerrit.cancel(run.id)
    wait_until(lambda: quick.zerrit.run(run.id).stage == "restore")
    show_again(quick, "sea/1.yml")
    wait_until(lambda: "Start reef now" in quick.zerrit.run(run.id).asks)
    quick.game().start()
    show_again(quick)
    assert quick.end_of(run).state == "rolled-back"


def test_what_the_game_wrote_as_it_stopped_is_shown_before_it_is_written_over(quick: Quick) -> None:
    quick.carry("reef")
    run = quick.zerrit.deploy(quick.change("station.ini#World/DayLength=120"))
    wait_until(lambda: "The game wrote station.ini when it stopped" in quick.zerrit.run(run.id).asks)
    show_again(quick, "station.ini")
    wait_until(lambda: "Put 1 file" in quick.zerrit.run(run.id).asks)
    with zipfile.ZipFile(io.BytesIO(quick.zerrit.instructions(run.id))) as packed:
        (quick.game().folder / "station.ini").write_bytes(packed.read("files/station.ini"))
    show_again(quick, "station.ini")
    wait_until(lambda: "Show Zerrit logs/station.log of reef" in quick.zerrit.run(run.id).asks)
    assert quick.zerrit.run(run.id).stage == "watch"
    show_again(quick)
    ended = quick.end_of(run)
    assert ended.state == "deployed", ended.outcome
    assert quick.files()["station.ini"].splitlines() == [b"[World]", b"Starts=1", b"DayLength=120"]


def test_a_run_that_waits_for_a_person_on_its_way_back_can_be_given_up(quick: Quick) -> None:
    quick.carry("reef")
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"))
    wait_until(lambda: "Put 1 file" in quick.zerrit.run(run.id).asks)
    (quick.game().folder / "sea/1.yml").write_text("holds: 70\n")
    show_again(quick, "sea/1.yml")
    assert quick.zerrit.cancel(run.id).on_cancel == "nothing"
    wait_until(lambda: quick.zerrit.run(run.id).on_cancel == "abandon")
    quick.zerrit.cancel(run.id)
    ended = quick.end_of(run)
    assert ended.state == "failed"
    assert "isolde gave up waiting. The server is as it was left" in ended.outcome
    assert f"zerrit rollback reef {ended.before}" in ended.outcome
    assert (ended.stages[-1].name, ended.on_cancel) == ("restore", "nothing")
    with pytest.raises(ProblemError, match="has ended: failed"):
        quick.zerrit.cancel(run.id)


def test_a_file_that_is_shown_again_as_it_was_does_not_look_new(tmp_path: Path) -> None:
    connection = ManualConnection(tmp_path / "reef")
    connection.upload({"crashes/old.txt": b"a hull gave way", "sea/1.yml": b"holds: 1\n"})
    os.utime(tmp_path / "reef/crashes/old.txt", (1, 1))
    first = connection.shown_at()
    connection.upload({"crashes/old.txt": b"a hull gave way"}, gone=["sea/1.yml"])
    assert [(file.path, file.modified) for file in connection.files()] == [("crashes/old.txt", 1)]
    assert connection.shown_at().keys() == {"crashes/old.txt"}
    assert connection.shown_at()["crashes/old.txt"] > first["crashes/old.txt"]
    (tmp_path / "reef.shown.json").write_text("[1")
    assert connection.shown_at() == {}, "what is not known is asked for again"


@pytest.mark.parametrize("path", ["../outside.yml", "/etc/passwd", "sea/../../x"])
def test_nothing_is_taken_in_that_leaves_the_folder(quick: Quick, path: str) -> None:
    is_manual(quick)
    with pytest.raises(ProblemError, match="Nothing was uploaded"):
        quick.zerrit.upload("reef", {"sea/1.yml": b"x", path: b"x"})
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr(path, "x")
    with pytest.raises(ProblemError, match="refused"):
        quick.zerrit.upload_zip("reef", packed.getvalue())
    assert not quick.zerrit.fetch("reef").is_new


# --- rehearsal and culprit --------------------------------------------------------------------------------------------

COPY = Path(__file__).parent.parent / "quick_copy.py"
REHEARSED = f"""
rehearse:
  command: ["{{python}}", "{COPY}", "{{folder}}"]
"""


def test_a_rehearsal_fails_before_anything_is_stopped(quick: Quick) -> None:
    quick.zerrit.save_gamebook("quick", GAMEBOOK + REHEARSED)
    quick.add(must_rehearse=True, may_rehearse=True)
    run = quick.deploy("sea/1.yml#holds=6000000")
    assert run.state == "failed"
    assert "the rehearsal failed" in run.outcome
    assert "ERROR 1.yml" in run.outcome
    assert b"Starts=0" in quick.files()["station.ini"], "the game was never stopped"
    assert quick.deploy("sea/1.yml#holds=6").state == "deployed"


def test_a_copy_listens_elsewhere_than_its_server(quick: Quick) -> None:
    told = REHEARSED.replace('"{folder}"]', '"{folder}", "{port}"]') + "  port_at: station.ini#World/Port\n"
    station = quick.game().folder / "station.ini"
    quick.game().stop()
    station.write_text(station.read_text() + "Port=4100\n")
    quick.game().start()
    quick.zerrit.save_gamebook("quick", GAMEBOOK + told)
    quick.add(may_rehearse=True)
    run = quick.end_of(quick.zerrit.deploy(quick.change("sea/1.yml#holds=6"), api.OptionsIn(rehearse=True)))
    assert run.state == "deployed", run.outcome
    heard = re.search(r"port (\d+), given (\d+)", run.evidence.rehearsal.log)
    assert heard is not None, run.evidence.rehearsal
    assert heard.group(1) == heard.group(2) != "4100"
    assert b"Port=4100" in quick.files()["station.ini"], "only the copy is told another port"


def test_the_culprit_of_several_steps_is_named(quick: Quick) -> None:
    quick.zerrit.save_gamebook("quick", GAMEBOOK + REHEARSED)
    quick.add(may_rehearse=True)
    steps = [f"sea/{number}.yml#holds={6000000 if number == 4 else 5}" for number in range(7)]
    run = quick.deploy(*steps)
    assert run.state == "rolled-back"
    wait_until(lambda: "Step" in quick.zerrit.run(run.id).evidence.culprit, 60)
    culprit = quick.zerrit.run(run.id).evidence.culprit
    assert culprit.startswith("Step 5 of change 1 (A try) is the first with which a copy does not start: set sea/4.yml")


def test_a_rehearsal_that_nobody_has_allowed_is_refused(quick: Quick) -> None:
    quick.zerrit.save_gamebook("quick", GAMEBOOK + REHEARSED)
    quick.add()
    run = quick.end_of(quick.zerrit.deploy(quick.change("sea/1.yml#holds=6"), api.OptionsIn(rehearse=True)))
    assert "allow that for reef first" in run.outcome


# --- controls through the service -------------------------------------------------------------------------------------


def test_a_server_is_stopped_over_its_console_and_started_by_a_command(quick: Quick, tmp_path: Path) -> None:
    start = (
        "import httpx; httpx.post('http://127.0.0.1:"
        f"{quick.host.control_port}/reef/start', headers={{'Authorization': 'Bearer keys'}}, trust_env=False)"
    )
    control = api.ConsoleControl(
        host="127.0.0.1",
        port=quick.host.console_ports["reef"],
        commands=api.ConsoleCommands(stop="surface", announce="tell {text}", players="aboard"),
        start=[sys.executable, "-c", start],
    )
    quick.zerrit.add_server(
        api.ServerIn(
            id="reef",
            gamebook="quick",
            connection=api.FolderConnection(folder=str(quick.game().folder)),
            control=control,
            control_secret=SECRET,
        )
    )
    quick.zerrit.fetch("reef")
    # This console answers whether its game runs or not, so it cannot tell that it has stopped.
    run = quick.deploy("sea/1.yml#holds=7")
    assert run.state == "failed"
    assert "the game did not stop within 3 s" in run.outcome
