"""Commands that stop, write and start: rollback and restart, following a run, and what a person does by hand."""

from __future__ import annotations

import io
import sys
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table, progress, short
from zerrit.cli.session import connect
from zerrit.client import Client
from zerrit.core.wording import counted

GOOD = ("deployed", "done")
SEARCHING = "searching"


def run_options(command: Callable[..., None]) -> Callable[..., None]:
    """The options that say how a run goes about it."""
    for option in reversed(
        (
            click.option(
                "--announce",
                type=click.IntRange(0, 120),
                default=0,
                metavar="MINUTES",
                help="Tell the players so long before, with a countdown.",
            ),
            click.option("--when-empty", is_flag=True, help="Wait until nobody plays."),
            click.option("--until", type=click.DateTime(), help="With --when-empty: go on at this time all the same."),
            click.option("--yes", is_flag=True, help="Do not ask."),
        )
    ):
        command = option(command)
    return command


def options_in(announce: int, when_empty: bool, until: datetime | None, rehearse: bool = False) -> api.OptionsIn:
    if until is not None and not when_empty:
        raise click.UsageError("--until belongs to --when-empty: it ends the waiting.")
    wait: Literal["", "empty"] = "empty" if when_empty else ""
    return api.OptionsIn(
        announce=announce, wait=wait, until=until.astimezone(UTC) if until is not None else None, rehearse=rehearse
    )


@click.command()
@click.argument("server_id")
@click.argument("snapshot", type=int)
@run_options
def rollback(server_id: str, snapshot: int, announce: int, when_empty: bool, until: datetime | None, yes: bool) -> None:
    """Put a server back to a snapshot. It takes the same careful path as a deploy."""
    if not yes:
        click.confirm(f"Stop {server_id}, put back snapshot {snapshot} and start it again?", abort=True)
    with connect() as zerrit:
        follow(zerrit, zerrit.rollback(server_id, snapshot, options_in(announce, when_empty, until)))


@click.command()
@click.argument("server_id")
@run_options
def restart(server_id: str, announce: int, when_empty: bool, until: datetime | None, yes: bool) -> None:
    """Restart a game, with a snapshot of its files while it is stopped."""
    if not yes:
        click.confirm(f"Stop {server_id} and start it again?", abort=True)
    with connect() as zerrit:
        follow(zerrit, zerrit.restart(server_id, options_in(announce, when_empty, until)))


@click.command()
@click.argument("server_id")
@output_option
def timeline(server_id: str, output: str) -> None:
    """Snapshots, deploys and rollbacks of a server, the newest first."""
    with connect() as zerrit:
        snapshots, runs = zerrit.snapshots(server_id), zerrit.runs(server_id)
    if output == "json":
        print_json(
            {
                "snapshots": [s.model_dump(mode="json") for s in snapshots],
                "runs": [r.model_dump(mode="json") for r in runs],
            }
        )
        return
    events = [
        (s.taken_at, "defaults" if s.kind == "defaults" else "snapshot", str(s.id), s.reason, _about(s))
        for s in snapshots
    ]
    events += [(r.started_at, r.kind, f"run {r.id}", run_title(r), run_result(r)) for r in runs]
    rows = [
        (at.strftime("%Y-%m-%d %H:%M:%S"), kind, number, what, result)
        for at, kind, number, what, result in sorted(events, reverse=True)
    ]
    print_table(("when (UTC)", "kind", "number", "what", "result"), rows, whole=("when (UTC)",))


def _about(snapshot: api.SnapshotOut) -> str:
    words = [counted(snapshot.files, "file")]
    words += ["the game came up with it"] if snapshot.is_good else []
    words += [f"kept: {snapshot.kept}"] if snapshot.kept else []
    return ", ".join(words)


def run_result(run: api.RunOut) -> str:
    """The state of a run with its outcome."""
    state = run.state.replace("-", " ")
    return f"{state}: {run.outcome}" if run.outcome else state


def run_title(run: api.RunOut) -> str:
    """What a run was for."""
    if run.changes:
        return f"change {', '.join(str(change) for change in run.changes)}"
    return f"to snapshot {run.target}" if run.target is not None else "with a snapshot"


def follow(zerrit: Client, run: api.RunOut) -> None:
    """Print the stages of a run as they end, and on a terminal what it is doing. Exit code 1 when it did not end well."""
    told = 0
    asked = ""
    last = run
    with progress() as doing:
        for last in zerrit.follow(run.id):
            for stage in last.stages[told:]:
                if stage.state == "running":
                    doing(f"{stage.name}: {stage.detail}")
                    break
                told += 1
                print_stage(stage)
            if last.asks and last.asks != asked:
                echo(f"  ? {last.asks}")
            asked = last.asks
    print_evidence(last)
    echo(f"Run {last.id} {run_result(last)}")
    if last.state not in GOOD:
        sys.exit(1)


