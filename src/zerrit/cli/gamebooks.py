"""Commands of gamebooks: draft one, check it, look how its rules hold, give it to the service."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, Protocol

import click

from zerrit.api import GamebookEditOut
from zerrit.cli.files import FILE, FOLDER, OUT, beside, contents_of, load_gamebook, read_files, save, text_file
from zerrit.cli.output import echo, output_option, print_findings, print_json, print_table, short
from zerrit.cli.session import connect
from zerrit.core.documents import Format
from zerrit.core.documents.source import decode
from zerrit.core.log_text import log_text
from zerrit.core.signs import SIGNS
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.core.drafting import KeptLog

MOST_OF_A_LOG: Final = 1 << 20  #: bytes, from its beginning and from its end


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


@gamebook.command("sign")
@click.argument("file", type=FILE)
@click.option("--author", required=True, help="Who made this edition.")
@click.option("--edition", required=True, help="Its version, such as 3 or 2026-11.")
@click.option("--save-to", type=OUT, help="Write it there; without it the file itself is changed.")
def sign_gamebook(file: Path, author: str, edition: str, save_to: Path | None) -> None:
    """Write author, version and digest into a gamebook before it is given to others.

    The digest tells whether it was changed since; `zerrit gamebook check` holds it against the file. It proves nothing of who made it.
    """
    from zerrit.core.gamebooks import edition_of, signed  # noqa: PLC0415

    text = signed(load_gamebook(file), author, edition)
    save(save_to or file, text.encode())
    state = edition_of(load_gamebook(save_to or file))
    echo(f"{state} Written: {save_to or file}")


@gamebook.command("merge")
@click.argument("base", type=FILE)
@click.argument("mine", type=FILE)
@click.argument("theirs", type=FILE)
@click.option("--save-to", type=OUT, required=True, help="Write the result there.")
@click.option("--choose", multiple=True, metavar="ADDRESS=mine|theirs", help="Decide a conflict.")
def merge_gamebooks(base: Path, mine: Path, theirs: Path, save_to: Path, choose: tuple[str, ...]) -> None:
    """Bring what another author's newer edition THEIRS changed since BASE into MINE.

    The result has to be a sound gamebook whose cases hold. Exit code 1 when there are conflicts; nothing is written then.
    """
    from zerrit.core.checks.cases import failed_cases  # noqa: PLC0415
    from zerrit.core.documents import read_document  # noqa: PLC0415
    from zerrit.core.gamebooks import read_gamebook, without_edition  # noqa: PLC0415
    from zerrit.core.merge import merge_three  # noqa: PLC0415

    old, own, other = (
        read_document(without_edition(path.read_text("utf-8")).encode(), "gamebook.yml")
        for path in (base, mine, theirs)
    )
    chosen = dict(_decided(text) for text in choose)
    merged = merge_three(old, own, other, chosen, only_fitting=bool(chosen))
    for change in merged.applied:
        echo(f"taken: {change.address}: {short(change.old)} -> {short('(gone)' if change.new is None else change.new)}")
    for text in merged.left:
        echo(f"left: {text}")
    for conflict in merged.conflicts:
        echo(
            f"conflict: {conflict.address}: {conflict.base} before, {conflict.mine} mine, {conflict.theirs} theirs; {conflict.reason}"
        )
    if merged.conflicts:
        echo("Decide each with --choose ADDRESS=mine or ADDRESS=theirs. Nothing was written.", err=True)
        sys.exit(1)
    book, faults = read_gamebook(merged.document.to_bytes(), mine.name, beside(mine))
    failed = failed_cases(book) if book is not None else []
    if book is None or failed:
        print_findings(faults, {mine.name: merged.document.text})
        for one in failed:
            echo(f"case failed, line {one.line}: {one}")
        echo("The result is not a sound gamebook, so nothing was written.", err=True)
        sys.exit(1)
    save(save_to, merged.document.to_bytes())
    echo(
        f"{counted(len(merged.applied), 'change')} taken. Written: {save_to}. It has no edition; sign it when it is read."
    )


def _decided(text: str) -> tuple[str, str]:
    address, _, choice = text.rpartition("=")
    if not address or choice not in ("mine", "theirs"):
        raise click.UsageError(f"--choose {text}: write ADDRESS=mine or ADDRESS=theirs.")
    return address, choice


@gamebook.command("draft")
@click.argument("folders", nargs=-1, required=True, type=FOLDER)
@click.option("--save-to", type=OUT, help="Write the draft there instead of printing it.")
@click.option("--game", default="", help="The name of the game; by default that of the first folder.")
@click.option(
    "--server-files",
    "servers",
    type=FOLDER,
    multiple=True,
    help="A folder with the files of a running server: each rule says how many places there do not fit it. Repeatable.",
)
@click.option("--good-log", "good", type=FILE, multiple=True, help="The log of a start that went well. Repeatable.")
@click.option("--failed-log", "failed", type=FILE, multiple=True, help="The log of a start that failed. Repeatable.")
def draft_gamebook(
    folders: tuple[Path, ...],
    save_to: Path | None,
    game: str,
    servers: tuple[Path, ...],
    good: tuple[Path, ...],
    failed: tuple[Path, ...],
) -> None:
    """Draft a gamebook from default files.

    Give a FOLDER for each version, the oldest first; two versions make the draft better. Rules of a draft warn and
    never block until someone keeps them. From logs it guesses which line says that the game is ready, which mean trouble,
    and what it loaded; nothing follows from a guess until someone accepts it.
    """
    from zerrit.core.checks.draft_exceptions import with_exceptions  # noqa: PLC0415  # only this command drafts
    from zerrit.core.drafting import draft  # noqa: PLC0415

    trees = [contents_of(folder) for folder in folders]
    if not trees[-1]:
        raise click.ClickException(f"There are no files in {folders[-1]}.")
    names = " and ".join(folder.name for folder in folders)
    logs = [
        _log(path, (*servers, *folders), is_good=is_good)
        for is_good, paths in ((True, good), (False, failed))
        for path in paths
    ]
    text = draft(trees, game or folders[0].resolve().name, names, logs=logs)
    text = with_exceptions(text, {str(folder): contents_of(folder) for folder in servers})
    if save_to is None:
        echo(text, is_content=True)
        return
    save(save_to, text.encode())
    book = load_gamebook(save_to)
    echo(
        f"Drafted from {counted(len(trees[-1]), 'file')}: {counted(len(book.placed), 'rule')}, "
        f"{counted(len(book.rules.lists), 'list')}. Read {save_to}, and remove what is only chance."
    )


def _log(path: Path, folders: Sequence[Path], *, is_good: bool) -> KeptLog:
    """The log of a start, with its path on the server where it is in one of the folders."""
    from zerrit.core.drafting import KeptLog  # noqa: PLC0415

    own = path.resolve()
    home = next((folder.resolve() for folder in folders if own.is_relative_to(folder.resolve())), None)
    with path.open("rb") as file:
        data = file.read(MOST_OF_A_LOG)
        file.seek(max(file.tell(), path.stat().st_size - MOST_OF_A_LOG))
        data += file.read(MOST_OF_A_LOG)
    return KeptLog(log_text(data), is_good, own.relative_to(home).as_posix() if home is not None else "")


@gamebook.command("check")
@click.argument("file", type=FILE)
@click.option("--folder", type=FOLDER, help="Files to hold its rules against.")
@output_option
def check_gamebook(file: Path, folder: Path | None, output: str) -> None:
    """Check a gamebook itself; with a folder, also how often each rule is satisfied there."""
    from zerrit.core.checks import check_files_of, statistics_of  # noqa: PLC0415
    from zerrit.core.gamebooks import edition_of, read_gamebook  # noqa: PLC0415

    book, faults = read_gamebook(file.read_bytes(), file.name, beside(file))
    checked = check_files_of(read_files(folder, book), book) if folder is not None and book is not None else None
    rules = statistics_of(checked) if checked is not None else []
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
        state = edition_of(book)
        if state is not None:
            echo(str(state))
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
@click.argument("words", nargs=-1, required=True, metavar="[SERVER_ID] FILE")
@output_option
def test_gamebook(words: tuple[str, ...], output: str) -> None:
    """Run the cases of a gamebook, or, with SERVER_ID, try an edited gamebook on the files there. Nothing is saved.

    Exit code 1 when a case fails, or the gamebook cannot be used.
    """
    *servers, name = words
    file = Path(name)
    if len(servers) > 1:
        raise click.UsageError("Give one server and one file, or a file alone.")
    if name != "-" and not file.is_file():
        raise click.UsageError(f"{name} is not a file.")
    with click.open_file(name, "rb") as opened:
        text = decode(opened.read()).text
    if not servers:
        _run_cases(text, file, output)
    with connect() as zerrit:
        found = zerrit.test_gamebook(servers[0], text)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    elif found.faults:
        print_findings(found.faults)
        echo(f"It cannot be used: {counted(len(found.faults), 'fault')}.")
    else:
        print_findings(found.appeared)
        echo(f"{counted(len(found.appeared), 'finding')} would come, {len(found.gone)} would go.")
        for one in found.failed_cases:
            echo(f"case failed, line {one.line}: {one.words}")
    sys.exit(1 if found.faults or found.failed_cases else 0)


def _run_cases(text: str, file: Path, output: str) -> None:
    from zerrit.core.checks.cases import run_cases  # noqa: PLC0415
    from zerrit.core.gamebooks import read_gamebook  # noqa: PLC0415

    book, faults = read_gamebook(text.encode(), file.name, beside(file))
    if book is None:
        print_findings(faults, {file.name: text})
        sys.exit(1)
    results = run_cases(book)
    failed = [one for one in results if not one.passed]
    if output == "json":
        print_json(
            [{"name": one.name, "line": one.line, "missing": one.missing, "extra": one.extra} for one in results]
        )
    else:
        for one in failed:
            echo(f"line {one.line}: {one}")
        echo(f"{counted(len(results), 'case')}, {len(failed)} failed." if results else "The gamebook has no cases.")
    sys.exit(1 if failed else 0)


@gamebook.command("suggestions")
@click.argument("server_id")
@click.option("--all", "shows_all", is_flag=True, help="Show every one; by default the 20 that are most certain.")
@output_option
def list_suggestions(server_id: str, shows_all: bool, output: str) -> None:
    """Show rules that were seen in the files of a server and that no one has decided about."""
    with connect() as zerrit:
        found = zerrit.suggestions(server_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if not found:
        echo(
            "No rule is suggested. Import the defaults of the game if there are none yet; rules are drafted from them."
        )
        return
    shown = found if shows_all else found[:20]
    for one in shown:
        echo(f"{one.id}  {one.rule.text}")
        echo(f"    seen: {one.evidence or 'in the files, without a count'}")
        if one.samples:
            values = ", ".join(
                f"{short(s.value, 30)} ({s.count})" if s.count > 1 else short(s.value, 30) for s in one.samples
            )
            echo(f"    values: {values}")
        if one.rule.violations:
            echo(f"    broken at {counted(one.rule.violations, 'place')} now, such as {one.exceptions[0].address}")
    if len(shown) < len(found):
        echo(f"{len(found) - len(shown)} more: --all shows them.")
    echo(f"Accept or reject one: zerrit gamebook decide {server_id} ID --accept")


@gamebook.command("decide")
@click.argument("server_id")
@click.argument("suggestions", nargs=-1, required=True)
@click.option(
    "--accept/--reject", "accept", required=True, help="Whether they become rules, or are not suggested again."
)
@click.option("--data", default="", help="A single rule as you accept it, as YAML, where it should differ.")
@click.option("--dry-run", is_flag=True, help="Only show what would change and what it would find.")
def decide_suggestion(server_id: str, suggestions: Sequence[str], accept: bool, data: str, dry_run: bool) -> None:
    """Accept or reject suggested rules by their ids: all of them, or none where one is suggested no more."""
    with connect() as zerrit:
        print_edit(zerrit.decide(server_id, suggestions, accept=accept, data=_rule_data(data), dry_run=dry_run))


@gamebook.command("put-rule")
@click.argument("server_id")
@click.argument("place")
@click.option("--data", default="", help="The rule as YAML, such as '{every: \"a.xml#b\", list: words}'.")
@click.option("--remove", is_flag=True, help="Remove the rule that is there.")
@click.option("--dry-run", is_flag=True, help="Only show what would change and what it would find.")
def put_rule(server_id: str, place: str, data: str, remove: bool, dry_run: bool) -> None:
    """Put one rule into the gamebook of a server, or remove one.

    PLACE is where it stands, as JSON: '["refers", 2]' is the third rule of that part, a number behind the last one adds
    a rule. `zerrit gamebook rules SERVER --output json` lists the places.
    """
    if bool(data) is remove:
        raise click.UsageError("Give the rule with --data, or --remove.")
    try:
        location = json.loads(place)
    except ValueError:
        raise click.UsageError("A place is JSON, such as '[\"refers\", 2]'.") from None
    if not isinstance(location, list) or not all(isinstance(one, str | int) for one in location):
        raise click.UsageError("A place is a list of names and numbers, such as '[\"refers\", 2]'.")
    with connect() as zerrit:
        print_edit(zerrit.put_rule(server_id, location, _rule_data(data), dry_run=dry_run))


def _rule_data(text: str) -> dict[str, Any] | None:
    """A rule that is given as YAML."""
    from zerrit.core.documents import Format, read_document  # noqa: PLC0415

    if not text:
        return None
    document = read_document(text.encode(), "--data", format=Format.YAML)
    data = document.to_data()
    if not document.ok or not isinstance(data, dict):
        raise click.UsageError("--data is not a rule. One is written as '{every: \"a.xml#b\", list: words}'.")
    return data


@gamebook.command("read-as")
@click.argument("server_id")
@click.argument("path")
@click.argument("format", type=click.Choice([*(one.value for one in Format), "by-itself"]))
@click.option("--dry-run", is_flag=True, help="Only show what would change and what it would find.")
def read_as(server_id: str, path: str, format: str, dry_run: bool) -> None:
    """Say how a file is read, where its name does not say it or says it wrongly.

    FORMAT by-itself leaves it to its name and its content again; what is guessed by content gives notices only.
    """
    with connect() as zerrit:
        chosen = None if format == "by-itself" else format
        print_edit(zerrit.read_file_as(server_id, path, chosen, dry_run=dry_run))


@gamebook.command("relate")
@click.argument("server_id")
@click.argument("first")
@click.argument("relation", type=click.Choice(["equal", "at-most", "refers-to"]))
@click.argument("second")
@click.option("--dry-run", is_flag=True, help="Only show what would change and what it would find.")
def relate(server_id: str, first: str, relation: str, second: str, dry_run: bool) -> None:
    """Make a rule between two fields: equal, FIRST at most SECOND, or FIRST one of the words at SECOND.

    Two fields of one entry make a rule for every entry of that kind.
    """
    with connect() as zerrit:
        print_edit(zerrit.relate(server_id, relation, first, second, dry_run=dry_run))


@gamebook.command("adjust")
@click.argument("server_id")
@click.argument("code")
@click.argument("address")
@click.argument("how", type=click.Choice(["allow", "skip-file", "error", "warning", "notice"]))
@click.option("--change", type=int, help="The change in which it is found; by default the latest files.")
@click.option("--dry-run", is_flag=True, help="Only show what would change and what it would find.")
def adjust(server_id: str, code: str, address: str, how: str, change: int | None, dry_run: bool) -> None:
    """Change the rule behind a finding: allow its value, leave its file out, or make it an error, warning or notice."""
    with connect() as zerrit:
        print_edit(zerrit.adjust_rule(server_id, code, address, how, change=change, dry_run=dry_run))


_LINE_SIGNS = {"added": SIGNS["added"], "removed": SIGNS["removed"], "same": " ", "gap": "…"}


def print_edit(edit: GamebookEditOut) -> None:
    """The lines of a gamebook that differ, and what it finds now."""
    for line in edit.lines:
        echo(f"{_LINE_SIGNS[line.kind]} {line.text}")
    if edit.rule is not None:
        places = "" if edit.rule.places is None else f" It speaks of {counted(edit.rule.places, 'place')}."
        echo(f"Rule: {edit.rule.text}.{places}")
    print_findings(edit.appeared)
    echo(
        f"In the latest files {counted(len(edit.appeared), 'finding')} would come, {len(edit.gone)} would go."
        if not edit.is_saved
        else f"Saved in the gamebook {edit.name}. {counted(len(edit.appeared), 'finding')} came, {len(edit.gone)} went."
    )


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
