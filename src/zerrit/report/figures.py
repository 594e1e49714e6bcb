"""Figures in the shapes of the API, in which the service answers and the command prints them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction

from zerrit import api
from zerrit.core.figures import Chance, DerivedRow, Distance, FreeNumber, Tally, TallyRow


def tally_out(found: Tally, before: str, after: str) -> api.TallyOut:
    """A balance; `before` and `after` are what the two states are called."""
    rows = [_tally_row(row) for row in found.rows]
    return api.TallyOut(
        before=before, after=after, rows=rows, total=_tally_row(found.total), skipped=list(found.skipped)
    )


def _tally_row(row: TallyRow) -> api.TallyRowOut:
    return api.TallyRowOut(
        group=row.group,
        count_before=row.count_before,
        count_after=row.count_after,
        sum_before=str(row.sum_before),
        sum_after=str(row.sum_after),
        delta=f"{row.delta:+f}" if row.delta else "0",
    )


def odds_out(
    old: Mapping[str, Sequence[Chance]], new: Mapping[str, Sequence[Chance]], before: str, after: str
) -> list[api.OddsOut]:
    """The odds of each table of the new state beside those of the old one; a thing that is gone comes last."""
    return [
        api.OddsOut(table=table, before=before, after=after, chances=_paired(old.get(table, ()), chances))
        for table, chances in new.items()
    ]


def _paired(old: Iterable[Chance], new: Sequence[Chance]) -> list[api.ChanceOut]:
    before = {one.thing: one for one in old}
    pairs = [(before.pop(one.thing, _never(one.thing)), one) for one in new]
    pairs += [(one, _never(one.thing)) for one in before.values()]
    return [
        api.ChanceOut(
            thing=now.thing,
            before=float(was.at_least_one),
            after=float(now.at_least_one),
            exact=str(now.at_least_one),
            expected_before=float(was.expected),
            expected_after=float(now.expected),
        )
        for was, now in pairs
    ]


def _never(thing: str) -> Chance:
    return Chance(thing, Fraction(), Fraction())


def derived_out(rows: Iterable[DerivedRow], amount: Fraction | None) -> list[api.DerivedOut]:
    """Derived values, and those for an amount if one is given."""
    return [
        api.DerivedOut(
            address=row.address,
            source=row.source,
            value=_plain(row.value),
            low=(float(row.low[0]), float(row.low[1])) if row.low else None,
            high=(float(row.high[0]), float(row.high[1])) if row.high else None,
            at_amount=_plain(row.at(amount)) if amount is not None else None,
            fault=row.fault,
        )
        for row in rows
    ]


def _plain(value: Fraction | None) -> float | None:
    return float(value) if value is not None else None


def free_numbers_out(rows: Iterable[FreeNumber]) -> list[api.FreeNumberOut]:
    """The next free numbers in the shape of the API."""
    return [api.FreeNumberOut.model_validate(row, from_attributes=True) for row in rows]


def distances_out(rows: Iterable[Distance]) -> list[api.DistanceOut]:
    """Distances in the shape of the API."""
    return [
        api.DistanceOut(
            address=row.address,
            point=[str(number) for number in row.point],
            distance=str(row.distance) if row.distance is not None else None,
            is_inside=row.is_inside,
            fault=row.fault,
        )
        for row in rows
    ]
