"""The lines that the promise of a deploy hangs on, each by a test that fails without it."""

from __future__ import annotations

import os
import time
from collections.abc import ItemsView, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import select

from tests.carrier import Carrier
from tests.connections.test_connections import QUICK
from tests.files import files_of
from tests.quick import Quick, quick_stack
from tests.service.test_deploys import SET, carried_out, opened, untouched
from zerrit import api
from zerrit.client import Client
from zerrit.connections import ConnectionFailed, ConnectionFault, FolderConnection, ManualConnection
from zerrit.connections.remote import RemoteConnection
from zerrit.connections.wire import Entry
from zerrit.core.retention import Retention, kept_by
from zerrit.demo.stack import DemoStack
from zerrit.records import Run, RunFacts
from zerrit.standin import Faults
from zerrit.work.deploy import run_engine
from zerrit.work.deploy.journal import Stage
from zerrit.work.deploy.run_context import RunContext
from zerrit.work.deploy.stages import RESUMED_AT, StageName, after, after_failure
from zerrit.work.servers.game_log import StartLog, log_marks


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add()
        yield stack


def test_wrong_bytes_of_the_host_are_read_back_and_lead_to_the_snapshot(zerrit: Client, stack: DemoStack) -> None:
    before = files_of(stack.host_folder / "coral-gate")
    change = opened(zerrit, SET)
    stack.host.games["coral-gate"].wrong.set(Faults(wrong_bytes=1))
    run = carried_out(zerrit, zerrit.deploy(change))
    assert run.state == "rolled-back"
    assert "was read back and is not what was written" in run.outcome
    assert untouched(stack, before)


def test_a_way_back_with_wrong_bytes_is_no_way_back(zerrit: Client, stack: DemoStack) -> None:
    change = opened(zerrit, SET)
    stack.host.games["coral-gate"].wrong.set(Faults(wrong_bytes=50))
    run = carried_out(zerrit, zerrit.deploy(change))
    assert run.state == "failed"
    assert "these files are not as in the snapshot: sea/finds.xml" in run.outcome


def test_a_file_that_should_be_gone_and_is_not_is_seen(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    """The host says that it removed a file, and has not."""
    change = quick.zerrit.create_change("reef", "one less").id
    quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="sea/2.yml"))
    monkeypatch.setattr(FolderConnection, "remove", lambda *_: None)
    ended = quick.end_of(quick.zerrit.deploy(change))
    assert ended.state == "rolled-back"
    assert "sea/2.yml should be gone, but is still there" in ended.outcome


