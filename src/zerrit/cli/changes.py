"""Commands on changes."""

from __future__ import annotations

import json
import shlex
import sys
import tempfile
from collections.abc import Collection
from datetime import datetime
from pathlib import Path
from typing import Any, Final, Literal, TextIO

import click
from pydantic import ValidationError

from zerrit import api
from zerrit.cli.checklist import print_checklist
from zerrit.cli.compare import WITH_TEXTS, compared, comparison_output, save_comparison
from zerrit.cli.compare import show as show_comparison
from zerrit.cli.completion import complete_in_change, complete_operation
from zerrit.cli.files import OUT, save
from zerrit.cli.local_folder import chosen_files, sending
from zerrit.cli.merge import (
    ask_place,
    choices,
    choose_option,
    existing_option,
    print_merge_plan,
    snippet_argument,
    take_option,
)
from zerrit.cli.output import echo, output_option, print_findings, print_json, print_table, short, sign
from zerrit.cli.plan_file import into_of, plan_options, read_plan, write_plan
from zerrit.cli.runs import follow, options_in, run_options, run_result
from zerrit.cli.session import connect
from zerrit.cli.waivers import in_utc, until_option
from zerrit.client import Client, ProblemError
from zerrit.core.errors import ZerritError
from zerrit.core.wording import counted, effect_in_words

MOST_LOOKS: Final = 6


@click.group()
def change() -> None:
    """Create changes, add steps, check, compare and deploy them."""


@change.command("create")
@click.argument("server_id")
@click.argument("title")
def create_change(server_id: str, title: str) -> None:
    """Create a change on a server."""
    with connect() as zerrit:
        opened = zerrit.create_change(server_id, title)
    echo(f"Change {opened.id} on {server_id}: {opened.title}")


@change.command("list")
@click.argument("server_id")
@output_option
def list_changes(server_id: str, output: str) -> None:
    """List the changes of a server, the newest first."""
    with connect() as zerrit:
        found = zerrit.changes(server_id)
    if output == "json":
        print_json([c.model_dump(mode="json") for c in found])
        return
    rows = [
        (str(c.id), c.state, c.title, str(c.steps), c.author, c.updated_at.strftime("%Y-%m-%d %H:%M")) for c in found
    ]
    print_table(("change", "state", "title", "steps", "author", "last edited"), rows, right=("steps",))


@change.command("show")
@click.argument("change_id", type=int)
@output_option
def show_change(change_id: int, output: str) -> None:
    """Show a change: its steps, what they do, its findings."""
    with connect() as zerrit:
        detail = zerrit.change(change_id)
    if output == "json":
        print_json(detail.model_dump(mode="json"))
        return
    _print_change(detail)


def _print_change(detail: api.ChangeDetail) -> None:
    echo(f"Change {detail.id} on {detail.server}: {detail.title}   [{detail.state}]")
    for step in detail.step_list:
        echo(f"  {step.position:>2}. {step.kind:<6} {step.address}  {step.summary}")
        _print_outcome(step.outcome)
    if detail.is_outdated:
        echo(f"The server's files are newer than this change: zerrit change update {detail.id}")
    _print_findings(detail)
    for run in detail.runs:
        echo(f"Run {run.id} {run_result(run)}")
        for line in run.evidence.log.splitlines()[-8:]:
            echo(f"    | {line}")


def _print_outcome(outcome: api.OutcomeOut) -> None:
    if outcome.kind != "done":
        echo(f"        {outcome.kind}: {outcome.message}".rstrip(": "))
    for text in outcome.notes:
        echo(f"        note: {text}")
    for changed in outcome.changes[:12]:
        old = f"{short(changed.old, 40)} -> " if changed.old is not None else "new: "
        new = short(changed.new, 70) if changed.new is not None else "(gone)"
        echo(f"        {changed.address}: {old}{new}")
    if outcome.places > 12:
        echo(f"        and {outcome.places - 12:,} more places")


