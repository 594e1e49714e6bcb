"""Snapshots over time: manually, kept, pruned, confirmed, exported and taken in; parts put back; old changes taken back."""

from __future__ import annotations

import hashlib
import io
import json
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest

from tests.quick import Quick, quick_stack, wait_until
from zerrit import api
from zerrit.client import ProblemError
from zerrit.connections import ConnectionFault
from zerrit.records import open_database


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path, ("reef", "shoal")) as stack:
        stack.add()
        yield stack


def edit(quick: Quick, path: str, old: str, new: str) -> None:
    """Another person writes to a file of the server."""
    file = quick.game().folder / path
    text = file.read_text()
    assert old in text
    file.write_text(text.replace(old, new))


# --- taking, keeping, pruning -----------------------------------------------------------------------------------------


def test_a_snapshot_by_hand_bears_its_reason_and_can_be_kept(quick: Quick) -> None:
    edit(quick, "sea/1.yml", "holds: 0", "holds: 4")
    taken = quick.zerrit.take_snapshot("reef", "before the weekend", pin=True)
    assert (taken.id, taken.reason, taken.pinned) == (2, "before the weekend", "before the weekend")
    again = quick.zerrit.take_snapshot("reef", "twice")
    assert (again.id, again.pinned) == (2, "twice"), (
        "nothing had changed; the reason goes to the one that stands for it"
    )
    assert quick.zerrit.pin_snapshot("reef", 2, "").pinned == ""


def test_pruning_leaves_what_is_kept_good_or_needed(quick: Quick) -> None:
    deployed = quick.deploy("sea/1.yml#holds=1")
    for number in range(8):
        edit(quick, "sea/2.yml", f"holds: {number}", f"holds: {number + 1}")
        quick.zerrit.take_snapshot("reef", f"number {number}")
    snapshots = [one.id for one in quick.zerrit.snapshots("reef")]
    quick.zerrit.pin_snapshot("reef", snapshots[4], "dear")
    known = quick.zerrit.server("reef")
    rules = api.Retention(last=1, daily=0, weekly=0, monthly=0)
    quick.zerrit.change_server(
        api.ServerIn(
            id="reef",
            gamebook="quick",
            connection=known.connection,
            control=known.control,
            maintenance=api.Maintenance(retention=rules),
        )
    )
    planned = quick.zerrit.plan_pruning("reef")
    assert planned.kept[snapshots[4]] == "pinned: dear"
    assert deployed.before in planned.kept
    assert deployed.after in planned.kept
    assert planned.kept[snapshots[0]] == "one of the last"
    gone = quick.zerrit.prune("reef").pruned
    assert gone == planned.pruned
    assert len(gone) == 6
    assert {one.id for one in quick.zerrit.snapshots("reef")} == set(planned.kept)
    with pytest.raises(ProblemError, match=f"has no snapshot {gone[0]}"):
        quick.zerrit.rollback("reef", gone[0])
    assert quick.zerrit.verify_all().damaged == {}
    assert quick.end_of(quick.zerrit.rollback("reef", snapshots[4])).state == "done"


def test_damage_is_found_and_named(quick: Quick) -> None:
    assert quick.zerrit.verify_all().damaged == {}
    database = open_database(quick.folder / "data/zerrit.db")
    with database.engine.begin() as connection:
        connection.exec_driver_sql(
            "UPDATE contents SET packed = x'00' WHERE digest = (SELECT digest FROM snapshot_files WHERE path = 'sea/3.yml')"
        )
    database.close()
    assert quick.zerrit.verify_all().damaged == {1: ["sea/3.yml"]}


# --- ZIPs, rescue, backup ---------------------------------------------------------------------------------------------


