"""Commands on local files; they need no service."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, BinaryIO, Final

import click

from zerrit import api
from zerrit.cli.output import output_option, print_findings, print_json, print_table, short, sign
from zerrit.core.checks import check as check_documents
from zerrit.core.compare import Difference, compare_documents, compare_files, text_difference
from zerrit.core.documents import CODES, TOLERANCES, Document, Finding, Severity, read_document
from zerrit.core.documents.edits import ValueChange
from zerrit.core.documents.mending import mend
from zerrit.core.documents.source import decode
from zerrit.core.errors import ZerritError
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.merge import ActionKind, Clash, FileState, apply_plan, merge_folders, merge_three, plan_merge
from zerrit.core.nearest import nearest
from zerrit.core.paths import safe_path
from zerrit.core.steps import OutcomeKind, StepKind, replay, step_from_words
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
@click.option(
    "--mend", "with_mends", is_flag=True, help="Put right what has one sure mend; the difference is shown first."
)
@click.option("--yes", is_flag=True, help="With --mend: write without asking.")
@output_option
def check(paths: tuple[Path, ...], gamebook_file: Path | None, with_mends: bool, yes: bool, output: str) -> None:
    """Check files or folders; with a gamebook their meaning too."""
    gamebook = _load_gamebook(gamebook_file) if gamebook_file else None
    documents: dict[str, Document] = {}
    files: dict[str, Path] = {}
    for path in paths:
        for name, document in _read_path(path, gamebook).items():
            documents[name] = document
            files[name] = path if path.is_file() else path / name
    mended = _mend_files(documents, files, yes=yes, is_quiet=output == "json") if with_mends else []
    findings = check_documents(documents, gamebook)
    errors = sum(finding.blocks for finding in findings)
    if output == "json":
        summary = {"files": len(documents), "findings": len(findings), "errors": errors}
        found: dict[str, Any] = {"findings": [_listed(finding) for finding in findings], "summary": summary}
        print_json({**found, "mended": [_listed(finding) for finding in mended]} if with_mends else found)
    else:
        print_findings((_shaped(finding) for finding in findings), {name: d.text for name, d in documents.items()})
        click.echo(
            f"{counted(len(documents), 'file')} checked, {counted(len(findings), 'finding')}, {counted(errors, 'error')}."
        )
        sure = sum(finding.mend is not None and finding.severity is not Severity.NOTICE for finding in findings)
        if sure and not with_mends:
            which = "It has" if sure == 1 else f"{sure} of them have"
            click.echo(f"{which} one sure mend: `zerrit check --mend` shows it and asks before it writes.")
    sys.exit(1 if errors else 0)


def _listed(finding: Finding) -> dict[str, Any]:
    keys = ("code", "severity", "message", "path", "line", "column", "address", "hint")
    return {key: getattr(finding, key) for key in keys}


def _mend_files(documents: dict[str, Document], files: dict[str, Path], *, yes: bool, is_quiet: bool) -> list[Finding]:
    """Mend what is sure, show the difference, ask, write. What was written stands in `documents` afterwards."""
    mendings = {name: mend(document) for name, document in documents.items()}
    mendings = {name: mending for name, mending in mendings.items() if mending.mended}
    count = sum(len(mending.mended) for mending in mendings.values())
    if not count:
        if not is_quiet:
            click.echo("Nothing here has a sure mend.")
        return []
    if not is_quiet:
        for name, mending in mendings.items():
            for finding in mending.mended:
                click.echo(f"{name}:{finding.line}:{finding.column}  {finding.code}  {finding.hint}")
            click.echo(
                text_difference(documents[name].text, mending.document.text, f"{name} (now)", f"{name} (mended)"),
                nl=False,
            )
    what = f"{counted(count, 'mend')} in {counted(len(mendings), 'file')}"
    if not yes and (is_quiet or not _agreed(f"Write {what}?")):
        click.echo("Nothing was written; --yes writes without asking.", err=True)
        return []
    for name, mending in mendings.items():
        _save(files[name], mending.document.to_bytes())
        documents[name] = mending.document
    if not is_quiet:
        click.echo(f"Written: {what}.")
    return [finding for mending in mendings.values() for finding in mending.mended]


def _shaped(finding: Finding) -> api.FindingOut:
    return api.FindingOut(**asdict(finding))


def _agreed(question: str) -> bool:
    """Ask on the terminal; nobody there to answer means no."""
    try:
        return click.confirm(question, default=False, err=True)
    except click.Abort:
        click.echo(err=True)
        return False


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
@click.argument("target", type=_ANY)
@click.argument("snippet", type=click.Path(exists=True, allow_dash=True, path_type=Path))
@click.option(
    "--base",
    type=_ANY,
    help="Three-way: what SNIPPET, a whole file or folder, changed since BASE is brought into TARGET.",
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
@output_option
def merge(
    target: Path,
    snippet: Path,
    base: Path | None,
    save_to: Path | None,
    into: str,
    choose: tuple[str, ...],
    output: str,
) -> None:
    """Merge into a local file: a published snippet, or what another version changed.

    \b
    zerrit merge TARGET SNIPPET              the plan is shown first; SNIPPET may be - for standard input
    zerrit merge --base BASE MINE THEIRS     what THEIRS changed since BASE is brought into MINE;
                                             three files, or three folders
    """
    if base is not None:
        if len({base.is_dir(), target.is_dir(), snippet.is_dir()}) > 1:
            raise click.UsageError("Give three files or three folders, not some of each.")
        (_merge_folders if base.is_dir() else _merge_three)(base, target, snippet, save_to, choose, output)
        return
    if target.is_dir() or snippet.is_dir():
        raise click.UsageError("A snippet goes from one file into another. For folders give --base.")
    document = read_document(target.read_bytes(), target.name)
    with click.open_file(str(snippet), "rb") as file:
        text = decode(file.read()).text
    plan = plan_merge(document, text, into).decided(choices(choose))
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
        _say_written(save_to)


def _say_written(save_to: Path | None) -> None:
    click.echo(f"Written to {save_to}." if save_to else "Nothing was written; --save-to OUT keeps the result.")


def _merge_three(
    base: Path, mine: Path, theirs: Path, save_to: Path | None, choose: tuple[str, ...], output: str
) -> None:
    """Merge three files; where they clash, mine's value stays and the exit code is 1."""
    with click.open_file(str(theirs), "rb") as file:
        other = read_document(file.read(), mine.name)
    old, own = (read_document(path.read_bytes(), mine.name) for path in (base, mine))
    merged = merge_three(old, own, other)
    if choose:
        merged = merge_three(old, own, other, dict(_chosen(text, merged.clashes) for text in choose))
    if output == "json":
        taken = [asdict(change) for change in merged.taken]
        print_json({"taken": taken, "clashes": _listed_clashes(merged.clashes), "left": list(merged.left)})
    else:
        _print_taken(merged.taken)
        for text in merged.left:
            click.echo(f"left: {text}")
        _print_clashes(merged.clashes)
    if save_to is not None:
        _save(save_to, merged.document.to_bytes())
    if output == "table":
        _say_written(save_to)
    sys.exit(1 if merged.clashes else 0)


