"""How the threads of the service share one interpreter, so that no answer waits for long work of another thread."""

from __future__ import annotations

import gc
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

SWITCH_INTERVAL: Final = 0.001  # seconds; an answer asks the database often, and each time waits that long for its turn
YOUNG: Final = 10_000  #: new objects after which the collector looks at the new ones
MIDDLE: Final = 10  #: such looks until it looks at those that outlived one
NEVER: Final = 1 << 30
WORTH_A_LOOK: Final = 10  #: middle looks, a million new objects, after which a complete one is worth its time
OVERDUE: Final = 100  #: middle looks after which it is made even while someone waits


@contextmanager
def quick_answers() -> Iterator[None]:
    """Settings of the process while it serves.

    The files of a large server are millions of objects, and a complete look of the collector at them takes half a second in
    which nothing else goes on. `collect_if_due` makes it, while no one waits.
    """
    thresholds, interval = gc.get_threshold(), sys.getswitchinterval()
    gc.set_threshold(YOUNG, MIDDLE, NEVER)
    sys.setswitchinterval(SWITCH_INTERVAL)
    try:
        yield
    finally:
        gc.set_threshold(*thresholds)
        sys.setswitchinterval(interval)


def collect_if_due(*, is_quiet: bool) -> bool:
    """Look at all objects for cyclic garbage where enough have come since the last time. Returns whether it did."""
    is_due = gc.get_count()[2] >= (WORTH_A_LOOK if is_quiet else OVERDUE)
    if is_due:
        gc.collect()
    return is_due
