"""Known settings that are not there, as commands print them."""

from __future__ import annotations

import shlex
from collections.abc import Sequence

from zerrit import api
from zerrit.cli.output import echo, short
from zerrit.core.wording import counted

MOST = 20


def print_absent(absent: Sequence[api.AbsentOut], address: str, *, server: bool = True, indent: str = "  ") -> None:
    """Known settings that are not at an address, and how to add one: on a `server`, or in a file of this machine.

    Of a whole file the group of each is named, too.
    """
    if not absent:
        return
    is_of_file = not address.partition("#")[2]
    echo(f"{indent}known settings that are not here:")
    for one in absent[:MOST]:
        takes = f"the game takes {one.default}" if one.default else "no default known"
        parent = one.parent.partition("#")[2]
        below = " (its group is not there either)" if one.is_below_nothing else ""
        name = f"{parent}/{one.name}" if is_of_file and parent else one.name
        echo(f"{indent}  {name}{below}: {takes}" + (f"; {short(one.note, 100)}" if one.note else ""))
    if len(absent) > MOST:
        echo(f"{indent}  and {counted(len(absent) - MOST, 'other')}; --output json lists more")
    first = next((one for one in absent if one.default and not one.is_below_nothing), None)
    if first is not None:
        echo(f"{indent}  Add one: {shlex.join(_command(first, server=server))}")


def _command(one: api.AbsentOut, *, server: bool) -> list[str]:
    path, _, parent = one.parent.partition("#")
    if not server:
        return ["zerrit", "edit", path, parent, "add", one.name, f"={one.default}"]
    comment = ["--comment", one.note] if one.note else []
    return ["zerrit", "change", "add", "CHANGE", one.parent, one.name, "--value", one.default, *comment]
