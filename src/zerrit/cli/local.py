"""Commands on local files; they need no service."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any, BinaryIO

import click

from zerrit import api
from zerrit.cli.output import output_option, print_findings, print_json, print_table, short, sign
from zerrit.core.addresses import parse_node_address
from zerrit.core.checks import check as check_documents
from zerrit.core.compare import Difference, compare_documents, compare_files, text_difference
from zerrit.core.documents import CODES, Document, Finding, read_document
from zerrit.core.documents.edits import parse_operation, set_values
from zerrit.core.documents.source import decode
from zerrit.core.errors import ZerritError
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.merge import ActionKind, apply_plan, plan_merge
from zerrit.core.wording import counted

_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
_ANY = click.Path(exists=True, path_type=Path)
_OUT = click.Path(dir_okay=False, path_type=Path)


def text_file(name: str, **more: Any) -> Callable[[Any], Any]:
    """An argument that is a text file in any encoding, or - for standard input; the command gets its text."""

    def read(_ctx: click.Context, _param: click.Parameter, file: BinaryIO) -> str:
        return decode(file.read()).text

    return click.argument(name, type=click.File("rb"), callback=read, **more)


snippet_argument = text_file("snippet")
choose_option = click.option(
    "--choose",
    multiple=True,
    metavar="ADDRESS=ACTION",
    help="Another action for one entry: add, combine, replace, skip.",
)


@click.command()
@click.argument("paths", nargs=-1, required=True, type=_ANY)
@click.option("--gamebook", "gamebook_file", type=_FILE, help="Check the meaning too, by this gamebook.")
@output_option
def check(paths: tuple[Path, ...], gamebook_file: Path | None, output: str) -> None:
    """Check files or folders; with a gamebook their meaning too."""
    gamebook = _load_gamebook(gamebook_file) if gamebook_file else None
    documents: dict[str, Document] = {}
    for path in paths:
        documents.update(_read_path(path, gamebook))
    findings = check_documents(documents, gamebook)
    errors = sum(finding.blocks for finding in findings)
    if output == "json":
        keys = ("code", "severity", "message", "path", "line", "column", "address", "hint")
        listed = [{key: getattr(finding, key) for key in keys} for finding in findings]
        print_json(
            {"findings": listed, "summary": {"files": len(documents), "findings": len(findings), "errors": errors}}
        )
    else:
        print_findings(_shaped(finding) for finding in findings)
        click.echo(
            f"{counted(len(documents), 'file')} checked, {counted(len(findings), 'finding')}, {counted(errors, 'error')}."
        )
    sys.exit(1 if errors else 0)


def _shaped(finding: Finding) -> api.FindingOut:
    return api.FindingOut(**asdict(finding))


@click.command()
@click.argument("old", type=_ANY)
@click.argument("new", type=_ANY)
@click.option("--text", is_flag=True, help="As lines of text instead of by entry.")
@output_option
def compare(old: Path, new: Path, text: bool, output: str) -> None:
    """Compare two files or folders, by address. Exit code 1 when they differ."""
    if old.is_dir() != new.is_dir():
        raise click.UsageError("Compare two files or two folders, not one with the other.")
    if old.is_dir():
        before, after = _read_path(old, None), _read_path(new, None)
        differences = compare_files(before, after)
    else:
        # The two files stand for one, so that their addresses are alike.
        before = {new.name: read_document(old.read_bytes(), new.name)}
        after = {new.name: read_document(new.read_bytes(), new.name)}
        differences = compare_documents(before[new.name], after[new.name])
    if text:
        for path in sorted(before.keys() | after.keys()):
            one, other = before.get(path), after.get(path)
            click.echo(
                text_difference(one.text if one else "", other.text if other else "", f"{path} (old)", f"{path} (new)"),
                nl=False,
            )
    else:
        print_differences(differences, output)
    sys.exit(1 if differences else 0)


def print_differences(differences: list[Difference] | list[api.DifferenceOut], output: str) -> None:
    if output == "json":
        keys = ("kind", "address", "old", "new")
        print_json({"differences": [{key: getattr(d, key) for key in keys} for d in differences]})
        return
    rows = [(sign(str(d.kind)), d.address, short(d.old), short(d.new), d.delta) for d in differences]
    if rows:
        print_table(("kind", "address", "old", "new", "by"), rows, right=("by",), whole=("kind", "address"))
    entries = len({difference.entry for difference in differences})
    click.echo(
        f"{counted(len(rows), 'difference')} in {entries} {'entry' if entries == 1 else 'entries'}."
        if rows
        else "No difference."
    )


@click.command()
@click.argument("target", type=_FILE)
@snippet_argument
@click.option("--save-to", type=_OUT, help="Write the result here; without it the plan is only shown.")
@click.option(
    "--into", default="", help="The group that the snippet's entries belong to, as the node part of an address."
)
@choose_option
@output_option
def merge(target: Path, snippet: str, save_to: Path | None, into: str, choose: tuple[str, ...], output: str) -> None:
    """Merge a published snippet into a local file. The plan is shown first; SNIPPET may be - for standard input."""
    document = read_document(target.read_bytes(), target.name)
    plan = plan_merge(document, snippet, into).decided(choices(choose))
    merged = apply_plan(document, plan) if not plan.is_open else None
    if output == "json":
        keys = ("address", "line", "why")
        actions = [{"kind": a.kind.value, **{key: getattr(a, key) for key in keys}} for a in plan.actions]
        print_json(
            {"actions": actions, "notes": list(plan.notes), "clashes": [a for a in actions if a["kind"] == "ask"]}
        )
    else:
        print_merge_plan([(a.kind.value, a.address, a.line, a.why) for a in plan.actions], list(plan.notes))
    if merged is None:
        click.echo("Nothing was written: choose an action for each `ask` with --choose.", err=True)
        sys.exit(1)
    if save_to is not None:
        _save(save_to, merged.to_bytes())
    if output == "table":
        click.echo(f"Written to {save_to}." if save_to else "Nothing was written; --save-to OUT keeps the result.")


def print_merge_plan(actions: list[tuple[str, str, int, str]], notes: list[str]) -> None:
    for text in notes:
        click.echo(f"cleaned: {text}")
    print_table(
        ("action", "entry", "line", ""),
        [(sign(kind), address, str(line), why) for kind, address, line, why in actions],
        right=("line",),
    )


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


@click.command(context_settings={"ignore_unknown_options": True})
@click.argument("file", type=_FILE)
@click.argument("address")
@click.argument("operation")
@click.option("--save-to", type=_OUT, help="Write the result here; without it the file itself is changed.")
def edit(file: Path, address: str, operation: str, save_to: Path | None) -> None:
    """Change values in a local file. ADDRESS is the part after #, OPERATION is =40, +10, -10, *1.5, on or off."""
    document = read_document(file.read_bytes(), file.name)
    result = set_values(document, parse_node_address(address), parse_operation(operation))
    if result.changes:
        print_table(("address", "old", "new"), [(c.address, short(c.old), short(c.new)) for c in result.changes])
    if result.changes or save_to is not None:
        _save(save_to or file, result.document.to_bytes())
    where = f" in {save_to or file}" if result.changes else ", it is so already"
    click.echo(f"{counted(len(result.changes), 'value')} changed{where}.")


