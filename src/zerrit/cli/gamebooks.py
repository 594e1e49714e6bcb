"""Commands of gamebooks: draft one, check it, look how its rules hold, give it to the service."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Protocol

import click

from zerrit.cli.files import FILE, FOLDER, OUT, load_gamebook, read_files, save, text_file
from zerrit.cli.output import echo, output_option, print_findings, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@click.group()
def gamebook() -> None:
    """Gamebooks: draft one from default files, see how its rules hold, give it to the service."""


@gamebook.command("list")
@output_option
def list_gamebooks(output: str) -> None:
    """List the gamebooks that the service has."""
    with connect() as zerrit:
        found = zerrit.gamebooks()
    if output == "json":
        print_json([book.model_dump(mode="json") for book in found])
        return
    if not found:
        echo("No gamebook yet. Give the service one: zerrit gamebook save NAME FILE")
        return
    print_table(("gamebook", "kept at (UTC)"), [(b.name, b.updated_at.strftime("%Y-%m-%d %H:%M")) for b in found])


@gamebook.command("save")
@click.argument("name")
@text_file("text", metavar="FILE")
def save_gamebook(name: str, text: str) -> None:
    """Save a gamebook in the service. An error in it is shown with its line."""
    with connect() as zerrit:
        zerrit.save_gamebook(name, text)
    echo(f"Saved the gamebook {name}.")


@gamebook.command("get")
@click.argument("name")
@click.option("--save-to", type=OUT, help="Write it there instead of printing it.")
def get_gamebook(name: str, save_to: Path | None) -> None:
    """Print a gamebook that the service has."""
    with connect() as zerrit:
        text = zerrit.gamebook_text(name).text
    if save_to is None:
        echo(text, is_content=True)
        return
    save(save_to, text.encode())
    echo(f"Written: {save_to}")


@gamebook.command("draft")
@click.argument("folders", nargs=-1, required=True, type=FOLDER)
@click.option("--save-to", type=OUT, help="Write the draft there instead of printing it.")
@click.option("--game", default="", help="The name of the game; by default that of the first folder.")
def draft_gamebook(folders: tuple[Path, ...], save_to: Path | None, game: str) -> None:
    """Draft a gamebook from default files.

    Give a FOLDER for each version, the oldest first; two versions make the draft better. Rules of a draft warn and
    never block until someone keeps them.
    """
    from zerrit.core.drafting import draft  # noqa: PLC0415  # only this command drafts

    trees = [_contents(folder) for folder in folders]
    if not trees[-1]:
        raise click.ClickException(f"There are no files in {folders[-1]}.")
    text = draft(trees, game or folders[0].resolve().name, " and ".join(folder.name for folder in folders))
    if save_to is None:
        echo(text, is_content=True)
        return
    save(save_to, text.encode())
    book = load_gamebook(save_to)
    echo(
        f"Drafted from {counted(len(trees[-1]), 'file')}: {counted(len(book.placed), 'rule')}, "
        f"{counted(len(book.rules.lists), 'list')}. Read {save_to}, and remove what is only chance."
    )


def _contents(folder: Path) -> dict[str, bytes]:
    files = (file for file in sorted(folder.rglob("*")) if file.is_file() and not file.is_symlink())
    return {file.relative_to(folder).as_posix(): file.read_bytes() for file in files}


@gamebook.command("check")
@click.argument("file", type=FILE)
@click.option("--folder", type=FOLDER, help="Files to hold its rules against.")
@output_option
def check_gamebook(file: Path, folder: Path | None, output: str) -> None:
    """Check a gamebook itself; with a folder, also how often each rule is satisfied there."""
    from zerrit.core.checks import check_files_of, holdings  # noqa: PLC0415
    from zerrit.core.gamebooks import read_gamebook  # noqa: PLC0415

    book, faults = read_gamebook(file.read_bytes(), file.name)
    checked = check_files_of(read_files(folder, book), book) if folder is not None and book is not None else None
    rules = holdings(checked) if checked is not None else []
    if output == "json":
        listed = [
            {"code": f.code, "message": f.message, "line": f.line, "column": f.column, "hint": f.hint} for f in faults
        ]
        keys = ("id", "text", "places", "violations", "unmeasured")
        known = [{key: getattr(rule, key) for key in keys} for rule in rules]
        print_json({"faults": listed, "rules": known})
    elif book is None:
        print_findings(faults, {file.name: file.read_text("utf-8", "replace")})
        echo(f"{counted(len(faults), 'fault')}.")
    elif checked is None:
        echo(f"The gamebook is sound: {counted(len(book.placed), 'rule')}.")
    else:
        print_rules(rules)
        own = [finding for finding in checked.findings if finding.code.startswith("gamebook.")]
        print_findings(own)
    sys.exit(1 if book is None else 0)


@gamebook.command("rules")
@click.argument("server_id")
@output_option
def list_rules(server_id: str, output: str) -> None:
    """Show what the gamebook of a server contains, and how often each rule is satisfied there now."""
    with connect() as zerrit:
        found = zerrit.gamebook_overview(server_id)
    if output == "json":
        print_json(found.model_dump(mode="json", exclude={"text"}))
        return
    print_rules(found.rules)
    rows = [(one.name, "?" if one.words is None else str(len(one.words)), one.source) for one in found.lists]
    echo()
    print_table(("list", "words", "where they come from"), rows, right=("words",))
    if found.unknown:
        echo(f"No rule knows {counted(len(found.unknown), 'file')}: {', '.join(found.unknown)}")


class ShownRule(Protocol):
    """A rule with how often it holds, of the core or of the service."""

    @property
    def line(self) -> int: ...
    @property
    def text(self) -> str: ...
    @property
    def places(self) -> int | None: ...
    @property
    def violations(self) -> int: ...
    @property
    def unmeasured(self) -> str: ...


def print_rules(rules: Iterable[ShownRule]) -> None:
    """The rules with how often they hold."""
    rows = [
        (
            str(one.line),
            short(one.text, 100),
            "" if one.places is None else f"{one.places:,}",
            f"not measured: {one.unmeasured}" if one.unmeasured else str(one.violations) if one.violations else "-",
        )
        for one in rules
    ]
    print_table(("line", "rule", "places", "broken"), rows, right=("line", "places", "broken"))
    echo(f"{counted(len(rows), 'rule')}.")


@gamebook.command("test")
@click.argument("server_id")
@text_file("text", metavar="FILE")
@output_option
def test_gamebook(server_id: str, text: str, output: str) -> None:
    """Test an edited gamebook on the files of a server; nothing is saved."""
    with connect() as zerrit:
        found = zerrit.test_gamebook(server_id, text)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    elif found.faults:
        print_findings(found.faults)
        echo(f"It cannot be used: {counted(len(found.faults), 'fault')}.")
    else:
        print_findings(found.appeared)
        echo(f"{counted(len(found.appeared), 'finding')} would come, {len(found.gone)} would go.")
    sys.exit(1 if found.faults else 0)


@gamebook.command("schema")
@click.option("--output", type=click.Choice(["schema", "page"]), default="schema", show_default=True)
def gamebook_form(output: str) -> None:
    """Print the schema of gamebooks: a JSON Schema for editors, or the page that explains it."""
    if output == "schema":
        from zerrit.core.gamebooks import json_schema  # noqa: PLC0415

        print_json(json_schema())
        return
    from zerrit.report.gamebook_page import page  # noqa: PLC0415

    echo(page(), is_content=True)
