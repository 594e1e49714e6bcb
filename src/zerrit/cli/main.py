"""The command line put together, and what every failure of a command ends in."""

from __future__ import annotations

import gc
import sys
from collections.abc import Mapping
from importlib import import_module
from typing import Any, Final

import click

from zerrit import __version__
from zerrit.cli.output import echo
from zerrit.core.errors import ZerritError

FINDINGS: Final = 1
WRONG_USE: Final = 2
SERVICE_TROUBLE: Final = 3
_FINDING_KINDS: Final = ("blocked-by-findings", "drifted", "snippet-refused")

#: Every command by what it is for, with its module and its short help. The module is imported when the command is called:
#: what talks to the service takes half a second to import, which no one wants to wait for who compares two files.
SECTIONS: Final[Mapping[str, Mapping[str, tuple[str, str]]]] = {
    "Local files, without a service": {
        "check": ("check", "Check files or folders, or a server as SERVER: or SERVER:PATH."),
        "compare": ("compare", "Compare files, folders, ZIPs and states of servers."),
        "merge": ("merge", "Merge a snippet, or another version, into a file."),
        "edit": ("edit", "Change a local file."),
        "codes": ("codes", "List the codes of findings, or explain one."),
    },
    "The service and your account": {
        "demo": (
            "zerrit.demo.command",  # a layer above this one, so it is named in full
            "Start a demo: a stand-in host with two games, and the service with demo data.",
        ),
        "serve": ("remote", "Start the service with the console; Ctrl-C ends it."),
        "sign-in": ("accounts", "Sign in to a service; later commands use it."),
        "sign-out": ("accounts", "Sign out: the token of this machine is revoked and deleted."),
        "password": ("accounts", "Change your password."),
        "tokens": ("accounts", "List your sessions and tokens: their names, and when each was last used."),
        "revoke": ("accounts", "End one of your sessions or tokens at once; `zerrit tokens` lists them."),
        "people": ("accounts", "Who may sign in: admins, and helpers with the places that they may change."),
        "activity": ("accounts", "The log of what was done, by whom."),
        "completion": ("completion", "Print the script that lets a shell complete commands, addresses and values."),
    },
    "Servers and their files": {
        "overview": ("search", "Show what needs you, over all servers."),
        "server": ("server_commands", "Servers: list them, add one, change its settings."),
        "fetch": ("remote", "Fetch a server's files."),
        "defaults": ("remote", "Import the files that a game ships."),
        "files": ("remote", "List a server's files (`files SERVER`), or save one (`files get`)."),
        "show": ("remote", "Show the entry or value at SERVER:path#node, or in a local file."),
        "about": ("address_info", "Explain an address on a server: SERVER:path#node."),
        "note": ("address_info", "Write a note beside a place, SERVER:path#node: why a value is as it is."),
        "entries": ("search", "List the entries of a file as a table, filtered and sorted."),
        "search": ("search", "Find servers, files, entries, settings, changes and snapshots by name or value."),
        "figures": ("figures", "Exact figures: balance, odds, prices, loops of trades, distances."),
        "drift": ("snapshots", "Show what was changed on a server outside Zerrit, and who usually changes it."),
        "review": ("review", "Show which settings no one has reviewed since their defaults were imported."),
    },
    "Plugins, mods, maps and packs": {
        "bundle": ("bundles", "Bundles: look into an archive, install it, switch it on or off, remove it."),
    },
    "What the game accepts": {
        "gamebook": (
            "gamebooks",
            "Gamebooks: draft one from default files, see how its rules hold, give it to the service.",
        ),
        "waiver": ("waivers", "Waivers: findings that are accepted with a reason, until a date."),
    },
    "Changes and deploys": {
        "change": ("changes", "Create changes, add steps, check, compare and deploy them."),
        "shelf": ("shelf", "The shelf: keep snippets, put them into files, see and bring over what changed since."),
        "forms": ("forms", "List the forms of a server's gamebook, or draft one from an existing entry."),
        "form": ("forms", "Fill in a form: all its steps are added to the change, or none."),
        "run": ("runs", "One run: a deploy, rollback or restart, with its stages and its evidence."),
        "restart": ("runs", "Restart a game, with a snapshot of its files while it is stopped."),
        "schedule": (
            "schedule",
            "The schedule of a server: restarts with queued changes, snapshots, checks for drift.",
        ),
        "rollout": ("rollout", "Bring a change to several servers, wave by wave."),
        "upgrade": ("upgrade", "Carry your changes over to new defaults."),
    },
    "Back to what worked": {
        "timeline": ("runs", "Snapshots, deploys and rollbacks of a server, the newest first."),
        "rollback": ("runs", "Roll a server back to a snapshot, with the same stages and checks as a deploy."),
        "snapshot": ("snapshots", "Snapshots: take, pin, export, import, verify, prune."),
        "restore": ("snapshots", "Restore a part of a snapshot."),
        "backup": ("snapshots", "Save the service's own database while it runs."),
        "rescue": ("rescue", "Write a snapshot out of a database file."),
    },
}
_COMMANDS: Final = {name: module for section in SECTIONS.values() for name, (module, _) in section.items()}


class _Zerrit(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        module = _COMMANDS.get(cmd_name)
        if module is None:
            return None
        if cmd_name not in ("serve", "demo"):
            # A command is over before cyclic garbage could matter, but looking for it in the nodes of a long file takes
            # a third of the time of reading it. The service runs on, and keeps its collector.
            gc.disable()
        command = getattr(
            import_module(module if "." in module else f"zerrit.cli.{module}"), cmd_name.replace("-", "_")
        )
        return command if isinstance(command, click.Command) else None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The sections of commands; no module is imported for them."""
        del ctx
        width = max(map(len, _COMMANDS))
        for title, commands in SECTIONS.items():
            with formatter.section(title):
                formatter.write_dl([(name.ljust(width), short) for name, (_, short) in commands.items()])

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except ZerritError as error:
            echo(f"zerrit: {error}", err=True)
            sys.exit(FINDINGS if error.kind in _FINDING_KINDS else WRONG_USE)
        except (click.ClickException, click.exceptions.Exit, click.Abort):
            raise
        except Exception as error:
            code = _report(error)
            if code is None:
                raise
            sys.exit(code)


def _report(error: Exception) -> int | None:
    """Say what went wrong with the service, and what the command ends with; None for an error of our own."""
    from pydantic import ValidationError  # noqa: PLC0415  # see `SECTIONS`

    from zerrit.client import ClientError, ProblemError  # noqa: PLC0415

    if isinstance(error, ValidationError):
        fault = error.errors()[0]
        said = str(fault["msg"]).removeprefix("Value error, ")
        echo(f"zerrit: {'.'.join(str(part) for part in fault['loc'])}: {said}", err=True)
        return WRONG_USE
    if not isinstance(error, ClientError):
        return None
    echo(f"zerrit: {error}", err=True)
    if not isinstance(error, ProblemError):
        return SERVICE_TROUBLE
    if error.kind in _FINDING_KINDS:
        return FINDINGS
    status = error.problem.status
    return SERVICE_TROUBLE if status in (401, 403) or status >= 500 else WRONG_USE


@click.group(cls=_Zerrit, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110})
@click.version_option(__version__, prog_name="zerrit")
def main() -> None:
    """Keep the configuration files of game servers under change control.

    Commands on local files (check, compare, merge, edit) need no service. All others talk to the service; sign in
    once with `zerrit sign-in`.

    Exit codes: 0 success, 1 findings or conflicts, 2 usage error, 3 service error.
    """
