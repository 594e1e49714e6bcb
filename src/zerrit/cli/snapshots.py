"""Commands on snapshots, drift, and the safety of Zerrit's own records."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table, short, sign
from zerrit.cli.private import write_private
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@click.group()
def snapshot() -> None:
    """Snapshots: take, pin, export, import, verify, prune."""


@snapshot.command("take")
@click.argument("server_id")
@click.option("--reason", default="", help="What it is for.")
@click.option("--pin", is_flag=True, help="Never prune it.")
def take_snapshot(server_id: str, reason: str, pin: bool) -> None:
    """Take a snapshot now."""
    with connect() as zerrit:
        found = zerrit.take_snapshot(server_id, reason, pin)
    kept = f"; pinned: {found.pinned}" if found.pinned else ""
    echo(f"Snapshot {found.id} of {server_id}: {found.reason}, {counted(found.files, 'file')}{kept}.")


@snapshot.command("pin")
@click.argument("server_id")
@click.argument("number", type=int)
@click.argument("reason")
def pin_snapshot(server_id: str, number: int, reason: str) -> None:
    """Pin a snapshot so that it is never pruned. REASON says why."""
    with connect() as zerrit:
        zerrit.pin_snapshot(server_id, number, reason)
    echo(f"Snapshot {number} stays: {reason}")


@snapshot.command("unpin")
@click.argument("server_id")
@click.argument("number", type=int)
def let_go(server_id: str, number: int) -> None:
    """Unpin a snapshot: the retention rules may prune it again."""
    with connect() as zerrit:
        zerrit.pin_snapshot(server_id, number, "")
    echo(f"Snapshot {number} goes when the retention rules say so.")


@snapshot.command("export")
@click.argument("server_id")
@click.argument("number", type=int)
@click.option("--save-to", type=click.Path(dir_okay=False, path_type=Path), required=True)
def export_snapshot(server_id: str, number: int, save_to: Path) -> None:
    """Save a snapshot as a ZIP that needs no Zerrit. It contains a list of hashes and a page of instructions."""
    with connect() as zerrit:
        data = zerrit.export_snapshot(server_id, number)
    save_to.write_bytes(data)
    echo(
        f"Snapshot {number} of {server_id} is in {save_to}, {len(data):,} bytes. Its READ-ME-FIRST.txt says what to do."
    )


@snapshot.command("import")
@click.argument("server_id")
@click.argument("archive", type=click.Path(exists=True, dir_okay=False, path_type=Path))
def import_snapshot(server_id: str, archive: Path) -> None:
    """Import an exported snapshot. Nothing is written to the server."""
    with connect() as zerrit:
        found = zerrit.import_snapshot(server_id, archive.read_bytes())
    echo(
        f"Snapshot {found.id} of {server_id}: {found.reason}. To put it on the server: zerrit rollback {server_id} {found.id}"
    )


@snapshot.command("verify")
@output_option
def verify(output: str) -> None:
    """Verify every stored file. Each content is hashed again; exit code 1 when one is damaged."""
    with connect() as zerrit:
        proof = zerrit.verify_all()
    if output == "json":
        print_json(proof.model_dump(mode="json"))
    else:
        echo(f"{counted(proof.contents, 'content')} hashed again, {proof.size:,} bytes.")
        for number, paths in proof.damaged.items():
            echo(f"  snapshot {number} is damaged in {', '.join(paths)}")
        if proof.damaged:
            echo("Put back the database from a backup, or fetch the servers again: what still is there is kept anew.")
        else:
            echo("All are as they were kept.")
    sys.exit(1 if proof.damaged else 0)


@snapshot.command("prune")
@click.argument("server_id")
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Only say what would go.")
def prune(server_id: str, is_dry_run: bool) -> None:
    """Delete the snapshots that the retention rules do not need. See `zerrit server set --help` for the rules.

    Contents of watched files, such as big binaries, go by a rule of their own; a snapshot then knows them by their hash.
    """
    with connect() as zerrit:
        planned = zerrit.plan_pruning(server_id) if is_dry_run else zerrit.prune(server_id)
    rows = [(str(number), reason) for number, reason in sorted(planned.kept.items(), reverse=True)]
    print_table(("stays", "because"), rows)
    going = ", ".join(str(number) for number in planned.pruned) or "none"
    echo(f"{'Would be pruned' if is_dry_run else 'Pruned'}: {going}")
    if planned.watched:
        echo(
            f"Contents of watched files that {'would go' if is_dry_run else 'went'} from snapshots that stay: {planned.watched}"
        )


@click.command("restore")
@click.argument("server_id")
@click.argument("number", type=int)
@click.argument("what")
@click.option("--title", default="", help="The title of the change.")
def restore(server_id: str, number: int, what: str, title: str) -> None:
    """Restore a part of a snapshot. WHAT is a folder (with / at its end), a file, or the address of an entry.

    A change is opened for it; look at it, then deploy it. The whole server goes back with `zerrit rollback`.
    """
    with connect() as zerrit:
        detail = zerrit.restore_part(server_id, number, what, title)
    print_opened(detail)


def print_opened(detail: api.ChangeDetail) -> None:
    """A change that a command has opened."""
    echo(f"Change {detail.id} on {detail.server}: {detail.title}")
    for step in detail.step_list:
        echo(f"  {step.position:>2}. {step.kind:<11} {step.address}")
    for reason in detail.blocking:
        echo(f"  blocked: {reason}")
    echo(f"Look at it: zerrit change compare {detail.id}   Then: zerrit change deploy {detail.id}")


@click.command("drift")
@click.argument("server_id")
@click.option("--snapshot", "number", type=int, help="The snapshot that found it; the newest without.")
@click.option("--adopt", is_flag=True, help="Make it a change of its own, which is on the server already.")
@click.option("--revert", is_flag=True, help="Create a change that reverts it.")
@click.option("--title", default="")
@output_option
def drift(server_id: str, number: int | None, adopt: bool, revert: bool, title: str, output: str) -> None:
    """Show what was changed on a server outside Zerrit, and who usually changes it."""
    if adopt and revert:
        raise click.UsageError("Either --adopt or --revert.")
    with connect() as zerrit:
        found = zerrit.drift(server_id, number)
        if adopt:
            detail = zerrit.adopt_drift(server_id, found.after, title)
            echo(f"Change {detail.id} on {server_id}: {detail.title}; it is {detail.state}.")
            return
        if revert:
            print_opened(zerrit.revert_drift(server_id, found.after, title))
            return
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    echo(f"Between snapshots {found.before} and {found.after} of {server_id}:")
    print_table(
        ("kind", "file", "who writes it"),
        [(sign(file.kind), file.path, file.writer) for file in found.files],
        whole=("file",),
    )
    rows = [(sign(one.kind), one.address, short(one.old), short(one.new), one.delta) for one in found.differences]
    print_table(("kind", "address", "old", "new", "delta"), rows, right=("delta",), whole=("kind", "address"))
    echo("Adopt it: --adopt. Revert it: --revert. Re-base an open change onto it: zerrit change update CHANGE.")


@click.command("backup")
@click.option("--save-to", type=click.Path(dir_okay=False, path_type=Path), required=True)
def backup(save_to: Path) -> None:
    """Save the service's own database while it runs. All snapshots, changes and runs are in it."""
    with connect() as zerrit:
        data = zerrit.backup()
    part = save_to.with_name(f"{save_to.name}.part")
    write_private(part, data)
    part.replace(save_to)
    echo(f"The database is in {save_to}, {len(data):,} bytes.")
    echo(
        "The passwords of connections and controls in it need the file zerrit.key of the data folder; keep that apart."
    )
