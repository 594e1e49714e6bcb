"""The command that merges into local files: a published snippet, or what another version changed."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from types import MappingProxyType
from typing import Any, Literal

import click

from zerrit.cli.files import FILE_OR_FOLDER, read_all, save, text_file
from zerrit.cli.output import echo, output_option, print_json, print_table, short, sign
from zerrit.cli.plan_file import into_of, plan_options, read_plan, write_plan
from zerrit.core.documents import Document, read_document
from zerrit.core.documents.source import decode
from zerrit.core.documents.value_edits import ValueChange
from zerrit.core.errors import SnippetRefused
from zerrit.core.merge import (
    ActionKind,
    Conflict,
    Existing,
    FileMerge,
    FileState,
    MergePlan,
    Taking,
    apply_plan,
    merge_folders,
    merge_three,
    plan_in_words,
    plan_merge,
    taken,
)
from zerrit.core.paths import safe_path
from zerrit.core.wording import counted

snippet_argument = text_file("snippet")
choose_option = click.option(
    "--choose",
    multiple=True,
    metavar="ADDRESS=ACTION",
    help="Another action for one entry: add, combine, replace, skip.",
)


take_option = click.option(
    "--take",
    multiple=True,
    metavar="ADDRESS",
    help="Of a large pack only the entries at these addresses: 'thing[kind=cloth]'.",
)
existing_option = click.option(
    "--existing",
    type=click.Choice(["combine", "replace", "skip"]),
    default="combine",
    show_default=True,
    help="What is done with entries that the target has already.",
)


@click.command()
@click.argument("target", type=FILE_OR_FOLDER)
@click.argument("snippet", type=click.Path(exists=True, allow_dash=True, path_type=Path))
@click.option(
    "--base",
    type=FILE_OR_FOLDER,
    help="Three-way: what SNIPPET, a complete file or folder, changed since BASE is brought into TARGET.",
)
@click.option("--save-to", type=click.Path(path_type=Path), help="Write the result here; without it it is only shown.")
@click.option(
    "--into", default="", help="The group that the snippet's entries belong to, as the node part of an address."
)
@click.option(
    "--choose",
    multiple=True,
    metavar="ADDRESS=ACTION",
    help="Another action for one entry: add, combine, replace, skip. With --base: mine, theirs, or ADDRESS==VALUE.",
)
@take_option
@existing_option
@plan_options[0]
@plan_options[1]
@output_option
def merge(
    target: Path,
    snippet: Path,
    base: Path | None,
    save_to: Path | None,
    into: str,
    choose: tuple[str, ...],
    take: tuple[str, ...],
    existing: Literal["combine", "replace", "skip"],
    plan_to: Path | None,
    plan_file: Path | None,
    output: str,
) -> None:
    """Merge a snippet, or another version, into a file.

    \b
    zerrit merge TARGET SNIPPET              the plan is shown first; SNIPPET may be - for standard input
    zerrit merge --base BASE MINE THEIRS     what THEIRS changed since BASE is brought into MINE;
                                             three files, or three folders
    """
    if base is not None:
        if take or existing != "combine":
            raise click.UsageError(
                "--take and --existing choose from a snippet; with --base all changes are carried over."
            )
        if len({base.is_dir(), target.is_dir(), snippet.is_dir()}) > 1:
            raise click.UsageError("Give three files or three folders, not some of each.")
        (_merge_folders if base.is_dir() else _merge_three)(base, target, snippet, save_to, choose, output)
        return
    if target.is_dir() or snippet.is_dir():
        raise click.UsageError("A snippet goes from one file into another. For folders give --base.")
    document = read_document(target.read_bytes(), target.name)
    with click.open_file(str(snippet), "rb") as file:
        text = decode(file.read()).text
    plan, into = _planned(document, text, into_of(plan_file, into))
    plan = taken(document, plan, Taking(take, Existing(existing)))
    given = choices(choose)
    if plan_file is not None:
        given = {entry: ActionKind(word) for entry, word in read_plan(plan_file, _rows(plan)).items()} | given
    plan = plan.decided(given)
    if plan_to is not None:
        write_plan(plan_to, into, _rows(plan))
        return
    merged = apply_plan(document, plan) if not plan.is_open else None
    if output == "json":
        keys = ("address", "line", "reason", "result")
        kept = [action for number, action in enumerate(plan.actions) if number not in plan.left_out]
        actions = [{"kind": a.kind.value, **{key: getattr(a, key) for key in keys}} for a in kept]
        print_json(
            {"actions": actions, "notes": list(plan.notes), "conflicts": [a for a in actions if a["kind"] == "ask"]}
        )
    else:
        shown = [row for number, row in enumerate(_rows(plan)) if number not in plan.left_out]
        print_merge_plan(shown, list(plan.notes), {a.address: a.result for a in plan.actions if a.result})
        echo(plan_in_words(plan))
    if merged is None:
        echo("Nothing was written: choose an action for each `ask` with --choose.", err=True)
        sys.exit(1)
    if save_to is not None:
        save(save_to, merged.to_bytes())
    if output == "table":
        _say_written(save_to)


def _planned(document: Document, text: str, into: str) -> tuple[MergePlan, str]:
    """The plan, and the group that it is for; where several are possible, the person at the terminal is asked."""
    try:
        return plan_merge(document, text, into), into
    except SnippetRefused as refusal:
        place = ask_place(refusal.places)
        if place is None:
            raise
        return plan_merge(document, text, place), place


def ask_place(places: Sequence[str]) -> str | None:
    """The place that someone chooses out of those that are possible; None where no one is there to be asked."""
    if not places or not sys.stdin.isatty():
        return None
    echo("It could belong to several places:", err=True)
    for number, place in enumerate(places, 1):
        echo(f"  {number}  {place or 'the top of the file'}", err=True)
    chosen = click.prompt("Which one", type=click.IntRange(1, len(places)), err=True)
    return places[int(chosen) - 1]


def _rows(plan: MergePlan) -> list[tuple[str, str, int, str]]:
    return [(action.kind.value, action.address, action.line, action.reason) for action in plan.actions]


def _say_written(save_to: Path | None) -> None:
    echo(f"Written to {save_to}." if save_to else "Nothing was written; --save-to OUT keeps the result.")


def _merge_three(
    base: Path, mine: Path, theirs: Path, save_to: Path | None, choose: tuple[str, ...], output: str
) -> None:
    """Merge three files; where they conflict, mine's value stays and the exit code is 1."""
    with click.open_file(str(theirs), "rb") as file:
        other = read_document(file.read(), mine.name)
    old, own = (read_document(path.read_bytes(), mine.name) for path in (base, mine))
    merged = merge_three(old, own, other)
    if choose:
        merged = merge_three(old, own, other, dict(_chosen(text, merged.conflicts) for text in choose))
    if output == "json":
        applied = [asdict(change) for change in merged.applied]
        print_json({"applied": applied, "conflicts": _listed_conflicts(merged.conflicts), "left": list(merged.left)})
    else:
        _print_applied(merged.applied)
        for text in merged.left:
            echo(f"left: {text}")
        _print_conflicts(merged.conflicts)
    if save_to is not None:
        save(save_to, merged.document.to_bytes())
    if output == "table":
        _say_written(save_to)
    sys.exit(1 if merged.conflicts else 0)


