"""Getting files out of a database when there is no service any more."""

from __future__ import annotations

import hashlib
import sys
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import click

from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.core.errors import PathRefused
from zerrit.core.paths import safe_path
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.records import KeptSnapshot


@click.command()
@click.argument("database", type=click.Path(path_type=Path))
@click.argument("snapshot", type=int, required=False)
@click.option("--save-to", type=click.Path(path_type=Path), help="The folder to write its files to.")
@output_option
def rescue(database: Path, snapshot: int | None, save_to: Path | None, output: str) -> None:
    """Write a snapshot out of a database file. It needs no service, and changes nothing.

    Without SNAPSHOT it lists those that are there. Exit code 1 when a file could not be had.
    """
    # The records are a heavy import, and no command that talks to the service needs them.
    from zerrit.records import open_for_rescue  # noqa: PLC0415

    with open_for_rescue(database) as found:
        if snapshot is None:
            _list(found.snapshots(), output)
            return
        kept = next((one for one in found.snapshots() if one.id == snapshot), None)
        if kept is None:
            raise click.UsageError(
                f"There is no snapshot {snapshot} in {database}. Without a number, those are listed that are."
            )
        if save_to is None:
            raise click.UsageError("Say where to: --save-to FOLDER.")
        if save_to.exists() and any(save_to.iterdir()):
            raise click.UsageError(f"{save_to} is not empty; name a new folder.")
        written, watched, lost = _write(found.files(snapshot), save_to)
    echo(f"Snapshot {snapshot} of {kept.server} ({kept.taken_at} UTC, {kept.reason}):")
    echo(f"  {counted(written, 'file')} written to {save_to}; check them with SHA256SUMS beside them")
    if watched:
        echo(f"  {counted(len(watched), 'file')} were only watched and are not in it: {', '.join(watched[:5])}")
    for path in lost:
        echo(f"  lost: {path} is damaged in the database; look for it in an older snapshot", err=True)
    echo(
        "To put the server back: stop the game, keep a copy of what is there, upload these files over it, start the game."
    )
    sys.exit(1 if lost else 0)


def _list(snapshots: Sequence[KeptSnapshot], output: str) -> None:
    if output == "json":
        print_json([asdict(one) for one in snapshots])
        return
    rows = [
        (
            one.server,
            str(one.id),
            str(one.taken_at)[:19],
            f"defaults {one.label}" if one.label else one.reason,
            str(one.files),
            "the game came up" if one.is_good else "",
        )
        for one in snapshots
    ]
    print_table(("server", "snapshot", "taken (UTC)", "reason", "files", "good"), rows, right=("snapshot", "files"))
    echo("Write one out: zerrit rescue DATABASE SNAPSHOT --save-to FOLDER")


def _write(files: Iterable[tuple[str, bytes | None, bool]], folder: Path) -> tuple[int, list[str], list[str]]:
    written = 0
    watched: list[str] = []
    lost: list[str] = []
    sums: list[str] = []
    for path, data, is_watched in files:
        if data is None:
            (watched if is_watched else lost).append(path)
            continue
        try:
            target = folder.joinpath(*safe_path(path).split("/"))
        except PathRefused:
            lost.append(path)
            continue
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
        sums.append(f"{hashlib.sha256(data).hexdigest()}  {path}")
        written += 1
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "SHA256SUMS").write_text("\n".join([*sums, ""]))
    return written, watched, lost
