"""Commands on waivers."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import click

from zerrit.cli.output import echo, output_option, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted

until_option = click.option(
    "--until", type=click.DateTime(["%Y-%m-%d"]), help="The last day of the waiver; without it, the waiver has no end."
)
_STATES = {"in-use": "in use", "unused": "waives nothing any more", "ended": "ended"}


def in_utc(until: datetime | None) -> datetime | None:
    """The end of a day in the time of this machine."""
    return (until + timedelta(days=1)).astimezone(UTC) if until is not None else None


@click.group()
def waiver() -> None:
    """Waivers: findings that are accepted with a reason, until a date."""


@waiver.command("add")
@click.argument("server_id")
@click.argument("code")
@click.argument("address")
@click.option("--reason", required=True, help="Why the finding is waived.")
@until_option
def add_waiver(server_id: str, code: str, address: str, reason: str, until: datetime | None) -> None:
    """Waive the finding CODE at ADDRESS, as `zerrit check SERVER:` names them."""
    with connect() as zerrit:
        zerrit.waive_on(server_id, code, address, reason, in_utc(until))
    echo(f"{code} at {address} is waived on {server_id}.")


@waiver.command("remove")
@click.argument("server_id")
@click.argument("number", type=int)
def remove_waiver(server_id: str, number: int) -> None:
    """Remove a waiver; its finding counts again."""
    with connect() as zerrit:
        zerrit.remove_waiver(server_id, number)
    echo(f"Waiver {number} of {server_id} is removed.")


@waiver.command("list")
@click.argument("server_id")
@output_option
def list_waivers(server_id: str, output: str) -> None:
    """List the waivers of a server. One that waives nothing any more is marked: remove it."""
    with connect() as zerrit:
        found = zerrit.waivers(server_id)
    if output == "json":
        print_json([waiver.model_dump(mode="json") for waiver in found])
        return
    if not found:
        echo(f"{server_id} has no waivers. Add one: zerrit waiver add {server_id} CODE ADDRESS --reason TEXT")
        return
    rows = [
        (
            str(w.id),
            _STATES[w.state],
            w.code,
            w.address,
            f"{w.until - timedelta(seconds=1):%Y-%m-%d}" if w.until else "no end",
            w.author,
            short(w.reason),
        )
        for w in found
    ]
    print_table(
        ("number", "state", "finding", "address", "until", "author", "reason"),
        rows,
        right=("number",),
        whole=("finding",),
    )
    idle = sum(w.state != "in-use" for w in found)
    if idle:
        echo(f"{counted(idle, 'of them', 'of them')} no longer needed: zerrit waiver remove {server_id} NUMBER")
