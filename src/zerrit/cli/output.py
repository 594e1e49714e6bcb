"""How commands print: tables for people, JSON for programs."""

from __future__ import annotations

import json
import re
import sys
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, Final, Literal

import click

from zerrit.core.signs import SIGNS
from zerrit.core.visible import visible

# rich is imported where something is drawn with it: what is read by programs need not wait for it.
# ruff: noqa: PLC0415
if TYPE_CHECKING:
    from rich.console import Console

    from zerrit.core.documents import FindingLike

MOST_LINE: Final = 110  # characters shown of a line in which something was found
MOST_BEFORE: Final = 60  # of them before the place, where the line is longer
MOST_ALIKE: Final = 10  # findings of one code in one file that are printed
_LINE_END: Final = re.compile(r"\r\n|\r|\n")
WIDE: Final = 160  # columns of a table that is piped into a file; addresses are not to be folded there

output_option = click.option(
    "--output",
    type=click.Choice(["table", "json"]),
    default="table",
    show_default=True,
    help="For people, or for programs.",
)


def console() -> Console:
    """The terminal or file that output goes to."""
    from rich.console import Console

    is_terminal = sys.stdout.isatty()
    return Console(width=None if is_terminal else WIDE, highlight=False, no_color=not is_terminal)


def echo(text: object = "", *, err: bool = False, is_content: bool = False) -> None:
    """Print a line; what is in it from outside cannot steer the terminal.

    `is_content` is for the text of a file, which is written as it is where it goes into a file or another program.
    """
    stream = sys.stderr if err else sys.stdout
    said = str(text)
    click.echo(said if is_content and not stream.isatty() else visible(said), err=err, nl=not is_content)


def print_json(value: Any) -> None:
    """Print a value as JSON, with its keys in their order."""
    echo(json.dumps(value, ensure_ascii=False, indent=2, default=str))


@contextmanager
def progress() -> Iterator[Callable[[str], None]]:
    """A line at the foot of the terminal that says what is being done; nothing at all where output is piped."""
    if not sys.stdout.isatty():
        yield lambda _: None
        return
    from rich.text import Text

    with console().status("") as line:
        yield lambda text: line.update(Text(visible(text)))


def print_table(
    columns: Sequence[str], rows: Iterable[Sequence[str]], *, right: Sequence[str] = (), whole: Sequence[str] = ()
) -> None:
    """Print rows under headings; nothing in them is taken for markup. `whole` columns are never folded."""
    rows = [tuple(visible(cell) for cell in row) for row in rows]
    if not sys.stdout.isatty():
        lines = _plain_lines(columns, rows, right)
        if lines is not None:
            echo("\n".join(lines))
            return
    from rich.table import Table
    from rich.text import Text

    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    for column in columns:
        side: Literal["left", "right"] = "right" if column in right else "left"
        table.add_column(column, justify=side, overflow="fold", no_wrap=column in whole)
    for row in rows:
        table.add_row(*(Text(cell) for cell in row))
    console().print(table)


def _plain_lines(columns: Sequence[str], rows: Sequence[Sequence[str]], right: Sequence[str]) -> list[str] | None:
    """The lines of a piped table that needs no folding; None where it does, or where letters may be wide.

    Importing rich and drawing with it takes longer than comparing two files, and here there is nothing for it to do.
    """
    table = [tuple(columns), *rows]
    if not all(cell.isascii() and cell.isprintable() for row in table for cell in row):
        return None
    widths = [max(map(len, cells)) for cells in zip(*table, strict=True)]
    if sum(widths) + 2 * len(widths) > WIDE:
        return None
    sides = [str.rjust if column in right else str.ljust for column in columns]
    return [
        "  ".join(side(cell, width) for side, cell, width in zip(sides, row, widths, strict=True)).rstrip()
        for row in table
    ]


def sign(kind: str) -> str:
    """The word for a kind of difference or finding, with its sign before it."""
    return f"{SIGNS.get(kind, ' ')} {kind.replace('-', ' ')}"


def short(text: str | None, most: int = 60) -> str:
    """One line of a value."""
    if text is None:
        return ""
    first = " ".join(text.split())
    return first if len(first) <= most else first[: most - 1] + "…"


def print_findings(findings: Iterable[FindingLike], texts: Mapping[str, str] | None = None) -> None:
    """Each finding on a few lines: place and severity, what is wrong, what would fix it.

    `texts` holds the files by path; the line of the finding is then shown with a mark under its place.
    """
    lines = {path: _LINE_END.split(text) for path, text in (texts or {}).items()}
    shown: Counter[tuple[str, str]] = Counter()
    for finding in findings:
        shown[finding.path, finding.code] += 1
        if shown[finding.path, finding.code] > MOST_ALIKE:
            continue  # the hundredth of a kind tells no one anything, and hides the one of another kind
        waived = getattr(finding, "waived", None)  # only those of a change can be
        mark = "waived" if waived else finding.severity
        place = f"{finding.path}:{finding.line}:{finding.column}" if finding.line else finding.path
        echo(f"{place}  {sign(str(mark))}  {finding.code}")
        if finding.path in lines and 0 < finding.line <= len(lines[finding.path]):
            _print_line(lines[finding.path][finding.line - 1], finding.line, finding.column)
        echo(f"    {finding.message}" + (f" {finding.hint}" if finding.hint else ""))
        if waived:
            echo(f"    waived by {waived}")
        elif finding.address:
            echo(f"    at {finding.address}")
        if getattr(finding, "is_shipped", False):
            echo("    it is shipped like this, so it blocks nothing")
        if finding.reason:
            echo(f"    reason: {finding.reason}")
    for (path, code), number in shown.items():
        if number > MOST_ALIKE:
            echo(f"{path}: {number - MOST_ALIKE:,} more of {code}; --output json lists all of them.")


def _print_line(line: str, number: int, column: int) -> None:
    """A line with its number, and a mark under the column (1-based); of a long line the part around it.

    A tab shows as an arrow of one column, since it may be the very thing that is wrong.
    """
    line = line.replace("\t", "\u2192")
    start = max(0, column - MOST_BEFORE) if len(line) > MOST_LINE else 0
    shown = "".join(c if c.isprintable() else "\u00b7" for c in line[start : start + MOST_LINE])
    echo(f"    {number} | {shown}".rstrip())
    echo(f"    {' ' * len(str(number))} | {' ' * (column - 1 - start)}^")
