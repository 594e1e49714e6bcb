"""The command that checks local files, and mends what has one sure mend."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from zerrit.cli.files import FILE, FILE_OR_FOLDER, load_gamebook, read_path, save
from zerrit.cli.output import output_option, print_findings, print_json
from zerrit.core.checks import check as check_documents
from zerrit.core.compare import text_difference
from zerrit.core.documents import Document, Finding, Severity
from zerrit.core.documents.mending import mend
from zerrit.core.wording import counted


@click.command()
@click.argument("paths", nargs=-1, required=True, type=FILE_OR_FOLDER)
@click.option("--gamebook", "gamebook_file", type=FILE, help="Check the meaning too, by this gamebook.")
@click.option(
    "--mend", "with_mends", is_flag=True, help="Put right what has one sure mend; the difference is shown first."
)
@click.option("--yes", is_flag=True, help="With --mend: write without asking.")
@output_option
def check(paths: tuple[Path, ...], gamebook_file: Path | None, with_mends: bool, yes: bool, output: str) -> None:
    """Check files or folders; with a gamebook their meaning too."""
    gamebook = load_gamebook(gamebook_file) if gamebook_file else None
    documents: dict[str, Document] = {}
    files: dict[str, Path] = {}
    for path in paths:
        for name, document in read_path(path, gamebook).items():
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
        print_findings(findings, {name: d.text for name, d in documents.items()})
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
        save(files[name], mending.document.to_bytes())
        documents[name] = mending.document
    if not is_quiet:
        click.echo(f"Written: {what}.")
    return [finding for mending in mendings.values() for finding in mending.mended]


def _agreed(question: str) -> bool:
    """Ask on the terminal; nobody there to answer means no."""
    try:
        return click.confirm(question, default=False, err=True)
    except click.Abort:
        click.echo(err=True)
        return False