def _print_findings(detail: api.ChangeDetail) -> None:
    print_findings(detail.findings)
    for finding in detail.fixed:
        echo(f"fixes: {finding.message}  {finding.address or finding.path}")
    old = f" ({counted(detail.old_findings, 'older finding')} not counted)" if detail.old_findings else ""
    if detail.blocking:
        echo(f"Blocked for {counted(len(detail.blocking), 'reason')}{old}. Fix it with another step, or waive it:")
        for finding in (f for f in detail.findings if f.blocks):
            place = shlex.quote(finding.waiver_address)
            echo(f"    zerrit change waive {detail.id} {finding.code} {place} --reason '...'")
    else:
        echo(f"Nothing blocks this change{old}.")
    if detail.beyond_rights:
        beyond = ", ".join(detail.beyond_rights[:3]) + (" …" if len(detail.beyond_rights) > 3 else "")
        echo(f"It goes beyond what {detail.author} may change ({beyond}), so an admin has to deploy it.")
    for effect in detail.effects:
        places = ", ".join(effect.addresses[:3])
        more = f" and {len(effect.addresses) - 3} more" if len(effect.addresses) > 3 else ""
        echo(f"After it is written it takes effect {effect_in_words(effect.takes_effect)}: {places}{more}")
    for look in detail.checklist_preview[:MOST_LOOKS]:
        echo(f"  checklist: {look}")
    if len(detail.checklist_preview) > MOST_LOOKS:
        echo(f"  and {len(detail.checklist_preview) - MOST_LOOKS} more items")


dry_run_option = click.option(
    "--dry-run", "is_dry_run", is_flag=True, help="Show what it would do, address by address; change nothing."
)


def _add(change_id: int, kind: str, address: str, *, is_dry_run: bool = False, start: int = 1, **data: Any) -> None:
    """Append a step and say what it does; or only try it."""
    given = api.StepIn.model_validate({"kind": kind, "address": address, **data})
    with connect() as zerrit:
        if is_dry_run:
            _print_trial(zerrit.try_step(change_id, given, max(0, start - 1)))
            return
        detail = zerrit.add_step(change_id, given)
    _print_added(detail)


def _print_added(detail: api.ChangeDetail) -> None:
    step = detail.step_list[-1]
    echo(f"Step {step.position}: {step.kind} {step.address} {step.summary}".rstrip())
    _print_outcome(step.outcome)


def _print_trial(outcome: api.OutcomeOut) -> None:
    if outcome.kind == "impossible":
        raise ZerritError(outcome.message)
    rows = [
        (one.address, short(one.old, 40), short("(gone)" if one.new is None else one.new, 70))
        for one in outcome.changes
    ]
    if rows:
        print_table(("address", "old", "new"), rows, whole=("address",))
    for text in outcome.notes:
        echo(f"note: {text}")
    if outcome.places > len(rows):
        echo(f"Those are {outcome.offset + 1:,} to {outcome.offset + len(rows):,}. See others with --from.")
    echo(f"{counted(outcome.places, 'place')} would change. Nothing was added to the change.")


@change.command("set", context_settings={"ignore_unknown_options": True})
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@click.argument("operation", shell_complete=complete_operation)
@click.option("--keep", multiple=True, metavar="ORDER", help="Move what a new value passes, such as 'least <= most'.")
@click.option("--keep-ratio", default="", metavar="FIELDS", help="Fields that keep their proportion: least,most.")
@click.option("--alone", is_flag=True, help="Move nothing along, whatever the gamebook keeps together.")
@dry_run_option
@click.option("--from", "start", type=click.IntRange(1), default=1, help="With --dry-run: the first place to show.")
def set_step(
    change_id: int,
    address: str,
    operation: str,
    keep: tuple[str, ...],
    keep_ratio: str,
    alone: bool,
    is_dry_run: bool,
    start: int,
) -> None:
    """Add a step: set values. OPERATION is =40, +10, -10, *1.5, '*1.5 from 0 to 400', on or off."""
    fields = [one.strip() for one in keep_ratio.split(",") if one.strip()]
    coupled = {"keep": list(keep), "keep_ratio": fields, "alone": alone}
    _add(change_id, "set", address, is_dry_run=is_dry_run, start=start, operation=operation, **coupled)


@change.command("add")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@click.argument("name")
@click.argument("fields", nargs=-1, metavar="[FIELD=VALUE]...")
@click.option("--value", help="Add a single field NAME with this value instead of an entry.")
@click.option(
    "--comment", default="", help="Of a single field: words for a comment above it, where the file can have one."
)
def add_step(change_id: int, address: str, name: str, fields: tuple[str, ...], value: str | None, comment: str) -> None:
    """Add a step: a new entry or field. NAME is added below ADDRESS; for an item of a list NAME is -."""
    given: dict[str, str] = {}
    for text in fields:
        field, equals, content = text.partition("=")
        if not equals or not field:
            raise click.UsageError(f"`{text}`: write FIELD=VALUE, such as price=40.")
        given[field] = content
    if comment and value is None:
        raise click.UsageError("--comment goes with --value; above a whole entry write it with `zerrit change edit`.")
    _add(change_id, "add", address, name="" if name == "-" else name, fields=given, value=value, content=comment)


