"""Commands that give figures: of a server's files, of a change, or of local folders."""

from __future__ import annotations

import sys
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from pathlib import Path
from typing import Final

import click

from zerrit import api
from zerrit.cli.files import FILE, FILE_OR_FOLDER, load_gamebook, read_files
from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import connect
from zerrit.core.documents import Document
from zerrit.core.figures import derive, distances_at, free_numbers, odds_by_table, tally
from zerrit.core.gamebooks import Gamebook
from zerrit.core.wording import counted, percent
from zerrit.report.figures import derived_out, distances_out, free_numbers_out, odds_out, tally_out

_BAR: Final = 28  # characters of the longest bar
_EIGHTHS: Final = " ▏▎▍▌▋▊▉█"

change_option = click.option("--change", type=int, help="What this change makes of it; without, against the defaults.")
gamebook_option = click.option("--gamebook", "gamebook_file", type=FILE, help="For a local folder: its gamebook.")
before_option = click.option("--before", type=FILE_OR_FOLDER, help="For a local folder: the folder to compare it with.")


@click.group()
def figures() -> None:
    """Exact figures: balance, odds, prices, distances.

    WHERE is a server, or a local folder.
    """


class _Local:
    """A local folder, and the one before it."""

    def __init__(self, folder: Path, gamebook_file: Path | None, before: Path | None = None) -> None:
        self.gamebook = load_gamebook(gamebook_file) if gamebook_file else None
        self.after = self._read(folder)
        self.before = self._read(before) if before else self.after
        self.old_name = str(before) if before else str(folder)
        self.new_name = str(folder)

    def _read(self, folder: Path) -> dict[str, Document]:
        if not folder.is_dir():
            raise click.UsageError(f"{folder} is not a folder.")
        return dict(read_files(folder, self.gamebook).documents)

    def book(self) -> Gamebook:
        if self.gamebook is None:
            raise click.UsageError("Give the gamebook of the folder with --gamebook; it says where these are.")
        return self.gamebook


def _is_local(where: str, change: int | None) -> bool:
    is_local = Path(where).is_dir()
    if is_local and change is not None:
        raise click.UsageError(f"{where} is a local folder; --change is for servers.")
    return is_local