def test_nothing_is_written_under_a_game_that_runs_again(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    """Something else starts the game between the stop and the first written byte."""
    before = quick.files()["sea/1.yml"]
    real = run_engine._STAGES[StageName.SNAPSHOT]

    def then_started(context: RunContext, stage: Stage, facts: RunFacts) -> None:
        real(context, stage, facts)
        quick.game().start()

    monkeypatch.setitem(run_engine._STAGES, StageName.SNAPSHOT, then_started)
    written: list[str] = []
    write = FolderConnection.write
    monkeypatch.setattr(FolderConnection, "write", lambda s, p, d: (written.append(p), write(s, p, d))[1])
    ended = quick.deploy("sea/1.yml#holds=7")
    assert "the game runs again; something outside of Zerrit started it" in ended.outcome
    assert "sea/1.yml" not in written
    assert quick.files()["sea/1.yml"] == before


def test_an_interrupted_snapshot_begins_at_reading_again() -> None:
    """What was read is not kept; a snapshot without it would be of nothing."""
    assert RESUMED_AT[StageName.SNAPSHOT] is StageName.READ
    assert after_failure(StageName.READ) is StageName.RELEASE
    assert after_failure(StageName.WRITE) is StageName.STOP_AGAIN
    assert after_failure(StageName.RESTORE) is StageName.END
    assert after(StageName.WRITE, in_place=True) is StageName.VERIFY
    assert after(StageName.VERIFY, in_place=True) is StageName.RELOAD


def test_the_last_good_snapshot_is_never_pruned(tmp_path: Path) -> None:
    """Good is what a game ran on; what was fetched later may be good or not."""
    rules = api.Retention(last=1, daily=0, weekly=0, monthly=0)
    with quick_stack(tmp_path) as quick:
        quick.add(retention=rules.model_dump())
        assert quick.end_of(quick.zerrit.restart("reef")).state == "done"
        for number in range(3):
            (quick.game().folder / "sea/2.yml").write_text(f"number: {number}\n")
            quick.zerrit.take_snapshot("reef", f"number {number}")
        with quick.workspace.writing() as session:
            for run in session.scalars(select(Run)):  # nothing else keeps it then
                run.before_id = run.after_id = run.target_id = None
        marked = [one.id for one in quick.zerrit.snapshots("reef") if one.is_good]
        planned = quick.zerrit.plan_pruning("reef")
        assert planned.pruned
        assert planned.kept[max(marked)] == "the last good one"


def test_retention_keeps_the_last_of_each_time() -> None:
    day = datetime(2031, 5, 1, 12, tzinfo=UTC)
    taken = [(number, day + timedelta(days=number)) for number in range(40)]
    kept = kept_by(Retention(last=2, daily=3, weekly=2, monthly=2), taken, UTC)
    assert {37, 38, 39} <= kept.keys()
    assert not {0, 10, 36} & kept.keys()
    assert kept[39] == kept[38] == "one of the last"
    assert kept[37] == "the last of its day"


class Longer(dict[str, bytes]):
    """Files that are longer at each writing: two starts may come within one second, which is all that a time tells."""

    def items(self) -> ItemsView[str, bytes]:
        self.update({path: data + b"again\n" for path, data in super().items()})
        return super().items()


def test_a_crash_file_written_again_under_the_same_name_is_new(quick: Quick) -> None:
    """Many games have one crash file; its size or its time tells the new one from the old one."""
    crashes = quick.game().folder / "crashes"
    crashes.mkdir(exist_ok=True)
    (crashes / "last.txt").write_text("old reason\n")
    os.utime(crashes / "last.txt", (time.time() - 3 * 3600,) * 2)
    quick.game().at_start = Longer({"crashes/last.txt": b"new reason\n"})
    ended = quick.end_of(quick.zerrit.deploy(quick.change("sea/1.yml#holds=7")))
    assert ended.state == "failed"  # its next start writes the crash file again
    assert "a new crash file appeared: crashes/last.txt" in ended.outcome
    assert ended.evidence.newest_old_crash.startswith("crashes/last.txt, ")
    assert "3 h" in ended.evidence.newest_old_crash


# --- writing over a connection ----------------------------------------------------------------------------------------------


class _Wire:
    """A host in memory that does not rename over a file, and refuses the renames that it is told to."""

    def __init__(self) -> None:
        self.files = {"a.xml": b"old"}
        self.refused: list[str] = []
        self.done: list[str] = []

    def folder(self, path: str) -> list[Entry]:
        return [Entry(name, "file", len(data)) for name, data in self.files.items()]

    def store(self, path: str, data: bytes, *, is_read_back: bool = False) -> None:
        self.files[path] = data
        self.done.append(f"store {path}")

    def rename(self, old: str, new: str) -> None:
        if new in self.files:
            raise ConnectionFailed(ConnectionFault.DENIED, "it is there")
        if old in self.refused:
            raise ConnectionFailed(ConnectionFault.DENIED, "refused")
        self.files[new] = self.files.pop(old)
        self.done.append(f"rename {old} {new}")

    def remove(self, path: str) -> None:
        if path not in self.files:
            raise ConnectionFailed(ConnectionFault.MISSING, path)
        del self.files[path]
        self.done.append(f"remove {path}")

    def read(self, path: str, most: int, start: int = 0) -> bytes:
        return self.files[path]

    def make_folder(self, path: str) -> None: ...

    def close(self) -> None: ...


def _connection(wire: _Wire) -> RemoteConnection:
    return RemoteConnection(lambda: wire, "the host", limits=QUICK)  # type: ignore[arg-type,return-value]


def test_the_old_file_is_put_back_where_the_new_one_cannot_take_its_place() -> None:
    wire = _Wire()
    wire.refused = [".zerrit-part-a.xml"]
    with pytest.raises(ConnectionFailed, match="refused"):
        _connection(wire).write("a.xml", b"new")
    assert wire.files == {"a.xml": b"old"}


def test_a_host_that_does_not_rename_over_a_file_gets_the_new_one_and_keeps_no_old_one() -> None:
    wire = _Wire()
    wire.files[".zerrit-part-a.xml.old"] = b"of an interrupted write"
    _connection(wire).write("a.xml", b"new")
    assert wire.files == {"a.xml": b"new"}
    assert wire.done.index("remove .zerrit-part-a.xml.old") < wire.done.index("rename a.xml .zerrit-part-a.xml.old")


def test_files_that_go_are_removed_before_others_are_written(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    """On a host that knows no letter case, `Sea/a.yml` written before `sea/a.yml` is removed would be lost."""
    done: list[str] = []
    write, remove = FolderConnection.write, FolderConnection.remove
    monkeypatch.setattr(
        FolderConnection,
        "write",
        lambda link, path, data, **more: (done.append(f"write {path}"), write(link, path, data, **more))[1],
    )
    monkeypatch.setattr(FolderConnection, "remove", lambda s, p: (done.append(f"remove {p}"), remove(s, p))[1])
    change = quick.change("sea/1.yml#holds=7")
    quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="sea/2.yml"))
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
    assert done.index("remove sea/2.yml") < done.index("write sea/1.yml")