def print_stage(stage: api.StageOut) -> None:
    took = (stage.ended_at - stage.started_at).total_seconds() if stage.ended_at else 0.0
    echo(f"  {stage.name:<12} {stage.state:<6} {took:5.1f} s  {stage.detail}")


def print_evidence(run: api.RunOut) -> None:
    """What was seen, as far as it says something."""
    seen = run.evidence
    for path, text in seen.crash_files.items():
        at = seen.crash_times.get(path)
        written = f" (written {at:%Y-%m-%d %H:%M:%S} UTC by its host's clock)" if at is not None else ""
        echo(f"  crash file {path}{written}: {short(text, 100)}")
    if seen.crash_files and seen.old_crash_files:
        older = counted(seen.old_crash_files, "older crash file")
        echo(f"  {older} lay there before and say nothing of this start; the newest: {seen.newest_old_crash}")
    for line in seen.log_new[:5]:
        echo(f"  its log says now, and did not at run {seen.log_against}: {short(line, 100)}")
    for line in seen.log_gone[:5]:
        echo(f"  its log does not say any more what it said at run {seen.log_against}: {short(line, 100)}")
    for path, reason in seen.left_out.items():
        echo(f"  left out: {path}: {reason}")
    for name, paths in (("stopped", seen.written_at_stop), ("started", seen.written_at_start)):
        if paths:
            echo(f"  written by the game or its host while it {name}: {short(', '.join(paths), 100)}")
    for file in run.evidence_files:
        echo(f"  the start wrote {file.path} ({file.kind}, {file.size:,} bytes){f'; {file.note}' if file.note else ''}")
    if any(file.is_kept for file in run.evidence_files):
        echo(f"  read one of them: zerrit run evidence {run.id} PATH")
    if seen.culprit.startswith(SEARCHING):
        echo(f"  the culprit is being searched for on a copy; a little later: zerrit run show {run.id}")
    elif seen.culprit:
        echo(f"  culprit: {seen.culprit}")


def print_log(log: str) -> None:
    for line in log.splitlines()[-12:]:
        echo(f"    | {line}")


@click.group()
def run() -> None:
    """One run: a deploy, rollback or restart, with its stages and its evidence."""


@run.command("show")
@click.argument("run_id", type=int)
@output_option
def show_run(run_id: int, output: str) -> None:
    """Show a run. Its stages with their times, the files it wrote, and what was seen."""
    with connect() as zerrit:
        found = zerrit.run(run_id)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    echo(f"Run {found.id}: {found.kind} of {found.server}, {run_title(found)}, by {found.person}")
    for stage in found.stages:
        print_stage(stage)
    if found.asks:
        echo(f"  ? {found.asks}")
    for file in found.files:
        echo(f"  {file.kind:<8} {file.path}")
    print_evidence(found)
    rehearsal = found.evidence.rehearsal
    if rehearsal is not None:
        echo("  the copy of the rehearsal logged:")
        print_log(rehearsal.log)
        echo("  the server logged:" if found.evidence.log else "  the server was not started")
    print_log(found.evidence.log)
    echo(f"Run {found.id} {run_result(found)}")


@run.command("follow")
@click.argument("run_id", type=int)
def follow_run(run_id: int) -> None:
    """Follow a run to its end."""
    with connect() as zerrit:
        follow(zerrit, zerrit.run(run_id))


@run.command("cancel")
@click.argument("run_id", type=int)
def cancel_run(run_id: int) -> None:
    """Cancel a run. It ends at the next point where that is safe; what was written is taken back.

    One that waits for a person on its way back is given up: it ends and leaves the server as it is.
    """
    with connect() as zerrit:
        is_given_up = zerrit.run(run_id).on_cancel == "give-up"
        found = zerrit.cancel(run_id)
    if is_given_up:
        echo(f"Run {run_id} is given up. How its server is left: zerrit run show {run_id}")
        return
    echo(f"Run {run_id} ends at the next safe point (it is at {found.stage}). Follow it: zerrit run follow {run_id}")


@run.command("evidence")
@click.argument("run_id", type=int)
@click.argument("path")
@click.option("--save-to", type=click.Path(path_type=Path), help="Save it as this file instead of printing it.")
def evidence(run_id: int, path: str, save_to: Path | None) -> None:
    """Read a file that a failed start wrote. Going back removed it from the server; the run keeps it."""
    with connect() as zerrit:
        data = zerrit.evidence_file(run_id, path)
    if save_to is not None:
        save_to.write_bytes(data)
        echo(f"{save_to}: {len(data):,} bytes")
    elif b"\0" in data[:8000]:
        echo(f"{path} is binary ({len(data):,} bytes). Save it: --save-to FILE")
    else:
        echo(data.decode("utf-8", "replace").rstrip("\n") + "\n", is_content=True)