def test_an_exported_snapshot_needs_no_zerrit_and_comes_in_again(quick: Quick, tmp_path: Path) -> None:
    first = quick.files()
    data = quick.zerrit.export_snapshot("reef", 1)
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        packed.extractall(tmp_path / "out")
    assert {p: (tmp_path / "out/files" / p).read_bytes() for p in first} == first
    checked = subprocess.run(
        ["sha256sum", "--check", "SHA256SUMS"], cwd=tmp_path / "out", capture_output=True, check=False
    )
    assert checked.returncode == 0
    assert "1. Stop the game" in (tmp_path / "out/READ-ME-FIRST.txt").read_text()
    quick.deploy("sea/1.yml#holds=9")
    taken = quick.zerrit.import_snapshot("reef", data)
    assert (taken.kind, taken.pinned) == ("imported", "imported from a ZIP")
    assert quick.end_of(quick.zerrit.rollback("reef", taken.id)).state == "done"
    assert {p: d for p, d in quick.files().items() if p != "station.ini"} == {
        p: d for p, d in first.items() if p != "station.ini"
    }


def spoilt(data: bytes, path: str, content: bytes) -> bytes:
    """The same ZIP with another file in it."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            new.writestr(name, content if name == path else old.read(name))
        if path not in old.namelist():
            new.writestr(path, content)
    return out.getvalue()


def test_a_spoilt_or_foreign_snapshot_is_not_taken_in(quick: Quick) -> None:
    data = quick.zerrit.export_snapshot("reef", 1)
    about = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("zerrit-snapshot.json"))
    other_game = json.dumps(about | {"game": "bathyscaphe"}).encode()
    for archive, said in (
        (spoilt(data, "files/sea/1.yml", b"other"), "sea/1.yml is not as its hash says"),
        (spoilt(data, "files/more.yml", b"other"), "more.yml is not as its hash says"),
        (
            spoilt(data, "zerrit-snapshot.json", other_game),
            "This is a snapshot of the game bathyscaphe; reef runs quick",
        ),
        (spoilt(data, "files/../../outside", b"x"), "refused"),
        (b"no zip", "neither a ZIP"),
    ):
        with pytest.raises(ProblemError, match=said):
            quick.zerrit.import_snapshot("reef", archive)
    with pytest.raises(ProblemError, match="shoal has no snapshot 1"):
        quick.add("shoal")
        quick.zerrit.rollback("shoal", 1)


def test_rescue_writes_a_snapshot_out_without_the_service(tmp_path: Path) -> None:
    with quick_stack(tmp_path / "one") as quick:
        quick.add()
        first = quick.files()
    database = tmp_path / "one/data/zerrit.db"
    before = hashlib.sha256(database.read_bytes()).hexdigest()

    def rescue(*given: object) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "zerrit", "rescue", *(str(one) for one in given)]
        return subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)

    listed = rescue(database)
    assert listed.returncode == 0
    assert "first fetch" in listed.stdout
    done = rescue(database, 1, "--save-to", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    assert {p: (tmp_path / "out" / p).read_bytes() for p in first} == first
    assert hashlib.sha256(database.read_bytes()).hexdigest() == before, "nothing was changed"
    assert rescue(database, 99, "--save-to", tmp_path / "none").returncode == 2
    assert rescue(tmp_path / "no.db").returncode == 2
    (tmp_path / "junk.db").write_bytes(b"junk" * 1000)
    assert "is not a database of Zerrit's" in rescue(tmp_path / "junk.db").stderr


def test_a_backup_is_taken_while_the_service_runs_and_is_whole(quick: Quick, tmp_path: Path) -> None:
    run = quick.zerrit.deploy(quick.change("sea/1.yml#holds=9"))
    (tmp_path / "copy.db").write_bytes(quick.zerrit.backup())
    quick.end_of(run)
    database = open_database(tmp_path / "copy.db")
    with database.engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
        assert connection.exec_driver_sql("SELECT COUNT(*) FROM servers").scalar() == 1
    database.close()


# --- parts ------------------------------------------------------------------------------------------------------------


def test_a_file_a_folder_and_an_entry_are_put_back(quick: Quick) -> None:
    change = quick.change("sea/1.yml#holds=8", "sea/2.yml#holds=8", "sea/2.yml#number=9")
    quick.zerrit.add_step(change, api.StepIn(kind="put-file", address="sea/late.yml", content="holds: 1\n"))
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
    entry = quick.zerrit.restore_part("reef", 1, "sea/2.yml#holds")
    assert [step.kind for step in entry.step_list] == ["merge-version"]
    folder = quick.zerrit.restore_part("reef", 1, "sea/")
    assert [(step.kind, step.address) for step in folder.step_list] == [
        ("put-file", "sea/1.yml"),
        ("put-file", "sea/2.yml"),
        ("remove-file", "sea/late.yml"),
    ]
    assert quick.end_of(quick.zerrit.deploy(entry.id)).state == "deployed"
    assert quick.files()["sea/2.yml"].startswith(b"number: 9\nholds: 0\n")
    quick.zerrit.update(folder.id)
    assert quick.end_of(quick.zerrit.deploy(folder.id)).state == "deployed"
    assert "sea/late.yml" not in quick.files()
    for what, said in (
        ("sea/1.yml", "is as in snapshot 1 already"),
        ("sea/none.yml", "Neither snapshot 1 nor the latest files have"),
        ("none/", "a folder none/"),
        ("sea/1.yml#none", "Neither the snapshot nor the latest files have"),
    ):
        with pytest.raises(ProblemError, match=said):
            quick.zerrit.restore_part("reef", 1, what)


def test_one_old_change_is_taken_back_and_what_came_since_stays(quick: Quick) -> None:
    old = quick.change("sea/1.yml#holds=5", "sea/2.yml#holds=5")
    quick.zerrit.add_step(old, api.StepIn(kind="put-file", address="sea/late.yml", content="holds: 1\n"))
    quick.end_of(quick.zerrit.deploy(old))
    quick.deploy("sea/1.yml#number=77", "sea/3.yml#holds=3")
    seen = quick.zerrit.revert(old, api.RevertIn())
    assert [(one.kind, one.address) for one in seen.differences if "#" in one.address] == [
        ("changed", "sea/1.yml#holds"),
        ("changed", "sea/2.yml#holds"),
    ]
    assert (seen.conflicts, seen.change) == ([], None)
    opened = quick.zerrit.revert(old, api.RevertIn(create=True)).change
    assert opened is not None
    assert quick.end_of(quick.zerrit.deploy(opened)).state == "deployed"
    held = quick.files()
    assert held["sea/1.yml"].startswith(b"number: 77\nholds: 0\n")
    assert held["sea/3.yml"].startswith(b"number: 3\nholds: 3\n")
    assert "sea/late.yml" not in held


def test_what_was_changed_again_since_has_to_be_decided(quick: Quick) -> None:
    old = quick.deploy("sea/1.yml#holds=5").changes[0]
    quick.deploy("sea/1.yml#holds=6")
    seen = quick.zerrit.revert(old, api.RevertIn())
    (conflict,) = seen.conflicts
    assert (conflict.address, conflict.changed_to, conflict.current, conflict.previous) == (
        "sea/1.yml#holds",
        "5",
        "6",
        "0",
    )
    with pytest.raises(ProblemError, match="decide first"):
        quick.zerrit.revert(old, api.RevertIn(create=True))
    decided = quick.zerrit.revert(old, api.RevertIn(choices={conflict.address: "previous"}))
    assert [(one.old, one.new) for one in decided.differences] == [("6", "0")]
    with pytest.raises(ProblemError, match="is draft; only a change that was deployed"):
        quick.zerrit.revert(quick.change("sea/1.yml#holds=9"), api.RevertIn())


# --- drift ------------------------------------------------------------------------------------------------------------


def test_drift_is_shown_with_its_writer_and_adopted_or_taken_back(quick: Quick) -> None:
    quick.deploy("sea/1.yml#holds=5")
    with pytest.raises(ProblemError, match="No one but Zerrit and the game itself"):
        quick.zerrit.drift("reef")
    edit(quick, "sea/1.yml", "holds: 5", "holds: 50")
    (quick.game().folder / "sea/extra.yml").write_text("holds: 2\n")
    quick.zerrit.fetch("reef")
    seen = quick.zerrit.drift("reef")
    assert [(file.path, file.kind, file.writer) for file in seen.files] == [
        ("sea/1.yml", "changed", "Zerrit, last in run 1; so it was another person this time"),
        ("sea/extra.yml", "added", "a person, or the host's panel"),
    ]
    adopted = quick.zerrit.adopt_drift("reef", title="By the panel")
    assert (adopted.state, [step.kind for step in adopted.step_list]) == ("deployed", ["merge-version", "put-file"])
    undone = quick.zerrit.revert_drift("reef")
    assert [(step.kind, step.address) for step in undone.step_list] == [
        ("merge-version", "sea/1.yml"),
        ("remove-file", "sea/extra.yml"),
    ]
    assert quick.end_of(quick.zerrit.deploy(undone.id)).state == "deployed"
    assert b"holds: 5\n" in quick.files()["sea/1.yml"]
    assert "sea/extra.yml" not in quick.files()
    again = quick.zerrit.revert(adopted.id, api.RevertIn())
    assert again.differences == [], "an adopted change can be taken back too; here that was done already"


def test_drift_of_rights_and_empty_folders_alone_is_shown_adopted_and_taken_back(quick: Quick) -> None:
    folder = quick.game().folder
    (folder / "spool").mkdir()
    quick.zerrit.fetch("reef")
    (folder / "sea/1.yml").chmod(0o755)
    (folder / "spool").rmdir()
    (folder / "crates/new").mkdir(parents=True)
    quick.zerrit.fetch("reef")
    found = [(file.kind, file.path) for file in quick.zerrit.drift("reef").files]
    assert found == [
        ("executable", "sea/1.yml"),
        ("empty-folder-added", "crates/new"),
        ("empty-folder-removed", "spool"),
    ]
    adopted = quick.zerrit.adopt_drift("reef")
    assert [(step.kind, step.address) for step in adopted.step_list] == [
        ("set-executable", "sea/1.yml"),
        ("add-folder", "crates/new"),
        ("remove-file", "spool"),
    ]
    undone = quick.zerrit.revert_drift("reef")
    assert quick.end_of(quick.zerrit.deploy(undone.id)).state == "deployed"
    assert not (folder / "sea/1.yml").stat().st_mode & 0o100
    assert ((folder / "spool").is_dir(), (folder / "crates/new").exists()) == (True, False)
    with pytest.raises(ProblemError, match="found nothing that another person had written"):
        quick.zerrit.adopt_drift("reef", quick.zerrit.snapshots("reef")[0].id)


def test_a_folder_that_is_filled_was_not_removed(quick: Quick) -> None:
    folder = quick.game().folder
    (folder / "spool").mkdir()
    quick.zerrit.fetch("reef")
    (folder / "spool/a.yml").write_text("a: 1\n")
    quick.zerrit.fetch("reef")
    assert [(file.kind, file.path) for file in quick.zerrit.drift("reef").files] == [("added", "spool/a.yml")]


def test_a_fetch_reads_only_what_may_have_changed(quick: Quick) -> None:
    import os
    import time

    for path in quick.game().folder.rglob("*.yml"):
        os.utime(path, (time.time() - 10**6,) * 2)
    time.sleep(2.1)
    quick.zerrit.fetch("reef")
    assert quick.zerrit.fetch("reef").read == 0
    edit(quick, "sea/1.yml", "holds: 0", "holds: 4")
    found = quick.zerrit.fetch("reef")
    assert (found.read, found.changed) == (1, ["sea/1.yml"])
    assert quick.zerrit.fetch("reef", thorough=True).read == 14


def test_a_folder_that_cannot_be_listed_any_more_is_not_taken_for_empty(
    quick: Quick, monkeypatch: pytest.MonkeyPatch
) -> None:
    from zerrit.connections import FolderConnection

    real = FolderConnection.files

    def without_sea(connection: FolderConnection, below: str = "") -> list[object]:
        found = [file for file in real(connection, below) if not file.path.startswith("sea/")]
        connection.left_out["sea"] = "no right to it"
        return found  # type: ignore[return-value]

    monkeypatch.setattr(FolderConnection, "files", without_sea)
    with pytest.raises(ProblemError, match=r"sea/0\.yml cannot be reached any more: no right to it"):
        quick.zerrit.fetch("reef")


# --- tasks ----------------------------------------------------------------------------------------------------------


def test_queued_changes_go_together_at_the_task_and_one_that_was_missed_is_reported(quick: Quick) -> None:
    first, second = quick.change("sea/1.yml#holds=5"), quick.change("sea/2.yml#holds=6")
    with pytest.raises(ProblemError, match="has no scheduled restart to wait for"):
        quick.zerrit.queue(first)
    quick.zerrit.add_task("reef", api.TaskIn(task="restart", times=["05:00"], zone="Europe/Berlin"))
    assert quick.zerrit.queue(second).state == "queued"
    assert quick.zerrit.queue(first).state == "queued"
    (task,) = quick.zerrit.schedule("reef")
    assert task.queued == [second, first]
    real = quick.workspace.now

    def go_to(late: timedelta) -> None:
        quick.workspace.now = lambda: task.next_at + late

    go_to(timedelta(hours=1))
    wait_until(lambda: any(one.action == "schedule.missed" for one in quick.zerrit.activity("reef")))
    assert [quick.zerrit.change(one).state for one in (first, second)] == ["queued", "queued"]
    (task,) = quick.zerrit.schedule("reef")
    go_to(timedelta(seconds=1))
    wait_until(lambda: quick.zerrit.runs("reef"))
    run = quick.end_of(quick.zerrit.runs("reef")[0])
    quick.workspace.now = real
    assert (run.state, run.changes, run.person) == ("deployed", [second, first], "the schedule")


def test_an_empty_task_restarts_and_a_backup_task_takes_a_snapshot(quick: Quick) -> None:
    quick.zerrit.add_task("reef", api.TaskIn(task="restart", times=["5:00"]))
    quick.zerrit.add_task("reef", api.TaskIn(task="snapshot", times=["06:00"]))
    quick.zerrit.add_task("reef", api.TaskIn(task="drift-check", times=["07:00"], weekdays=[0, 1, 2, 3, 4, 5, 6]))
    edit(quick, "sea/1.yml", "holds: 0", "holds: 4")
    real = quick.workspace.now
    for task in sorted(quick.zerrit.schedule("reef"), key=lambda one: one.next_at):  # whatever the hour is now
        moment = task.next_at + timedelta(seconds=1)
        quick.workspace.now = lambda moment=moment: moment  # type: ignore[misc]
        wait_until(lambda task=task: _next(quick, task.id) != task.next_at)  # type: ignore[misc]
        wait_until(lambda: all(run.state != "running" for run in quick.zerrit.runs("reef")))
    quick.workspace.now = real
    assert [(run.kind, run.state) for run in quick.zerrit.runs("reef")] == [("restart", "done")]
    actions = [one.action for one in quick.zerrit.activity("reef")]
    assert "snapshot.taken" in actions


def _next(quick: Quick, task: int) -> object:
    return next(one.next_at for one in quick.zerrit.schedule("reef") if one.id == task)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"times": ["25:00"]}, "`25:00` is not a time of day"),
        ({"times": ["05:00"], "zone": "Atlantis/Gate"}, "is not a time zone"),
    ],
)
def test_a_task_that_cannot_be_is_refused(quick: Quick, given: dict[str, object], said: str) -> None:
    with pytest.raises(ProblemError, match=said):
        quick.zerrit.add_task("reef", api.TaskIn.model_validate({"task": "restart"} | given))


# --- several servers --------------------------------------------------------------------------------------------------


def rolled_out(quick: Quick, change: int, *waves: list[str]) -> api.RolloutOut:
    found = quick.zerrit.begin_rollout(api.RolloutIn(change=change, waves=list(waves)))
    wait_until(lambda: quick.zerrit.rollout(found.id).state != "running", 60)
    return quick.zerrit.rollout(found.id)


def test_a_rollout_goes_wave_by_wave_and_halts_at_the_first_bad_start(quick: Quick) -> None:
    quick.add("shoal", "ftp")
    good = rolled_out(quick, quick.change("sea/1.yml#holds=5"), ["shoal"], ["reef"])
    assert (good.state, [(one.server, one.state) for one in good.servers]) == (
        "done",
        [("shoal", "deployed"), ("reef", "deployed")],
    )
    bad = rolled_out(quick, quick.change("sea/2.yml#holds=6000000"), ["reef"], ["shoal"])
    assert (bad.state, [(one.server, one.state) for one in bad.servers]) == (
        "halted",
        [("reef", "rolled-back"), ("shoal", "waits")],
    )
    assert bad.outcome == "Wave 1 went wrong on reef. shoal was not touched."
    assert b"holds: 0" in quick.files("shoal")["sea/2.yml"]


def test_a_rollout_that_is_impossible_somewhere_begins_nowhere(quick: Quick) -> None:
    quick.add("shoal")
    (quick.game("shoal").folder / "sea/1.yml").write_text("number: 1\n")
    quick.zerrit.fetch("shoal")
    with pytest.raises(ProblemError, match=r"On shoal a step is impossible.*Nothing was begun anywhere"):
        rolled_out(quick, quick.change("sea/1.yml#holds=5"), ["reef"], ["shoal"])
    assert quick.zerrit.runs("reef") == []


def test_the_grid_marks_the_odd_one(tmp_path: Path) -> None:
    with quick_stack(tmp_path, ("a", "b", "c")) as quick:
        for name in "abc":
            quick.add(name)
        quick.deploy("sea/1.yml#holds=5", name="b")
        found = quick.zerrit.server_values("sea/*.yml#holds", only_odd=True)
    (row,) = found.rows
    assert (row.address, row.odd, row.values) == ("sea/1.yml#holds", ["b"], {"a": "0", "b": "5", "c": "0"})


# --- hosts ------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["ftps", "sftp"])
def test_a_changed_host_is_refused_until_it_is_accepted(quick: Quick, kind: str) -> None:
    quick.add("shoal", kind)
    known = getattr(quick.zerrit.server("shoal").connection, "identity", "")
    quick.host.change_identity()
    with pytest.raises(ProblemError, match="than the accepted one") as refused:
        quick.zerrit.fetch("shoal")
    shown = refused.value.problem.facts["identity"]
    assert refused.value.kind == ConnectionFault.IDENTITY
    assert shown != known
    with pytest.raises(ProblemError, match="than the accepted one"):
        quick.zerrit.accept_identity("shoal", "SHA256:guess")
    quick.zerrit.accept_identity("shoal", shown)
    assert not quick.zerrit.fetch("shoal").is_new
    assert "server.accepted" in [one.action for one in quick.zerrit.activity("shoal")]


def test_a_fetch_says_what_is_wrong_in_what_it_fetched(quick: Quick) -> None:
    assert (first := quick.zerrit.fetch("reef")).errors == first.warnings == 0
    (quick.game().folder / "cargo.xml").write_text('<cargo><crate name="c1" weight=2/></cargo>')
    found = quick.zerrit.fetch("reef")
    assert (found.is_new, found.errors) == (True, 1)
    assert quick.zerrit.check_server("reef").by_severity == {"error": 1}
