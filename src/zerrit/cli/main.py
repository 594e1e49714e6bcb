"""The command line put together, and what every failure of a command ends in."""

from __future__ import annotations

import gc
import sys
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

#: Every command with the module that holds it. It is imported when the command is called: what talks to the service
#: takes half a second to import, which no one wants to wait for who compares two files.
_COMMANDS: Final = {
    "check": "check",
    "codes": "codes",
    "compare": "compare",
    "merge": "merge",
    "edit": "edit",
    "figures": "figures",
    "upgrade": "upgrade",
    "serve": "remote",
    "demo": "zerrit.demo.command",  # a layer above this one, so it is named in full
    "sign-in": "accounts",
    "sign-out": "accounts",
    "tokens": "accounts",
    "revoke": "accounts",
    "password": "accounts",
    "activity": "accounts",
    "fetch": "remote",
    "defaults": "remote",
    "files": "remote",
    "show": "remote",
    "timeline": "runs",
    "rollback": "runs",
    "restart": "runs",
    "run": "runs",
    "snapshot": "snapshots",
    "restore": "snapshots",
    "drift": "snapshots",
    "backup": "snapshots",
    "rescue": "rescue",
    "schedule": "schedule",
    "rollout": "rollout",
    "server": "server_commands",
    "gamebook": "gamebooks",
    "about": "address_info",
    "waiver": "waivers",
    "review": "review",
    "completion": "completion",
    "change": "changes",
}


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
    from pydantic import ValidationError  # noqa: PLC0415  # see `_COMMANDS`

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
