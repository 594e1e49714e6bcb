"""Completion of addresses and values in the shell, and the command that prints what a shell needs for it."""

from __future__ import annotations

from pathlib import Path
from typing import Final

import click

from zerrit.cli.output import echo
from zerrit.core.completion import complete_node
from zerrit.core.errors import ZerritError

_SHELLS: Final = {
    "bash": "bash_source",
    "zsh": "zsh_source",
    "fish": "fish_source",
}


def complete_address(_ctx: click.Context, _param: click.Parameter, incomplete: str) -> list[str]:
    """What can follow in `SERVER:path#node` or `path#node`; nothing where it cannot be known."""
    typed = incomplete.strip("'\"")
    server, sign, rest = typed.partition(":")
    try:
        if sign and "/" not in server and "#" not in server:
            return [f"{server}:{one}" for one in _from_service(server, rest, None)]
        path, has_node, node = typed.partition("#")
        if has_node and Path(path).is_file():
            return [f"{path}#{one}" for one in _nodes(Path(path), node)]
        return _paths(typed)
    except Exception:  # a shell that completes wants no error, whatever its cause
        return []


def complete_node_of_file(ctx: click.Context, _param: click.Parameter, incomplete: str) -> list[str]:
    """What can follow in the node part, for commands that take the file before it."""
    file = ctx.params.get("file")
    return _nodes(Path(file), incomplete.strip("'\"")) if file and Path(file).is_file() else []


def complete_in_change(_ctx: click.Context, _param: click.Parameter, incomplete: str) -> list[str]:
    """What can follow in an address of a change's server."""
    try:
        from zerrit.cli.session import connect  # noqa: PLC0415

        with connect() as zerrit:
            change = zerrit.change(int(_ctx.params["change_id"]))
            return zerrit.complete(change.server, incomplete.strip("'\""))
    except Exception:
        return []


def complete_operation(ctx: click.Context, _param: click.Parameter, incomplete: str) -> list[str]:
    """What the field at the address can be given: `=on`, `=shallow`."""
    try:
        from zerrit.cli.session import connect  # noqa: PLC0415

        with connect() as zerrit:
            change = zerrit.change(int(ctx.params["change_id"]))
            return zerrit.complete(change.server, str(ctx.params["address"]), incomplete.strip("'\""))
    except Exception:
        return []


def _from_service(server: str, typed: str, value: str | None) -> list[str]:
    from zerrit.cli.session import connect  # noqa: PLC0415  # only where a server is named

    with connect() as zerrit:
        return zerrit.complete(server, typed, value)


def _nodes(file: Path, typed: str) -> list[str]:
    from zerrit.core.documents import read_document  # noqa: PLC0415

    return complete_node(read_document(file.read_bytes(), file.name), typed)


def _paths(typed: str) -> list[str]:
    folder = Path(typed).parent if typed and not typed.endswith("/") else Path(typed or ".")
    found = (f"{one}/" if one.is_dir() else str(one) for one in sorted(folder.iterdir()))
    return [one for one in found if one.startswith(typed)]


@click.command()
@click.argument("shell", type=click.Choice(list(_SHELLS)))
def completion(shell: str) -> None:
    """Print the script that lets a shell complete commands, addresses and values.

    For bash, put this into ~/.bashrc:  eval "$(zerrit completion bash)"
    """
    from click.shell_completion import get_completion_class  # noqa: PLC0415

    from zerrit.cli.main import main  # noqa: PLC0415  # which imports this module

    kind = get_completion_class(shell)
    if kind is None:
        raise ZerritError(f"There is no completion for {shell}.")
    echo(kind(main, {}, "zerrit", "_ZERRIT_COMPLETE").source())