def _merge_folders(
    base: Path, mine: Path, theirs: Path, save_to: Path | None, choose: tuple[str, ...], output: str
) -> None:
    """Merge three folders file by file; the result is a folder of its own."""
    if save_to is not None and save_to.exists() and (not save_to.is_dir() or any(save_to.iterdir())):
        raise click.UsageError(f"{save_to} is there already; the result needs an empty folder or a new one.")
    old, own, other = (_read_all(folder) for folder in (base, mine, theirs))
    merges = merge_folders(old, own, other)
    clashes = [clash for merge in merges for clash in merge.clashes]
    if choose:
        merges = merge_folders(old, own, other, dict(_chosen(text, clashes) for text in choose))
        clashes = [clash for merge in merges for clash in merge.clashes]
    touched = [merge for merge in merges if merge.state is not FileState.KEPT]
    if output == "json":
        files = [
            {
                "path": m.path,
                "state": m.state,
                "taken": [asdict(c) for c in m.merged.taken] if m.merged else [],
                "left": list(m.merged.left) if m.merged else [],
            }
            for m in touched
        ]
        print_json({"files": files, "clashes": _listed_clashes(clashes)})
    else:
        rows = [(m.path, m.state.value, str(len(m.merged.taken)) if m.merged else "") for m in touched]
        if rows:
            print_table(("file", "state", "taken"), rows, right=("taken",), whole=("file",))
        for file in touched:
            for text in file.merged.left if file.merged else ():
                click.echo(f"left: {file.path}: {text}")
        click.echo(f"{counted(len(merges) - len(touched), 'file')} kept as mine has them.")
        _print_clashes(clashes)
    if save_to is not None:
        for merge in merges:
            if merge.data is not None:
                path = save_to / safe_path(merge.path)
                path.parent.mkdir(parents=True, exist_ok=True)
                _save(path, merge.data)
    if output == "table":
        _say_written(save_to)
    sys.exit(1 if clashes else 0)


def _read_all(folder: Path) -> dict[str, Document]:
    """Every file of a folder by its path in it; links are left out, since they may lead anywhere."""
    files = (file for file in sorted(folder.rglob("*")) if file.is_file() and not file.is_symlink())
    return {(name := file.relative_to(folder).as_posix()): read_document(file.read_bytes(), name) for file in files}


def _listed_clashes(clashes: Iterable[Clash]) -> list[dict[str, Any]]:
    return [asdict(clash) for clash in clashes]


def _chosen(text: str, clashes: Sequence[Clash]) -> tuple[str, str]:
    """The address of a clash and what is chosen for it; an address may hold an equals sign itself."""
    for clash in clashes:
        if text.startswith(f"{clash.address}="):
            choice = text[len(clash.address) + 1 :]
            if choice in ("mine", "theirs") or choice.startswith("="):
                return clash.address, choice
            raise click.UsageError(f"--choose {text}: write mine, theirs, or ={choice} for a value of your own.")
    known = ", ".join(clash.address for clash in clashes) or "none at all"
    raise click.UsageError(f"--choose {text}: write ADDRESS=mine or ADDRESS=theirs with a clash; there is {known}.")


