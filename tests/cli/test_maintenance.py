"""Snapshots, drift, windows, rollouts and runs from the terminal, each as a process against a running service."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.cli.command import Done, signed_in
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack

Run = Callable[..., Done]


@pytest.fixture(scope="module")
def quick(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Quick]:
    with quick_stack(tmp_path_factory.mktemp("cli") / "stack", ("reef", "shoal")) as stack:
        stack.add("reef")
        stack.add("shoal", "sftp")
        yield stack


@pytest.fixture
def run(quick: Quick, tmp_path: Path) -> Run:
    return signed_in(quick.url, quick.zerrit.token(ADMIN, PASSWORD).token, tmp_path)


def said(done: Done, *texts: str, code: int = 0) -> None:
    assert done.code == code, done.err + done.out
    for text in texts:
        assert text in done.out + done.err


def test_a_deploy_says_each_stage_and_what_to_look_at(run: Run, quick: Quick) -> None:
    change = str(quick.change("sea/1.yml#holds=5"))
    done = run("change", "deploy", change, "--yes")
    said(done, "preflight    done", "watch        done", "deployed. 1 file written", "[to do] dive and count")
    said(
        run("change", "checklist", change, "1", "wrong", "--note", "only four"),
        "[wrong]",
        f"zerrit change revert {change}",
    )
    said(run("change", "checklist", change, "1", "right"), f"Change {change} is confirmed.")
    said(run("change", "checklist", change, "7", "right"), "has 1 item on its checklist", code=2)
    done = run("change", "revert", change)
    said(done, "sea/1.yml#holds", "--create creates a change")
    quick.deploy("sea/1.yml#holds=6")
    said(run("change", "revert", change), "current 6, previous 0", code=1)
    said(run("change", "revert", change, "--choose", "sea/1.yml#holds==9", "--create"), "is open for it")


def test_a_run_is_shown_with_its_evidence_and_can_be_cancelled(run: Run, quick: Quick) -> None:
    failed = quick.deploy("sea/2.yml#holds=6000000")
    done = run("run", "show", str(failed.id))
    said(done, "watch        failed", "crash file crashes/", "2.yml holds too much", "rolled back")
    assert run("run", "show", str(failed.id), "--output", "json").data["state"] == "rolled-back"
    said(run("run", "cancel", str(failed.id)), "has ended", code=2)
    said(run("run", "instructions", str(failed.id), "--save-to", "out"), "does not ask for files", code=2)


def test_restart_and_rollback_ask_first(run: Run, quick: Quick) -> None:
    said(run("restart", "reef"), "Stop reef and start it again?", code=1)
    said(run("restart", "reef", "--yes"), "snapshot", "done")
    said(run("rollback", "reef", "1", "--until", "2030-01-01", "--yes"), "--until belongs to --when-empty", code=2)
    said(run("rollback", "reef", "1", "--yes"), "restored and verified")
    said(run("timeline", "reef"), "restart", "rollback", "the game came up with it")


def test_snapshots_from_taking_to_taking_in(run: Run, quick: Quick, tmp_path: Path) -> None:
    (quick.game().folder / "sea/extra.yml").write_text("holds: 1\n")
    said(run("snapshot", "take", "reef", "--reason", "for the weekend", "--pin"), "for the weekend", "pinned")
    number = str(quick.zerrit.snapshots("reef")[0].id)
    said(run("snapshot", "export", "reef", number, "--save-to", "out.zip"), "READ-ME-FIRST.txt")
    said(run("snapshot", "import", "reef", "out.zip"), "zerrit rollback reef")
    (tmp_path / "junk.zip").write_bytes(b"junk")
    said(run("snapshot", "import", "reef", "junk.zip"), "neither a ZIP nor a TAR", code=2)
    said(run("snapshot", "unpin", "reef", number), "when the retention rules say so")
    said(run("snapshot", "prune", "reef", "--dry-run"), "Would be pruned: none")
    said(run("snapshot", "verify"), "All are as they were kept.")
    said(run("restore", "reef", "1", "sea/"), "remove-file", "sea/extra.yml")
    said(run("restore", "reef", "1", "nowhere/"), "a folder nowhere/", code=2)
    said(run("backup", "--save-to", "copy.db"), "zerrit.key")
    said(run("rescue", "copy.db"), "first fetch")
    said(run("rescue", "copy.db", "1", "--save-to", "rescued"), "14 files written")
    said(run("rescue", "copy.db", "1", "--save-to", "rescued"), "is not empty", code=2)


def test_a_fetch_says_what_is_wrong_in_what_it_fetched(run: Run, quick: Quick) -> None:
    (quick.game("shoal").folder / "cargo.xml").write_text('<cargo><crate name="c1" weight=2/></cargo>')
    said(run("fetch", "shoal"), "Found in them: 1 error. See them: zerrit check shoal:")


def test_drift_is_told_with_what_to_do(run: Run, quick: Quick) -> None:
    station = quick.game("shoal").folder / "sea/3.yml"
    station.write_text(station.read_text().replace("holds: 0", "holds: 8"))
    said(run("fetch", "shoal"), "◆ changed  sea/3.yml", "zerrit drift shoal")
    said(run("drift", "shoal"), "a person, or the host's panel", "sea/3.yml#holds", "+8", "--adopt")
    said(run("drift", "shoal", "--adopt", "--revert"), "Either --adopt or --revert", code=2)
    said(run("drift", "shoal", "--adopt", "--title", "By the panel"), "By the panel; it is deployed.")
    said(run("drift", "shoal", "--revert"), "merge-version", "zerrit change deploy")


def test_windows_and_the_queue(run: Run, quick: Quick) -> None:
    change = str(quick.change("sea/5.yml#holds=5"))
    said(run("change", "queue", change), "zerrit schedule add reef", code=2)
    said(
        run("schedule", "add", "reef", "restart", "--at", "05:00", "--on", "tue", "--zone", "Europe/Berlin"),
        "tue at 05:00",
    )
    said(run("change", "queue", change), "goes with the restart of")
    said(run("schedule", "list", "reef"), "Europe/Berlin", change)
    said(run("change", "unqueue", change), "is not queued")
    said(run("schedule", "add", "reef", "snapshot", "--at", "9", "--zone", "Nowhere"), code=2)
    number = str(quick.zerrit.schedule("reef")[0].id)
    said(run("schedule", "remove", "reef", number), "is removed")
    said(run("schedule", "list", "reef"), "has no schedule")


def test_a_rollout_and_the_grid(run: Run, quick: Quick) -> None:
    change = str(quick.change("sea/7.yml#holds=7"))
    said(
        run("rollout", change, "--wave", "reef", "--wave", "shoal", "--yes"),
        "deployed",
        "All servers of it have the change",
    )
    said(run("server", "compare", "sea/7.yml#holds"), "0 settings of 1 differ")
    said(run("server", "compare", "sea/nowhere.yml#holds"), "No server has a value", code=2)
    said(run("rollout", change, "--wave", "reef,reef", "--yes"), "is named twice", code=2)


def test_a_server_is_added_by_every_way(run: Run, quick: Quick, tmp_path: Path) -> None:
    host = quick.host
    control = ("--control", f"http://127.0.0.1:{host.control_port}/reef", "--control-token", "keys")
    connection = ("--user", "reef", "--password", "keys")
    done = run("server", "add", "by-sftp", "--sftp", f"127.0.0.1:{host.sftp_port}", *connection, *control)
    said(done, "another one will be refused", "zerrit fetch by-sftp")
    done = run("server", "add", "by-ftps", "--ftps", f"127.0.0.1:{host.ftps_port}", *connection, *control)
    said(done, "no authority vouches for", host.identity, code=3)
    done = run(
        "server",
        "add",
        "by-ftps",
        "--ftps",
        f"127.0.0.1:{host.ftps_port}",
        "--identity",
        host.identity,
        *connection,
        *control,
    )
    said(done, "Added by-ftps")
    said(run("server", "add", "by-ftp", "--ftp", f"127.0.0.1:{host.ftp_port}", *connection, *control), "clear text")
    console = ("--game-console", f"127.0.0.1:{host.console_ports['reef']}", "--control-token", "keys")
    said(run("server", "add", "by-console", "--folder", str(quick.game().folder), *console), "Added by-console")
    (tmp_path / "commands.yml").write_text("state: ['true']\nstop: ['true']\nstart: ['true']\n")
    done = run("server", "add", "by-command", "--folder", str(quick.game().folder), "--commands", "commands.yml")
    said(done, "Added by-command")
    done = run("server", "add", "by-hand", "--manual-files", "--manual-control")
    said(done, "zerrit server upload by-hand FOLDER")
    said(run("server", "upload", "by-hand", str(quick.game().folder)), "files uploaded")
    said(run("server", "report", "by-hand", "stopped"), "is stopped, says isolde")
    said(run("fetch", "by-hand"), "files.")
    said(run("server", "set", "by-sftp", "--settle", "3", "--retention", "5,4,3,2", "--may-rehearse"), "new settings")
    care = quick.zerrit.server("by-sftp").maintenance
    assert (care.settle, care.retention.weekly, care.may_rehearse) == (3, 3, True)
    said(run("server", "set", "by-sftp", "--retention", "5"), "write four numbers", code=2)
    said(run("server", "add", "no-way", "--manual-control"), "Name the connection", code=2)
    said(run("server", "add", "no-control", "--manual-files"), "Name the control", code=2)
