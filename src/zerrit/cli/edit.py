"""The command that edits a local file through an address."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from zerrit.cli.completion import complete_node_of_file
from zerrit.cli.files import FILE, OUT, load_gamebook, save
from zerrit.cli.output import echo, print_findings, print_table, short
from zerrit.core.documents import Document, Format, read_document
from zerrit.core.documents.database import LOG_ENDINGS
from zerrit.core.errors import ZerritError
from zerrit.core.steps import OutcomeKind, StepKind, replay, step_from_words
from zerrit.core.wording import counted


@click.command(context_settings={"ignore_unknown_options": True})
@click.argument("file", type=FILE)
@click.argument("address", shell_complete=complete_node_of_file)
@click.argument("operation", nargs=-1, required=True, type=click.UNPROCESSED)
@click.option("--gamebook", "gamebook_file", type=FILE, help="Read the file as this gamebook says.")
@click.option("--keep", multiple=True, metavar="ORDER", help="Move what a new value passes, such as 'least <= most'.")
@click.option("--keep-ratio", default="", metavar="FIELDS", help="Fields that keep their proportion: least,most.")
@click.option("--alone", is_flag=True, help="Move nothing along, whatever the gamebook keeps together.")
@click.option("--save-to", type=OUT, help="Write the result here; without it the file itself is changed.")
def edit(
    file: Path,
    address: str,
    operation: tuple[str, ...],
    gamebook_file: Path | None,
    keep: tuple[str, ...],
    keep_ratio: str,
    alone: bool,
    save_to: Path | None,
) -> None:
    """Change a local file. ADDRESS is the part after #.

    \b
    OPERATION is one of
      =40  +10  -10  *1.5  on  off      values; +10 and *1.5 also with bounds: '*1.5 from 0 to 400'
                                        of a range (12..40) + and - move the upper end, * both
      add NAME FIELD=VALUE ...          an entry below ADDRESS (NAME - for an item of a list)
      add NAME =VALUE                   a single field below ADDRESS
      copy KEY                          the entry under a new key
      rename NAME                       another key or name
      move before|after|into PLACE      the entry to another place of the file
      remove                            the entry or field
      comment-out, comment-in           make it a comment, bring it back
    """
    gamebook = load_gamebook(gamebook_file) if gamebook_file else None

    def read(data: bytes, name: str) -> Document:
        if gamebook is None:
            return read_document(data, name)
        return gamebook.read(data, name)

    path = gamebook.path_in_game(file.as_posix()) if gamebook is not None else file.name
    document = read(file.read_bytes(), path)
    place = f'"{path}"' if "#" in path else path
    step = step_from_words(f"{place}#{address}" if address else place, operation)
    if keep or keep_ratio or alone:
        if step.kind is not StepKind.SET:
            raise click.UsageError("--keep, --keep-ratio and --alone go with values, such as =40 or +10.")
        fields = tuple(one.strip() for one in keep_ratio.split(",") if one.strip())
        step = replace(step, keep=keep, keep_ratio=fields, alone=alone)
    replayed = replay({path: document}, [step], read, gamebook=gamebook)
    outcome = replayed.outcomes[0]
    if outcome.kind is OutcomeKind.IMPOSSIBLE:
        raise ZerritError(outcome.message)
    result = replayed.documents[path]
    if outcome.changes:
        rows = [
            (c.address.removeprefix(f"{place}#"), short(c.old), short("(gone)" if c.new is None else c.new))
            for c in outcome.changes
        ]
        print_table(("address", "old", "new"), rows)
    if outcome.changes and save_to is None and result.format is Format.DATABASE:
        _require_no_log_beside(file)
    if outcome.changes or save_to is not None:
        save(save_to or file, result.to_bytes())
    where = f" in {save_to or file}" if outcome.changes else ", it is so already"
    what = "value" if step.kind is StepKind.SET else "place"
    echo(f"{counted(len(outcome.changes), what)} changed{where}.")
    if not result.ok:
        errors = result.faults
        echo(f"The file has {counted(len(errors), 'fault')} besides:")
        print_findings(errors, {path: result.text})


def _require_no_log_beside(database: Path) -> None:
    """No program has the database open, as far as can be seen: its log would not fit to what is written."""
    for ending in LOG_ENDINGS:
        log = database.with_name(database.name + ending)
        if log.exists() and log.stat().st_size:
            raise ZerritError(
                f"{log} is beside the database, so a program has it open, or rows wait in that log. Stop the program in the "
                "usual way first. Nothing was changed."
            )