def _print_taken(taken: Sequence[ValueChange]) -> None:
    if taken:
        rows = [(c.address, short(c.old), short("(gone)" if c.new is None else c.new)) for c in taken]
        print_table(("taken from theirs", "mine", "now"), rows, whole=("taken from theirs",))
    click.echo(f"{counted(len(taken), 'change')} taken from theirs.")


def _print_clashes(clashes: Sequence[Clash]) -> None:
    if not clashes:
        return
    rows = [
        (c.address, *("(none)" if value is None else short(value, 40) for value in (c.base, c.mine, c.theirs)), c.why)
        for c in clashes
    ]
    print_table(("clash", "base", "mine", "theirs", ""), rows, whole=("clash",))
    click.echo(
        f"{counted(len(clashes), 'clash', 'clashes')} to decide with --choose ADDRESS=mine, ADDRESS=theirs or "
        "ADDRESS==VALUE; mine stays until then."
    )


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
@click.argument("operation", nargs=-1, required=True, type=click.UNPROCESSED)
@click.option("--save-to", type=_OUT, help="Write the result here; without it the file itself is changed.")
def edit(file: Path, address: str, operation: tuple[str, ...], save_to: Path | None) -> None:
    """Change a local file. ADDRESS is the part after #.

    \b
    OPERATION is one of
      =40  +10  -10  *1.5  on  off      values; +10 and *1.5 also with bounds: '*1.5 from 0 to 400'
      add NAME FIELD=VALUE ...          an entry below ADDRESS (NAME - for an item of a list)
      add NAME =VALUE                   a single field below ADDRESS
      copy KEY                          the entry under a new key
      rename NAME                       another key or name
      move before|after|into PLACE      the entry to another place of the file
      remove                            the entry or field
      comment-out, comment-in           make it a comment, bring it back
    """
    document = read_document(file.read_bytes(), file.name)
    place = f'"{file.name}"' if "#" in file.name else file.name
    step = step_from_words(f"{place}#{address}" if address else place, operation)
    replayed = replay({file.name: document}, [step], read_document)
    outcome = replayed.outcomes[0]
    if outcome.kind is OutcomeKind.IMPOSSIBLE:
        raise ZerritError(outcome.message)
    result = replayed.documents[file.name]
    if outcome.changes:
        rows = [
            (c.address.removeprefix(f"{place}#"), short(c.old), short("(gone)" if c.new is None else c.new))
            for c in outcome.changes
        ]
        print_table(("address", "old", "new"), rows)
    if outcome.changes or save_to is not None:
        _save(save_to or file, result.to_bytes())
    where = f" in {save_to or file}" if outcome.changes else ", it is so already"
    what = "value" if step.kind is StepKind.SET else "place"
    click.echo(f"{counted(len(outcome.changes), what)} changed{where}.")
    if not result.ok:
        errors = [finding for finding in result.findings if finding.blocks]
        click.echo(f"The file has {counted(len(errors), 'fault')} besides:")
        print_findings(map(_shaped, errors), {file.name: result.text})


@click.command()
@click.argument("code", required=False)
@output_option
def codes(code: str | None, output: str) -> None:
    """List the codes that findings bear, or explain one. Those marked can be tolerated by a gamebook."""
    if code is not None and code not in CODES:
        close = nearest(code, CODES)
        raise ZerritError(
            f"There is no code {code}." + (f" Nearest: {', '.join(close)}." if close else " `zerrit codes` lists all.")
        )
    if output == "json":
        chosen = {code: CODES[code]} if code else CODES
        print_json([{"code": name, **asdict(one), "tolerance": name in TOLERANCES} for name, one in chosen.items()])
    elif code is not None:
        click.echo(explained(code))
    else:
        rows = [
            (name, one.severity.value, "yes" if name in TOLERANCES else "", one.says) for name, one in CODES.items()
        ]
        print_table(("code", "severity", "tolerance", "what it says"), rows, whole=("code",))
        click.echo("`zerrit codes CODE` explains one, with a wrong and a right example.")


def explained(name: str) -> str:
    """What a code means, in full, as the command and the documentation have it."""
    code = CODES[name]
    lines = [f"{name}  ({code.severity.value})", "", f"  {code.says}", f"  {code.advice}", ""]
    for word, text in (("wrong", code.wrong), ("right", code.right)):
        lines.append(f"  {word}:")
        lines += [f"    {visible(line)}" for line in text.removesuffix("\n").split("\n")]
    lines.append("")
    if name in TOLERANCES:
        lines.append(f"  A gamebook can tolerate it for a file:  tolerate: [{name}]")
    elif code.severity is not Severity.NOTICE:
        lines.append("  It cannot be tolerated.")
    return "\n".join(lines).rstrip()


def visible(line: str) -> str:
    """Tabs and control characters by a sign that can be seen."""
    return line.replace("\t", "\u2192") if line.isprintable() or "\t" in line else line.translate(_CONTROLS)


_CONTROLS: Final = {code: chr(0x2400 + code) for code in range(32)}


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