@run.command("hand-out")
@click.argument("run_id", type=int)
@click.option("--save-to", type=click.Path(path_type=Path), required=True, help="The folder to make.")
def hand_out(run_id: int, save_to: Path) -> None:
    """Hand out the files that a run asks a person to put on the server, with numbered steps."""
    with connect() as zerrit:
        data = zerrit.hand_out(run_id)
    if save_to.exists():
        raise click.UsageError(f"{save_to} is there already; name a new folder.")
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        packed.extractall(save_to)
    echo((save_to / "STEPS.txt").read_text().rstrip())


@click.command("said")
@click.argument("server_id")
@click.argument("state", type=click.Choice(["running", "stopped"]))
@click.option("--sure", is_flag=True, help="Although its log says otherwise.")
def said(server_id: str, state: str, sure: bool) -> None:
    """Say that a game which you stop and start by hand is stopped, or running. Its log is looked at first."""
    with connect() as zerrit:
        answer = zerrit.say_state(server_id, state == "running", sure)
    echo(f"{server_id}: {answer['state']}")


@click.command("take-in")
@click.argument("server_id")
@click.argument("source", type=click.Path(exists=True, path_type=Path))
@click.option("--as", "path", default="", help="The path on the server of a single file.")
@click.option("--gone", multiple=True, metavar="PATH", help="A file that is not on the server any more.")
def take_in(server_id: str, source: Path, path: str, gone: tuple[str, ...]) -> None:
    """Show files of a server that are carried by hand. SOURCE is a folder, a ZIP, or one file with --as PATH."""
    with connect() as zerrit:
        if source.is_dir():
            shown = {
                str(file.relative_to(source)).replace("\\", "/"): file.read_bytes()
                for file in sorted(source.rglob("*"))
                if file.is_file() and not file.is_symlink()
            }
            taken = zerrit.take_in(server_id, shown, gone)
        elif path:
            taken = zerrit.take_in(server_id, {path: source.read_bytes()}, gone)
        elif zipfile.is_zipfile(source):
            taken = zerrit.take_in_zip(server_id, source.read_bytes())
        else:
            raise click.UsageError(f"{source} is one file; say which on the server: --as sea/finds.xml, say.")
    echo(f"{counted(len(taken.taken), 'file')} taken in from {source}.")


@click.command("look")
@click.argument("change_id", type=int)
@click.argument("number", type=int, required=False)
@click.argument("found", type=click.Choice(["right", "wrong"]), required=False)
@click.option("--note", default="", help="What you saw.")
def look(change_id: int, number: int | None, found: str | None, note: str) -> None:
    """The look list of a deployed change: show it, or tick off NUMBER as right or wrong.

    When all is right, the change is proven. A change without a list is proven by a --note alone.
    """
    with connect() as zerrit:
        detail = zerrit.change(change_id)
        if number is not None:
            if found is None:
                raise click.UsageError("Say how it looks: right or wrong.")
            if not 1 <= number <= len(detail.look_list):
                raise click.UsageError(f"Change {change_id} has {counted(len(detail.look_list), 'thing')} to look at.")
            detail = zerrit.look(change_id, detail.look_list[number - 1].id, found == "right", note)
        elif note:
            detail = zerrit.prove(change_id, note)
    print_looks(detail)


def print_looks(detail: api.ChangeDetail) -> None:
    """The look list of a change and what it still waits for."""
    for number, one in enumerate(detail.look_list, 1):
        word = {None: "to do", True: "right", False: "wrong"}[one.is_right]
        seen = f"   ({one.person}: {one.note})" if one.note else ""
        echo(f"  {number:>2}. [{word:<5}] {one.text}{seen}")
    for wait in detail.waits:
        if wait.held_at is None:
            echo(f"  waits for {wait.takes_effect}: {', '.join(wait.addresses)}")
    if any(one.is_right is False for one in detail.look_list):
        before = next((run.before for run in detail.runs if run.state == "deployed"), None)
        echo(f"  Not as it should be? Take the change back: zerrit change undo {detail.id}")
        echo(f"  Or the whole server: zerrit rollback {detail.server} {before}")
    if detail.state == "deployed" and not detail.look_list:
        echo(
            f"Change {detail.id} has nothing listed to look at. Prove it in your words: zerrit look {detail.id} --note …"
        )
    echo(f"Change {detail.id} is {detail.state}.")


@click.command("in-force")
@click.argument("change_id", type=int)
@click.argument("what", type=click.Choice(["next-chart", "new-world", "rejoin", "restart"]))
def in_force(change_id: int, what: str) -> None:
    """Say that what the values of a change waited for has come."""
    with connect() as zerrit:
        detail = zerrit.change(change_id)
        waiting = [wait for wait in detail.waits if wait.takes_effect == what and wait.held_at is None]
        if not waiting:
            raise click.UsageError(f"Nothing of change {change_id} waits for {what}.")
        for wait in waiting:
            detail = zerrit.came(change_id, wait.id)
    print_looks(detail)
