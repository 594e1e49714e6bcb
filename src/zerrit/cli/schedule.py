"""Commands on the schedule of a server: what is done at set times."""

from __future__ import annotations

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import connect

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
POLL = 0.3  # seconds


@click.group()
def schedule() -> None:
    """The schedule of a server: restarts with queued changes, snapshots, checks for drift."""


@schedule.command("add")
@click.argument("server_id")
@click.argument("task", type=click.Choice(["restart", "snapshot", "drift-check"]))
@click.option(
    "--at", "times", multiple=True, required=True, metavar="HH:MM", help="Time of day; may be given several times."
)
@click.option("--on", "days", multiple=True, type=click.Choice(DAYS), help="Weekday; every day where none is given.")
@click.option("--zone", default="UTC", show_default=True, help="Time zone, such as Europe/Berlin.")
@click.option(
    "--announce", type=click.IntRange(0, 120), default=0, metavar="MINUTES", help="Minutes of warning to the players."
)
def add_task(
    server_id: str, task: str, times: tuple[str, ...], days: tuple[str, ...], zone: str, announce: int
) -> None:
    """Add a task. `restart` deploys the queued changes; `snapshot` takes one; `drift-check` looks for drift."""
    given = api.TaskIn.model_validate(
        {
            "task": task,
            "times": list(times),
            "weekdays": [DAYS.index(day) for day in days],
            "zone": zone,
            "announce": announce,
        }
    )
    with connect() as zerrit:
        added = zerrit.add_task(server_id, given)
    echo(f"Task {added.id}: {_days(added)} at {', '.join(added.times)} ({added.zone}); next {_when(added)}")


@schedule.command("list")
@click.argument("server_id")
@output_option
def list_tasks(server_id: str, output: str) -> None:
    """List the tasks of a server, the next one first."""
    with connect() as zerrit:
        found = zerrit.schedule(server_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if not found:
        echo(
            f"{server_id} has no schedule. Add a task: zerrit schedule add {server_id} restart --at 05:00 --zone Europe/Berlin"
        )
        return
    rows = [
        (
            str(one.id),
            one.task,
            _days(one),
            ", ".join(one.times),
            one.zone,
            _when(one),
            ", ".join(str(change) for change in one.queued) or "-",
        )
        for one in found
    ]
    print_table(("number", "task", "on", "at", "zone", "next (UTC)", "queued"), rows, whole=("next (UTC)",))


@schedule.command("remove")
@click.argument("server_id")
@click.argument("number", type=int)
def remove_task(server_id: str, number: int) -> None:
    """Remove a task."""
    with connect() as zerrit:
        zerrit.remove_task(server_id, number)
    echo(f"Task {number} of {server_id} is removed.")


def _days(one: api.TaskOut) -> str:
    return ", ".join(DAYS[day] for day in one.weekdays) or "every day"


def _when(one: api.TaskOut) -> str:
    return one.next_at.strftime("%Y-%m-%d %H:%M") + (f" ({one.note})" if one.note else "")
