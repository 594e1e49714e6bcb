"""Commands that bring servers and gamebooks under care."""

from __future__ import annotations

from pathlib import Path

import click
from pydantic import SecretStr

from zerrit import api
from zerrit.cli.local import text_file
from zerrit.cli.output import output_option, print_json, print_table
from zerrit.cli.session import connect


@click.group()
def server() -> None:
    """The servers under care: list them, add one."""


@server.command("list")
@output_option
def list_servers(output: str) -> None:
    """List the servers."""
    with connect() as zerrit:
        found = zerrit.servers()
    if output == "json":
        print_json([server.model_dump(mode="json") for server in found])
        return
    if not found:
        click.echo("No server yet. Add one: zerrit server add --help")
        return
    rows = [
        (
            s.id,
            s.title,
            s.link["kind"],
            s.gamebook or "-",
            str(s.files),
            _when(s.last_snapshot),
            ", ".join(s.defaults) or "-",
            str(s.open_changes),
        )
        for s in found
    ]
    columns = ("server", "title", "link", "gamebook", "files", "last snapshot", "defaults", "open changes")
    print_table(columns, rows, right=("files", "open changes"))


def _when(snapshot: api.SnapshotOut | None) -> str:
    return snapshot.taken_at.strftime("%Y-%m-%d %H:%M") if snapshot else "never fetched"


@server.command("add")
@click.argument("server_id")
@click.option("--title", default="")
@click.option("--gamebook", help="Name of the gamebook of its game.")
@click.option("--ftp", metavar="HOST:PORT", help="Reach its files by FTP.")
@click.option("--user", help="User for FTP.")
@click.option("--password", envvar="ZERRIT_LINK_PASSWORD", help="Password for FTP; asked for where none is given.")
@click.option("--folder", help="Its folder: on the FTP server, or on the service's machine where --ftp is not given.")
@click.option("--control", required=True, help="Address of the HTTP control.")
@click.option(
    "--control-token", envvar="ZERRIT_CONTROL_TOKEN", help="Token of the control; asked for where none is given."
)
def add_server(
    server_id: str,
    title: str,
    gamebook: str | None,
    ftp: str | None,
    user: str | None,
    password: str | None,
    folder: str | None,
    control: str,
    control_token: str | None,
) -> None:
    """Add a server: how its files are reached, and how its game is stopped and started."""
    link: api.FtpLink | api.FolderLink
    if ftp:
        host, _, port = ftp.partition(":")
        if port and not port.isdigit():
            raise click.UsageError(f"--ftp {ftp}: write HOST:PORT, such as files.example:21.")
        secret = password if password is not None else click.prompt("FTP password", hide_input=True)
        link = api.FtpLink(
            host=host, port=int(port or 21), user=user or "", password=SecretStr(secret), folder=folder or "/"
        )
    elif folder:
        link = api.FolderLink(folder=str(Path(folder).resolve()))
    else:
        raise click.UsageError("Say how the files are reached: --ftp HOST:PORT, or --folder PATH.")
    token = control_token if control_token is not None else click.prompt("Token of the control", hide_input=True)
    given = api.ServerIn(
        id=server_id,
        title=title,
        gamebook=gamebook,
        link=link,
        control=api.HttpControl(url=control, token=SecretStr(token)),
    )
    with connect() as zerrit:
        added = zerrit.add_server(given)
    if isinstance(link, api.FtpLink):
        click.echo(
            "Note: FTP sends the password and all files in clear text; use it only where the host offers nothing better.",
            err=True,
        )
    click.echo(f"Added {added.id}: {added.title}. Now fetch its files: zerrit fetch {added.id}")


@click.group()
def gamebook() -> None:
    """Gamebooks: list them, give the service one."""


@gamebook.command("list")
@output_option
def list_gamebooks(output: str) -> None:
    """List the gamebooks that the service has."""
    with connect() as zerrit:
        found = zerrit.gamebooks()
    if output == "json":
        print_json([book.model_dump(mode="json") for book in found])
        return
    if not found:
        click.echo("No gamebook yet. Give the service one: zerrit gamebook put NAME FILE")
        return
    print_table(("gamebook", "kept at (UTC)"), [(b.name, b.updated_at.strftime("%Y-%m-%d %H:%M")) for b in found])


@gamebook.command("put")
@click.argument("name")
@text_file("text", metavar="FILE")
def put_gamebook(name: str, text: str) -> None:
    """Give the service a gamebook; a mistake in it is shown with its line."""
    with connect() as zerrit:
        zerrit.put_gamebook(name, text)
    click.echo(f"The gamebook {name} is kept.")