def _merge_folders(
    base: Path, mine: Path, theirs: Path, save_to: Path | None, choose: tuple[str, ...], output: str
) -> None:
    """Merge three folders file by file; the result is a folder of its own."""
    if save_to is not None and save_to.exists() and (not save_to.is_dir() or any(save_to.iterdir())):
        raise click.UsageError(f"{save_to} is there already; the result needs an empty folder or a new one.")
    old, own, other = (read_all(folder) for folder in (base, mine, theirs))
    merges = merge_folders(old, own, other)
    conflicts = [conflict for merge in merges for conflict in merge.conflicts]
    if choose:
        merges = merge_folders(old, own, other, dict(_chosen(text, conflicts) for text in choose))
        conflicts = [conflict for merge in merges for conflict in merge.conflicts]
    touched = [merge for merge in merges if merge.state is not FileState.KEPT]
    if output == "json":
        print_json({"files": [_listed_file(one) for one in touched], "conflicts": _listed_conflicts(conflicts)})
    else:
        _print_files(touched)
        echo(f"{counted(len(merges) - len(touched), 'file')} kept as mine has them.")
        _print_conflicts(conflicts)
    if save_to is not None:
        _save_folder(save_to, merges)
    if output == "table":
        _say_written(save_to)
    sys.exit(1 if conflicts else 0)


