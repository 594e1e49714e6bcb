"""When a task comes next, clock changes included; which snapshots stay."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zerrit.core.retention import Retention, kept_by
from zerrit.core.schedule_times import next_moment

BERLIN = ZoneInfo("Europe/Berlin")


def at(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


@pytest.mark.parametrize(
    ("times", "days", "after", "expected", "note"),
    [
        (["05:00"], [], "2026-11-25 03:00", "2026-11-25 04:00", ""),
        (["05:00"], [], "2026-11-25 04:00", "2026-11-26 04:00", ""),
        (["05:00", "17:30"], [], "2026-11-25 04:00", "2026-11-25 16:30", ""),
        (["05:00"], [0], "2026-11-25 12:00", "2026-11-30 04:00", ""),
        (["02:30"], [], "2026-03-28 12:00", "2026-03-29 01:30", "does not exist, it is done at 03:30"),
        (["02:30"], [], "2026-10-24 12:00", "2026-10-25 00:30", "comes twice, it is done the first time"),
        (["02:30"], [], "2026-10-25 00:30", "2026-10-26 01:30", ""),
        (["00:10"], [6], "2026-12-31 23:00", "2027-01-02 23:10", ""),
    ],
)
def test_the_next_moment(times: list[str], days: list[int], after: str, expected: str, note: str) -> None:
    found = next_moment([time.fromisoformat(text) for text in times], days, BERLIN, at(after))
    assert found.at == at(expected)
    assert note in found.note
    assert bool(note) == bool(found.note)


@given(st.datetimes(datetime(2020, 1, 1), datetime(2035, 1, 1)), st.times(), st.sampled_from(["UTC", "Europe/Berlin", "Australia/Lord_Howe", "America/St_Johns"]))  # fmt: skip
def test_a_daily_task_comes_once_on_every_day(start: datetime, daily: time, zone: str) -> None:
    here = ZoneInfo(zone)
    moment = start.replace(tzinfo=UTC)
    days = []
    for _ in range(5):
        moment = next_moment([daily.replace(second=0, microsecond=0)], [], here, moment).at
        days.append(moment.astimezone(here).date())
    # A time that a clock change skips over midnight would fall on the next day; none of these zones does that.
    assert days == [days[0] + timedelta(days=number) for number in range(5)]


def test_retention_keeps_the_last_and_one_of_each_period() -> None:
    now = datetime(2026, 11, 25, 12, tzinfo=UTC)
    taken = [(number, now - timedelta(hours=6 * number)) for number in range(400)]
    kept = kept_by(Retention(last=3, daily=4, weekly=3, monthly=3), taken, UTC)
    assert [number for number, why in kept.items() if why == "one of the last"] == [0, 1, 2]
    days = {(now - timedelta(hours=6 * number)).date() for number in kept}
    assert {now.date() - timedelta(days=back) for back in range(4)} <= days
    assert len(kept) <= 3 + 4 + 3 + 3
    assert (now - timedelta(hours=6 * max(kept))).month == 9


@given(st.lists(st.datetimes(datetime(2024, 1, 1), datetime(2026, 1, 1)), unique=True, max_size=60))
def test_the_newest_always_stays_and_pruning_twice_is_pruning_once(times: list[datetime]) -> None:
    rules = Retention(last=2, daily=3, weekly=2, monthly=2)
    taken = [(number, moment.replace(tzinfo=UTC)) for number, moment in enumerate(times)]
    kept = kept_by(rules, taken, UTC)
    if taken:
        assert max(taken, key=lambda one: one[1])[0] in kept
    assert kept_by(rules, [one for one in taken if one[0] in kept], UTC).keys() == kept.keys()


def test_the_newest_snapshot_stays_whatever_the_rules_say() -> None:
    day = datetime(2031, 5, 1, 12, tzinfo=UTC)
    taken = [(number, day + timedelta(days=number)) for number in range(3)]
    assert kept_by(Retention(last=0, daily=0, weekly=0, monthly=0), taken, UTC) == {2: "one of the last"}
