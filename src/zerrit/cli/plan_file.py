"""A merge plan as a file: written by one command, edited by a person, followed by the next."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

import click
import yaml

from zerrit.cli.files import save
from zerrit.cli.output import echo
from zerrit.core.documents.source import decode

_HEADER: Final = (
    "# What merging the snippet does, entry by entry. Change the words behind `do`:\n"
    "# add, combine (the fields it names change), replace (the whole entry), skip.\n"
)
CHOOSABLE: Final = ("add", "combine", "replace", "skip")
_LEFT: Final = ("same", "ask")  # words that Zerrit writes into the plan, and that decide nothing

plan_options = (
    click.option("--plan-to", type=click.Path(dir_okay=False, path_type=Path), help="Write the plan into this file."),
    click.option(
        "--plan",
        "plan_file",
        type=click.Path(exists=True, dir_okay=False, path_type=Path),
        help="Follow this plan, as --plan-to wrote it and you edited it.",
    ),
)


def write_plan(path: Path, into: str, actions: Sequence[tuple[str, str, int, str]]) -> None:
    """`actions` are (kind, entry, line in the snippet, why)."""
    rows = [
        {"entry": entry, "do": kind, "line": line, **({"reason": why} if why else {})}
        for kind, entry, line, why in actions
    ]
    body = yaml.safe_dump({"into": into, "actions": rows}, sort_keys=False, allow_unicode=True, width=1000)
    save(path, (_HEADER + body).encode())
    echo(f"The plan is in {path}. Edit it, then give it with --plan {path}.")


def read_plan(path: Path, own: Sequence[tuple[str, str, int, str]]) -> dict[str, str]:
    """The actions that differ from those of the plan without edits, by entry."""
    loaded = _loaded(path)
    kinds = {entry: kind for kind, entry, _, _ in own}
    chosen: dict[str, str] = {}
    for number, row in enumerate(loaded["actions"], 1):
        entry, word = row.get("entry"), row.get("do")
        if not isinstance(entry, str) or word not in (*CHOOSABLE, *_LEFT):
            raise click.UsageError(f"{path}, action {number}: `{word}` is none of {', '.join(CHOOSABLE)}.")
        if entry not in kinds:
            raise click.UsageError(f"{path}, action {number}: the snippet has no entry {entry}. Is it another snippet?")
        if word != kinds[entry] and word in CHOOSABLE:
            chosen[entry] = word
    return chosen


def into_of(path: Path | None, into: str) -> str:
    """The group that a plan file names, where the command itself names none."""
    return into or (str(_loaded(path).get("into") or "") if path is not None else "")


def _loaded(path: Path) -> dict[str, Any]:
    try:
        loaded = yaml.safe_load(decode(path.read_bytes()).text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f", line {mark.line + 1}" if mark else ""
        raise click.UsageError(f"{path}{where} is not a plan any more: it cannot be read as YAML.") from error
    rows = loaded.get("actions") if isinstance(loaded, dict) else None
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise click.UsageError(f"{path} is not a plan: it has no list `actions`. --plan-to writes one.")
    return dict(loaded)