def _listed_file(file: FileMerge) -> dict[str, Any]:
    merged = file.merged
    return {
        "path": file.path,
        "state": file.state,
        "applied": [asdict(change) for change in merged.applied] if merged else [],
        "left": list(merged.left) if merged else [],
    }


def _print_files(touched: Sequence[FileMerge]) -> None:
    rows = [(one.path, one.state.value, str(len(one.merged.applied)) if one.merged else "") for one in touched]
    if rows:
        print_table(("file", "state", "applied"), rows, right=("applied",), whole=("file",))
    for file in touched:
        for text in file.merged.left if file.merged else ():
            echo(f"left: {file.path}: {text}")


def _save_folder(folder: Path, merges: Sequence[FileMerge]) -> None:
    for merge in merges:
        if merge.data is not None:
            path = folder / safe_path(merge.path)
            path.parent.mkdir(parents=True, exist_ok=True)
            save(path, merge.data)


def _listed_conflicts(conflicts: Iterable[Conflict]) -> list[dict[str, Any]]:
    return [asdict(conflict) for conflict in conflicts]


def _chosen(text: str, conflicts: Sequence[Conflict]) -> tuple[str, str]:
    """The address of a conflict and what is chosen for it; an address may hold an equals sign itself."""
    for conflict in conflicts:
        if text.startswith(f"{conflict.address}="):
            choice = text[len(conflict.address) + 1 :]
            if choice in ("mine", "theirs") or choice.startswith("="):
                return conflict.address, choice
            raise click.UsageError(f"--choose {text}: write mine, theirs, or ={choice} for a value of your own.")
    known = ", ".join(conflict.address for conflict in conflicts) or "none at all"
    raise click.UsageError(f"--choose {text}: write ADDRESS=mine or ADDRESS=theirs with a conflict; there is {known}.")


def _print_applied(applied: Sequence[ValueChange]) -> None:
    if applied:
        rows = [(c.address, short(c.old), short("(gone)" if c.new is None else c.new)) for c in applied]
        print_table(("taken from theirs", "mine", "now"), rows, whole=("taken from theirs",))
    echo(f"{counted(len(applied), 'change')} taken from theirs.")


def _print_conflicts(conflicts: Sequence[Conflict]) -> None:
    if not conflicts:
        return
    rows = [
        (
            c.address,
            *("(none)" if value is None else short(value, 40) for value in (c.base, c.mine, c.theirs)),
            c.reason,
        )
        for c in conflicts
    ]
    print_table(("conflict", "base", "mine", "theirs", ""), rows, whole=("conflict",))
    echo(
        f"{counted(len(conflicts), 'conflict', 'conflicts')} to decide with --choose ADDRESS=mine, ADDRESS=theirs or "
        "ADDRESS==VALUE; mine stays until then."
    )


def print_merge_plan(
    actions: list[tuple[str, str, int, str]], notes: list[str], results: Mapping[str, str] = MappingProxyType({})
) -> None:
    """The plan as a table; `results` are the lines that result, by address."""
    for text in notes:
        echo(f"note: {text}")
    print_table(
        ("action", "entry", "line", ""),
        [(sign(kind), address, str(line), why) for kind, address, line, why in actions],
        right=("line",),
    )
    for address, line in results.items():
        echo(f"{address} becomes\n  {line}")


def choices(given: Iterable[str]) -> dict[str, ActionKind]:
    """The actions that were chosen with --choose, by address."""
    allowed = [kind.value for kind in (ActionKind.ADD, ActionKind.COMBINE, ActionKind.REPLACE, ActionKind.SKIP)]
    chosen: dict[str, ActionKind] = {}
    for text in given:
        address, _, word = text.rpartition("=")
        if not address or word not in allowed:
            raise click.UsageError(f"--choose {text}: write ADDRESS=ACTION with one of {', '.join(allowed)}.")
        chosen[address] = ActionKind(word)
    return chosen
