"""Commands that give figures: of a server's files, of a change, or of local folders."""

from __future__ import annotations

import sys
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from pathlib import Path
from typing import Final

import click

from zerrit import api
from zerrit.cli.files import FILE, FILE_OR_FOLDER, load_gamebook, read_path
from zerrit.cli.output import output_option, print_json, print_table
from zerrit.cli.session import connect
from zerrit.core.documents import Document
from zerrit.core.figures import Chance, derive, distances_at, free_numbers, odds_by_table, tally
from zerrit.core.gamebooks import Gamebook
from zerrit.core.wording import counted

_BAR: Final = 28  # characters of the longest bar
_EIGHTHS: Final = " ▏▎▍▌▋▊▉█"

change_option = click.option("--change", type=int, help="What this change makes of it; without, against the defaults.")
gamebook_option = click.option("--gamebook", "gamebook_file", type=FILE, help="For a local folder: its gamebook.")
before_option = click.option("--before", type=FILE_OR_FOLDER, help="For a local folder: the folder to compare it with.")


@click.group()
def figures() -> None:
    """Figures worked out exactly: balance, odds, derived values, free numbers, distances.

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
            raise click.UsageError(f"{folder} is no folder.")
        return read_path(folder, self.gamebook)

    def book(self) -> Gamebook:
        if self.gamebook is None:
            raise click.UsageError("Give the gamebook of the folder with --gamebook; it says where these stand.")
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
        found = tally(local.before, local.after, address, by)
        rows = [
            (r.group, r.count_before, r.count_after, str(r.sum_before), str(r.sum_after), f"{r.delta:+f}")
            for r in (*found.rows, found.total)
        ]
        names, skipped = (local.old_name, local.new_name), found.skipped
    else:
        with connect() as zerrit:
            answer = zerrit.balance(where, address, by, change)
        rows = [
            (r.group, r.count_before, r.count_after, r.sum_before, r.sum_after, r.delta)
            for r in (*answer.rows, answer.total)
        ]
        names, skipped = (answer.before, answer.after), tuple(answer.skipped)
    if output == "json":
        keys = ("group", "count_before", "count_after", "sum_before", "sum_after", "delta")
        listed = [dict(zip(keys, row, strict=True)) for row in rows]
        print_json({"before": names[0], "after": names[1], "rows": listed[:-1], "total": listed[-1]})
    else:
        _print_balance(rows, names)
        for place in skipped[:8]:
            click.echo(f"left out, no number: {place}")
        if len(skipped) > 8:
            click.echo(f"and {len(skipped) - 8} more places that hold no number")
    sys.exit(1 if Decimal(rows[-1][5]) else 0)


def _print_balance(rows: list[tuple[str, int, int, str, str, str]], names: tuple[str, str]) -> None:
    most = max((abs(float(number)) for row in rows[:-1] for number in row[3:5]), default=0.0) or 1.0
    shown: list[tuple[str, ...]] = []
    for group, count_before, count_after, sum_before, sum_after, delta in rows:
        number = f"{count_after:,}" if count_before == count_after else f"{count_before:,} -> {count_after:,}"
        moved = "" if not Decimal(delta) else delta
        before, after = float(sum_before), float(sum_after)
        drawn = "" if group == rows[-1][0] and len(rows) > 2 else bar(abs(after) / most)
        shown.append((group, number, sum_before, sum_after, moved, drawn))
        if moved and drawn:
            shown.append(("", "", "", "", "was", bar(abs(before) / most)))
    click.echo(f"from {names[0]} to {names[1]}:")
    columns = ("group", "places", "before", "after", "by", "")
    print_table(columns, shown, right=("places", "before", "after", "by"), whole=columns)


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
    """The exact odds of draw tables: how often does each thing come out? Without TABLE, of each that players open."""
    if _is_local(where, change):
        found = _local_odds(_Local(Path(where), gamebook_file, before), table)
    else:
        with connect() as zerrit:
            found = zerrit.odds(where, table, change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    for number, one in enumerate(found):
        if number:
            click.echo()
        has_moved = any(_moved(chance.before, chance.after) for chance in one.chances)
        click.echo(f"{one.table}: chance of at least one in a haul, and how many on the average")
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


def _local_odds(local: _Local, table: str) -> list[api.OddsOut]:
    before = odds_by_table(local.book(), local.before, table)
    return [
        api.OddsOut(
            table=name,
            before=local.old_name,
            after=local.new_name,
            chances=[_chance(one, {old.thing: old for old in before.get(name, [])}) for one in chances],
        )
        for name, chances in odds_by_table(local.book(), local.after, table).items()
    ]


def _chance(new: Chance, before: dict[str, Chance]) -> api.ChanceOut:
    old = before.get(new.thing, Chance(new.thing, Fraction(), Fraction()))
    return api.ChanceOut(
        thing=new.thing,
        before=float(old.at_least_one),
        after=float(new.at_least_one),
        exact=str(new.at_least_one),
        expected_before=float(old.expected),
        expected_after=float(new.expected),
    )


def percent(share: float) -> str:
    """A share in per cent, with as many places as tell a small one from none."""
    shown = share * 100
    return f"{shown:.1f} %" if shown >= 1 or shown == 0 else f"{shown:.3g} %"


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
    """A value that the game works out: NAME is one of those that the gamebook derives, such as price."""
    if amount:
        _decimal(amount, "--amount")
    if _is_local(where, change):
        local = _Local(Path(where), gamebook_file)
        at = Fraction(amount) if amount else None
        found = [
            api.DerivedOut(
                address=r.address,
                source=r.source,
                value=_plain(r.value),
                low=(float(r.low[0]), float(r.low[1])) if r.low else None,
                high=(float(r.high[0]), float(r.high[1])) if r.high else None,
                at_amount=_plain(r.at(at)) if at is not None else None,
                fault=r.fault,
            )
            for r in derive(local.book(), local.after, name)
        ]
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
    click.echo(f"{counted(len(found), 'entry', 'entries')}" + (f", {faults} without a value." if faults else "."))
    sys.exit(1 if faults else 0)


def _plain(value: Fraction | None) -> float | None:
    return float(value) if value is not None else None


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


@figures.command("next")
@click.argument("where")
@click.argument("addresses", nargs=-1, required=True, metavar="ADDRESS...")
@change_option
@output_option
def next_number(where: str, addresses: tuple[str, ...], change: int | None, output: str) -> None:
    """The next free number in each family of ids. Several addresses are one set: taken in one is taken in all."""
    if _is_local(where, change):
        local = _Local(Path(where), None)
        found = [
            api.FreeNumberOut.model_validate(one, from_attributes=True) for one in free_numbers(local.after, addresses)
        ]
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
@click.option("--axes", default="x,z", show_default=True, help="The fields of the coordinates, parted by commas.")
@click.option("--from", "centre", required=True, metavar="X,Z", help="The centre, parted by commas.")
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
        rows = distances_at(local.after, address, fields, point, Decimal(limit) if limit else None)
        found = [
            api.DistanceOut(
                address=r.address,
                point=[str(number) for number in r.point],
                distance=str(r.distance) if r.distance is not None else None,
                is_inside=r.is_inside,
                fault=r.fault,
            )
            for r in rows
        ]
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
        raise click.UsageError(f"{option} {text}: `{text}` is no number.") from error
    if not number.is_finite():
        raise click.UsageError(f"{option} {text}: `{text}` is no number.")
    return number