@change.command("copy")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@click.argument("key")
@click.option(
    "--throughout",
    is_flag=True,
    help="Write the new word for the old one all over the copy, in each of its letter cases.",
)
def copy_step(change_id: int, address: str, key: str, throughout: bool) -> None:
    """Add a step: copy one entry under a new KEY."""
    _add(change_id, "copy", address, key=key, throughout=throughout)


@change.command("copy-fields")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@click.argument("places")
@click.argument("fields", nargs=-1)
@dry_run_option
def copy_fields_step(change_id: int, address: str, places: str, fields: tuple[str, ...], is_dry_run: bool) -> None:
    """Add a step: copy fields to other entries. Those at PLACES get the FIELDS of the one at ADDRESS; without FIELDS, all
    but the one that names it.
    """
    _add(change_id, "copy-fields", address, is_dry_run=is_dry_run, target=places, names=list(fields))


@change.command("remove")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@dry_run_option
def remove_step(change_id: int, address: str, is_dry_run: bool) -> None:
    """Add a step: remove entries or fields."""
    _add(change_id, "remove", address, is_dry_run=is_dry_run)


@change.command("rename")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@click.argument("name")
@click.option(
    "--throughout", is_flag=True, help="Rename everything that the gamebook ties to it, too; ADDRESS may be a file."
)
@click.option("--leave", multiple=True, metavar="ADDRESS", help="With --throughout: a place that stays as it is.")
@dry_run_option
def rename_step(
    change_id: int, address: str, name: str, throughout: bool, leave: tuple[str, ...], is_dry_run: bool
) -> None:
    """Add a step: give an entry another key, or a field another NAME.

    With --throughout, ADDRESS may also be a value, a file or a folder, and everything that the gamebook ties to the old word is
    renamed in the same step: references in other files, lists, start parameters, files and folders. Look at it first with
    --dry-run.
    """
    _add(
        change_id,
        "rename",
        address,
        is_dry_run=is_dry_run,
        name=name,
        throughout=throughout or bool(leave),
        leave=list(leave),
    )


@change.command("move")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
@click.argument("where", type=click.Choice(["before", "after", "into"]))
@click.argument("target")
def move_step(change_id: int, address: str, where: Literal["before", "after", "into"], target: str) -> None:
    """Add a step: move an entry before or after another, or to the end of a group. TARGET is in the same file."""
    _add(change_id, "move", address, where=where, target=target)


@change.command("comment-out")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
def comment_out_step(change_id: int, address: str) -> None:
    """Add a step: turn an entry or setting into a comment."""
    _add(change_id, "comment-out", address)


@change.command("comment-in")
@click.argument("change_id", type=int)
@click.argument("address", shell_complete=complete_in_change)
def comment_in_step(change_id: int, address: str) -> None:
    """Add a step: turn a comment back into an entry or setting. ADDRESS is its address without the comment signs."""
    _add(change_id, "comment-in", address)


@change.command("merge")
@click.argument("change_id", type=int)
@click.argument("path")
@snippet_argument
@click.option("--into", default="", help="The group that the snippet's entries belong to.")
@choose_option
@take_option
@existing_option
@plan_options[0]
@plan_options[1]
@click.option(
    "--origin", default="", help="Where the snippet is from: its web address, its author. It is kept with the step."
)
@dry_run_option
def merge_step(
    change_id: int,
    path: str,
    snippet: str,
    into: str,
    choose: tuple[str, ...],
    take: tuple[str, ...],
    existing: Literal["combine", "replace", "skip"],
    plan_to: Path | None,
    plan_file: Path | None,
    origin: str,
    is_dry_run: bool,
) -> None:
    """Add a step: merge a published snippet. SNIPPET (- for standard input) goes into the file PATH."""
    given: dict[str, str] = {address: kind.value for address, kind in choices(choose).items()}
    into = into_of(plan_file, into)
    with connect() as zerrit:
        plan, into = _planned(zerrit, change_id, path, snippet, into, take, existing)
        rows = [(a.kind, a.address, a.line, _why(a)) for a in plan.actions if a.is_taken]
        if plan_file is not None:
            given = read_plan(plan_file, rows) | given
        rows = [(given.get(entry, kind), entry, line, why) for kind, entry, line, why in rows]
        if plan_to is not None:
            write_plan(plan_to, into, rows)
            return
        print_merge_plan(rows, plan.notes, {a.address: a.result for a in plan.actions if a.result})
        echo(plan.words)
        if is_dry_run:
            return
        step_in = api.StepIn(
            kind="merge",
            address=path,
            snippet=snippet,
            into=into,
            choices=given,
            origin=origin,
            take=list(take),
            existing=existing,
        )
        detail = zerrit.add_step(change_id, step_in)
    step = detail.step_list[-1]
    echo(f"Step {step.position}: merge {path} {step.summary}, {counted(step.outcome.places, 'place')}")


