"""Commands on servers and their settings."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import connect


@click.group()
def server() -> None:
    """Servers: list them, add one, change its settings."""


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
        echo("No server yet. Add one: zerrit server add --help")
        return
    rows = [
        (
            s.id,
            s.title,
            s.connection["kind"],
            s.gamebook or "-",
            str(s.files),
            _when(s.last_snapshot),
            ", ".join(s.defaults) or "-",
            str(s.open_changes),
        )
        for s in found
    ]
    columns = ("server", "title", "connection", "gamebook", "files", "last snapshot", "defaults", "open changes")
    print_table(columns, rows, right=("files", "open changes"))


def _when(snapshot: api.SnapshotOut | None) -> str:
    return snapshot.taken_at.strftime("%Y-%m-%d %H:%M") if snapshot else "never fetched"


CONNECTIONS = ("ftp", "ftps", "sftp")


def _settings_options(command: Callable[..., None]) -> Callable[..., None]:
    """The options that say how a server is reached, controlled and looked after."""
    options = (
        click.option("--title"),
        click.option("--gamebook", help="Name of the gamebook of its game."),
        click.option("--ftp", metavar="HOST:PORT", help="Reach its files by FTP, in clear text."),
        click.option("--ftps", metavar="HOST:PORT", help="Reach its files by FTP inside TLS."),
        click.option("--sftp", metavar="HOST:PORT", help="Reach its files by SFTP."),
        click.option("--user", help="User for FTP, FTPS or SFTP."),
        click.option("--password", envvar="ZERRIT_CONNECTION_PASSWORD", help="Password of the connection."),
        click.option(
            "--key", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="Private key for SFTP."
        ),
        click.option("--identity", help="Accepted certificate or host key: SHA256:…"),
        click.option("--parallel", type=click.IntRange(1, 8), help="Most connections at the same time."),
        click.option("--folder", help="Folder of the game: on the host, or on this machine if no host is given."),
        click.option(
            "--manual-files",
            is_flag=True,
            help="You transfer its files yourself: upload them to Zerrit, follow its instructions.",
        ),
        click.option("--control", help="Address of its HTTP control."),
        click.option(
            "--control-token",
            envvar="ZERRIT_CONTROL_TOKEN",
            help="Token of the HTTP control, or password of the game console.",
        ),
        click.option("--game-console", metavar="HOST:PORT", help="Address of the game console that controls it."),
        click.option(
            "--commands",
            type=click.Path(exists=True, dir_okay=False, path_type=Path),
            help="YAML or JSON with the commands: state, stop, start, reload, announce, players. `state` must end with exit code "
            "0 when the game runs, and with 1 or 3 when it does not; with 0 it may also print `stopped`.",
        ),
        click.option("--manual-control", is_flag=True, help="You stop and start it yourself."),
        click.option("--announcement", help="Announcement to players; {minutes} in it is the time that is left."),
        click.option("--crash-folder", "crash_places", multiple=True, help="Another folder where crash files appear."),
        click.option("--settle", type=float, help="Seconds that a started game must stay up."),
        click.option("--patience", type=float, help="Seconds that it has to stop, to start and to be ready."),
        click.option(
            "--may-rehearse/--may-not-rehearse",
            default=None,
            help="The gamebook's rehearsal may run on the service's machine.",
        ),
        click.option("--must-rehearse/--need-not-rehearse", default=None, help="No deploy without a rehearsal."),
        click.option(
            "--retention",
            metavar="LAST,DAYS,WEEKS,MONTHS",
            help="Retention: how many of the last snapshots stay, and for how many days, weeks and months one each.",
        ),
    )
    for option in reversed(options):
        command = option(command)
    return command


@server.command("add")
@click.argument("server_id")
@_settings_options
def add_server(server_id: str, title: str | None, gamebook: str | None, **given: Any) -> None:
    """Add a server with its connection and its control.

    A password or token that is not given is asked for. A host that shows a certificate which no authority vouches for
    is shown first; accept it with --identity when the host says that it is right.
    """
    if not any(given[name] for name in ("control", "game_console", "commands", "manual_control")):
        raise click.UsageError(
            "Name the control: --control ADDRESS, --game-console HOST:PORT, --commands FILE or --manual-control."
        )
    if any(given[name] for name in CONNECTIONS) and given["password"] is None and given["key"] is None:
        given["password"] = click.prompt("Password of the connection", hide_input=True)
    if (given["control"] or given["game_console"]) and given["control_token"] is None:
        given["control_token"] = click.prompt("Token of the control", hide_input=True)
    wanted = api.ServerIn.model_validate(
        {
            "id": server_id,
            "title": title or "",
            "gamebook": gamebook,
            "connection": _connection(given, {}),
            "control": _control(given, {}),
            "maintenance": _care(given, {}),
        }
    )
    with connect() as zerrit:
        added = zerrit.add_server(wanted)
    _say_notes(added)
    if added.connection["kind"] == "manual":
        echo(f"Added {added.id}: {added.title}. Now show its files: zerrit server upload {added.id} FOLDER")
    else:
        echo(f"Added {added.id}: {added.title}. Now fetch its files: zerrit fetch {added.id}")


@server.command("set")
@click.argument("server_id")
@_settings_options
def set_server(server_id: str, title: str | None, gamebook: str | None, **given: Any) -> None:
    """Change the settings of a server. Settings that you do not give stay as they are, passwords too."""
    with connect() as zerrit:
        known = zerrit.server(server_id)
        wanted = api.ServerIn.model_validate(
            {
                "id": server_id,
                "title": title or known.title,
                "gamebook": gamebook or known.gamebook,
                "connection": _connection(given, known.connection),
                "control": _control(given, known.control),
                "maintenance": _care(given, known.maintenance),
            }
        )
        changed = zerrit.change_server(wanted)
    _say_notes(changed)
    echo(f"{server_id} has its new settings; connection and control answer.")


@server.command("accept")
@click.argument("server_id")
@click.argument("identity")
def accept_identity(server_id: str, identity: str) -> None:
    """Accept another certificate or key of a host. IDENTITY is the one that was shown, SHA256:…"""
    with connect() as zerrit:
        zerrit.accept_identity(server_id, identity)
    echo(f"{server_id}: the host is accepted with {identity}.")


def _connection(given: Mapping[str, Any], known: Mapping[str, Any]) -> dict[str, Any]:
    """The connection as the options say it, on top of what is known."""
    chosen = next((name for name in CONNECTIONS if given[name]), None)
    if given["manual_files"]:
        return {"kind": "manual"}
    if chosen is None and known.get("kind") in CONNECTIONS and not given["folder"]:
        chosen, found = known["kind"], dict(known)
    elif chosen is not None or known.get("kind") in CONNECTIONS:
        chosen = chosen or known["kind"]
        found = dict(known) if known.get("kind") == chosen else {"kind": chosen}
        if given[chosen]:
            found |= _host_and_port(given[chosen], f"--{chosen}", 22 if chosen == "sftp" else 21)
    elif given["folder"]:
        return {"kind": "folder", "folder": str(Path(given["folder"]).resolve())}
    elif known:
        return dict(known)
    else:
        raise click.UsageError(
            "Name the connection: --sftp, --ftps or --ftp HOST:PORT, --folder PATH, or --manual-files."
        )
    for name in ("user", "identity", "parallel", "folder"):
        if given[name]:
            found[name] = given[name]
    found.setdefault("user", "")
    found["password"] = given["key"].read_text() if given["key"] else given["password"] or ""
    return found


def _host_and_port(text: str, option: str, usual: int) -> dict[str, Any]:
    host, _, port = text.partition(":")
    if (port and not port.isdigit()) or (not port and not usual):
        raise click.UsageError(f"{option} {text}: write HOST:PORT, such as files.example:{usual or 7777}.")
    return {"host": host, "port": int(port or usual)}


def _control(given: Mapping[str, Any], known: Mapping[str, Any]) -> dict[str, Any]:
    if given["manual_control"]:
        return {"kind": "manual"}
    if given["control"] or (known.get("kind") == "http" and not (given["game_console"] or given["commands"])):
        return {"kind": "http", "url": given["control"] or known["url"], "token": given["control_token"] or ""}
    written = _read_commands(given["commands"]) if given["commands"] else {}
    if given["game_console"] or (known.get("kind") == "console" and not given["commands"]):
        where = _host_and_port(given["game_console"], "--game-console", 0) if given["game_console"] else {}
        found = {"kind": "console"} | {k: v for k, v in known.items() if known.get("kind") == "console"} | where
        found["start"] = written.pop("start", known.get("start", []))
        found["commands"] = written or known.get("commands") or {"stop": "stop"}
        return found | {"password": given["control_token"] or ""}
    if given["commands"]:
        return {"kind": "commands", "use_shell": bool(written.pop("shell", False)), "commands": written}
    return dict(known)


def _read_commands(path: Path) -> dict[str, Any]:
    import yaml  # noqa: PLC0415

    try:
        found = yaml.safe_load(path.read_text("utf-8"))
    except yaml.YAMLError as error:
        raise click.UsageError(f"{path} cannot be read: {error}") from error
    if not isinstance(found, dict):
        raise click.UsageError(f"{path} should hold names with commands, such as `stop: [systemctl, stop, station]`.")
    return found


def _care(given: Mapping[str, Any], known: Mapping[str, Any]) -> dict[str, Any]:
    found = dict(known)
    for name in ("announcement", "settle", "patience", "may_rehearse", "must_rehearse"):
        if given[name] is not None:
            found[name] = given[name]
    if given["crash_places"]:
        found["crash_places"] = list(given["crash_places"])
    if given["retention"]:
        numbers = given["retention"].split(",")
        if len(numbers) != 4 or not all(number.strip().isdigit() for number in numbers):
            raise click.UsageError(f"--retention {given['retention']}: write four numbers, such as 20,14,8,12.")
        found["retention"] = dict(
            zip(("last", "daily", "weekly", "monthly"), (int(number) for number in numbers), strict=True)
        )
    return found


def _say_notes(server: api.ServerOut) -> None:
    for text in server.notes:
        echo(f"Note: {text}", err=True)
    if server.connection.get("identity"):
        echo(f"Note: the host showed {server.connection['identity']}; another one will be refused.", err=True)