@click.command()
@click.argument("code", required=False)
def codes(code: str | None) -> None:
    """List the codes that findings bear. Any code of reading can be tolerated by a gamebook."""
    if code is not None and code not in CODES:
        raise ZerritError(f"There is no code {code}. `zerrit codes` lists all.")
    chosen = {code: CODES[code]} if code else CODES
    print_table(
        ("code", "severity", "what it says"),
        [(name, severity.value, says) for name, (severity, says) in chosen.items()],
    )


def _save(path: Path, data: bytes) -> None:
    """Write beside the target, then rename: a full disk leaves the old file as it was."""
    part = path.with_name(f".{path.name}.part")
    try:
        part.write_bytes(data)
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise click.ClickException(f"{path} cannot be written: {error.strerror}. Nothing was changed.") from error


def _load_gamebook(path: Path) -> Gamebook:
    gamebook, faults = read_gamebook(path.read_bytes(), path.name)
    if gamebook is None:
        print_findings(_shaped(fault) for fault in faults)
        raise ZerritError(f"The gamebook {path} cannot be used.")
    return gamebook


def _read_path(path: Path, gamebook: Gamebook | None) -> dict[str, Document]:
    def read(file: Path, name: str) -> Document:
        data = file.read_bytes()
        return gamebook.read(data, name) if gamebook else read_document(data, name)

    if path.is_file():
        return {str(path): read(path, str(path))}
    found: dict[str, Document] = {}
    for file in sorted(path.rglob("*")):
        name = file.relative_to(path).as_posix()
        is_wanted = gamebook is None or gamebook.is_tracked(name)
        if file.is_file() and not file.is_symlink() and is_wanted:
            document = read(file, name)
            if not document.is_binary:
                found[name] = document
    return found


COMMANDS = (check, compare, merge, edit, codes)
