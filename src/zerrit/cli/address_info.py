"""The command that says everything that is known of one place."""

from __future__ import annotations

from collections.abc import Sequence

import click

from zerrit import api
from zerrit.cli.completion import complete_address
from zerrit.cli.output import echo, output_option, print_findings, print_json, short
from zerrit.cli.session import connect
from zerrit.core.addresses import parse_address
from zerrit.core.wording import counted, effect_in_words

MOST_REFERENCES = 12


@click.command()
@click.argument("address", shell_complete=complete_address)
@output_option
def about(address: str, output: str) -> None:
    """Explain an address on a server: SERVER:path#node.

    What it holds and may hold, its default, when a change of it holds, what it refers to and what refers to it, and
    who changed it when.
    """
    parsed = parse_address(address)
    if not parsed.server:
        raise click.UsageError("Name a place on a server: SERVER:path#node. For local files there is `zerrit show`.")
    with connect() as zerrit:
        found = zerrit.about(parsed.server, address.strip().partition(":")[2])
    if output == "json":
        print_json(found.model_dump(mode="json"))
        return
    _print(parsed.server, found)


def _print(server: str, found: api.AboutOut) -> None:
    place = found.place
    echo(f"{server}:{place.address}   (line {place.line})")
    for line in (place.source if place.kind != "value" else place.value or "").splitlines():
        echo(f"    {line}")
    default = "" if place.default is None else "as shipped" if place.default == place.value else place.default
    for word, text in (
        ("default", default),
        ("allowed", place.allowed),
        ("note", place.note),
        ("comment", place.comment),
        ("takes effect", effect_in_words(found.takes_effect)),
    ):
        if text:
            echo(f"  {word}: {short(text, 200)}")
    _print_references("refers to", found.refers_to)
    _print_references("referred to by", found.referred_by)
    if found.history:
        echo("  earlier values, the newest first:")
    for past in found.history:
        who = f"{past.person}, " if past.person else ""
        change = f"change {past.change}: " if past.change is not None else ""
        value = short(past.value, 40) if past.value is not None else "(absent)"
        echo(f"    {past.at:%Y-%m-%d %H:%M}  {value}  {who}{change}{short(past.reason, 80)}")
    print_findings(place.findings)


def _print_references(title: str, references: Sequence[api.ReferenceOut]) -> None:
    if references:
        echo(f"  {title}:")
    for reference in references[:MOST_REFERENCES]:
        echo(f"    {reference.address}  (line {reference.line}; {reference.what})")
    if len(references) > MOST_REFERENCES:
        echo(f"    and {counted(len(references) - MOST_REFERENCES, 'other')}; --output json lists more")
