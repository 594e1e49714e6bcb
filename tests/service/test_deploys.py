"""Deploys that go wrong: where they end, what the server holds then, and what is said."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest

from tests.files import files_of
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.connections import PART_PREFIX, FtpConnection
from zerrit.demo.stack import DemoStack
from zerrit.records import open_database
from zerrit.standin import Faults
from zerrit.work.deploy.start_watch import Watched

HOLDS = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds"
SET = api.StepIn(kind="set", address=HOLDS, operation="-10")
TRIPS_THE_BREAKER = api.StepIn(kind="set", address="station.ini#Circuit */Rating", operation="+6")


def opened(zerrit: Client, *steps: api.StepIn) -> int:
    change = zerrit.create_change("coral-gate", "A try")
    for step in steps:
        zerrit.add_step(change.id, step)
    return change.id


def carried_out(zerrit: Client, run: api.RunOut) -> api.RunOut:
    *_, last = zerrit.follow(run.id)
    return last


def untouched(stack: DemoStack, before: dict[str, bytes]) -> bool:
    """The files are as before; the station's own file may have another clock."""
    now = files_of(stack.host_folder / "coral-gate")
    return {p: d for p, d in now.items() if p != "station.ini"} == {
        p: d for p, d in before.items() if p != "station.ini"
    }


def test_a_file_that_the_host_refuses_leads_back_to_the_snapshot(zerrit: Client, stack: DemoStack) -> None:
    before = files_of(stack.host_folder / "coral-gate")
    change = opened(zerrit, SET, api.StepIn(kind="put-file", address="tools/setup.exe", content="MZ"))
    run = carried_out(zerrit, zerrit.deploy(change))
    assert run.state == "rolled-back"
    assert "tools/setup.exe" in run.outcome
    assert "Programs are refused on this host" in run.outcome
    assert [(s.name, s.state) for s in run.stages][4:] == [
        ("write", "failed"),
        ("stop-again", "done"),
        ("restore", "done"),
        ("verify-again", "done"),
        ("start-again", "done"),
        ("watch-again", "done"),
    ]
    assert untouched(stack, before)
    assert not list(stack.host_folder.rglob(f"{PART_PREFIX}*"))
    assert zerrit.game_state("coral-gate").state == "running"


