"""The page of all commands, `docs/commands.md`, made from the commands themselves: `python -m zerrit.cli.commands_page`."""

from __future__ import annotations

from collections.abc import Iterator

import click

from zerrit.cli.main import SECTIONS, main

WIDTH = 100


def commands_page() -> str:
    """The page as Markdown: the sections of `zerrit --help`, and in them each command with its own help."""
    return "\n".join(_lines()).rstrip() + "\n"


def _lines() -> Iterator[str]:
    yield "# Commands"
    yield ""
    yield (
        "Made from the commands (`make docs`); `zerrit COMMAND --help` says the same. A first server from nothing is in "
        "[guide.md](guide.md)."
    )
    yield ""
    yield "Exit codes: 0 success, 1 findings or conflicts, 2 usage error, 3 service error."
    root = click.Context(main, info_name="zerrit", terminal_width=WIDTH)
    for title, commands in SECTIONS.items():
        yield ""
        yield f"## {title}"
        for name in commands:
            command = main.get_command(root, name)
            if command is not None:
                yield from _command(command, click.Context(command, root, name, terminal_width=WIDTH))


def _command(command: click.Command, context: click.Context) -> Iterator[str]:
    if isinstance(command, click.Group):
        for name in command.list_commands(context):
            below = command.get_command(context, name)
            if below is not None:
                yield from _command(below, click.Context(below, context, name, terminal_width=WIDTH))
        return
    yield ""
    yield f"### {context.command_path}"
    yield ""
    yield "```text"
    yield command.get_help(context).replace("\b", "").rstrip()
    yield "```"


if __name__ == "__main__":
    print(commands_page(), end="")
