"""Who you are to the service: signing in and out, your tokens, your password, and the log of what was done."""

from __future__ import annotations

import socket
from datetime import datetime

import click
from pydantic import SecretStr

from zerrit import api
from zerrit.cli.completion import complete_address
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


# --- people -----------------------------------------------------------------------------------------------------------


@click.group(invoke_without_command=True)
@output_option
@click.pass_context
def people(context: click.Context, output: str) -> None:
    """Who may sign in: admins, and helpers with the places that they may change.

    A helper sees everything and prepares any change; what they deploy or queue has to stay at their places. A place is an
    address as anywhere else: `events.yml`, `stalls/*.xml#ware[kind=cloth]/price`, `reef:world.ini#Sky`.
    """
    if context.invoked_subcommand is not None:
        return
    with connect() as zerrit:
        found = zerrit.people()
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    print_table(("name", "role", "may change"), [(one.name, one.role, _places_of(one)) for one in found])


_MAY_CHANGE = click.option(
    "--may-change",
    "places",
    multiple=True,
    metavar="ADDRESS",
    shell_complete=complete_address,
    help="A place that they may change. Repeatable.",
)
_PASSWORD = click.option(
    "--password", envvar="ZERRIT_NEW_PASSWORD", prompt="Their password", hide_input=True, confirmation_prompt=True
)


@people.command("add")
@click.argument("name")
@_MAY_CHANGE
@click.option("--admin", "is_admin", is_flag=True, help="They may do everything, as you may.")
@_PASSWORD
def add_person(name: str, places: tuple[str, ...], is_admin: bool, password: str) -> None:
    """Let someone more sign in: a helper, or another admin."""
    given = api.PersonIn(
        name=name, password=SecretStr(password), role="admin" if is_admin else "helper", may_change=list(places)
    )
    with connect() as zerrit:
        person = zerrit.add_person(given)
    echo(f"{person.name} may sign in. {_rights_in_words(person)}")


@people.command("set")
@click.argument("name")
@_MAY_CHANGE
@click.option("--nothing", is_flag=True, help="They may only prepare changes.")
def set_places(name: str, places: tuple[str, ...], nothing: bool) -> None:
    """Give a helper other places, in place of those that they have."""
    if bool(places) is nothing:
        raise click.UsageError("Say what they may change: --may-change ADDRESS, once or more; or --nothing.")
    with connect() as zerrit:
        person = zerrit.edit_person(name, list(places))
    echo(_rights_in_words(person))


@people.command("password")
@click.argument("name")
@_PASSWORD
def set_password(name: str, password: str) -> None:
    """Give someone else another password; all their sessions and tokens end."""
    with connect() as zerrit:
        zerrit.edit_person(name, password=password)
    echo(f"{name} has another password, and has to sign in again everywhere.")


@people.command("remove")
@click.argument("name")
def remove_person(name: str) -> None:
    """Someone may not sign in any more; what they did stays."""
    with connect() as zerrit:
        zerrit.remove_person(name)
    echo(f"{name} may not sign in any more.")


def _places_of(person: api.PersonOut) -> str:
    if person.role == "admin":
        return "everything"
    return ", ".join(person.may_change) or "nothing; prepares changes for an admin"


def _rights_in_words(person: api.PersonOut) -> str:
    if person.role == "admin":
        return "They are an admin and may do everything."
    if not person.may_change:
        return f"{person.name} may prepare changes; an admin deploys them."
    return f"{person.name} may prepare changes, and deploy those that stay at: {', '.join(person.may_change)}."


COMMANDS = (sign_in, sign_out, tokens, revoke, password, people, activity)