def _why(action: api.MergeActionOut) -> str:
    """The reason of an action, and that it goes back to what was here before."""
    older = f"It is as in {action.older}, so this goes back." if action.older else ""
    return " ".join(filter(None, (action.reason, older)))


def _planned(
    zerrit: Client,
    change_id: int,
    path: str,
    snippet: str,
    into: str,
    take: tuple[str, ...],
    existing: Literal["combine", "replace", "skip"],
) -> tuple[api.MergePlanOut, str]:
    """The plan, and the group that it is for; where several are possible, the person at the terminal is asked."""
    try:
        return zerrit.plan_merge(change_id, path, snippet, into, take=take, existing=existing), into
    except ProblemError as error:
        place = ask_place(error.problem.facts.get("places", ()))
        if place is None:
            raise
        return zerrit.plan_merge(change_id, path, snippet, place, take=take, existing=existing), place


@change.command("put-file")
@click.argument("change_id", type=int)
@click.argument("path")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--executable/--not-executable", default=None, help="Whether it may be run as a program; else as it is.")
def put_step(change_id: int, path: str, file: Path, executable: bool | None) -> None:
    """Add a step: put a complete file of any kind. The file PATH on the server becomes the local FILE.

    Text in UTF-8 keeps the encoding that the file has on the server; all else is put byte for byte.
    """
    data = file.read_bytes()
    text = _as_text(data)
    if text is not None:
        _add(change_id, "put-file", path, content=text, executable=executable)
        return
    with connect() as zerrit:
        _print_added(zerrit.put_file(change_id, path, data, is_executable=executable))


def _as_text(data: bytes) -> str | None:
    try:
        return data.decode("utf-8") if b"\0" not in data else None
    except UnicodeDecodeError:
        return None


@change.command("put-folder")
@click.argument("change_id", type=int)
@click.argument("path")
@click.argument("source", type=click.Path(exists=True, path_type=Path))
@click.option("--only", multiple=True, metavar="PATTERN", help="Only files that fit, such as '*.yml' or 'maps/**'.")
@click.option("--without", multiple=True, metavar="PATTERN", help="Leave out files that fit.")
@click.option("--replace-all", is_flag=True, help="Remove what else is in the folder on the server.")
@click.option(
    "--if-refused",
    type=click.Choice(["fail", "leave-out"]),
    default="fail",
    show_default=True,
    help="What a deploy does where the host refuses one of the files.",
)
def put_folder_step(
    change_id: int,
    path: str,
    source: Path,
    only: tuple[str, ...],
    without: tuple[str, ...],
    replace_all: bool,
    if_refused: Literal["fail", "leave-out"],
) -> None:
    """Add a step: put a folder. SOURCE is a local folder, ZIP or TAR; its files go into the folder PATH on the server.

    Empty folders come along, and files that may be run as programs stay such. What the service has already is not sent again.
    The step lists each file that is new, differs or is removed.
    """
    with chosen_files(source, only, without) as files, connect() as zerrit:
        detail = zerrit.put_folder(
            change_id,
            path,
            files,
            folders=files.empty_folders,
            programs=files.programs,
            replace_all=replace_all,
            if_refused=if_refused,
            progress=sending(files.size),
        )
        sent = {f"{path.rstrip('/')}/{inside}" for inside in files}
    _print_added(detail)
    _print_what_becomes(detail.step_list[-1].outcome, sent)


def _print_what_becomes(outcome: api.OutcomeOut, sent: Collection[str]) -> None:
    """What is new in a folder, what differs, what goes, and what was so already."""
    old = {one.address: one.old for one in outcome.changes}
    new = {one.address: one.new for one in outcome.changes}
    gone = [address for address, then in new.items() if then is None]
    fresh = [address for address in new if old[address] is None]
    differ = len(new) - len(gone) - len(fresh)
    same = len([address for address in sent if address not in new])
    echo(f"        {len(fresh)} new, {differ} changed, {len(gone)} removed, {same} the same already")


