"""Commands that bring servers under care."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import click
from pydantic import SecretStr

from zerrit import api
from zerrit.cli.output import output_option, print_json, print_table
from zerrit.cli.session import connect


@click.group()
def server() -> None:
    """The servers under care: list them, add one, change its settings."""


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


def _settings_options(command: Callable[..., None]) -> Callable[..., None]:
    """The options that say how a server is reached and controlled."""
    options = (
        click.option("--title"),
        click.option("--gamebook", help="Name of the gamebook of its game."),
        click.option("--ftp", metavar="HOST:PORT", help="Reach its files by FTP."),
        click.option("--user", help="User for FTP."),
        click.option("--password", envvar="ZERRIT_LINK_PASSWORD", help="Password for FTP."),
        click.option("--folder", help="Its folder: on the FTP server, or on the service's machine without --ftp."),
        click.option("--control", help="Address of the HTTP control."),
        click.option("--control-token", envvar="ZERRIT_CONTROL_TOKEN", help="Token of the control."),
    )
    for option in reversed(options):
        command = option(command)
    return command


@server.command("add")
@click.argument("server_id")
@_settings_options
def add_server(server_id: str, title: str | None, gamebook: str | None, **given: str | None) -> None:
    """Add a server: how its files are reached, and how its game is stopped and started.

    A password or token that is not given is asked for.
    """
    if not given["control"]:
        raise click.UsageError("Say how the game is stopped and started: --control ADDRESS.")
    if given["ftp"] and given["password"] is None:
        given["password"] = click.prompt("FTP password", hide_input=True)
    if (given["ftp"] or given["folder"]) and given["control_token"] is None:
        given["control_token"] = click.prompt("Token of the control", hide_input=True)
    wanted = _server_in(server_id, title or "", gamebook, given)
    with connect() as zerrit:
        added = zerrit.add_server(wanted)
    _warn_of_clear_text(wanted)
    click.echo(f"Added {added.id}: {added.title}. Now fetch its files: zerrit fetch {added.id}")


@server.command("set")
@click.argument("server_id")
@_settings_options
def set_server(server_id: str, title: str | None, gamebook: str | None, **given: str | None) -> None:
    """Change the settings of a server. What is not given stays, passwords too."""
    with connect() as zerrit:
        known = zerrit.server(server_id)
        link = known.link
        if link["kind"] == "ftp":
            given["ftp"] = given["ftp"] or f"{link['host']}:{link['port']}"
            given["user"] = given["user"] or link["user"]
        if link["kind"] == "ftp" or not given["ftp"]:
            given["folder"] = given["folder"] or link["folder"]
        given["control"] = given["control"] or known.control["url"]
        wanted = _server_in(server_id, title or known.title, gamebook or known.gamebook, given)
        zerrit.change_server(wanted)
    _warn_of_clear_text(wanted)
    click.echo(f"{server_id} has its new settings; link and control answer.")


def _server_in(server_id: str, title: str, gamebook: str | None, given: Mapping[str, str | None]) -> api.ServerIn:
    ftp, folder = given["ftp"], given["folder"]
    link: api.FtpLink | api.FolderLink
    if ftp:
        host, _, port = ftp.partition(":")
        if port and not port.isdigit():
            raise click.UsageError(f"--ftp {ftp}: write HOST:PORT, such as files.example:21.")
        password = SecretStr(given["password"] or "")
        link = api.FtpLink(
            host=host, port=int(port or 21), user=given["user"] or "", password=password, folder=folder or "/"
        )
    elif folder:
        link = api.FolderLink(folder=str(Path(folder).resolve()))
    else:
        raise click.UsageError("Say how the files are reached: --ftp HOST:PORT, or --folder PATH.")
    control = api.HttpControl(url=given["control"] or "", token=SecretStr(given["control_token"] or ""))
    return api.ServerIn(id=server_id, title=title, gamebook=gamebook, link=link, control=control)


def _warn_of_clear_text(server: api.ServerIn) -> None:
    if isinstance(server.link, api.FtpLink):
        click.echo(
            "Note: FTP sends the password and all files in clear text; use it only where the host offers nothing better.",
            err=True,
        )
