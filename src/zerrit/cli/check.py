"""The command that checks local files or a server, and applies the safe fixes of local files."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import click

from zerrit import __version__
from zerrit.cli.files import FILE, FOLDER, load_gamebook, read_files, save
from zerrit.cli.output import echo, print_findings, print_json
from zerrit.core.compare import text_difference
from zerrit.core.documents import Document, Finding, Severity, in_reading_order
from zerrit.core.documents.addressed_findings import addressed_findings
from zerrit.core.documents.findings import known_again
from zerrit.core.documents.fixes import Fixed, safe_fixes
from zerrit.core.examination.game_files import Files
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit import api
    from zerrit.core.gamebooks import Gamebook

_SERVER: Final = re.compile(r"(?P<server>[a-z0-9][a-z0-9-]{0,62}):(?P<path>.*)\Z", re.DOTALL)
_KEYS: Final = ("code", "severity", "message", "path", "line", "column", "address", "hint", "rule", "reason")

check_output = click.option(
    "--output",
    type=click.Choice(["table", "json", "sarif"]),
    default="table",
    show_default=True,
    help="For people; for programs; for editors and build servers (SARIF 2.1.0).",
)


@dataclass
class _Local:
    """Local files that are checked, with where each of them is."""

    files: Files
    places: dict[str, Path] = field(default_factory=dict)
    given: dict[str, str] = field(default_factory=dict)  #: single files as they were named, by their path in the game
    fixed: list[Finding] = field(default_factory=list)  #: what was fixed and written


@click.command()
@click.argument("paths", nargs=-1, required=True)
@click.option("--gamebook", "gamebook_file", type=FILE, help="Check the meaning too, by this gamebook.")
@click.option(
    "--defaults", "defaults_folder", type=FOLDER, help="Files as shipped; what is found there too is the vendor's."
)
@click.option(
    "--fix",
    "with_fixes",
    is_flag=True,
    help="Apply the safe fixes; the difference is shown before anything is written.",
)
@click.option("--yes", is_flag=True, help="With --fix: write without asking.")
@check_output
def check(
    paths: tuple[str, ...],
    gamebook_file: Path | None,
    defaults_folder: Path | None,
    with_fixes: bool,
    yes: bool,
    output: str,
) -> None:
    """Check files or folders, or a server as SERVER: or SERVER:PATH.

    Local files are checked for what they are; with a gamebook their meaning too. A server is checked by its own
    gamebook. The exit code is 1 when there is an error that is neither waived nor the vendor's own.
    """
    server = _SERVER.match(paths[0])
    if server is not None and not Path(paths[0]).exists():
        if len(paths) > 1 or gamebook_file or defaults_folder or with_fixes:
            raise click.UsageError("A server is checked alone, by its own gamebook: zerrit check SERVER:")
        _check_server(server["server"], server["path"], output)
        return
    gamebook = load_gamebook(gamebook_file) if gamebook_file else None
    local = _read(paths, gamebook)
    if with_fixes:
        local = _fix_files(local, gamebook, yes=yes, is_quiet=output != "table")
    findings = _findings_in(local.files, gamebook)
    shipped = known_again(_shipped(defaults_folder, gamebook), findings) if defaults_folder else [False] * len(findings)
    findings = tuple(_as_shipped(one) if is_known else one for one, is_known in zip(findings, shipped, strict=True))
    findings = tuple(_as_given(one, local) for one in findings)
    errors = sum(finding.blocks for finding in findings)
    if output == "sarif":
        _print_sarif(findings)
    elif output == "json":
        summary = {"files": len(local.files.documents), "findings": len(findings), "errors": errors}
        found: dict[str, Any] = {"findings": [_listed(finding) for finding in findings], "summary": summary}
        print_json({**found, "fixed": [_listed(one) for one in local.fixed]} if with_fixes else found)
    else:
        _print(local, findings, errors, with_fixes=with_fixes)
    sys.exit(1 if errors else 0)


def _findings_in(files: Files, gamebook: Gamebook | None) -> tuple[Finding, ...]:
    if gamebook is None:
        found = (finding for document in files.documents.values() for finding in addressed_findings(document))
        return in_reading_order(found)
    from zerrit.core.checks import check_files_of  # noqa: PLC0415  # the models of gamebooks come along

    return check_files_of(files, gamebook).findings


def _print(local: _Local, findings: tuple[Finding, ...], errors: int, *, with_fixes: bool) -> None:
    documents = local.files.documents
    print_findings(findings, {local.given.get(name, name): document.text for name, document in documents.items()})
    echo(f"{counted(len(documents), 'file')} checked, {counted(len(findings), 'finding')}, {counted(errors, 'error')}.")
    if with_fixes:
        return
    fixes = sum(len(fixed.findings) for fixed in _fixes(local, findings).values())
    if fixes:
        echo(f"{counted(fixes, 'safe fix', 'safe fixes')}: `zerrit check --fix` shows them and asks before it writes.")


def _read(paths: tuple[str, ...], gamebook: Gamebook | None) -> _Local:
    local = _Local(Files({}))
    for text in paths:
        path = Path(text)
        if not path.exists():
            raise click.UsageError(f"There is no file or folder {text}.")
        files = read_files(path, gamebook)
        local.places |= {name: path if path.is_file() else path / name for name in files.documents}
        if path.is_file():
            local.given |= dict.fromkeys(files.documents, text)
        if len(paths) == 1:
            local.files = files
        else:
            local.files = Files({**local.files.documents, **files.documents}, is_whole=False)
    return local


def _listed(finding: Finding) -> dict[str, Any]:
    return {key: getattr(finding, key) for key in _KEYS}


def _as_given(finding: Finding, local: _Local) -> Finding:
    """A finding in a single file, with the path that the file was named by."""
    given = local.given.get(finding.path)
    if given is None or given == finding.path:
        return finding
    address = finding.address and f"{given}{finding.address[len(finding.path) :]}"
    return replace(finding, path=given, address=address)


def _print_sarif(findings: Any) -> None:
    from zerrit.report.sarif import sarif  # noqa: PLC0415  # few runs ask for it

    print_json(sarif(findings, __version__))


# --- what is in the defaults too ----------------------------------------------------------------------------------


def _shipped(folder: Path, gamebook: Gamebook | None) -> tuple[Finding, ...]:
    return _findings_in(read_files(folder, gamebook), gamebook)


def _as_shipped(finding: Finding) -> Finding:
    if finding.severity is Severity.NOTICE:
        return finding
    return replace(finding, severity=Severity.NOTICE, hint=f"{finding.hint} It is shipped like this.".lstrip())


# --- servers ----------------------------------------------------------------------------------------------------------


def _check_server(server: str, path: str, output: str) -> None:
    from zerrit.cli.session import connect  # noqa: PLC0415  # checking local files needs no client

    with connect() as zerrit:
        found = zerrit.check_server(server)
    findings = [one for one in found.findings if not path or one.path == path]
    blocking = sum(one.blocks for one in findings)
    if output == "sarif":
        _print_sarif(findings)
    elif output == "json":
        keys = {*_KEYS, "blocks", "waived", "is_shipped"}
        summary = {"files": found.files, "findings": len(findings), "errors": blocking, "snapshot": found.snapshot}
        print_json({"findings": [one.model_dump(include=keys) for one in findings], "summary": summary})
    else:
        print_findings(findings)
        _print_summary(found, findings, blocking)
    sys.exit(1 if blocking else 0)


def _print_summary(found: api.CheckOut, findings: list[api.FindingOut], blocking: int) -> None:
    shipped = sum(one.is_shipped for one in findings)
    waived = sum(one.waived is not None for one in findings)
    parts = [f"{counted(found.files, 'file')} of {found.server} checked (snapshot {found.snapshot})"]
    parts.append(counted(len(findings), "finding"))
    parts += [f"{shipped} as shipped"] if shipped else []
    parts += [f"{waived} waived"] if waived else []
    parts.append(counted(blocking, "error"))
    echo(f"{', '.join(parts)}.")


# --- safe fixes -------------------------------------------------------------------------------------------------------


def _fixes(local: _Local, findings: Iterable[Finding]) -> dict[str, Fixed]:
    """The files that have safe fixes, with them; `findings` are those of a check of these files."""
    documents = local.files.documents
    fixes = {name: safe_fixes(document) for name, document in documents.items()}
    by_rule: dict[str, list[Finding]] = {}
    for finding in findings:
        # A rule that only warns, as a drafted one, does not say that the value is certainly wrong.
        if finding.rule and finding.blocks and finding.fix is not None and finding.path in documents:
            by_rule.setdefault(finding.path, []).append(finding)
    for name, found in by_rule.items():
        if documents[name].ok and not fixes[name].findings:
            splices = [finding.fix for finding in found if finding.fix is not None]
            fixes[name] = Fixed(documents[name].with_splices(splices), tuple(found))
    return {name: fixed for name, fixed in fixes.items() if fixed.findings}


def _fix_files(local: _Local, gamebook: Gamebook | None, *, yes: bool, is_quiet: bool) -> _Local:
    """Show the safe fixes, ask, write. What was written is in the files afterwards."""
    documents = local.files.documents
    fixes = _fixes(local, _findings_in(local.files, gamebook))
    count = sum(len(fixed.findings) for fixed in fixes.values())
    if not count:
        if not is_quiet:
            echo("No finding has a safe fix.")
        return local
    if not is_quiet:
        for name, fixed in fixes.items():
            for finding in fixed.findings:
                echo(f"{name}:{finding.line}:{finding.column}  {finding.code}  {finding.hint}")
            echo(
                text_difference(documents[name].text, fixed.document.text, f"{name} (now)", f"{name} (fixed)"),
                is_content=True,
            )
    what = f"{counted(count, 'safe fix', 'safe fixes')} in {counted(len(fixes), 'file')}"
    if not yes and (is_quiet or not _agreed(f"Write {what}?")):
        echo("Nothing was written. --yes writes without asking.", err=True)
        return local
    for name, fixed in fixes.items():
        save(local.places[name], fixed.document.to_bytes())
    if not is_quiet:
        echo(f"Written: {what}.")
    after: Mapping[str, Document] = {**documents, **{name: fixed.document for name, fixed in fixes.items()}}
    fixed_findings = [finding for fixed in fixes.values() for finding in fixed.findings]
    return replace(local, files=replace(local.files, documents=after), fixed=fixed_findings)


def _agreed(question: str) -> bool:
    """Ask on the terminal; no one there to answer means no."""
    try:
        return click.confirm(question, default=False, err=True)
    except click.Abort:
        echo(err=True)
        return False