@change.command("add-folder")
@click.argument("change_id", type=int)
@click.argument("path")
def add_folder_step(change_id: int, path: str) -> None:
    """Add a step: make an empty folder PATH on the server."""
    _add(change_id, "add-folder", path)


@change.command("set-executable")
@click.argument("change_id", type=int)
@click.argument("path")
@click.argument("state", type=click.Choice(["on", "off"]))
def set_executable_step(change_id: int, path: str, state: Literal["on", "off"]) -> None:
    """Add a step: let the file PATH be run as a program, or no longer, where the host has such a right."""
    _add(change_id, "set-executable", path, executable=state == "on")


@change.command("move-file")
@click.argument("change_id", type=int)
@click.argument("path")
@click.argument("new_path")
@dry_run_option
def move_file_step(change_id: int, path: str, new_path: str, is_dry_run: bool) -> None:
    """Add a step: move a file, or a folder with all that is in it. It gets the path NEW_PATH."""
    _add(change_id, "move-file", path, is_dry_run=is_dry_run, target=new_path)


@change.command("edit")
@click.argument("change_id", type=int)
@click.argument("path")
def edit_text(change_id: int, path: str) -> None:
    """Edit a file in your editor (VISUAL or EDITOR). What you type becomes steps of the change: values that are set, entries
    that are added, removed or moved, and text for the rest.
    """
    with connect() as zerrit:
        detail = zerrit.change(change_id)
        before = zerrit.file(detail.server, path, change_id)
        after = click.edit(before.text, extension=Path(path).suffix or ".txt", require_save=True)
        if after is None or after == before.text:
            echo("Nothing was typed, so nothing was saved.")
            return
        after = _with_line_endings(after, before.text)
        typed = api.TypedIn(path=path, digest=before.digest, text=after, base=before.text)
        try:
            saved = zerrit.save_text(change_id, typed)
        except ProblemError:
            copy = _saved_copy(path, after)
            echo(f"Your text was not saved in the change. It is in {copy}.", err=True)
            raise
        detail = zerrit.change(change_id)
    for step in detail.step_list:
        if step.position in saved.positions:
            echo(f"Step {step.position}: {step.kind} {step.address} {step.summary}".rstrip())
            _print_outcome(step.outcome)
    if saved.text is not None:
        echo(f"Another person edited {path} as well; both edits are in the change.")
    _print_findings(detail)


def _with_line_endings(text: str, like: str) -> str:
    """Editors read CRLF as LF; a file that has only CRLF gets it back."""
    if "\r\n" in like and "\n" not in like.replace("\r\n", ""):
        return text.replace("\r\n", "\n").replace("\n", "\r\n")
    return text


def _saved_copy(path: str, text: str) -> Path:
    """What was typed, where it does not get lost."""
    with tempfile.NamedTemporaryFile("wb", prefix="zerrit-", suffix=f"-{Path(path).name}", delete=False) as copy:
        copy.write(text.encode("utf-8", "surrogatepass"))
    return Path(copy.name)


@change.command("replace")
@click.argument("change_id", type=int)
@click.argument("text")
@click.argument("replacement")
@click.option("--files", default="", help="Only these paths, with wildcards, such as '*.xml,*.yml'.")
@click.option("--whole-word", is_flag=True, help="Only complete words.")
@click.option("--match-case", is_flag=True, help="Capital and small letters differ.")
@click.option("--pattern", is_flag=True, help=r"TEXT is an RE2 pattern; REPLACEMENT may name its groups as \\1.")
@dry_run_option
def replace_text(
    change_id: int,
    text: str,
    replacement: str,
    files: str,
    whole_word: bool,
    match_case: bool,
    pattern: bool,
    is_dry_run: bool,
) -> None:
    """Replace TEXT by REPLACEMENT in the files of a change, as steps."""
    with connect() as zerrit:
        if is_dry_run:
            query = api.TextSearchQuery(
                text=text,
                word=whole_word,
                case=match_case,
                pattern=pattern,
                files=files,
                change=change_id,
                replacement=replacement,
            )
            found = zerrit.search_files(zerrit.change(change_id).server, query)
            for hit in found.hits:
                echo(
                    f"{hit.path}:{hit.line}:{hit.column}: {hit.before.lstrip()}[{hit.match} -> {hit.replaced}]{hit.after.rstrip()}"
                )
            echo(f"{counted(found.total, 'place')} would change. Nothing was added to the change.")
            return
        given = api.ReplaceIn(
            text=text, replacement=replacement, word=whole_word, case=match_case, pattern=pattern, files=files
        )
        done = zerrit.replace_in_files(change_id, given)
    echo(f"{counted(done.places, 'place')} replaced by {counted(done.steps, 'step')} of change {change_id}.")


