"""The command that lists and explains the codes of findings."""

from __future__ import annotations

from dataclasses import asdict
from typing import Final

import click

from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.core.documents import CODES, TOLERANCES, Severity
from zerrit.core.errors import ZerritError
from zerrit.core.nearest import nearest

_CONTROLS: Final = {code: chr(0x2400 + code) for code in range(32)}


@click.command()
@click.argument("code", required=False)
@output_option
def codes(code: str | None, output: str) -> None:
    """List the codes of findings, or explain one. A gamebook can tolerate those that are marked."""
    if code is not None and code not in CODES:
        close = nearest(code, CODES)
        raise ZerritError(
            f"There is no code {code}." + (f" Nearest: {', '.join(close)}." if close else " `zerrit codes` lists all.")
        )
    if output == "json":
        chosen = {code: CODES[code]} if code else CODES
        print_json([{"code": name, **asdict(one), "tolerance": name in TOLERANCES} for name, one in chosen.items()])
    elif code is not None:
        echo(explained(code))
    else:
        rows = [
            (name, one.severity.value, "yes" if name in TOLERANCES else "", one.says) for name, one in CODES.items()
        ]
        print_table(("code", "severity", "tolerance", "what it says"), rows, whole=("code",))
        echo("`zerrit codes CODE` explains one, with a wrong and a right example.")


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
