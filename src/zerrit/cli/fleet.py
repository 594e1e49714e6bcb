"""Commands for times and for several servers: windows, rollouts, the grid."""

from __future__ import annotations

import sys
import time

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table, progress, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
POLL = 0.3  # seconds


@click.group()
def window() -> None:
    """Times at which something is done by itself: restarts with queued changes, backups, looks for drift."""


@window.command("add")
@click.argument("server_id")
@click.argument("does", type=click.Choice(["restart", "backup", "look"]))
@click.option(
    "--at", "times", multiple=True, required=True, metavar="HH:MM", help="Time of day; may be given several times."
)
@click.option("--on", "days", multiple=True, type=click.Choice(DAYS), help="Weekday; every day where none is given.")
@click.option("--zone", default="UTC", show_default=True, help="Time zone, such as Europe/Berlin.")
@click.option(
    "--announce", type=click.IntRange(0, 120), default=0, metavar="MINUTES", help="Tell the players so long before."
)
def add_window(
    server_id: str, does: str, times: tuple[str, ...], days: tuple[str, ...], zone: str, announce: int
) -> None:
    """Add a time. `restart` deploys the queued changes, `backup` takes a snapshot, `look` looks for drift."""
    given = api.WindowIn.model_validate(
        {
            "does": does,
            "times": list(times),
            "weekdays": [DAYS.index(day) for day in days],
            "zone": zone,
            "announce": announce,
        }
    )
    with connect() as zerrit:
        added = zerrit.add_window(server_id, given)
    echo(f"Window {added.id}: {_days(added)} at {', '.join(added.times)} ({added.zone}); next {_when(added)}")


@window.command("list")
@click.argument("server_id")
@output_option
def list_windows(server_id: str, output: str) -> None:
    """List the times of a server, the next one first."""
    with connect() as zerrit:
        found = zerrit.windows(server_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if not found:
        echo(
            f"{server_id} has no window. Add one: zerrit window add {server_id} restart --at 05:00 --zone Europe/Berlin"
        )
        return
    rows = [
        (
            str(one.id),
            one.does,
            _days(one),
            ", ".join(one.times),
            one.zone,
            _when(one),
            ", ".join(str(change) for change in one.queued) or "-",
        )
        for one in found
    ]
    print_table(("window", "does", "on", "at", "zone", "next (UTC)", "queued"), rows, whole=("next (UTC)",))


@window.command("remove")
@click.argument("server_id")
@click.argument("number", type=int)
def remove_window(server_id: str, number: int) -> None:
    """Take a time away."""
    with connect() as zerrit:
        zerrit.remove_window(server_id, number)
    echo(f"Window {number} of {server_id} is gone.")


def _days(one: api.WindowOut) -> str:
    return ", ".join(DAYS[day] for day in one.weekdays) or "every day"


def _when(one: api.WindowOut) -> str:
    return one.next_at.strftime("%Y-%m-%d %H:%M") + (f" ({one.note})" if one.note else "")


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
    "--announce", type=click.IntRange(0, 120), default=0, metavar="MINUTES", help="Tell the players so long before."
)
@click.option("--yes", is_flag=True, help="Do not ask.")
def rollout(change_id: int, waves: tuple[str, ...], announce: int, yes: bool) -> None:
    """Bring a change to several servers, wave by wave. It halts at the first start that goes wrong."""
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


@click.command("grid")
@click.argument("address")
@click.argument("servers", nargs=-1)
@click.option("--odd", "only_odd", is_flag=True, help="Only what is not alike everywhere.")
@output_option
def grid(address: str, servers: tuple[str, ...], only_odd: bool, output: str) -> None:
    """Hold a setting, or a pattern of them, beside one another on all servers. Odd ones are marked with *."""
    with connect() as zerrit:
        found = zerrit.grid(address, servers, only_odd)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    rows = [
        (
            row.address,
            *(_cell(row, server) for server in found.servers),
            "split" if row.is_split else "odd" if row.odd else "",
        )
        for row in found.rows
    ]
    print_table(("address", *found.servers, ""), rows, right=found.servers, whole=("address",))
    unlike = sum(1 for row in found.rows if row.odd or row.is_split)
    echo(f"{counted(unlike, 'setting')} of {len(found.rows)} {'is' if unlike == 1 else 'are'} not alike everywhere.")


def _cell(row: api.GridRowOut, server: str) -> str:
    value = row.values.get(server)
    return ("*" if server in row.odd else "") + ("(none)" if value is None else short(value, 30))
