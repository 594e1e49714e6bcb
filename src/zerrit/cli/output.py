"""How commands print: tables for people, JSON for programs."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any, Final, Literal

import click
from rich.console import Console
from rich.table import Table
from rich.text import Text

from zerrit import api

WIDE: Final = 160  # columns of a table that is piped into a file; addresses are not to be folded there

output_option = click.option(
    "--output",
    type=click.Choice(["table", "json"]),
    default="table",
    show_default=True,
    help="For people, or for programs.",
)

_SIGNS: Final = {
    "changed": "~",
    "added": "+",
    "removed": "-",
    "moved": ">",
    "renamed": "=",
    "comment": "#",
    "layout": ".",
    "add": "+",
    "combine": "~",
    "replace": "!",
    "same": "=",
    "skip": "x",
    "ask": "?",
}


def console() -> Console:
    is_terminal = sys.stdout.isatty()
    return Console(width=None if is_terminal else WIDE, highlight=False, no_color=not is_terminal)


def print_json(value: Any) -> None:
    click.echo(json.dumps(value, ensure_ascii=False, indent=2, default=str))


@contextmanager
def progress() -> Iterator[Callable[[str], None]]:
    """A line at the foot of the terminal that says what is being done; nothing at all where output is piped."""
    if not sys.stdout.isatty():
        yield lambda _: None
        return
    with console().status("") as line:
        yield lambda text: line.update(Text(text))


def print_table(
    columns: Sequence[str], rows: Iterable[Sequence[str]], *, right: Sequence[str] = (), whole: Sequence[str] = ()
) -> None:
    """Print rows under headings; nothing in them is taken for markup. `whole` columns are never folded."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    for column in columns:
        side: Literal["left", "right"] = "right" if column in right else "left"
        table.add_column(column, justify=side, overflow="fold", no_wrap=column in whole)
    for row in rows:
        table.add_row(*(Text(cell) for cell in row))
    console().print(table)


def sign(kind: str) -> str:
    """The word for a kind of difference with its sign before it."""
    return f"{_SIGNS.get(kind, ' ')} {kind}"


def short(text: str | None, most: int = 60) -> str:
    """One line of a value."""
    if text is None:
        return ""
    first = " ".join(text.split())
    return first if len(first) <= most else first[: most - 1] + "…"


def print_findings(findings: Iterable[api.FindingOut]) -> None:
    """Each finding on two or three lines: place and severity, what is wrong, what would mend it."""
    for finding in findings:
        mark = "waived" if finding.waived else finding.severity
        click.echo(f"{finding.path}:{finding.line}:{finding.column}  {mark}  {finding.code}")
        click.echo(f"    {finding.message}" + (f" {finding.hint}" if finding.hint else ""))
        if finding.waived:
            click.echo(f"    accepted by {finding.waived}")
        elif finding.address:
            click.echo(f"    at {finding.address}")