def test_an_error_of_our_own_after_the_first_written_byte_leads_back_too(
    zerrit: Client, stack: DemoStack, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = files_of(stack.host_folder / "coral-gate")
    real = Watched.start
    calls = iter((True, False))

    def breaks_once(*given: object, **more: object) -> object:
        if next(calls):
            raise ZeroDivisionError("a defect")
        return real(*given, **more)  # type: ignore[arg-type]  # handed on as it came

    monkeypatch.setattr(Watched, "start", breaks_once)
    run = carried_out(zerrit, zerrit.deploy(opened(zerrit, SET)))
    assert run.state == "rolled-back"
    assert untouched(stack, before)
    assert zerrit.game_state("coral-gate").state == "running"


def test_a_connection_that_drops_between_two_files_is_opened_anew_to_go_back(
    zerrit: Client, stack: DemoStack, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = files_of(stack.host_folder / "coral-gate")
    real = FtpConnection.write
    drops = iter([True])

    def drop_behind_the_first(
        connection: FtpConnection, path: str, data: bytes, *, is_executable: bool | None = None
    ) -> None:
        real(connection, path, data, is_executable=is_executable)
        if next(drops, False):
            stack.host.games["coral-gate"].wrong.set(Faults(drop_after=100, times=9))

    monkeypatch.setattr(FtpConnection, "write", drop_behind_the_first)
    change = opened(zerrit, SET, api.StepIn(kind="set", address="station.ini#World/DayLength", operation="=120"))
    run = carried_out(zerrit, zerrit.deploy(change))
    assert run.state == "rolled-back"
    assert "the connection to 127.0.0.1" in run.outcome
    assert "Try again." in run.outcome
    assert untouched(stack, before)
    assert not list(stack.host_folder.rglob(f"{PART_PREFIX}*"))
    assert zerrit.game_state("coral-gate").state == "running"


@pytest.mark.parametrize(
    ("damaged", "stages"),
    [
        pytest.param(
            "SELECT digest FROM snapshot_files WHERE path = 'craft.xml'", ["preflight", "release"], id="a file of it"
        ),
        pytest.param("SELECT digest FROM gamebooks", [], id="the gamebook"),
    ],
)
def test_a_damaged_database_stops_a_rollback_before_the_game(
    zerrit: Client, stack: DemoStack, damaged: str, stages: list[str]
) -> None:
    first = zerrit.snapshots("coral-gate")[-1].id
    before = files_of(stack.host_folder / "coral-gate")
    database = open_database(stack.folder / "data" / "zerrit.db")
    with database.engine.begin() as connection:
        nonsense = f"UPDATE contents SET packed = x'789c4b04000062006200' WHERE digest IN ({damaged})"  # noqa: S608
        connection.exec_driver_sql(nonsense)
    database.close()
    run = carried_out(zerrit, zerrit.rollback("coral-gate", first))
    assert (run.state, [stage.name for stage in run.stages]) == ("failed", stages)
    assert run.outcome.startswith("Nothing was written. It ended at preflight: The content ")
    assert "is damaged in the database" in run.outcome
    assert files_of(stack.host_folder / "coral-gate") == before


@pytest.mark.parametrize("runs", [True, False], ids=["the game ran", "its admin had stopped it"])
def test_a_step_that_the_held_files_do_not_take_writes_nothing(zerrit: Client, stack: DemoStack, runs: bool) -> None:
    game = stack.host.games["coral-gate"]
    change = opened(zerrit, SET, api.StepIn(kind="set", address="station.ini#World/DayLength", operation="=120"))
    game.stop()
    station = game.folder / "station.ini"
    station.write_text(station.read_text().replace("DayLength", "LengthOfDay"))
    if runs:
        game.start()
    run = carried_out(zerrit, zerrit.deploy(change))
    assert run.state == "failed"
    assert run.outcome.startswith(
        f"Nothing was written. It ended at read: A step of change {change} cannot be made on the files that the server "
        "holds now"
    )
    assert zerrit.change(change).state == "checked"
    assert 'holds="12..40"' in (game.folder / "sea/finds.xml").read_text()
    assert zerrit.game_state("coral-gate").state == ("running" if runs else "stopped")


def test_what_the_game_wrote_when_it_stopped_is_kept_beside_the_change(zerrit: Client, stack: DemoStack) -> None:
    change = opened(zerrit, api.StepIn(kind="set", address="station.ini#World/DayLength", operation="=120"))
    assert carried_out(zerrit, zerrit.deploy(change)).state == "deployed"
    station = (stack.host_folder / "coral-gate/station.ini").read_text()
    assert "DayLength=120" in station
    assert "Starts=1" in station


def test_the_live_comparison_shows_what_a_deploy_would_do_and_what_drifted(zerrit: Client, stack: DemoStack) -> None:
    change = opened(zerrit, SET, api.StepIn(kind="set", address="station.ini#World/DayLength", operation="=120"))
    game = stack.host.games["coral-gate"]
    game.stop()  # the station writes its clock
    game.start()
    finds = game.folder / "sea/finds.xml"
    finds.write_text(finds.read_text().replace('holds="12..40"', 'holds="12..36"'))
    found = zerrit.differences(change, "live")
    assert [(d.address, d.old, d.new) for d in found.differences] == [
        (HOLDS, "12..36", "12..26"),
        ("station.ini#World/DayLength", "96", "120"),
    ]
    assert found.notes == ["sea/finds.xml on coral-gate is not as in snapshot 1 any more."]


def test_an_old_crash_file_is_not_taken_for_a_new_one(zerrit: Client, stack: DemoStack) -> None:
    crashes = stack.host_folder / "coral-gate/crashes"
    crashes.mkdir(exist_ok=True)
    (crashes / "crash-of-last-week.txt").write_text("went down")
    assert carried_out(zerrit, zerrit.deploy(opened(zerrit, SET))).state == "deployed"


def test_a_change_that_was_rolled_back_can_be_fixed_and_deployed(zerrit: Client) -> None:
    change = opened(zerrit, TRIPS_THE_BREAKER)
    assert carried_out(zerrit, zerrit.deploy(change)).state == "rolled-back"
    detail = zerrit.change(change)
    assert (detail.state, detail.is_outdated) == ("rolled-back", False)
    zerrit.remove_steps(change, [detail.step_list[0].id])
    assert zerrit.add_step(change, SET).state == "draft"
    assert carried_out(zerrit, zerrit.deploy(change)).state == "deployed"


def test_a_deployed_change_is_not_edited_any_more(zerrit: Client) -> None:
    change = opened(zerrit, SET)
    carried_out(zerrit, zerrit.deploy(change))
    for act in (lambda: zerrit.add_step(change, SET), lambda: zerrit.deploy(change), lambda: zerrit.withdraw(change)):
        with pytest.raises(ProblemError, match=f"Change {change} is deployed"):
            act()


def test_of_two_deploys_at_once_one_waits_its_turn(zerrit: Client, stack: DemoStack) -> None:
    changes = [opened(zerrit, SET), opened(zerrit, TRIPS_THE_BREAKER)]

    def attempt(change: int) -> api.RunOut | str:
        with stack.client() as client:
            try:
                return client.deploy(change)
            except ProblemError as error:
                return error.kind

    with ThreadPoolExecutor(2) as pool:
        results = list(pool.map(attempt, changes))
    assert sorted(isinstance(result, str) for result in results) == [False, True]
    assert "wrong-state" in results
    (run,) = (result for result in results if isinstance(result, api.RunOut))
    with pytest.raises(ProblemError, match="A deploy is under way on coral-gate"):
        zerrit.fetch("coral-gate")
    carried_out(zerrit, run)
    zerrit.fetch("coral-gate")


def test_a_host_that_went_away_is_said_before_anything_happens(zerrit: Client, stack: DemoStack) -> None:
    change = opened(zerrit, SET)
    stack.host.stop()
    with pytest.raises(ProblemError) as refused:
        zerrit.deploy(change)
    assert refused.value.kind == "connection-unreachable"
    assert "Is the host up" in str(refused.value)
    assert zerrit.change(change).state == "draft"
    assert zerrit.change(change).runs == []
