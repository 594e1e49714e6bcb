"""The command that checks local files or a server, and mends what has one sure mend."""

from __future__ import annotations

import re
import sys
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import click

from zerrit import __version__
from zerrit.cli.files import FILE, FOLDER, load_gamebook, read_files, save
from zerrit.cli.output import print_findings, print_json
from zerrit.core.checks import Files, check_files_of
from zerrit.core.compare import text_difference
from zerrit.core.documents import Document, Finding, Severity
from zerrit.core.documents.mending import Mending, mend
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit import api
    from zerrit.core.gamebooks import Gamebook

_SERVER: Final = re.compile(r"(?P<server>[a-z0-9][a-z0-9-]{0,62}):(?P<path>.*)\Z", re.DOTALL)
_KEYS: Final = ("code", "severity", "message", "path", "line", "column", "address", "hint", "rule", "why")

check_output = click.option(
    "--output",
    type=click.Choice(["table", "json", "sarif"]),
    default="table",
    show_default=True,
    help="For people; for programs; for editors and build servers (SARIF 2.1.0).",
)


@dataclass
class _Local:
    """Local files that are checked, with where each of them lies."""

    files: Files
    places: dict[str, Path] = field(default_factory=dict)
    given: dict[str, str] = field(default_factory=dict)  #: single files as they were named, by their path in the game
    mended: list[Finding] = field(default_factory=list)


@click.command()
@click.argument("paths", nargs=-1, required=True)
@click.option("--gamebook", "gamebook_file", type=FILE, help="Check the meaning too, by this gamebook.")
@click.option(
    "--defaults", "defaults_folder", type=FOLDER, help="Files as shipped; what is found there too is the vendor's."
)
@click.option(
    "--mend", "with_mends", is_flag=True, help="Put right what has one sure mend; the difference is shown first."
)
@click.option("--yes", is_flag=True, help="With --mend: write without asking.")
@check_output
def check(
    paths: tuple[str, ...],
    gamebook_file: Path | None,
    defaults_folder: Path | None,
    with_mends: bool,
    yes: bool,
    output: str,
) -> None:
    """Check files or folders, or a server as SERVER: or SERVER:PATH.

    Local files are checked for what they are; with a gamebook their meaning too. A server is checked by its own
    gamebook. The exit code is 1 when there is an error that is neither waived nor the vendor's own.
    """
    server = _SERVER.match(paths[0])
    if server is not None and not Path(paths[0]).exists():
        if len(paths) > 1 or gamebook_file or defaults_folder or with_mends:
            raise click.UsageError("A server is checked alone, by its own gamebook: zerrit check SERVER:")
        _check_server(server["server"], server["path"], output)
        return
    gamebook = load_gamebook(gamebook_file) if gamebook_file else None
    local = _read(paths, gamebook)
    if with_mends:
        local = _mend_files(local, gamebook, yes=yes, is_quiet=output != "table")
    findings = check_files_of(local.files, gamebook).findings
    shipped = _shipped(defaults_folder, gamebook) if defaults_folder else frozenset()
    findings = tuple(_as_shipped(one) if one.identity in shipped else one for one in findings)
    findings = tuple(_as_given(one, local) for one in findings)
    errors = sum(finding.blocks for finding in findings)
    if output == "sarif":
        _print_sarif(findings)
    elif output == "json":
        summary = {"files": len(local.files.documents), "findings": len(findings), "errors": errors}
        found: dict[str, Any] = {"findings": [_listed(finding) for finding in findings], "summary": summary}
        print_json({**found, "mended": [_listed(one) for one in local.mended]} if with_mends else found)
    else:
        _print(local, findings, errors, with_mends=with_mends)
    sys.exit(1 if errors else 0)


def _print(local: _Local, findings: tuple[Finding, ...], errors: int, *, with_mends: bool) -> None:
    documents = local.files.documents
    print_findings(findings, {local.given.get(name, name): document.text for name, document in documents.items()})
    click.echo(
        f"{counted(len(documents), 'file')} checked, {counted(len(findings), 'finding')}, {counted(errors, 'error')}."
    )
    sure = sum(finding.mend is not None and finding.severity is not Severity.NOTICE for finding in findings)
    if sure and not with_mends:
        which = "It has" if sure == 1 else f"{sure} of them have"
        click.echo(f"{which} one sure mend: `zerrit check --mend` shows it and asks before it writes.")


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


# --- what stands in the defaults too ----------------------------------------------------------------------------------


def _shipped(folder: Path, gamebook: Gamebook | None) -> frozenset[tuple[str, str, str]]:
    return frozenset(finding.identity for finding in check_files_of(read_files(folder, gamebook), gamebook).findings)


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
    click.echo(f"{', '.join(parts)}.")


# --- mends ------------------------------------------------------------------------------------------------------------


def _mend_files(local: _Local, gamebook: Gamebook | None, *, yes: bool, is_quiet: bool) -> _Local:
    """Mend what is sure, show the difference, ask, write. What was written stands in the files afterwards."""
    documents = local.files.documents
    mendings = {name: mend(document) for name, document in documents.items()}
    is_mended = {name for name, mending in mendings.items() if mending.mended}
    for finding in check_files_of(local.files, gamebook).findings if gamebook is not None else ():
        if finding.rule and finding.mend is not None and finding.path not in is_mended:
            so_far = mendings[finding.path]
            mendings[finding.path] = Mending(so_far.document, (*so_far.mended, finding))
    for name, mending in mendings.items():
        if mending.mended and name not in is_mended:
            splices = [finding.mend for finding in mending.mended if finding.mend is not None]
            mendings[name] = Mending(documents[name].with_splices(splices), mending.mended)
    mendings = {name: mending for name, mending in mendings.items() if mending.mended}
    count = sum(len(mending.mended) for mending in mendings.values())
    if not count:
        if not is_quiet:
            click.echo("Nothing here has a sure mend.")
        return local
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
        return local
    written: dict[str, Document] = {}
    for name, mending in mendings.items():
        save(local.places[name], mending.document.to_bytes())
        written[name] = mending.document
    if not is_quiet:
        click.echo(f"Written: {what}.")
    mended = [finding for mending in mendings.values() for finding in mending.mended]
    after: Mapping[str, Document] = {**documents, **written}
    return replace(local, files=replace(local.files, documents=after), mended=mended)


def _agreed(question: str) -> bool:
    """Ask on the terminal; nobody there to answer means no."""
    try:
        return click.confirm(question, default=False, err=True)
    except click.Abort:
        click.echo(err=True)
        return False