@change.command("remove-step")
@click.argument("change_id", type=int)
@click.argument("numbers", type=int, nargs=-1, required=True)
def drop_steps(change_id: int, numbers: tuple[int, ...]) -> None:
    """Remove steps from a change by their NUMBERS, all or none."""
    with connect() as zerrit:
        detail = zerrit.change(change_id)
        steps = [step for step in detail.step_list if step.position in numbers]
        missing = sorted(set(numbers) - {step.position for step in steps})
        if missing:
            raise click.UsageError(f"Change {change_id} has no step {missing[0]}.")
        zerrit.remove_steps(change_id, [step.id for step in steps], detail.version)
    for step in steps:
        echo(f"Step {step.position} is removed: {step.kind} {step.address}")


def _wrong_step(error: ValidationError) -> str:
    """Where a list of steps is wrong, in words."""
    first = error.errors()[0]
    where = [str(part) for part in first["loc"][1:]]
    if not where:
        return f"This is not a list of steps: {first['msg']}."
    number = int(where[0]) + 1
    return f"Step {number}{', ' if where[1:] else ''}{'/'.join(where[1:])}: {first['msg']}."


@change.command("add-steps")
@click.argument("change_id", type=int)
@click.argument("file", type=click.File())
def add_steps(change_id: int, file: TextIO) -> None:
    """Add several steps at once, all or none.

    FILE is JSON (`-` reads standard input): a list of steps with `kind`, `address` and what the kind needs, such as
    {"kind": "set", "address": "PATH#ENTRY[KEY]/FIELD", "operation": "=5"}.
    """
    try:
        given = api.StepsIn.model_validate({"steps": json.load(file)})
    except ValidationError as error:
        raise click.UsageError(f"{file.name}: {_wrong_step(error)}") from error
    except ValueError as error:
        raise click.UsageError(f"{file.name} is not valid JSON: {error}") from error
    with connect() as zerrit:
        before = {step.id for step in zerrit.change(change_id).step_list}
        detail = zerrit.add_steps(change_id, given.steps)
    for step in detail.step_list:
        if step.id not in before:
            echo(f"Step {step.position}: {step.kind} {step.address} {step.summary}".rstrip())


@change.command("check")
@click.argument("change_id", type=int)
@output_option
def check_change(change_id: int, output: str) -> None:
    """Check a change. Syntax and meaning of the files as it leaves them; exit code 1 when something blocks."""
    with connect() as zerrit:
        detail = zerrit.check(change_id)
    if output == "json":
        keys = {"code", "severity", "message", "path", "line", "column", "address", "hint", "blocks", "waived"}
        listed = [f.model_dump(include=keys) for f in detail.findings]
        print_json({"findings": listed, "summary": {"state": detail.state, "blocking": detail.blocking}})
    else:
        _print_findings(detail)
        echo(f"Change {change_id} stays a draft." if detail.blocking else f"Change {change_id} is {detail.state}.")
    sys.exit(1 if detail.blocking else 0)


@change.command()
@click.argument("change_id", type=int)
@click.argument("code")
@click.argument("place")
@click.option("--reason", required=True)
@until_option
def waive(change_id: int, code: str, place: str, reason: str, until: datetime | None) -> None:
    """Waive the finding CODE at ADDRESS, with a reason."""
    with connect() as zerrit:
        detail = zerrit.waive(change_id, code, place, reason, in_utc(until))
    echo("Waived. " + ("Another finding still blocks." if detail.blocking else "Nothing blocks now."))


@change.command("compare")
@click.argument("change_id", type=int)
@click.option("--against", default="base", show_default=True, help="base, live, defaults or defaults:LABEL")
@comparison_output
@save_comparison
def compare_change(change_id: int, against: str, output: str, save_to: Path | None) -> None:
    """Show what a change does to its base, the live files, or the defaults."""
    with connect() as zerrit:
        found = zerrit.differences(change_id, against, texts=output in WITH_TEXTS)
    if output == "table":
        echo(f"from {found.old} to {found.new}:")
    show_comparison(compared(found), output, save_to)


