"""
When a task comes next: times of day on weekdays in a time zone.

Where clocks go forward, a time of day may not exist; what was planned for it is done as much later as the clocks were
put forward (02:30 becomes 03:30). Where they go back, a time comes twice; it is done the first time only.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo


@dataclass(frozen=True, slots=True)
class Moment:
    """The next moment, in UTC. `note` says what a clock change does to it, else it is empty."""

    at: datetime
    note: str = ""


def next_moment(times: Collection[time], weekdays: Collection[int], zone: ZoneInfo, after: datetime) -> Moment:
    """The first moment after another one. `weekdays` are 0 (Monday) to 6; none means every day.

    Raises ValueError: there is no time.
    """
    if not times:
        raise ValueError("a task needs a time of day")
    first = after.astimezone(zone).date() - timedelta(days=1)
    found: list[Moment] = []
    for offset in range(10):  # a week, and days enough around it
        day = first + timedelta(days=offset)
        if weekdays and day.weekday() not in weekdays:
            continue
        found += [moment for at in times if (moment := _moment(day, at, zone)).at > after]
    return min(found, key=lambda moment: moment.at)


def _moment(day: date, at: time, zone: ZoneInfo) -> Moment:
    wanted = datetime.combine(day, at)
    moment = wanted.replace(tzinfo=zone, fold=0).astimezone(UTC)
    shown = moment.astimezone(zone).replace(tzinfo=None)
    if shown != wanted:
        return Moment(moment, f"clocks go forward on {day}: {at:%H:%M} does not exist, it is done at {shown:%H:%M}")
    again = wanted.replace(tzinfo=zone, fold=1).astimezone(UTC)
    if again != moment:
        return Moment(moment, f"clocks go back on {day}: {at:%H:%M} comes twice, it is done the first time")
    return Moment(moment)
