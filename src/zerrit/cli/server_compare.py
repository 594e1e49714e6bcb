"""The command that compares settings on several servers."""

from __future__ import annotations

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table, short
from zerrit.cli.servers import server
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@server.command("compare")
@click.argument("address")
@click.argument("servers", nargs=-1)
@click.option("--only-different", "only_odd", is_flag=True, help="Only settings that differ somewhere.")
@output_option
def compare_servers(address: str, servers: tuple[str, ...], only_odd: bool, output: str) -> None:
    """Compare a setting, or a pattern of settings, on all servers. A value that differs is marked with *."""
    with connect() as zerrit:
        found = zerrit.server_values(address, servers, only_odd)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    rows = [
        (
            row.address,
            *(_cell(row, server) for server in found.servers),
            "split" if row.is_split else "odd" if row.odd else "",
        )
        for row in found.rows
    ]
    print_table(("address", *found.servers, ""), rows, right=found.servers, whole=("address",))
    unlike = sum(1 for row in found.rows if row.odd or row.is_split)
    echo(f"{counted(unlike, 'setting')} of {len(found.rows)} {'differs' if unlike == 1 else 'differ'} between servers.")


def _cell(row: api.ServerValuesRowOut, server: str) -> str:
    value = row.values.get(server)
    return ("*" if server in row.odd else "") + ("(none)" if value is None else short(value, 30))
