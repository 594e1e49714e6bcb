"""Commands on the shelf: snippets that are kept, put into files, and brought up to date there."""

from __future__ import annotations

import shlex
import sys
from collections.abc import Iterable
from typing import Literal

import click

from zerrit import api
from zerrit.cli.files import text_file
from zerrit.cli.merge import choices, choose_option, existing_option, print_merge_plan, take_option
from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import connect
from zerrit.core.wording import counted

MOST_SHOWN = 12


@click.group()
def shelf() -> None:
    """The shelf: keep snippets, put them into files, see and bring over what changed since."""


def _pairs(given: Iterable[str], option: str) -> dict[str, str]:
    found: dict[str, str] = {}
    for text in given:
        name, equals, value = text.partition("=")
        if not name or (not equals and option != "--parameter"):
            raise click.UsageError(f"{option} {text}: write NAME=VALUE, such as price=40.")
        found[name] = value
    return found


@shelf.command("list")
@output_option
def list_kept(output: str) -> None:
    """List the snippets on the shelf."""
    with connect() as zerrit:
        found = zerrit.shelf()
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if not found:
        echo("The shelf is empty. Keep a snippet: zerrit shelf keep NAME SNIPPET --path FILE")
        return
    rows = [
        (one.name, one.title, one.path, ", ".join(one.parameters), str(one.uses), f"{one.changed_at:%Y-%m-%d}")
        for one in found
    ]
    print_table(("name", "title", "for", "parameters", "places", "changed"), rows, right=("places",), whole=("name",))


@shelf.command("keep")
@click.argument("name")
@text_file("snippet")
@click.option("--title", default="", help="What it is, in a few words.")
@click.option("--origin", default="", help="Where it is from: its web address, its author.")
@click.option(
    "--path", default="", help="The file that it is for; with wildcards where that differs: 'maps/*/items.xml'."
)
@click.option("--into", default="", help="The group that its entries belong to.")
@click.option(
    "--parameter", multiple=True, metavar="NAME[=VALUE]", help="A word in braces in it, with its usual value."
)
def keep(name: str, snippet: str, title: str, origin: str, path: str, into: str, parameter: tuple[str, ...]) -> None:
    """Keep SNIPPET (- for standard input) under NAME, or a newer text of it."""
    parameters = _pairs(parameter, "--parameter")
    given = api.KeptIn(text=snippet, title=title, origin=origin, path=path, into=into, parameters=parameters)
    with connect() as zerrit:
        found = zerrit.keep_on_shelf(name, given)
    echo(f"{name} is on the shelf.")
    outdated = sum(one.is_outdated for one in found.places)
    if outdated:
        echo(f"It is an older one in {counted(outdated, 'place')}. See what would change: zerrit shelf update {name}")


@shelf.command("show")
@click.argument("name")
@click.option("--server", "server_id", default="", help="Only where it is on this server.")
@output_option
def show(name: str, server_id: str, output: str) -> None:
    """Show a snippet with its text, where it was put, and what differs there now. Exit code 1 when something differs."""
    with connect() as zerrit:
        found = zerrit.shelf_snippet(name, server_id)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        kept = found.snippet
        echo(f"{kept.title}" + (f", {kept.origin}" if kept.origin else ""))
        echo(f"for {kept.path or 'any file'}" + (f", into {kept.into}" if kept.into else ""))
        for word, usual in kept.parameters.items():
            echo(f"{{{word}}}" + (f", usually {usual}" if usual else ""))
        echo("")
        echo(found.text.rstrip())
        echo("")
        for use in found.places:
            _print_use(use)
        if not found.places:
            echo("It was put nowhere yet.")
    sys.exit(1 if any(one.differs or one.fault for one in found.places) else 0)


def _print_use(use: api.UseOut) -> None:
    values = ", ".join(f"{name}={value}" for name, value in use.values.items())
    state = "an older text" if use.is_outdated else "this text"
    differs = (
        f"{state}, differs in {counted(len(use.differs), 'place')}" if use.differs else f"{state}, nothing differs"
    )
    what = f"{state}. {use.fault}" if use.fault else differs
    echo(f"{use.server}:{use.path} ({values or 'no values'}): {what}")
    for address in use.differs[:MOST_SHOWN]:
        echo(f"    {address}")
    if len(use.differs) > MOST_SHOWN:
        echo(f"    and {len(use.differs) - MOST_SHOWN} more places")


@shelf.command("put")
@click.argument("name")
@click.argument("change_id", type=int)
@click.argument("values", nargs=-1, metavar="[PARAMETER=VALUE]...")
@click.option("--path", default="", help="The file; without it, the one that the snippet is for.")
@click.option("--into", default="", help="The group that its entries belong to.")
@choose_option
@take_option
@existing_option
@click.option("--dry-run", "is_dry_run", is_flag=True, help="Show what it would do; change nothing.")
def put(
    name: str,
    change_id: int,
    values: tuple[str, ...],
    path: str,
    into: str,
    choose: tuple[str, ...],
    take: tuple[str, ...],
    existing: Literal["combine", "replace", "skip"],
    is_dry_run: bool,
) -> None:
    """Put the snippet NAME into a change."""
    given = api.PlacedIn(
        name=name,
        values=_pairs(values, "PARAMETER"),
        path=path,
        into=into,
        take=list(take),
        existing=existing,
        choices={address: kind.value for address, kind in choices(choose).items()},
    )
    with connect() as zerrit:
        plan = zerrit.plan_from_shelf(change_id, given)
        rows = [
            (given.choices.get(one.address, one.kind), one.address, one.line, one.reason)
            for one in plan.actions
            if one.is_taken
        ]
        print_merge_plan(rows, plan.notes, {a.address: a.result for a in plan.actions if a.result})
        echo(plan.words)
        if is_dry_run:
            return
        detail = zerrit.put_from_shelf(change_id, given)
    step = detail.step_list[-1]
    echo(f"Step {step.position}: {step.address}, {counted(step.outcome.places, 'place')}")


@shelf.command("update")
@click.argument("name")
@click.option("--create", is_flag=True, help="Create one change on each server for its places.")
def update(name: str, create: bool) -> None:
    """Bring what changed on the shelf into all places where NAME was put. What was edited there stays.

    Exit code 1 when a place cannot be brought up to date.
    """
    with connect() as zerrit:
        found = zerrit.update_from_shelf(name, create)
    for one in found:
        if one.fault:
            echo(f"{one.server}:{one.path}: left as it is. {one.fault}")
        elif one.change is not None:
            echo(f"{one.server}:{one.path}: change {one.change}, {counted(one.places, 'value')}")
        elif one.places:
            echo(f"{one.server}:{one.path}: {counted(one.places, 'value')} would change")
        else:
            echo(f"{one.server}:{one.path}: up to date")
    if not found:
        echo(f"{name} was put nowhere yet. Put it into a change: zerrit shelf put {shlex.quote(name)} CHANGE")
    elif not create and any(one.places for one in found):
        echo(f"Create the changes: zerrit shelf update {shlex.quote(name)} --create")
    sys.exit(1 if any(one.fault for one in found) else 0)


@shelf.command("remove")
@click.argument("name")
def remove(name: str) -> None:
    """Take a snippet off the shelf. Files into which it was put stay as they are."""
    with connect() as zerrit:
        zerrit.remove_from_shelf(name)
    echo(f"{name} is no longer on the shelf.")