@change.command()
@click.argument("change_id", type=int)
def update(change_id: int) -> None:
    """Re-base a change onto the latest files of its server."""
    with connect() as zerrit:
        detail = zerrit.update(change_id)
    echo(f"Change {change_id} now is on snapshot {detail.base}. Check it again.")
    _print_findings(detail)


@change.command()
@click.argument("change_id", type=int)
@click.argument("server_id")
@click.option("--create", is_flag=True, help="Create a change there from the steps that do something.")
@click.option("--title", default="", help="The title of that change; by default the same.")
@output_option
def replay(change_id: int, server_id: str, create: bool, title: str, output: str) -> None:
    """Replay a change on another server. Each step is done, has no effect, or is impossible; exit code 1 if one is impossible."""
    with connect() as zerrit:
        found = zerrit.replay(change_id, api.ReplayIn(server=server_id, title=title, create=create))
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        for step in found.steps:
            word = {"same": "set already"}.get(step.outcome.kind, step.outcome.kind)
            echo(f"{step.position:>3}. {step.kind:<6} {step.address}   [{word}]")
            if step.outcome.kind != "same":
                _print_outcome(step.outcome)
        print_findings(found.findings)
        if found.change is not None:
            echo(f"Change {found.change} is open on {server_id}.")
        elif not create:
            echo(f"Nothing was changed; --create creates a change on {server_id}.")
    sys.exit(1 if any(step.outcome.kind == "impossible" for step in found.steps) else 0)


@change.command()
@click.argument("change_id", type=int)
def withdraw(change_id: int) -> None:
    """Withdraw a change. It stays readable."""
    with connect() as zerrit:
        zerrit.withdraw(change_id)
    echo(f"Change {change_id} is withdrawn.")


@change.command()
@click.argument("change_id", type=int, nargs=-1, required=True)
@click.option("--rehearse", is_flag=True, help="Start a copy of the server with it first.")
@run_options
def deploy(
    change_id: tuple[int, ...], rehearse: bool, announce: int, when_empty: bool, until: datetime | None, yes: bool
) -> None:
    """Deploy a change, or several in order. Stop, snapshot, write, verify, start, watch; on any failure roll back."""
    options = options_in(announce, when_empty, until, rehearse)
    with connect() as zerrit:
        details = [zerrit.change(one) for one in change_id]
        server = details[0].server
        if not yes:
            files = ", ".join(sorted({path for detail in details for path in detail.touched}))
            click.confirm(f"Stop {server}, write {files}, and start it again?", abort=True)
        if len(change_id) == 1:
            follow(zerrit, zerrit.deploy(change_id[0], options))
        else:
            follow(zerrit, zerrit.deploy_together(server, change_id, options))
        for one in change_id:
            print_checklist(zerrit.change(one))


@change.command()
@click.argument("change_id", type=int)
def queue(change_id: int) -> None:
    """Queue a change for the next scheduled restart of its server."""
    with connect() as zerrit:
        detail = zerrit.queue(change_id)
        task = next(one for one in zerrit.schedule(detail.server) if one.task == "restart")
    echo(f"Change {change_id} goes with the restart of {task.next_at:%Y-%m-%d %H:%M} UTC.")


@change.command()
@click.argument("change_id", type=int)
def unqueue(change_id: int) -> None:
    """Remove a change from the queue."""
    with connect() as zerrit:
        zerrit.unqueue(change_id)
    echo(f"Change {change_id} is not queued any more.")


@change.command()
@click.argument("change_id", type=int)
@click.option(
    "--choose", multiple=True, metavar="ADDRESS=WHICH", help="Decide a conflict: current, previous, or ADDRESS==VALUE."
)
@click.option("--rest", type=click.Choice(["current", "previous"]), help="Decide all other conflicts alike.")
@click.option("--create", is_flag=True, help="Create the change that does it.")
@click.option("--title", default="")
@output_option
def revert(
    change_id: int,
    choose: tuple[str, ...],
    rest: Literal["current", "previous"] | None,
    create: bool,
    title: str,
    output: str,
) -> None:
    """Revert one old change and keep every later one. Exit code 1 when there are conflicts to decide."""
    chosen = dict(_chosen(text) for text in choose)
    given = api.RevertIn(choices=chosen, rest=rest or "", create=create, title=title)
    with connect() as zerrit:
        found = zerrit.revert(change_id, given)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        sys.exit(1 if found.conflicts else 0)
    rows = [(sign(one.kind), one.address, short(one.old), short(one.new), one.delta) for one in found.differences]
    print_table(("kind", "address", "current", "previous", "delta"), rows, right=("delta",), whole=("kind", "address"))
    for conflict in found.conflicts:
        echo(
            f"{sign('conflict')}  {conflict.address}: current {conflict.current}, previous {conflict.previous}; it was changed again since change {change_id}"
        )
    if found.change is not None:
        echo(f"Change {found.change} is open for it. Look at it: zerrit change compare {found.change}")
    elif found.conflicts:
        echo("Decide with --choose ADDRESS=current, ADDRESS=previous, ADDRESS==VALUE, or --rest current.")
    else:
        echo("Nothing was changed; --create creates a change that does it.")
    sys.exit(1 if found.conflicts else 0)


