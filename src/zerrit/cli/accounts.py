"""Who you are to the service: signing in and out, your tokens, your password, and the log of what was done."""

from __future__ import annotations

import socket
from datetime import datetime

import click

from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import DEFAULT_URL, connect, forget, remember
from zerrit.client import Client, ProblemError
from zerrit.core.wording import counted

_KINDS = {"session": "console", "bearer": "token"}


@click.command("sign-in")
@click.option("--url", default=DEFAULT_URL, envvar="ZERRIT_URL", show_default=True)
@click.option("--name", prompt=True)
@click.option("--password", envvar="ZERRIT_PASSWORD", prompt=True, hide_input=True)
@click.option("--label", help="What the token is for; without, the name of this machine.")
def sign_in(url: str, name: str, password: str, label: str | None) -> None:
    """Sign in to a service; later commands use it."""
    with Client(url) as zerrit:
        token = zerrit.token(name, password, (label if label is not None else socket.gethostname())[:80]).token
    path = remember(url, token)
    echo(f"Signed in to {url} as {name}. The token is kept in {path}.")


@click.command("sign-out")
def sign_out() -> None:
    """Sign out: the token of this machine is revoked and deleted."""
    try:
        with connect() as zerrit:
            zerrit.sign_out()
    except ProblemError as error:
        if error.problem.status != 401:  # it was not valid any more anyway
            raise
    forget()
    echo("Signed out.")


@click.command()
@output_option
def tokens(output: str) -> None:
    """List your sessions and tokens: their names, and when each was last used."""
    with connect() as zerrit:
        found = zerrit.tokens()
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    rows = [
        (
            str(one.id),
            _KINDS.get(one.kind, one.kind),
            one.label or "-",
            _when(one.created_at),
            _when(one.used_at),
            _when(one.expires_at),
            "this one" if one.is_this else "",
        )
        for one in found
    ]
    print_table(("id", "kind", "for", "made", "last used", "ends", ""), rows)


@click.command()
@click.argument("token_id", type=click.IntRange(min=1))
def revoke(token_id: int) -> None:
    """End one of your sessions or tokens at once; `zerrit tokens` lists them."""
    with connect() as zerrit:
        zerrit.revoke_token(token_id)
    echo(f"Token {token_id} is not valid any more.")


@click.command()
@click.option("--old", envvar="ZERRIT_PASSWORD", prompt="Your password now", hide_input=True)
@click.option("--new", prompt="The new one", hide_input=True, confirmation_prompt="The new one again")
def password(old: str, new: str) -> None:
    """Change your password. All your other sessions and tokens end; this one stays."""
    with connect() as zerrit:
        zerrit.change_password(old, new)
    echo("The password is changed. All your other sessions and tokens have ended.")


@click.group()
def activity() -> None:
    """The log of what was done, by whom."""


@activity.command("verify")
@output_option
def verify(output: str) -> None:
    """Verify that no row of the log was altered or removed; exit code 1 if one was."""
    with connect() as zerrit:
        found = zerrit.verify_activity()
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        for fault in found.faults:
            echo(fault)
        if not found.faults:
            echo(f"{counted(found.rows, 'row')} of the activity log verified: none was altered or removed.")
    if found.faults:
        raise SystemExit(1)


@activity.command("show")
@click.argument("server_id")
@output_option
def show(server_id: str, output: str) -> None:
    """What was done on a server, the newest first."""
    with connect() as zerrit:
        found = zerrit.activity(server_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    rows = [(_when(one.at), one.person, one.action, one.detail) for one in found]
    print_table(("when", "who", "what", "about"), rows)


def _when(at: datetime | None) -> str:
    return f"{at.astimezone():%Y-%m-%d %H:%M %Z}" if at else "-"


COMMANDS = (sign_in, sign_out, tokens, revoke, password, activity)
