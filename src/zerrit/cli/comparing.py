"""The command that compares files, folders, and states of servers; and how comparisons are printed."""

from __future__ import annotations

import re
import sys
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Final

import click

from zerrit.cli.files import FILE_OR_FOLDER, read_documents, save
from zerrit.cli.output import print_json, print_table, short, sign
from zerrit.core.compare import (
    Difference,
    compare_documents,
    compare_files,
    differences_at,
    require_place,
    text_difference,
)
from zerrit.core.documents import Document, read_document
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit import api

#: A state of a server: SERVER@live, SERVER@latest, SERVER@12, SERVER@defaults, SERVER@defaults:2.1
_STATE: Final = re.compile(r"[a-z0-9][a-z0-9-]*@[^/\\]+\Z")

comparison_output = click.option(
    "--output",
    type=click.Choice(["table", "json", "text", "html"]),
    default="table",
    show_default=True,
    help="By entry, for programs, as lines of text, or a page to print.",
)
save_comparison = click.option(
    "--save-to", type=click.Path(dir_okay=False, path_type=Path), help="Write the html or text into this file."
)


@dataclass(frozen=True, slots=True)
class Compared:
    """Two states, and what differs between them; `texts` are the text differences by path."""

    old: str
    new: str
    differences: Sequence[Difference] | Sequence[api.DifferenceOut]
    texts: Mapping[str, str]
    notes: Sequence[str] = ()


@click.command()
@click.argument("old")
@click.argument("new")
@click.option("--only", default="", metavar="ADDRESS", help="Only what is at or below this place; may be a pattern.")
@comparison_output
@save_comparison
def compare(old: str, new: str, only: str, output: str, save_to: Path | None) -> None:
    """Compare files, folders, or states of servers. Differences are told by address; exit code 1 when there are some.

    \b
    zerrit compare OLD NEW                          files or folders
    zerrit compare SERVER@12 SERVER@live            a state of a server is its snapshot's number, latest, live,
    zerrit compare SERVER@defaults:2.0 SERVER@latest    defaults, or defaults:LABEL
    """
    states = [bool(_STATE.match(text)) and not Path(text).exists() for text in (old, new)]
    if any(states):
        if not all(states):
            raise click.UsageError("Compare two states of servers, or two local files, not one with the other.")
        found = _remote(old, new, only)
    else:
        first, second = (FILE_OR_FOLDER.convert(text, None, click.get_current_context()) for text in (old, new))
        found = _local(first, second, only, with_texts=output in ("text", "html"))
    show(found, output, save_to)
    sys.exit(1 if found.differences else 0)


def _remote(old: str, new: str, only: str) -> Compared:
    # What talks to the service is a heavy import that local comparisons do not need.
    from zerrit.cli.session import connect  # noqa: PLC0415

    with connect() as zerrit:
        return compared(zerrit.comparison(old, new, only))


def compared(found: api.ComparisonOut) -> Compared:
    return Compared(found.old, found.new, found.differences, {one.path: one.text for one in found.texts}, found.notes)


def _local(old: Path, new: Path, only: str, *, with_texts: bool) -> Compared:
    if old.is_dir() != new.is_dir():
        raise click.UsageError("Compare two files or two folders, not one with the other.")
    if old.is_dir():
        before, after = read_documents(old), read_documents(new)
        found = compare_files(before, after)
    else:
        # The two files stand for one, so that their addresses are alike.
        first = read_document(old.read_bytes(), new.name)
        before, after = {new.name: first}, {new.name: first.other_version(new.read_bytes())}
        found = compare_documents(first, after[new.name])
    if only:
        pattern = only if "#" in only or old.is_dir() else f"{new.name}#{only}"
        found = differences_at(found, pattern)
        require_place(pattern, before, after)
    paths = sorted({one.address.partition("#")[0] for one in found}) if with_texts else []
    texts = {path: _text_of(path, before.get(path), after.get(path)) for path in paths}
    return Compared(str(old), str(new), found, texts)


def _text_of(path: str, old: Document | None, new: Document | None) -> str:
    return text_difference(old.text if old else "", new.text if new else "", f"{path} (old)", f"{path} (new)")


def show(found: Compared, output: str, save_to: Path | None) -> None:
    """Print a comparison, or save it."""
    if output == "json":
        print_json(_listed(found))
    elif output == "table":
        for sentence in found.notes:
            click.echo(f"note: {sentence}")
        _print(found.differences)
    else:
        if output == "html":
            from zerrit.report.comparison import comparison_page  # noqa: PLC0415  # needed for this output only

            page = comparison_page(found.old, found.new, found.differences, found.texts, found.notes)
        else:
            page = "".join(found.texts.values())
        if save_to is None:
            click.echo(page, nl=False)
        else:
            save(save_to, page.encode())
            click.echo(f"Written to {save_to}: {_summary(found.differences)}")


def _listed(found: Compared) -> dict[str, object]:
    keys = ("kind", "address", "old", "new", "delta", "entry")
    counts = Counter(str(one.kind) for one in found.differences)
    entries = len({one.entry for one in found.differences})
    return {
        "differences": [{key: getattr(one, key) for key in keys} for one in found.differences],
        "summary": {"differences": len(found.differences), "entries": entries, "kinds": dict(counts)},
        "notes": list(found.notes),
    }


def _print(differences: Sequence[Difference] | Sequence[api.DifferenceOut]) -> None:
    rows = [(sign(str(one.kind)), one.address, short(one.old), short(one.new), one.delta) for one in differences]
    if rows:
        print_table(("kind", "address", "old", "new", "by"), rows, right=("by",), whole=("kind", "address"))
    click.echo(_summary(differences))


def _summary(differences: Sequence[Difference] | Sequence[api.DifferenceOut]) -> str:
    if not differences:
        return "No difference."
    entries = len({one.entry for one in differences})
    files = len({one.address.partition("#")[0] for one in differences})
    kinds = ", ".join(f"{number} {kind}" for kind, number in Counter(str(d.kind) for d in differences).most_common())
    where = f" of {files} files" if files > 1 else ""
    return f"{counted(len(differences), 'difference')} in {counted(entries, 'entry', 'entries')}{where}: {kinds}."
