"""The command that brings a change to several servers."""

from __future__ import annotations

import sys
import time

import click

from zerrit import api
from zerrit.cli.output import echo, print_table, progress, short
from zerrit.cli.session import connect

POLL = 0.3  # seconds


@click.command("rollout")
@click.argument("change_id", type=int)
@click.option(
    "--wave",
    "waves",
    multiple=True,
    required=True,
    metavar="SERVER,SERVER",
    help="Servers of a wave; one option for each.",
)
@click.option(
    "--announce", type=click.IntRange(0, 120), default=0, metavar="MINUTES", help="Minutes of warning to the players."
)
@click.option("--yes", is_flag=True, help="Do not ask.")
def rollout(change_id: int, waves: tuple[str, ...], announce: int, yes: bool) -> None:
    """Bring a change to several servers, wave by wave. It halts at the first failed start."""
    planned = [[one.strip() for one in wave.split(",") if one.strip()] for wave in waves]
    if not yes:
        click.confirm(f"Restart {', then '.join(' and '.join(wave) for wave in planned)}?", abort=True)
    with connect() as zerrit, progress() as doing:
        found = zerrit.begin_rollout(
            api.RolloutIn(change=change_id, waves=planned, options=api.OptionsIn(announce=announce))
        )
        while found.state == "running":
            doing("; ".join(f"{one.server} {one.state}" for one in found.servers))
            time.sleep(POLL)
            found = zerrit.rollout(found.id)
    print_rollout(found)
    sys.exit(0 if found.state == "done" else 1)


def print_rollout(found: api.RolloutOut) -> None:
    """Print a rollout: a row for each server, then how it ended."""
    rows = [
        (
            str(one.wave),
            one.server,
            f"change {one.change}",
            f"run {one.run}" if one.run else "-",
            one.state,
            short(one.said, 90),
        )
        for one in found.servers
    ]
    print_table(("wave", "server", "change", "run", "state", "what happened"), rows)
    echo(f"Rollout {found.id} {found.state}: {found.outcome}")
