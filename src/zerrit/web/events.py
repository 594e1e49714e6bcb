"""The event stream: what happens, told to every console and command that listens."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Mapping
from typing import Any, Final

MAX_WAITING: Final = 1000  # events kept for a listener that does not read; then it is let go


class Events:
    """`publish` may be called from any thread; each listener has a queue of its own."""

    def __init__(self) -> None:
        self._listeners: dict[asyncio.Queue[tuple[str, str] | None], asyncio.AbstractEventLoop] = {}

    def publish(self, kind: str, facts: Mapping[str, Any]) -> None:
        data = json.dumps(facts)
        for queue, loop in list(self._listeners.items()):
            loop.call_soon_threadsafe(self._put, queue, (kind, data))

    def _put(self, queue: asyncio.Queue[tuple[str, str] | None], event: tuple[str, str] | None) -> None:
        if queue.qsize() < MAX_WAITING:
            queue.put_nowait(event)
        else:
            self._listeners.pop(queue, None)

    async def listen(self) -> AsyncIterator[dict[str, str]]:
        queue: asyncio.Queue[tuple[str, str] | None] = asyncio.Queue()
        self._listeners[queue] = asyncio.get_running_loop()
        try:
            # Said at once, so that a listener knows that nothing from here on is missed.
            yield {"event": "ready", "data": "{}"}
            while (event := await queue.get()) is not None:
                yield {"event": event[0], "data": event[1]}
        finally:
            self._listeners.pop(queue, None)

    def close(self) -> None:
        """Let every listener go, so that the service can stop."""
        for queue in list(self._listeners):
            queue.put_nowait(None)