def _chosen(text: str) -> tuple[str, str]:
    """An address and what is chosen; an address may hold an equals sign itself."""
    for which in ("current", "previous"):
        if text.endswith(f"={which}"):
            return text.removesuffix(f"={which}"), which
    address, sign_, value = text.partition("==")
    if not sign_:
        raise click.UsageError(f"--choose {text}: write ADDRESS=current, ADDRESS=previous or ADDRESS==VALUE.")
    return address, f"={value}"


@change.command("remove-file")
@click.argument("change_id", type=int)
@click.argument("path")
@dry_run_option
def remove_file_step(change_id: int, path: str, is_dry_run: bool) -> None:
    """Add a step: remove a file, or a folder with all that is in it."""
    _add(change_id, "remove-file", path, is_dry_run=is_dry_run)


@change.command("checklist")
@click.argument("change_id", type=int)
@click.argument("number", type=int, required=False)
@click.argument("found", type=click.Choice(["right", "wrong"]), required=False)
@click.option("--note", default="", help="What you saw.")
def checklist(change_id: int, number: int | None, found: str | None, note: str) -> None:
    """Show the checklist of a deployed change, or mark item NUMBER as right or wrong.

    When every item is right, the change is confirmed. A change without a checklist is confirmed by a --note alone.
    """
    with connect() as zerrit:
        detail = zerrit.change(change_id)
        if number is not None:
            if found is None:
                raise click.UsageError("Add what you found: right or wrong.")
            if not 1 <= number <= len(detail.checklist):
                raise click.UsageError(
                    f"Change {change_id} has {counted(len(detail.checklist), 'item')} on its checklist."
                )
            detail = zerrit.answer_checklist(change_id, detail.checklist[number - 1].id, found == "right", note)
        elif note:
            detail = zerrit.confirm(change_id, note)
    print_checklist(detail)


@change.command("player-notes")
@click.argument("change_id", type=int)
@click.option("--save-to", type=OUT, help="Write it there instead of printing it.")
def player_notes(change_id: int, save_to: Path | None) -> None:
    """Print what a change means for the players, as Markdown to read over and post."""
    with connect() as zerrit:
        text = zerrit.player_notes(change_id).text
    if save_to is None:
        echo(text, is_content=True)
        return
    save(save_to, text.encode())
    echo(f"Written: {save_to}")


@change.command("comment")
@click.argument("change_id", type=int)
@click.argument("text", default="")
@click.option("--at", "address", default="", help="The place that it is about; by default the change as a whole.")
@output_option
def comment(change_id: int, text: str, address: str, output: str) -> None:
    """Write a comment in a change, for whoever reads it. Without a text, list the comments."""
    with connect() as zerrit:
        if text:
            zerrit.add_comment(change_id, text, address)
        found = zerrit.comments(change_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    for one in found:
        echo(f"{one.created_at:%Y-%m-%d %H:%M}  {one.author}  {one.address or 'the change'}")
        echo(f"    {one.text}")
    if not found:
        echo("No comment yet.")


@change.command("in-effect")
@click.argument("change_id", type=int)
@click.argument("what", type=click.Choice(["map change", "new world", "rejoin", "restart"]))
def in_effect(change_id: int, what: str) -> None:
    """Record that what the values of a change were waiting for has happened."""
    with connect() as zerrit:
        detail = zerrit.change(change_id)
        waiting = [wait for wait in detail.pending if wait.takes_effect == what and wait.in_effect_at is None]
        if not waiting:
            raise click.UsageError(f"No value of change {change_id} is pending until {effect_in_words(what)}.")
        for wait in waiting:
            detail = zerrit.mark_in_effect(change_id, wait.id)
    print_checklist(detail)