def bar(share: float) -> str:
    """A bar for a share of the longest one, to an eighth of a character."""
    eighths = round(max(0.0, min(share, 1.0)) * _BAR * 8)
    return _EIGHTHS[8] * (eighths // 8) + (_EIGHTHS[eighths % 8] if eighths % 8 else "")


@figures.command()
@click.argument("where")
@click.argument("address")
@click.option("--by", default="", help="The field that makes the groups, or `file`.")
@change_option
@gamebook_option
@before_option
@output_option
def balance(
    where: str, address: str, by: str, change: int | None, gamebook_file: Path | None, before: Path | None, output: str
) -> None:
    """Sum and count the numbers at ADDRESS by group, before and after. Exit code 1 when the sum moved."""
    if _is_local(where, change):
        local = _Local(Path(where), gamebook_file, before)
        found = tally_out(tally(local.before, local.after, address, by), local.old_name, local.new_name)
    else:
        with connect() as zerrit:
            found = zerrit.balance(where, address, by, change)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        _print_balance(found)
    sys.exit(1 if Decimal(found.total.delta) else 0)


def _print_balance(found: api.TallyOut) -> None:
    most = max((abs(float(number)) for row in found.rows for number in (row.sum_before, row.sum_after)), default=0.0)
    shown: list[tuple[str, ...]] = []
    for row in (*found.rows, found.total):
        number = f"{row.count_after:,}"
        if row.count_before != row.count_after:
            number = f"{row.count_before:,} -> {number}"
        has_moved = Decimal(row.delta) != 0
        drawn = "" if row is found.total else bar(abs(float(row.sum_after)) / (most or 1))
        shown.append((row.group, number, row.sum_before, row.sum_after, row.delta if has_moved else "", drawn))
        if has_moved and drawn:
            shown.append(("", "", "", "", "was", bar(abs(float(row.sum_before)) / (most or 1))))
    echo(f"from {found.before} to {found.after}:")
    columns = ("group", "places", "before", "after", "delta", "")
    print_table(columns, shown, right=("places", "before", "after", "delta"), whole=columns)
    for place in found.skipped[:8]:
        echo(f"left out, no number: {place}")
    if len(found.skipped) > 8:
        echo(f"and {len(found.skipped) - 8} more places that hold no number")


@figures.command()
@click.argument("where")
@click.argument("table", default="")
@change_option
@gamebook_option
@before_option
@output_option
def odds(
    where: str, table: str, change: int | None, gamebook_file: Path | None, before: Path | None, output: str
) -> None:
    """The exact odds of draw tables: how often is each thing drawn? Without TABLE, of each table that players open."""
    if _is_local(where, change):
        local = _Local(Path(where), gamebook_file, before)
        old, new = (odds_by_table(local.book(), files, table) for files in (local.before, local.after))
        found = odds_out(old, new, local.old_name, local.new_name)
    else:
        with connect() as zerrit:
            found = zerrit.odds(where, table, change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    for number, one in enumerate(found):
        if number:
            echo()
        has_moved = any(_moved(chance.before, chance.after) for chance in one.chances)
        echo(f"{one.table}: chance of at least one per draw, and the average number")
        rows = [
            (
                chance.thing,
                percent(chance.after),
                f"{chance.expected_after:.3f}",
                *([_moved(chance.before, chance.after)] if has_moved else []),
                bar(chance.after),
            )
            for chance in one.chances
        ]
        columns = ("thing", "chance", "average", *(["was"] if has_moved else []), "")
        print_table(columns, rows, right=("chance", "average", "was"), whole=("thing", ""))


def _moved(before: float, after: float) -> str:
    return "" if abs(before - after) < 1e-12 else percent(before)


@figures.command()
@click.argument("where")
@click.argument("name")
@click.option("--amount", default="", help="Also the value for this amount, such as the stock of a store.")
@change_option
@gamebook_option
@output_option
def derived(where: str, name: str, amount: str, change: int | None, gamebook_file: Path | None, output: str) -> None:
    """A value that the game calculates: NAME is one that the gamebook derives, such as price."""
    if amount:
        _decimal(amount, "--amount")
    if _is_local(where, change):
        local = _Local(Path(where), gamebook_file)
        found = derived_out(derive(local.book(), local.after, name), Fraction(amount) if amount else None)
    else:
        with connect() as zerrit:
            found = zerrit.derived(where, name, amount, change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    rows = [
        (
            one.address,
            one.fault or _number(one.value),
            "" if one.source.startswith(one.address) else one.source,
            f"{_number(one.low[1])} up to {_number(one.low[0])}" if one.low else "",
            f"{_number(one.high[1])} from {_number(one.high[0])}" if one.high else "",
            *([_number(one.at_amount)] if amount else []),
        )
        for one in found
    ]
    columns = ("entry", name, "taken from", "at the low end", "at the high end", *([f"at {amount}"] if amount else []))
    print_table(columns, rows, right=(name, f"at {amount}"), whole=("entry",))
    faults = sum(bool(one.fault) for one in found)
    echo(f"{counted(len(found), 'entry', 'entries')}" + (f", {faults} without a value." if faults else "."))
    sys.exit(1 if faults else 0)


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


@figures.command("next")
@click.argument("where")
@click.argument("addresses", nargs=-1, required=True, metavar="ADDRESS...")
@change_option
@output_option
def next_number(where: str, addresses: tuple[str, ...], change: int | None, output: str) -> None:
    """The next free number in each family of ids. Several addresses form one set: a number used in one is used in all."""
    if _is_local(where, change):
        local = _Local(Path(where), None)
        found = free_numbers_out(free_numbers(local.after, addresses))
    else:
        with connect() as zerrit:
            found = zerrit.free_numbers(where, addresses, change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    rows = [(one.family, str(one.taken), one.following, one.gap or "none") for one in found]
    print_table(("family", "taken", "next", "lowest gap"), rows, right=("taken",))


@figures.command()
@click.argument("where")
@click.argument("address")
@click.option("--axes", default="x,z", show_default=True, help="The fields of the coordinates, separated by commas.")
@click.option("--from", "centre", required=True, metavar="X,Z", help="The centre, separated by commas.")
@click.option("--radius", default="", help="Say which lie within this distance.")
@change_option
@output_option
def distance(where: str, address: str, axes: str, centre: str, radius: str, change: int | None, output: str) -> None:
    """How far the entries at ADDRESS lie from a centre, the nearest first. Exit code 1 when one is out of reach."""
    fields = [axis.strip() for axis in axes.split(",")]
    numbers = [str(_decimal(text, "--from")) for text in centre.split(",")]
    limit = str(_decimal(radius, "--radius")) if radius else ""
    if _is_local(where, change):
        local = _Local(Path(where), None)
        point = [Decimal(number) for number in numbers]
        found = distances_out(distances_at(local.after, address, fields, point, Decimal(limit) if limit else None))
    else:
        with connect() as zerrit:
            found = zerrit.distances(where, address, fields, numbers, limit, change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
    else:
        words = {None: "", True: "within", False: "outside"}
        shown = [
            (one.address, ", ".join(one.point), one.fault or one.distance or "", words[one.is_inside]) for one in found
        ]
        print_table(
            ("entry", "at", "distance", f"radius {limit}" if limit else ""),
            shown,
            right=("distance",),
            whole=("entry",),
        )
    sys.exit(1 if any(one.is_inside is False or one.fault for one in found) else 0)


def _decimal(text: str, option: str) -> Decimal:
    try:
        number = Decimal(text.strip())
    except InvalidOperation as error:
        raise click.UsageError(f"{option} {text}: `{text}` is not a number.") from error
    if not number.is_finite():
        raise click.UsageError(f"{option} {text}: `{text}` is not a number.")
    return number
