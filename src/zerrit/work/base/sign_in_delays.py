"""How long someone must wait after wrong passwords: longer each time, by name and address."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

from cachetools import TTLCache

FREE: Final = 3  #: wrong passwords of one name from one address without a delay; a person mistypes
FREE_OF_ADDRESS: Final = 10  #: and of all names together from one address
FIRST: Final = 1.0  # seconds; doubles each time
LONGEST: Final = 900.0  # seconds
FORGOTTEN: Final = 3600  # seconds without a further try
MOST: Final = 20_000  #: names and addresses kept in mind


@dataclass
class _Tries:
    wrong: int = 0
    ends: float = 0.0  #: until when no further try is taken


def _forgetful() -> TTLCache[tuple[str, str], _Tries]:
    return TTLCache(MOST, FORGOTTEN)


@dataclass
class SignIns:
    """Wrong passwords in mind. Safe between threads."""

    clock: Callable[[], float] = time.monotonic
    _tries: TTLCache[tuple[str, str], _Tries] = field(default_factory=_forgetful)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def wait_for(self, name: str, address: str) -> float:
        """Seconds until the next try is taken; 0 when it may be made now."""
        now = self.clock()
        with self._lock:
            ends = [self._tries[key].ends for key in self._keys(name, address) if key in self._tries]
        return max(0.0, *(end - now for end in ends)) if ends else 0.0

    def failed(self, name: str, address: str) -> None:
        now = self.clock()
        with self._lock:
            for key, free in zip(self._keys(name, address), (FREE, FREE_OF_ADDRESS), strict=True):
                tries = self._tries.get(key) or _Tries()
                tries.wrong += 1
                if tries.wrong >= free:
                    tries.ends = now + min(FIRST * 2.0 ** min(tries.wrong - free, 30), LONGEST)
                self._tries[key] = tries

    def succeeded(self, name: str, address: str) -> None:
        """The name is forgotten, the address is not: whoever has one right password may still guess at others."""
        with self._lock:
            self._tries.pop(self._keys(name, address)[0], None)

    @staticmethod
    def _keys(name: str, address: str) -> tuple[tuple[str, str], tuple[str, str]]:
        return (address, name.casefold()), (address, "")
