"""Long work on many small objects, without looking for cyclic garbage among them."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def no_collector() -> Iterator[None]:
    """Put the collector of cyclic garbage off for a while.

    The values of a large server are a million objects without a cycle among them; to look for one takes a quarter of
    the time of their check, and so it does where thousands of files are listed. Whoever put it off puts it on again, so
    two at once do no harm.
    """
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()
