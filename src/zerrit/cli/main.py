"""The command line put together, and what every failure of a command ends in."""

from __future__ import annotations

import sys
from typing import Any, Final

import click
from pydantic import ValidationError

from zerrit import __version__
from zerrit.cli import change, local, remote, servers
from zerrit.client import ClientError, ProblemError
from zerrit.core.errors import ZerritError

FINDINGS: Final = 1
WRONG_USE: Final = 2
SERVICE_TROUBLE: Final = 3
_FINDING_KINDS: Final = ("blocked-by-findings", "drifted", "snippet-refused")


class _Zerrit(click.Group):
    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except ProblemError as error:
            click.echo(f"zerrit: {error}", err=True)
            sys.exit(_exit_code(error))
        except ClientError as error:
            click.echo(f"zerrit: {error}", err=True)
            sys.exit(SERVICE_TROUBLE)
        except ValidationError as error:
            fault = error.errors()[0]
            said = str(fault["msg"]).removeprefix("Value error, ")
            click.echo(f"zerrit: {'.'.join(str(part) for part in fault['loc'])}: {said}", err=True)
            sys.exit(WRONG_USE)
        except ZerritError as error:
            click.echo(f"zerrit: {error}", err=True)
            sys.exit(FINDINGS if error.kind in _FINDING_KINDS else WRONG_USE)


def _exit_code(error: ProblemError) -> int:
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

    Exit codes: 0 fine, 1 findings or clashes, 2 wrong use, 3 trouble with the service.
    """


for command in (*local.COMMANDS, *remote.COMMANDS, servers.server, servers.gamebook, change.change):
    main.add_command(command)
