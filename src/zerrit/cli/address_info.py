"""The command that says everything that is known of one place."""

from __future__ import annotations

from collections.abc import Sequence

import click

from zerrit import api
from zerrit.cli.absent_settings import print_absent
from zerrit.cli.completion import complete_address
from zerrit.cli.output import echo, output_option, print_findings, print_json, short
from zerrit.cli.session import connect
from zerrit.core.addresses import parse_address
from zerrit.core.wording import counted, effect_in_words, percent

MOST_REFERENCES = 12


@click.command()
@click.argument("address", shell_complete=complete_address)
@click.option("--change", "change_id", type=int, help="As this change leaves the files.")
@output_option
def about(address: str, change_id: int | None, output: str) -> None:
    """Explain an address on a server: SERVER:path#node.

    What it holds and may hold, its default, when a change of it holds, what it refers to and what refers to it, and
    who changed it when.
    """
    parsed = parse_address(address)
    if not parsed.server:
        raise click.UsageError("Name a place on a server: SERVER:path#node. For local files there is `zerrit show`.")
    with connect() as zerrit:
        found = zerrit.about(parsed.server, address.strip().partition(":")[2], change_id)
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    _print(parsed.server, found)


def _print(server: str, found: api.AboutOut) -> None:
    place = found.shown
    echo(f"{server}:{place.address}   (line {place.line})")
    for line in (place.source if place.kind != "value" else place.value or "").splitlines():
        echo(f"    {line}")
    default = "" if place.default is None else "as shipped" if place.default == place.value else place.default
    for word, text in (
        ("default", default),
        ("where it is absent, the game takes", found.default_of_game),
        ("allowed", place.allowed),
        ("note", place.note),
        ("comment", place.comment),
        ("takes effect", effect_in_words(found.takes_effect)),
    ):
        if text:
            echo(f"  {word}: {short(text, 200)}")
    if found.rules:
        echo("  rules:")
    for rule in found.rules:
        echo(f"    {short(rule.text, 160)}  (line {rule.line} of the gamebook)")
    if found.odds:
        echo("  odds, at least one per draw:")
    for chance in found.odds:
        was = f", was {percent(chance.before)}" if chance.before is not None else ""
        echo(f"    {chance.thing} from {chance.table}: {percent(chance.chance)}{was}; {chance.expected:.3g} on average")
    for one in found.notes:
        echo(f"  note {one.id} by {one.author}, {one.created_at:%Y-%m-%d}: {one.text}")
    _print_references("refers to", found.refers_to)
    _print_references("referred to by", found.referred_by)
    if found.history:
        echo("  earlier values, the newest first:")
    for past in found.history:
        who = f"{past.person}, " if past.person else ""
        change = f"change {past.change}: " if past.change is not None else ""
        value = short(past.value, 40) if past.value is not None else "(absent)"
        echo(f"    {past.at:%Y-%m-%d %H:%M}  {value}  {who}{change}{short(past.reason, 80)}")
    print_absent(place.absent, place.address)
    print_findings(place.findings)


def _print_references(title: str, references: Sequence[api.ReferenceOut]) -> None:
    if references:
        echo(f"  {title}:")
    for reference in references[:MOST_REFERENCES]:
        echo(f"    {reference.address}  (line {reference.line}; {reference.what})")
    if len(references) > MOST_REFERENCES:
        echo(f"    and {counted(len(references) - MOST_REFERENCES, 'other')}; --output json lists more")


@click.command("note")
@click.argument("address")
@click.argument("text", default="")
@click.option("--remove", type=int, help="Remove the note with this number instead; it must be your own.")
@click.option(
    "--to-gamebook",
    type=int,
    help="Put the note with this number into the gamebook: whoever changes the value is told it.",
)
@output_option
def note(address: str, text: str, remove: int | None, to_gamebook: int | None, output: str) -> None:
    """Write a note beside a place, SERVER:path#node: why a value is as it is. Without a text, list the notes.

    SERVER: alone lists all notes of a server.
    """
    if remove is not None and to_gamebook is not None:
        raise click.UsageError("Give --remove or --to-gamebook, not both.")
    server, _, place = address.strip().partition(":")
    with connect() as zerrit:
        if remove is not None:
            zerrit.remove_note(remove)
            echo(f"Removed the note {remove}.")
            return
        if to_gamebook is not None:
            kept = zerrit.keep_note(to_gamebook)
            echo(f"The note {to_gamebook} is a decision in the gamebook {kept.name} now.")
            return
        if text:
            added = zerrit.add_note(server, place, text)
            echo(f"Note {added.id} is beside {server}:{added.address}.")
            return
        found = zerrit.notes(server, place)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    for one in found:
        echo(f"{one.id}  {one.created_at:%Y-%m-%d}  {one.author}  {server}:{one.address}")
        echo(f"    {one.text}")
    if not found:
        echo("No note yet.")