def test_the_stand_in_leaves_the_folder_of_the_process_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    with DemoStack(tmp_path / "demo", settle=0.3) as stack:
        stack.seed()
        assert Path.cwd() == tmp_path


def test_what_a_run_wrote_is_read_again_whatever_its_time_says(quick: Quick, monkeypatch: pytest.MonkeyPatch) -> None:
    """A host whose times are still: only the bytes tell that the way back did not arrive."""
    walked, write = FolderConnection._walked, FolderConnection.write
    monkeypatch.setattr(
        FolderConnection, "_walked", lambda s, below: [file._replace(stamp="same") for file in walked(s, below)]
    )
    quick.zerrit.fetch("reef", thorough=True)
    change = quick.change("sea/1.yml#holds=7")
    monkeypatch.setattr(
        FolderConnection, "write", lambda s, path, data, **more: write(s, path, data[:-1] + b"#", **more)
    )
    ended = quick.end_of(quick.zerrit.deploy(change))
    assert ended.state == "failed"
    assert "these files are not as in the snapshot:" in ended.outcome
    assert "sea/1.yml" in ended.outcome


@pytest.mark.parametrize("written", ["over", "on"])
def test_a_log_that_is_written_over_in_place_is_read_from_its_beginning(tmp_path: Path, written: str) -> None:
    """It is the same file still, and longer than before; only what stood at its end tells that it was written anew."""
    log = tmp_path / "game.log"
    log.write_text("a start of yesterday 1\n" * 5)
    with FolderConnection(tmp_path) as connection:
        mark = log_marks(connection, "game.log")
        new = "a start of today 2\n" * 20
        with log.open("w" if written == "over" else "a") as file:
            file.write(new)
        assert StartLog(connection, "game.log", mark).read() == new


def test_of_several_changes_of_one_run_each_is_taken_back_for_itself(quick: Quick) -> None:
    first, second = quick.change("sea/1.yml#holds=5", "sea/2.yml#holds=5"), quick.change("sea/1.yml#holds=6")
    assert quick.end_of(quick.zerrit.deploy_together("reef", [first, second])).state == "deployed"
    undone = quick.zerrit.revert(second, api.RevertIn())
    assert [(one.address, one.old, one.new) for one in undone.differences] == [("sea/1.yml#holds", "6", "5")]
    undone = quick.zerrit.revert(first, api.RevertIn())
    assert [(one.address, one.old, one.new) for one in undone.differences] == [("sea/2.yml#holds", "5", "0")]
    assert [(one.address, one.changed_to, one.current, one.previous) for one in undone.conflicts] == [
        ("sea/1.yml#holds", "5", "6", "0")
    ]


def test_a_log_that_a_person_shows_again_is_read_from_where_it_was(tmp_path: Path) -> None:
    """A copy is a new file each time; an old "ready" in it must not pass for one of this start."""
    connection = ManualConnection(tmp_path / "shown")
    connection.upload({"game.log": b"server is ready\nserver closed\n"})
    mark = log_marks(connection, "game.log")
    connection.upload({"game.log": b"server is ready\nserver closed\nreading the files\n"})
    assert StartLog(connection, "game.log", mark).read() == "reading the files\n"
    connection.upload({"game.log": b"begun anew\n"})
    assert StartLog(connection, "game.log", mark).read() == "begun anew\n"


def test_a_manual_start_that_never_says_it_is_ready_is_not_called_deployed(tmp_path: Path) -> None:
    with quick_stack(tmp_path / "stack", ("manual",), patience=0.8) as quick:
        quick.carry("manual")
        carrier = Carrier(quick, "manual")
        first = carrier.to_the_end(quick.zerrit.deploy(quick.change("sea/1.yml#holds=6", name="manual")))
        assert first.state == "deployed"
        quick.misbehave("manual", silent=True)
        run = carrier.to_the_end(quick.zerrit.deploy(quick.change("sea/1.yml#holds=7", name="manual")))
        assert run.state != "deployed"
