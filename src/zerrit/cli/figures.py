"""Commands that give figures: of a server's files, of a change, or of local folders."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from pathlib import Path
from typing import Final, Literal

import click

from zerrit import api
from zerrit.cli.files import FILE, FILE_OR_FOLDER, load_gamebook, read_files
from zerrit.cli.output import echo, output_option, print_json, print_table
from zerrit.cli.session import connect
from zerrit.core.documents import Document
from zerrit.core.figures import Direction, Facing, Measured
from zerrit.core.figures.states import States
from zerrit.core.gamebooks import Gamebook
from zerrit.core.wording import counted, percent
from zerrit.report import figure_answers as answers

_BAR: Final = 28  # characters of the longest bar
_EIGHTHS: Final = " ▏▎▍▌▋▊▉█"

change_option = click.option("--change", type=int, help="What this change makes of it; without, against the defaults.")
gamebook_option = click.option("--gamebook", "gamebook_file", type=FILE, help="For a local folder: its gamebook.")
before_option = click.option("--before", type=FILE_OR_FOLDER, help="For a local folder: the folder to compare it with.")
case_option = click.option("--case", default=None, help="Of tables that depend on a case, such as a season: this one.")


@click.group()
def figures() -> None:
    """Exact figures: balance, odds, prices, loops of trades, distances.

    WHERE is a server, or a local folder.
    """


def _local(folder: str, gamebook_file: Path | None, before: Path | None = None, *, needs_book: bool = False) -> States:
    """A local folder, and the one before it."""
    if needs_book and gamebook_file is None:
        raise click.UsageError("Give the gamebook of the folder with --gamebook; it says where these are.")
    gamebook = load_gamebook(gamebook_file) if gamebook_file else None
    after = _read(Path(folder), gamebook)
    old = _read(before, gamebook) if before is not None else after
    return States(old, after, str(before) if before is not None else folder, folder, gamebook)


def _read(folder: Path, gamebook: Gamebook | None) -> dict[str, Document]:
    if not folder.is_dir():
        raise click.UsageError(f"{folder} is not a folder.")
    return dict(read_files(folder, gamebook).documents)


def _is_local(where: str, change: int | None) -> bool:
    is_local = Path(where).is_dir()
    if is_local and change is not None:
        raise click.UsageError(f"{where} is a local folder; --change is for servers.")
    return is_local


def bar(share: float) -> str:
    """A bar for a share of the longest one, to an eighth of a character."""
    eighths = round(max(0.0, min(share, 1.0)) * _BAR * 8)
    return _EIGHTHS[8] * (eighths // 8) + (_EIGHTHS[eighths % 8] if eighths % 8 else "")


# --- sums -------------------------------------------------------------------------------------------------------------


@figures.command()
@click.argument("where")
@click.argument("address")
@click.option(
    "--by",
    multiple=True,
    help="What makes the groups: a field, a place such as part/@of, `file`, or conditions such as '[kind=cloth]'.",
)
@click.option("--target", multiple=True, metavar="GROUP=PERCENT", help="The share of the sum that a group should have.")
@change_option
@gamebook_option
@before_option
@output_option
def balance(
    where: str,
    address: str,
    by: tuple[str, ...],
    target: tuple[str, ...],
    change: int | None,
    gamebook_file: Path | None,
    before: Path | None,
    output: str,
) -> None:
    """Sum and count the numbers at ADDRESS by group, before and after. Exit code 1 when the sum moved."""
    targets = dict(_target(text) for text in target)
    if _is_local(where, change):
        found = answers.balance(_local(where, gamebook_file, before), address, by, targets)
    else:
        with connect() as zerrit:
            found = zerrit.balance(where, address, by, [f"{name}={share}" for name, share in targets.items()], change)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        _print_balance(found)
    sys.exit(1 if Decimal(found.total.delta) else 0)


def _target(text: str) -> tuple[str, Decimal]:
    group, equals, share = text.rpartition("=")
    if not equals or not group:
        raise click.UsageError(f"--target {text}: write GROUP=PERCENT, such as tools=25.")
    return group.strip(), _decimal(share.removesuffix("%"), "--target")


def _print_balance(found: api.TallyOut) -> None:
    most = max((abs(float(number)) for row in found.rows for number in (row.sum_before, row.sum_after)), default=0.0)
    has_targets = any(row.target is not None for row in found.rows)
    shown: list[tuple[str, ...]] = []
    for row in (*found.rows, found.total):
        number = f"{row.count_after:,}"
        if row.count_before != row.count_after:
            number = f"{row.count_before:,} -> {number}"
        has_moved = Decimal(row.delta) != 0
        share = "" if row.share_after is None else f"{row.share_after:.1f} %"
        wanted = [f"{row.target:g} %" if row.target is not None else "", row.off] if has_targets else []
        drawn = "" if row is found.total else bar(abs(float(row.sum_after)) / (most or 1))
        delta = row.delta if has_moved else ""
        shown.append((row.group, number, row.sum_before, row.sum_after, delta, share, *wanted, drawn))
        if has_moved and drawn:
            was = "" if row.share_before is None else f"was {row.share_before:.1f} %"
            old = bar(abs(float(row.sum_before)) / (most or 1))
            shown.append(("", "", "", "", "was", was, *("" for _ in wanted), old))
    echo(f"from {found.before} to {found.after}:")
    targets = ("target", "above it") if has_targets else ()
    columns = ("group", "places", "before", "after", "delta", "share", *targets, "")
    print_table(columns, shown, right=("places", "before", "after", "delta", "share", *targets), whole=columns)
    _print_left_out(found.skipped)


def _print_left_out(places: Sequence[str]) -> None:
    for place in places[:8]:
        echo(f"left out, no number: {place}")
    if len(places) > 8:
        echo(f"and {len(places) - 8} more places that hold no number")


@figures.command()
@click.argument("where")
@click.argument("address")
@click.option("--limit", help="The largest sum; without it, the one that the gamebook has for this address.")
@click.option(
    "--by",
    type=click.Choice(["share", "order", "age"]),
    default="share",
    show_default=True,
    help="Each in proportion to what it can give, in the order of the files, or what is unchanged longest first.",
)
@click.option("--first", multiple=True, metavar="ADDRESS", help="What is needed least; only these are lowered.")
@click.option("--spare", multiple=True, metavar="ADDRESS", help="Places that stay as they are.")
@click.option("--add-to", type=int, metavar="CHANGE", help="Add the steps to this change.")
@change_option
@gamebook_option
@output_option
def room(
    where: str,
    address: str,
    limit: str | None,
    by: Literal["share", "order", "age"],
    first: tuple[str, ...],
    spare: tuple[str, ...],
    add_to: int | None,
    change: int | None,
    gamebook_file: Path | None,
    output: str,
) -> None:
    """Make room: which numbers at ADDRESS to lower, so that their sum stays within a limit.

    What --change or --add-to itself sets is not touched. Exit code 1 when the sum cannot be brought within the limit.
    """
    most = _decimal(limit, "--limit") if limit is not None else None
    change = change if change is not None else add_to
    if _is_local(where, change):
        if by == "age":
            raise click.UsageError("A local folder has no past; --by age is for servers.")
        found = answers.room(_local(where, gamebook_file), address, most, by=by, first=first, spare=spare)
    else:
        with connect() as zerrit:
            found = zerrit.room(where, address, str(most) if most is not None else "", by, first, spare, change)
            if add_to is not None and found.lowered:
                steps = [api.StepIn(kind="set", address=one.address, operation=f"={one.new}") for one in found.lowered]
                zerrit.add_steps(add_to, steps)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        rows = [(one.address, one.old, one.new, one.reason) for one in found.lowered]
        if rows:
            print_table(("address", "old", "new", "why"), rows, right=("old", "new"), whole=("address", "why"))
        echo(found.words)
        if found.spared:
            echo(f"{counted(found.spared, 'number')} left as set or spared.")
        _print_left_out(found.skipped)
        if add_to is not None and found.lowered:
            echo(f"{counted(len(found.lowered), 'step')} added to change {add_to}.")
    sys.exit(1 if Decimal(found.missing) else 0)


# --- odds -------------------------------------------------------------------------------------------------------------


@figures.command()
@click.argument("where")
@click.argument("table", default="")
@case_option
@click.option("--worth", default="", help="What a use is worth: a derived value, or the address of numbers.")
@click.option("--amount", default="", help="With --worth: at this amount in stock.")
@click.option("--seen", default="", metavar="THING=COUNT", help="How likely is it that THING came COUNT times?")
@click.option("--draws", type=int, help="With --seen: the number of draws.")
@click.option("--pieces", is_flag=True, help="With --seen: COUNT are pieces, not draws that brought any.")
@click.option("--tell-apart", default="", metavar="THING", help="How many draws tell before from after?")
@click.option("--weight-for", default="", metavar="THING=CHANCE", help="Which weight gives THING this chance: rope=5%.")
@click.option("--average", is_flag=True, help="With --weight-for: the number is an average, not a chance.")
@click.option("--at", default="", metavar="ADDRESS", help="With --weight-for: of several prizes, this one.")
@click.option("--whole", is_flag=True, help="With --weight-for: answer with whole numbers.")
@change_option
@gamebook_option
@before_option
@output_option
def odds(
    where: str,
    table: str,
    case: str | None,
    worth: str,
    amount: str,
    seen: str,
    draws: int | None,
    pieces: bool,
    tell_apart: str,
    weight_for: str,
    average: bool,
    at: str,
    whole: bool,
    change: int | None,
    gamebook_file: Path | None,
    before: Path | None,
    output: str,
) -> None:
    """The exact odds of draw tables: how often is each thing drawn? Without TABLE, of each table that players open.

    \b
    zerrit figures odds . crates --gamebook book.yml --seen rope=0 --draws 40
    zerrit figures odds . crates --gamebook book.yml --weight-for rope=5%
    """
    asked = [name for name in (seen, tell_apart, weight_for) if name]
    if len(asked) > 1:
        raise click.UsageError("Ask one of --seen, --tell-apart and --weight-for at a time.")
    if asked and not table:
        raise click.UsageError("Name the TABLE that is meant.")
    _require_with(bool(worth), {"--amount": bool(amount)}, "--worth")
    _require_with(bool(seen), {"--draws": draws is not None, "--pieces": pieces}, "--seen")
    _require_with(bool(weight_for), {"--average": average, "--at": bool(at), "--whole": whole}, "--weight-for")
    local = _local(where, gamebook_file, before, needs_book=True) if _is_local(where, change) else None
    if seen:
        _odds_seen(where, local, table, seen, draws, pieces, case or "", change, output)
    elif tell_apart:
        _odds_apart(where, local, table, tell_apart, case or "", change, output)
    elif weight_for:
        aim: Literal["chance", "average"] = "average" if average else "chance"
        _odds_weight(where, local, table, weight_for, aim, at, whole, case or "", change, output)
    else:
        stock = _decimal(amount, "--amount") if amount else None
        _odds_all(where, local, table, case, worth, stock, change, output)


def _require_with(is_given: bool, options: dict[str, bool], needed: str) -> None:
    stray = next((name for name, given in options.items() if given), None)
    if stray is not None and not is_given:
        raise click.UsageError(f"{stray} goes with {needed}.")


def _odds_seen(
    where: str,
    local: States | None,
    table: str,
    asked: str,
    draws: int | None,
    pieces: bool,
    case: str,
    change: int | None,
    output: str,
) -> None:
    thing, equals, number = asked.rpartition("=")
    if not equals or not number.strip().isdigit():
        raise click.UsageError(f"--seen {asked}: write THING=COUNT, such as rope=3.")
    if draws is None:
        raise click.UsageError("Say in how many draws: --draws NUMBER.")
    if local is not None:
        found = answers.seen(local, table, thing, int(number), draws, in_pieces=pieces, case=case)
    else:
        with connect() as zerrit:
            found = zerrit.odds_seen(where, table, thing, int(number), draws, pieces, case, change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    for one in found:
        echo(one.words)


def _odds_apart(
    where: str, local: States | None, table: str, thing: str, case: str, change: int | None, output: str
) -> None:
    if local is not None:
        found = answers.apart(local, table, thing, case)
    else:
        with connect() as zerrit:
            found = zerrit.odds_apart(where, table, thing, case, change)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        echo(found.words)


def _odds_weight(
    where: str,
    local: States | None,
    table: str,
    asked: str,
    aim: Literal["chance", "average"],
    at: str,
    whole: bool,
    case: str,
    change: int | None,
    output: str,
) -> None:
    thing, equals, number = asked.rpartition("=")
    if not equals or not thing:
        raise click.UsageError(f"--weight-for {asked}: write THING=CHANCE, such as rope=5% or rope=0.05.")
    wanted = _decimal(number.rstrip().removesuffix("%"), "--weight-for")
    wanted = wanted / 100 if number.rstrip().endswith("%") else wanted
    if aim == "chance" and not 0 <= wanted <= 1:
        raise click.UsageError(f"--weight-for {asked}: a chance is from 0 to 1, or 0% to 100%.")
    if local is not None:
        found = answers.weight(local, table, thing, Fraction(wanted), aim=aim, place=at, whole=whole, case=case)
    else:
        with connect() as zerrit:
            found = zerrit.odds_weight(where, table, thing, str(wanted), aim, at, whole, case, change)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        echo(found.words)
        echo(f"It is at {found.address}.")


def _odds_all(
    where: str,
    local: States | None,
    table: str,
    case: str | None,
    worth: str,
    amount: Decimal | None,
    change: int | None,
    output: str,
) -> None:
    if local is not None:
        found = answers.odds_of(local, table, case, worth, Fraction(amount) if amount is not None else None)
    else:
        with connect() as zerrit:
            found = zerrit.odds(where, table, case, worth, str(amount) if amount is not None else "", change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    for number, one in enumerate(found):
        if number:
            echo()
        _print_odds(one)


def _print_odds(one: api.OddsOut) -> None:
    has_moved = any(_moved(chance.before, chance.after) for chance in one.chances)
    has_quality = any(chance.quality for chance in one.chances)
    of_case = "" if one.case is None else f", {one.case}" if one.case else ", in no case"
    echo(f"{one.table}{of_case}: chance of at least one per draw, and the average number")
    rows = [
        (
            chance.thing,
            percent(chance.after),
            f"{chance.expected_after:.3f}",
            *([_moved(chance.before, chance.after)] if has_moved else []),
            *([_quality(chance.quality)] if has_quality else []),
            bar(chance.after),
        )
        for chance in one.chances
    ]
    columns = ("thing", "chance", "average", *(["was"] if has_moved else []), *(["quality"] if has_quality else []), "")
    print_table(columns, rows, right=("chance", "average", "was"), whole=("thing", "quality", ""))
    if one.worth_after is not None:
        was = f" (was {_worth(one.worth_before)})" if one.worth_before not in (None, one.worth_after) else ""
        echo(f"worth on average: {_worth(one.worth_after)}{was}")
        if one.worth_after.without:
            without = one.worth_after.without
            more = f" and {len(without) - 6} more" if len(without) > 6 else ""
            echo(f"without a price: {', '.join(without[:6])}{more}")
    for note in one.notes[:12]:
        echo(f"note: {note}")
    if len(one.notes) > 12:
        echo(f"and {len(one.notes) - 12} more numbers that change nothing")


def _moved(before: float, after: float) -> str:
    return "" if abs(before - after) < 1e-12 else percent(before)


def _quality(quality: api.QualityOut | None) -> str:
    return "" if quality is None else f"{quality.least:g} to {quality.most:g}, average {quality.mean:.4g}"


def _worth(worth: api.WorthOut | None) -> str:
    if worth is None:
        return "nothing"
    return f"{worth.least:.6g}" if worth.least == worth.most else f"{worth.least:.6g} to {worth.most:.6g}"


# --- prices and trades ------------------------------------------------------------------------------------------------


@figures.command()
@click.argument("where")
@click.argument("names", nargs=-1, required=True, metavar="NAME...")
@click.option("--amount", multiple=True, help="Also the value for this amount, such as the stock of a store; several.")
@change_option
@gamebook_option
@before_option
@output_option
def derived(
    where: str,
    names: tuple[str, ...],
    amount: tuple[str, ...],
    change: int | None,
    gamebook_file: Path | None,
    before: Path | None,
    output: str,
) -> None:
    """Values that the game calculates: each NAME is one that the gamebook derives, such as price.

    Several, such as cost and worth, are listed beside each other by thing and place. What they were before is in brackets.
    """
    amounts = [_decimal(text, "--amount") for text in amount]
    if _is_local(where, change):
        local = _local(where, gamebook_file, before, needs_book=True)
        found = answers.derived(local, names, [Fraction(one) for one in amounts])
    else:
        with connect() as zerrit:
            found = zerrit.derived(where, names, [str(one) for one in amounts], change)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if len(names) == 1:
        _print_derived(names[0], found, amounts)
    else:
        _print_prices(names, found, amounts)
    faults = [one for one in found if one.fault]
    rules = dict.fromkeys((one.name, one.rule, one.line) for one in found)
    for name, rule, line in rules:
        echo(f"{name}: {rule} (line {line} of the gamebook)")
    echo(f"{counted(len(found), 'value')}" + (f", {len(faults)} without one." if faults else "."))
    sys.exit(1 if faults else 0)


def _print_derived(name: str, found: Iterable[api.DerivedOut], amounts: Sequence[Decimal]) -> None:
    rows = [
        (
            one.address,
            one.fault or _now(one.value, one.before) or "with an amount only",
            "" if one.source.startswith(one.address) else one.source,
            f"{_number(one.low[1])} up to {_number(one.low[0])}" if one.low else "",
            f"{_number(one.high[1])} from {_number(one.high[0])}" if one.high else "",
            *(_now(at.value, at.before) for at in one.amounts),
        )
        for one in found
    ]
    at_amounts = tuple(f"at {amount:f}" for amount in amounts)
    columns = ("entry", name, "taken from", "at the low end", "at the high end", *at_amounts)
    print_table(columns, rows, right=(name, *at_amounts), whole=("entry",))


def _print_prices(names: Sequence[str], found: Iterable[api.DerivedOut], amounts: Sequence[Decimal]) -> None:
    """What each thing costs and brings at each place, one line each."""
    lines: dict[tuple[str, str], dict[str, api.DerivedOut]] = {}
    for one in found:
        lines.setdefault((one.place, one.thing), {})[one.name] = one
    columns = [f"{name} at {amount:f}" for name in names for amount in amounts] if amounts else list(names)
    rows = []
    for (place, thing), values in lines.items():
        cells: list[str] = []
        for name in names:
            value = values.get(name)
            many = len(amounts) or 1
            if value is None or value.fault:
                cells += [(value.fault if value is not None else "") or "", *[""] * (many - 1)]
            elif amounts:
                cells += [_now(at.value, at.before) for at in value.amounts]
            else:
                cells.append(_now(value.value, value.before))
        rows.append((place, thing, *cells))
    print_table(("place", "thing", *columns), rows, right=tuple(columns), whole=("thing",))


def _now(value: float | None, before: float | None) -> str:
    """A number, and in brackets what it was where that differs."""
    return _number(value) if before is None or before == value else f"{_number(value)} ({_number(before)})"


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:.6g}"


@figures.command()
@click.argument("where")
@click.argument("name", default="")
@change_option
@gamebook_option
@before_option
@output_option
def loops(
    where: str, name: str, change: int | None, gamebook_file: Path | None, before: Path | None, output: str
) -> None:
    """Trades that gain in a circle: buying, making, opening and selling. NAME is one of several sets of trades.

    Exit code 1 when there is such a loop.
    """
    if _is_local(where, change):
        found = answers.loops(_local(where, gamebook_file, before, needs_book=True), name)
    else:
        with connect() as zerrit:
            found = zerrit.loops(where, name, change)
    if output == "json":
        print_json(found.model_dump(mode="json"))
    else:
        for number, loop in enumerate(found.loops, 1):
            _print_loop(number, loop)
        for words in found.ended:
            echo(f"ended: {words}")
        echo(f"{counted(len(found.loops), 'loop')} in {counted(found.trades, 'trade')}. {found.verdict}")
        for gift in found.gifts[:6]:
            echo(f"takes nothing, so it is in no loop: {gift}")
        if len(found.gifts) > 6:
            echo(f"and {len(found.gifts) - 6} more trades that take nothing")
        for reason in found.left_out[:6]:
            echo(f"left out: {reason}")
        if len(found.left_out) > 6:
            echo(f"and {len(found.left_out) - 6} more entries that are left out")
    sys.exit(1 if found.loops else 0)


def _print_loop(number: int, loop: api.LoopOut) -> None:
    gained = [f"{loop.gain} money"] if loop.gain != "0" else []
    gained += [f"{many} {thing}" for thing, many in loop.things.items()]
    new = ", new with this change" if loop.is_new else ""
    echo(f"Loop {number}{new}: a round gains {' and '.join(gained)}")
    rows = [(f"{step.times} ×", step.trade, step.gives, step.gets, step.address) for step in loop.steps]
    print_table(("", "trade", "gives", "gets", "at"), rows, right=("",), whole=("trade",))
    echo(loop.fix.words if loop.fix is not None else "No price is in it; change what one of its trades gives or gets.")
    echo()


# --- numbers and places -----------------------------------------------------------------------------------------------


@figures.command("next")
@click.argument("where")
@click.argument("addresses", nargs=-1, required=True, metavar="ADDRESS...")
@change_option
@output_option
def next_number(where: str, addresses: tuple[str, ...], change: int | None, output: str) -> None:
    """The next free number in each family of ids. Several addresses form one set: a number used in one is used in all."""
    if _is_local(where, change):
        found = answers.free(_local(where, None), addresses)
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
@click.option(
    "--axes",
    default="x,z",
    show_default=True,
    help="The places of the coordinates, separated by commas: x,z or pos/[#1],pos/[#3].",
)
@click.option("--from", "centre", default="", metavar="X,Z", help="The centre, separated by commas.")
@click.option("--to", default="", metavar="ADDRESS", help="Measure to the nearest of these other entries instead.")
@click.option("--radius", default="", help="Say which lie within this distance.")
@click.option("--box", default="", metavar="X,Z,X,Z", help="Say which lie within a box: two opposite corners.")
@click.option("--height", default="", metavar="PLACE", help="With --floors: the place of the height, such as y.")
@click.option("--floors", default="", metavar="H,H…", help="The heights at which floors begin, separated by commas.")
@click.option("--facing", default="", metavar="PLACE", help="The place of the direction in degrees, such as yaw.")
@click.option("--zero", type=click.Choice(["+x", "-x", "+z", "-z"]), default="+z", help="With --facing: where 0 looks.")
@click.option("--turns", type=click.Choice(["right", "left"]), default="right", help="With --facing: where more leads.")
@change_option
@gamebook_option
@output_option
def distance(
    where: str,
    address: str,
    axes: str,
    centre: str,
    to: str,
    radius: str,
    box: str,
    height: str,
    floors: str,
    facing: str,
    zero: Direction,
    turns: Literal["right", "left"],
    change: int | None,
    gamebook_file: Path | None,
    output: str,
) -> None:
    """How far the entries at ADDRESS lie from a centre or from others, the nearest first.

    Exit code 1 when one is out of reach.
    """
    if bool(centre) is bool(to):
        raise click.UsageError("Say where to measure from: --from X,Z, or --to ADDRESS.")
    asked = Measured(
        [axis.strip() for axis in axes.split(",")],
        _decimals(centre, "--from"),
        to,
        _decimal(radius, "--radius") if radius else None,
        _decimals(box, "--box"),
        height,
        _decimals(floors, "--floors"),
        Facing(facing, zero, turns == "right") if facing else None,
    )
    if _is_local(where, change):
        found = answers.distances(_local(where, gamebook_file), address, asked)
    else:
        with connect() as zerrit:
            found = zerrit.distances(
                where,
                address,
                asked.axes,
                [str(one) for one in asked.centre],
                to=to,
                radius=radius,
                box=[str(one) for one in asked.box],
                height=height,
                floors=[str(one) for one in asked.floors],
                facing=facing,
                zero=zero,
                turns=turns,
                change=change,
            )
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
    else:
        _print_distances(found, asked, radius)
    sys.exit(1 if any(one.is_inside is False or one.fault for one in found) else 0)


def _print_distances(found: Sequence[api.DistanceOut], asked: Measured, radius: str) -> None:
    words = {None: "", True: "within", False: "outside"}
    limit = f"radius {radius}" if radius else "box" if asked.box else ""
    columns = ["entry", "at", "distance"]
    columns += ["nearest"] if asked.to else []
    columns += ["floor"] if asked.floors else []
    columns += ["faces away by"] if asked.facing is not None else []
    columns += [limit] if limit else []
    shown = []
    for one in found:
        row = [one.address, ", ".join(one.point), one.fault or one.distance or ""]
        row += [one.nearest] if asked.to else []
        row += ["" if one.floor is None else str(one.floor) if one.floor else "below all"] if asked.floors else []
        row += [f"{one.turned}°" if one.turned is not None else ""] if asked.facing is not None else []
        row += [words[one.is_inside]] if limit else []
        shown.append(tuple(row))
    print_table(tuple(columns), shown, right=("distance", "floor", "faces away by"), whole=("entry",))


def _decimals(text: str, option: str) -> list[Decimal]:
    return [_decimal(one, option) for one in text.split(",")] if text else []


def _decimal(text: str, option: str) -> Decimal:
    try:
        number = Decimal(text.strip())
    except InvalidOperation as error:
        raise click.UsageError(f"{option} {text}: `{text}` is not a number.") from error
    if not number.is_finite():
        raise click.UsageError(f"{option} {text}: `{text}` is not a number.")
    return number
