"""Commands on servers and their settings."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, Final

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import connect
from zerrit.cli.settings_options import Decorator, chosen_settings, kind_called, kind_options
from zerrit.core.wording import counted
from zerrit.settings import CONNECTIONS, CONTROLS, DATABASES, Kind


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
            s.connection.kind,
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


#: The options that say how a server is reached, controlled and maintained; the first are made from their models.
_SETTINGS: Final[tuple[Decorator, ...]] = (
    click.option("--title", help="Name of the server, as people read it."),
    click.option("--gamebook", help="Name of the gamebook of its game."),
    *kind_options(CONNECTIONS),
    click.option("--password", envvar="ZERRIT_CONNECTION_PASSWORD", help="Password of the connection."),
    click.option("--key", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="Private key for SFTP."),
    *kind_options(CONTROLS),
    click.option(
        "--control-token",
        envvar="ZERRIT_CONTROL_TOKEN",
        help="Token of the HTTP control, or password of the game console.",
    ),
    *kind_options(DATABASES),
    click.option("--database-password", envvar="ZERRIT_DATABASE_PASSWORD", help="Password of the database."),
    click.option("--announcement", help="Announcement to players; {minutes} in it is the time that is left."),
    click.option(
        "--refused-files", multiple=True, metavar="PATTERN", help="Files that the host refuses, such as '*.exe'."
    ),
    click.option("--crash-folder", "crash_places", multiple=True, help="Another folder where crash files appear."),
    click.option("--settle", type=float, help="Seconds that a started game must stay up."),
    click.option("--patience", type=float, help="Seconds that it has to stop, to start and to be ready."),
    click.option(
        "--may-rehearse/--may-not-rehearse",
        default=None,
        help="The gamebook's rehearsal may run on the service's machine.",
    ),
    click.option(
        "--may-pack/--may-not-pack",
        default=None,
        help="Whether commands of the gamebook that pack folders may be run on the machine of the service.",
    ),
    click.option("--must-rehearse/--need-not-rehearse", default=None, help="No deploy without a rehearsal."),
    click.option(
        "--retention",
        metavar="LAST,DAYS,WEEKS,MONTHS",
        help="Retention: how many of the last snapshots stay, and for how many days, weeks and months one each.",
    ),
    click.option(
        "--watched-retention",
        type=click.IntRange(1, 10_000),
        metavar="RUNS",
        help="Contents of watched files, such as big binaries, stay for this number of the last deploys and rollbacks.",
    ),
)


def _settings_options(command: Callable[..., None]) -> Callable[..., None]:
    for option in reversed(_SETTINGS):
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
    connection = chosen_settings(CONNECTIONS, given, {}, "the connection")
    control = chosen_settings(CONTROLS, given, {}, "the control")
    database = chosen_settings(DATABASES, given, {"kind": "none"}, "the database")
    wanted = api.ServerIn.model_validate(
        {
            "id": server_id,
            "title": title or "",
            "gamebook": gamebook,
            "connection": connection,
            "connection_secret": _asked_for(CONNECTIONS, connection, _password(given), "Password of the connection"),
            "control": control,
            "control_secret": _asked_for(CONTROLS, control, given["control_token"], "Token of the control"),
            "database": database,
            "database_secret": _asked_for(DATABASES, database, given["database_password"], "Password of the database"),
            "maintenance": _maintenance(given, {}),
        }
    )
    with connect() as zerrit:
        added = zerrit.add_server(wanted)
    _say_notes(added)
    if isinstance(added.connection, api.ManualConnection):
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
                "connection": chosen_settings(CONNECTIONS, given, known.connection.model_dump(), "the connection"),
                "connection_secret": _password(given) or "",
                "control": chosen_settings(CONTROLS, given, known.control.model_dump(), "the control"),
                "control_secret": given["control_token"] or "",
                "database": chosen_settings(DATABASES, given, known.database.model_dump(), "the database"),
                "database_secret": given["database_password"] or "",
                "maintenance": _maintenance(given, known.maintenance.model_dump()),
            }
        )
        changed = zerrit.change_server(wanted)
    _say_notes(changed)
    echo(f"{server_id} has its new settings; {_what_answers(changed)}.")


@server.command("accept")
@click.argument("server_id")
@click.argument("identity")
def accept_identity(server_id: str, identity: str) -> None:
    """Accept another certificate or key of a host. IDENTITY is the one that was shown, SHA256:…"""
    with connect() as zerrit:
        zerrit.accept_identity(server_id, identity)
    echo(f"{server_id}: the host is accepted with {identity}.")


def _what_answers(server: api.ServerOut) -> str:
    return (
        "connection, control and database answer" if server.database.kind != "none" else "connection and control answer"
    )


def _password(given: Mapping[str, Any]) -> str | None:
    found: str | None = given["key"].read_text() if given["key"] else given["password"]
    return found


@server.command("check-access")
@_settings_options
@click.option("--try-write", is_flag=True, help="Also write a small file, and remove it again.")
@output_option
def check_access(try_write: bool, output: str, **given: Any) -> None:
    """Check the access to a server before it is added, by its connection and its control; nothing is kept.

    Shows what is in the folder, what the files look like, and whether the game runs.
    """
    if given["database"]:
        raise click.UsageError("check-access does not try a database; `zerrit server add` and `server set` do.")
    connection = chosen_settings(CONNECTIONS, given, {}, "the connection")
    control = chosen_settings(CONTROLS, given, {"kind": "manual"}, "the control")
    secret = _asked_for(CONNECTIONS, connection, _password(given), "Password of the connection")
    wanted = api.ConnectionTestIn.model_validate(
        {"connection": connection, "connection_secret": secret, "try_write": try_write}
    )
    with connect() as zerrit:
        seen = zerrit.test_connection(wanted)
        said = None
        if control["kind"] != "manual":
            token = _asked_for(CONTROLS, control, given["control_token"], "Token of the control")
            asked = api.ControlTestIn.model_validate({"control": control, "control_secret": token})
            said = zerrit.test_control(asked)
    if output == "json":
        print_json({"connection": seen.model_dump(), "control": said.model_dump() if said else None})
        return
    _print_test(seen)
    if said is not None:
        echo(f"Control: {said.state}, said after {said.milliseconds:.0f} ms.")


def _print_test(seen: api.ConnectionTestOut) -> None:
    most = "" if seen.is_complete else ", and more that was not looked at"
    echo(f"Found {counted(seen.files, 'file')} in {counted(seen.folders, 'folder')}{most}.")
    speed = f"; reads {seen.read_speed / 1_000_000:.1f} MB each second" if seen.read_speed is not None else ""
    echo(f"The list of the folder took {seen.listing_ms:.0f} ms{speed}.")
    if seen.can_write is not None:
        echo(
            "A small file was written, read and removed." if seen.can_write else f"Writing failed: {seen.write_problem}"
        )
    if seen.identity:
        echo(f"The host shows {seen.identity}")
    for note in seen.notes:
        echo(f"Note: {note}")
    for one in seen.here:
        echo(f"  {one.name}/" if one.is_folder else f"  {one.name}  ({one.size:,} bytes)")
    for title, paths in (
        ("Settings", seen.settings),
        ("Scripts that may start it", seen.scripts),
        ("Logs", seen.logs),
        ("Crash files", [*seen.crash_folders, *seen.crashes]),
        ("Databases", seen.databases),
    ):
        if paths:
            rest = f" and {len(paths) - 8} more" if len(paths) > 8 else ""
            echo(f"{title}: {', '.join(paths[:8])}{rest}")
    likely = [one for one in seen.roots if one]
    if likely:
        echo(f"The game's own folder may be: {', '.join(likely)}")


def _asked_for(kinds: Sequence[type[Kind]], settings: Mapping[str, Any], secret: str | None, question: str) -> str:
    """The secret of a kind that has one; what was not given is asked for."""
    kind = kind_called(kinds, str(settings["kind"]))
    if secret is None and kind is not None and kind.secret is not None:
        return str(click.prompt(question, hide_input=True))
    return secret or ""


def _maintenance(given: Mapping[str, Any], known: Mapping[str, Any]) -> dict[str, Any]:
    found = dict(known)
    for name in ("announcement", "settle", "patience", "may_rehearse", "must_rehearse", "may_pack"):
        if given[name] is not None:
            found[name] = given[name]
    if given["refused_files"]:
        found["refused_files"] = list(given["refused_files"])
    if given["crash_places"]:
        found["crash_places"] = list(given["crash_places"])
    if given["retention"]:
        numbers = given["retention"].split(",")
        if len(numbers) != 4 or not all(number.strip().isdigit() for number in numbers):
            raise click.UsageError(f"--retention {given['retention']}: write four numbers, such as 20,14,8,12.")
        names = ("last", "daily", "weekly", "monthly")
        given_numbers = dict(zip(names, (int(number) for number in numbers), strict=True))
        found["retention"] = {**found.get("retention", {}), **given_numbers}
    if given["watched_retention"] is not None:
        found["retention"] = {**found.get("retention", {}), "watched": given["watched_retention"]}
    return found


def _say_notes(server: api.ServerOut) -> None:
    for text in server.notes:
        echo(f"Note: {text}", err=True)
    identity = getattr(server.connection, "identity", "")
    if identity:
        echo(f"Note: the host showed {identity}; another one will be refused.", err=True)
