"""Commands that stop, write and start: rollback and restart, following a run, and what a person does manually."""

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
                help="Minutes of warning to the players, with a countdown.",
            ),
            click.option("--when-empty", is_flag=True, help="Wait until no one plays."),
            click.option("--until", type=click.DateTime(), help="With --when-empty: go on at this time anyway."),
            click.option("--yes", is_flag=True, help="Do not ask."),
        )
    ):
        command = option(command)
    return command


def options_in(announce: int, when_empty: bool, until: datetime | None, rehearse: bool = False) -> api.OptionsIn:
    """The options of a run as the API takes them."""
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
    """Roll a server back to a snapshot, with the same stages and checks as a deploy."""
    if not yes:
        click.confirm(f"Stop {server_id}, restore snapshot {snapshot} and start it again?", abort=True)
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
    words += [f"pinned: {snapshot.pinned}"] if snapshot.pinned else []
    return ", ".join(words)


def run_result(run: api.RunOut) -> str:
    """The result of a run with its outcome."""
    return f"{run.result}. {run.outcome}" if run.outcome else str(run.result)


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
    """Print one stage of a run: its state, how long it took, and what it did."""
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
    for path, reason in seen.refused.items():
        echo(f"  left out, refused by the host: {path}: {reason.removeprefix(f'{path}: ')}")
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
    """Print an excerpt of a game's log."""
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
    """Cancel a run. It ends at the next point where that is safe; what was written is reverted.

    One that waits for a person on its way back is abandoned: it ends and leaves the server as it is.
    """
    with connect() as zerrit:
        is_given_up = zerrit.run(run_id).on_cancel == "abandon"
        found = zerrit.cancel(run_id)
    if is_given_up:
        echo(f"Run {run_id} is abandoned. How its server is left: zerrit run show {run_id}")
        return
    echo(f"Run {run_id} ends at the next safe point (it is at {found.stage}). Follow it: zerrit run follow {run_id}")


@run.command("evidence")
@click.argument("run_id", type=int)
@click.argument("path", required=False)
@click.option("--save-to", type=click.Path(path_type=Path), help="Save it as this file instead of printing it.")
def evidence(run_id: int, path: str | None, save_to: Path | None) -> None:
    """List the files that a failed start wrote, or read one. The rollback removed them; the run still has them."""
    with connect() as zerrit:
        if path is None:
            _list_evidence(zerrit.run(run_id))
            return
        data = zerrit.evidence_file(run_id, path)
    if save_to is not None:
        save_to.write_bytes(data)
        echo(f"{save_to}: {len(data):,} bytes")
    elif b"\0" in data[:8000]:
        echo(f"{path} is binary ({len(data):,} bytes). Save it: --save-to FILE")
    else:
        echo(data.decode("utf-8", "replace").rstrip("\n") + "\n", is_content=True)


def _list_evidence(found: api.RunOut) -> None:
    if not found.evidence_files:
        echo(f"Run {found.id} has no files of a failed start. Its log: zerrit run show {found.id}")
        return
    rows = [(one.path, one.kind, f"{one.size:,}", one.note or "") for one in found.evidence_files]
    print_table(("file", "kind", "bytes", "note"), rows, right=("bytes",))
    echo(f"Read one: zerrit run evidence {found.id} PATH")


@run.command("instructions")
@click.argument("run_id", type=int)
@click.option("--save-to", type=click.Path(path_type=Path), required=True, help="The folder to make.")
def instructions(run_id: int, save_to: Path) -> None:
    """Save the files that a run asks a person to put on the server, with numbered steps."""
    with connect() as zerrit:
        data = zerrit.instructions(run_id)
    if save_to.exists():
        raise click.UsageError(f"{save_to} is there already; name a new folder.")
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        packed.extractall(save_to)
    echo((save_to / "STEPS.txt").read_text().rstrip())
