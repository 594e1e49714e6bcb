"""Which snapshots stay, by rules that a person can say: the last so many, one for each day, week and month."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime, tzinfo


@dataclass(frozen=True, slots=True)
class Retention:
    """How many snapshots stay: the last ones, and the newest of so many days, weeks and months that have any."""

    last: int = 20
    daily: int = 14
    weekly: int = 8
    monthly: int = 12


def kept_by(rules: Retention, taken: Iterable[tuple[int, datetime]], zone: tzinfo) -> dict[int, str]:
    """The ids of the snapshots that stay, each with the rule that keeps it. Days begin at midnight in `zone`.

    Weeks are those of ISO 8601. The newest snapshot always stays.
    """
    newest_first = sorted(taken, key=lambda one: (one[1], one[0]), reverse=True)
    kept: dict[int, str] = {id_: "one of the last" for id_, _ in newest_first[: max(rules.last, 1)]}
    periods: tuple[tuple[int, str, Callable[[datetime], object]], ...] = (
        (rules.daily, "the last of its day", lambda at: at.date()),
        (rules.weekly, "the last of its week", lambda at: at.isocalendar()[:2]),
        (rules.monthly, "the last of its month", lambda at: (at.year, at.month)),
    )
    for most, reason, period_of in periods:
        seen: set[object] = set()
        for id_, at in newest_first:
            period = period_of(at.astimezone(zone))
            if period not in seen and len(seen) < most:
                seen.add(period)
                kept.setdefault(id_, reason)
    return kept
