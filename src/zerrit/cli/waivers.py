"""The command that lists waivers, gives them, and takes them back."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import click

from zerrit.cli.output import echo, output_option, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted

until_option = click.option(
    "--until", type=click.DateTime(["%Y-%m-%d"]), help="The last day on which it holds; without it, for good."
)
_STATES = {"holds": "holds", "unused": "accepts nothing any more", "ended": "ended"}


def in_utc(until: datetime | None) -> datetime | None:
    """The end of a day in the time of this machine."""
    return (until + timedelta(days=1)).astimezone(UTC) if until is not None else None


@click.command()
@click.argument("server_id")
@click.option("--accept", nargs=2, metavar="CODE PLACE", help="Accept a finding, as `zerrit check SERVER:` names it.")
@click.option("--reason", help="Why it is accepted.")
@until_option
@click.option("--take-back", type=int, metavar="NUMBER", help="Take a waiver back; what it accepted counts again.")
@output_option
def waivers(
    server_id: str,
    accept: tuple[str, str] | None,
    reason: str | None,
    until: datetime | None,
    take_back: int | None,
    output: str,
) -> None:
    """List the waivers of a server, accept a finding, or take a waiver back.

    A waiver that accepts nothing any more is marked: take it back, so that it does not hide the next fault there.
    """
    if accept and not reason:
        raise click.UsageError("Say why, with --reason; somebody will ask later.")
    with connect() as zerrit:
        if take_back is not None:
            zerrit.take_back(server_id, take_back)
        if accept and reason:
            zerrit.waive_on(server_id, accept[0], accept[1], reason, in_utc(until))
        found = zerrit.waivers(server_id)
    if output == "json":
        print_json([waiver.model_dump(mode="json") for waiver in found])
        return
    if not found:
        echo(f"{server_id} has no waivers.")
        return
    rows = [
        (
            str(w.id),
            _STATES[w.state],
            w.code,
            w.place,
            f"{w.until - timedelta(seconds=1):%Y-%m-%d}" if w.until else "for good",
            w.author,
            short(w.reason),
        )
        for w in found
    ]
    print_table(
        ("number", "state", "finding", "place", "until", "by", "reason"), rows, right=("number",), whole=("finding",)
    )
    idle = sum(w.state != "holds" for w in found)
    if idle:
        echo(f"{counted(idle, 'of them', 'of them')} no longer needed: zerrit waivers {server_id} --take-back NUMBER")
