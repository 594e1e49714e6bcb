"""Two at once: edits of one change, runs that wait, a full disk, and two services on one folder."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager
from pathlib import Path

import httpx
import pytest
from sqlalchemy import event

from tests.quick import ADMIN, PASSWORD, SECRET, Quick, connection_to, quick_stack, running_service, wait_until
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.records import RecordsUnusable, hold_data_folder
from zerrit.web import Settings, open_workspace
from zerrit.web.app import say_what_is_odd


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        yield stack


def token(quick: Quick) -> str:
    with Client(quick.url) as anonymous:
        return anonymous.token(ADMIN, PASSWORD).token


def test_of_two_edits_with_one_version_exactly_one_is_refused(quick: Quick) -> None:
    quick.add()
    change = quick.zerrit.create_change("reef", "Two at once").id
    headers = {"Authorization": f"Bearer {token(quick)}"}
    for round_ in range(8):
        version = quick.zerrit.change(change).version
        gate = threading.Barrier(2)

        def edit(number: int, version: int = version, round_: int = round_, gate: threading.Barrier = gate) -> int:
            body = {"kind": "set", "address": f"sea/{number}.yml#holds", "operation": f"={round_ * 2 + number + 1}"}
            gate.wait()
            answer = httpx.post(
                f"{quick.url}/api/v1/changes/{change}/steps", json=body, headers={**headers, "If-Match": f'"{version}"'}
            )
            return answer.status_code

        with ThreadPoolExecutor(2) as pool:
            assert sorted(pool.map(edit, (0, 1))) == [201, 412]
    assert [step.position for step in quick.zerrit.change(change).step_list] == list(range(1, 9))


def test_twenty_edits_at_once_end_in_a_sound_change(quick: Quick) -> None:
    quick.add()
    change = quick.zerrit.create_change("reef", "Twenty").id
    given = token(quick)

    def edit(number: int) -> int:
        with Client(quick.url, given) as zerrit:
            address = f"sea/{number % 12}.yml#{'holds' if number < 12 else 'number'}"
            return zerrit.add_step(change, api.StepIn(kind="set", address=address, operation=f"={number + 50}")).version

    with ThreadPoolExecutor(20) as pool:
        versions = list(pool.map(edit, range(20)))
    detail = quick.zerrit.change(change)
    assert sorted(step.position for step in detail.step_list) == list(range(1, 21))
    assert len(set(versions)) == 20
    assert len(quick.zerrit.differences(change).differences) == 20
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"


def test_an_edit_that_failed_leaves_nothing_in_the_cache(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    quick.add()
    change = quick.change("sea/1.yml#holds=7")
    real = quick.workspace.database.writing
    monkeypatch.setattr(type(quick.workspace.database), "writing", lambda self: (_ for _ in ()).throw(OSError("gone")))
    with pytest.raises(ProblemError):
        quick.zerrit.add_step(change, api.StepIn(kind="set", address="sea/2.yml#holds", operation="=8"))
    monkeypatch.undo()
    assert quick.workspace.database.writing == real
    quick.zerrit.add_step(change, api.StepIn(kind="set", address="sea/3.yml#holds", operation="=9"))
    assert {one.address for one in quick.zerrit.differences(change).differences} == {
        "sea/1.yml#holds",
        "sea/3.yml#holds",
    }


@contextmanager
def every_connection(quick: Quick, *pragmas: str) -> Iterator[None]:
    def prepare(connection: sqlite3.Connection, *_: object) -> None:
        for pragma in pragmas:
            connection.execute(f"PRAGMA {pragma}")

    engine = quick.workspace.database.engine
    event.listen(engine, "checkout", prepare)
    try:
        yield
    finally:
        event.remove(engine, "checkout", prepare)
        engine.dispose()


def test_a_full_disk_under_the_records_is_said_and_nothing_is_written(quick: Quick) -> None:
    quick.add()
    change = quick.change("sea/1.yml#holds=7")
    big = api.StepIn(kind="put-file", address="sea/big.yml", content="note: " + "x" * 900_000)
    with every_connection(quick, "max_page_count=1"), pytest.raises(ProblemError, match="Make room") as full:
        quick.zerrit.add_step(change, big)
    assert full.value.kind == "records-full"
    assert [step.address for step in quick.zerrit.change(change).step_list] == ["sea/1.yml#holds"]
    assert len(quick.zerrit.add_step(change, big).step_list) == 2


def test_records_that_stay_locked_are_said_and_nothing_is_written(quick: Quick) -> None:
    quick.add()
    change = quick.change("sea/1.yml#holds=7")
    step = api.StepIn(kind="set", address="sea/2.yml#holds", operation="=8")
    other = sqlite3.connect(str(quick.workspace.database.engine.url.database), isolation_level=None)
    with closing(other):
        other.execute("BEGIN IMMEDIATE")
        with every_connection(quick, "busy_timeout=50"), pytest.raises(ProblemError, match="Try again") as busy:
            quick.zerrit.add_step(change, step)
        other.execute("ROLLBACK")
    assert busy.value.kind == "records-busy"
    assert len(quick.zerrit.add_step(change, step).step_list) == 2


def test_the_settings_of_a_server_cannot_change_under_a_run(quick: Quick) -> None:
    quick.add()
    quick.game().players = 1
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"), api.OptionsIn(wait="empty"))
    wait_until(lambda: quick.zerrit.run(run.id).stage == "announce")
    given = api.ServerIn(
        id="reef",
        gamebook="quick",
        connection=connection_to("folder", quick.host, "reef"),
        control=quick._control("reef"),
        control_secret=SECRET,
    )
    with pytest.raises(ProblemError, match="is under way on reef") as refused:
        quick.zerrit.change_server(given)
    assert refused.value.problem.status == 409
    quick.zerrit.cancel(run.id)
    quick.end_of(run)
    quick.zerrit.change_server(given)


def test_runs_that_wait_do_not_hold_up_others(tmp_path: Path) -> None:
    names = tuple(f"reef{number}" for number in range(40))
    with quick_stack(tmp_path, (*names, "other")) as quick:
        for name in (*names, "other"):
            quick.add(name)
            quick.game(name).players = 1 if name != "other" else 0
        runs = [quick.zerrit.restart(name, api.OptionsIn(wait="empty")) for name in names]
        wait_until(lambda: all("waiting: 1 player" in quick.zerrit.run(run.id).stages[-1].detail for run in runs))
        assert quick.deploy("sea/1.yml#holds=7", name="other").state == "deployed"
        for run in runs:
            quick.zerrit.cancel(run.id)
        assert {quick.end_of(run).state for run in runs} == {"cancelled"}
        assert [len([s for s in quick.zerrit.run(runs[0].id).stages if s.name == "announce"])] == [1], (
            "one stage, however often it looked"
        )


# --- a full disk ------------------------------------------------------------------------------------------------------


def fill(quick: Quick, pages: int) -> None:
    """Let the database grow by no more than some pages: SQLite then says that the disk is full."""

    def limit(connection: object, *_: object) -> None:
        cursor = connection.cursor()  # type: ignore[attr-defined]
        (count,) = cursor.execute("PRAGMA page_count").fetchone()
        cursor.execute(f"PRAGMA max_page_count={count + pages}")
        cursor.close()

    event.listen(quick.workspace.database.engine, "checkout", limit)
    quick.workspace.database.engine.dispose()
    quick.full = limit  # type: ignore[attr-defined]


def make_room(quick: Quick) -> None:
    event.remove(quick.workspace.database.engine, "checkout", quick.full)  # type: ignore[attr-defined]
    quick.workspace.database.engine.dispose()


def test_a_full_disk_in_the_middle_leaves_no_game_down(quick: Quick) -> None:
    quick.add()
    before = quick.files()["sea/1.yml"]
    change = quick.change("sea/1.yml#holds=7")
    quick.game().stop_takes = 0.6
    run = quick.zerrit.deploy(change)
    wait_until(lambda: quick.zerrit.run(run.id).stage == "stop")
    fill(quick, 0)
    wait_until(lambda: quick.game().state == "stopped")
    make_room(quick)
    ended = quick.end_of(run)
    assert ended.state in ("deployed", "failed", "rolled-back"), ended.outcome
    assert quick.game().state == "running"
    if ended.state != "deployed":
        assert quick.files()["sea/1.yml"] == before
        assert "is full; make room there" in ended.outcome


def test_a_run_whose_thread_died_is_taken_up_again(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    from zerrit.work.deploy import run_engine

    quick.add()
    calls = []
    real = run_engine._do

    def dies_once(context: object, name: object) -> object:
        calls.append(name)
        if name == "write" and calls.count("write") == 1:
            raise RuntimeError("the thread dies")
        return real(context, name)  # type: ignore[arg-type]

    monkeypatch.setattr(run_engine, "_do", dies_once)
    monkeypatch.setattr(run_engine.Journal, "end", lambda *_: (_ for _ in ()).throw(RuntimeError("and cannot say so")))
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=7"))
    ended = quick.end_of(run)
    assert ended.state == "deployed", ended.outcome
    assert calls.count("write") == 2


def test_too_little_room_is_told_before_anything_is_stopped(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    quick.add()
    monkeypatch.setattr(type(quick.workspace.data), "free", lambda _: 5 << 20)
    run = quick.deploy("sea/1.yml#holds=7")
    assert run.outcome.startswith(
        "Nothing was written. It ended at preflight: Only 5 MB are free where Zerrit keeps its data"
    )
    assert quick.game().state == "running"


# --- the data folder ----------------------------------------------------------------------------------------------------


def test_two_services_never_work_on_one_folder(quick: Quick, tmp_path: Path) -> None:
    with pytest.raises(RecordsUnusable, match="Another Zerrit service works on"):
        hold_data_folder(tmp_path / "data")
    done = subprocess.run(
        [sys.executable, "-m", "zerrit", "serve", "--data", str(tmp_path / "data"), "--port", "0"],
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    assert (done.returncode, "Another Zerrit service works on" in done.stderr) == (3, True)


def test_a_lost_key_file_is_told_at_the_start(quick: Quick, tmp_path: Path) -> None:
    quick.add()
    quick.stop_service()
    (tmp_path / "data/zerrit.key").rename(tmp_path / "kept.key")
    with pytest.raises(RecordsUnusable, match=r"The key file .* is missing"):
        open_workspace(Settings(tmp_path / "data"), lambda *_: None)
    assert not (tmp_path / "data/zerrit.key").exists(), "no new key hides that the old one is lost"
    (tmp_path / "kept.key").rename(tmp_path / "data/zerrit.key")
    with running_service(tmp_path / "data"):
        pass


def test_a_database_of_a_newer_version_is_told_and_left_alone(quick: Quick, tmp_path: Path) -> None:
    quick.stop_service()
    import sqlite3

    with sqlite3.connect(tmp_path / "data/zerrit.db") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    with pytest.raises(RecordsUnusable, match="was made by a newer version of Zerrit"):
        open_workspace(Settings(tmp_path / "data"), lambda *_: None)
    with sqlite3.connect(tmp_path / "data/zerrit.db") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '0005'")
    connection.close()


def test_a_password_that_is_ignored_is_told(quick: Quick, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    quick.stop_service()
    settings = Settings(tmp_path / "data", admin_password="another-one")
    workspace = open_workspace(settings, lambda *_: None)
    say_what_is_odd(settings, workspace)
    workspace.database.close()
    assert workspace.data is not None
    workspace.data.close()
    assert "The option --admin-password is ignored" in capsys.readouterr().out
