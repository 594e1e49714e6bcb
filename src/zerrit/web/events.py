"""The event stream: what happens, told to every console and command that listens."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from typing import Any, Final

import anyio

from zerrit.work.base.accounts import ACCESS

LOOK_EVERY: Final = 30.0  # seconds after which it is seen again whether a listener may still listen
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

    async def listen(self, is_valid: Callable[[], Awaitable[bool]]) -> AsyncIterator[dict[str, str]]:
        """What happens, until the service stops or the session of the listener ends."""
        queue: asyncio.Queue[tuple[str, str] | None] = asyncio.Queue()
        self._listeners[queue] = asyncio.get_running_loop()
        try:
            # Said at once, so that a listener knows that nothing from here on is missed.
            yield {"event": "ready", "data": "{}"}
            while True:
                event: tuple[str, str] | None = (ACCESS, "")
                with anyio.move_on_after(LOOK_EVERY):
                    event = await queue.get()
                if event is None or (event[0] == ACCESS and not await is_valid()):
                    return
                if event[0] != ACCESS:
                    yield {"event": event[0], "data": event[1]}
        finally:
            self._listeners.pop(queue, None)

    def close(self) -> None:
        """Let every listener go, so that the service can stop."""
        for queue in list(self._listeners):
            queue.put_nowait(None)
