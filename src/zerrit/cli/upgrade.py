"""The command that carries a server's own changes over an upgrade of the game."""

from __future__ import annotations

import sys
from collections.abc import Sequence

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, print_table, short, sign
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@click.command()
@click.argument("server_id")
@click.option("--from", "old", required=True, metavar="LABEL", help="The defaults that the server's files are from.")
@click.option(
    "--to", "new", required=True, metavar="LABEL", help="The new defaults; import them with `zerrit defaults`."
)
@click.option(
    "--choose", multiple=True, metavar="ADDRESS=SIDE", help="Decide a conflict: mine, theirs, or ADDRESS==VALUE."
)
@click.option("--rest", type=click.Choice(["mine", "theirs"]), default=None, help="Decide all other conflicts alike.")
@click.option(
    "--create", "title", default=None, metavar="TITLE", help="Make a change of it; every conflict must be decided."
)
@click.option("--details", is_flag=True, help="Also list what the vendor changed and what was changed here, by file.")
@output_option
def upgrade(
    server_id: str,
    old: str,
    new: str,
    choose: tuple[str, ...],
    rest: str | None,
    title: str | None,
    details: bool,
    output: str,
) -> None:
    """Carry your changes over to new defaults. Shows what the vendor changed, what was changed here, what
    merges automatically and what conflicts; --create makes a change of it. Exit code 1 while something conflicts.
    """
    with connect() as zerrit:
        plain = zerrit.upgrade_plan(server_id, api.UpgradeIn(old=old, new=new)) if choose else None
        given = api.UpgradeIn.model_validate(
            {
                "old": old,
                "new": new,
                "title": title or "",
                "choices": dict(chosen_side(text, plain.conflicts) for text in choose) if plain else {},
                "rest": rest or "",
            }
        )
        planned = zerrit.upgrade_plan(server_id, given)
        if output == "json":
            print_json(planned.model_dump(mode="json"))
        else:
            _print(planned)
            if details:
                _print_details(planned)
        if title is not None and not planned.conflicts:
            change = zerrit.open_upgrade(server_id, given)
            echo(f"Change {change.id} on {server_id}: {change.title}, {counted(len(change.step_list), 'step')}.")
            for reason in change.blocking:
                echo(f"blocked: {reason}")
    sys.exit(1 if planned.conflicts else 0)


def chosen_side(text: str, conflicts: Sequence[api.ConflictOut]) -> tuple[str, str]:
    """The address of a conflict and what is chosen; an address may hold an equals sign itself."""
    for conflict in conflicts:
        if text.startswith(f"{conflict.address}="):
            return conflict.address, text[len(conflict.address) + 1 :]
    known = ", ".join(conflict.address for conflict in conflicts) or "none at all"
    raise click.UsageError(f"--choose {text}: there is no such conflict; there is {known}.")


def _print_details(planned: api.UpgradeOut) -> None:
    for file in planned.files:
        for who, found in (("the vendor changed", file.vendor), ("changed here", file.own)):
            if found:
                echo(f"\n{file.path}, {who}:")
                rows = [(sign(one.kind), one.address, short(one.old), short(one.new), one.delta) for one in found]
                print_table(
                    ("kind", "address", "old", "new", "delta"), rows, right=("delta",), whole=("kind", "address")
                )


def _print(planned: api.UpgradeOut) -> None:
    if not planned.files:
        echo(f"Between {planned.old} and {planned.new} nothing changes for {planned.server}.")
        return
    columns = ("file", "state", "changed by the vendor", "changed here", "applied", "conflicts")
    rows = [(file.path, file.state, *(str(number or "") for number in _counts(file))) for file in planned.files]
    print_table(columns, rows, right=columns[2:], whole=("file",))
    _print_notes("Added by the vendor", [note for file in planned.files for note in file.added])
    _print_notes("Dropped by the vendor", [note for file in planned.files for note in file.dropped])
    for path in planned.remaining:
        echo(f"\n{path} is not shipped any more; it stays on the server.")
    for file in planned.files:
        for text in file.left:
            echo(f"left: {file.path}: {text}")
    _print_conflicts(planned)


def _counts(file: api.UpgradeFileOut) -> tuple[int, int, int, int]:
    return len(file.vendor), len(file.own), len(file.applied), file.conflicts


def _print_notes(title: str, notes: Sequence[api.KeyNoteOut]) -> None:
    if notes:
        echo(f"\n{title}:")
    for note in notes:
        echo(f"  {note.address}   {short(note.value, 60)}")
        if note.comment:
            echo(f"      {short(note.comment, 110)}")


def _print_conflicts(planned: api.UpgradeOut) -> None:
    if not planned.conflicts:
        echo("\nNothing conflicts. --create TITLE makes a change of it.")
        return
    echo()
    rows = [
        (one.address, *("(none)" if value is None else short(value, 40) for value in (one.base, one.mine, one.theirs)))
        for one in planned.conflicts
    ]
    print_table(("conflict", planned.old, "here", planned.new), rows, whole=("conflict",))
    echo(
        f"{counted(len(planned.conflicts), 'conflict', 'conflicts')} to decide: --choose ADDRESS=mine, ADDRESS=theirs, "
        "ADDRESS==VALUE, or --rest mine for all others."
    )
