"""
A bound on what a request may send, whether it says its length or not.

The framework has such a bound too, but answers with bare text where everything else here is a problem.
"""

from __future__ import annotations

from typing import Final

from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MAX_BODY: Final = 256 * 1024 * 1024  # bytes; an archive of defaults with its form fields stays far below


class BodyLimit:
    """ASGI middleware: reading on after `most` bytes fails with 413."""

    def __init__(self, app: ASGIApp, most: int) -> None:
        self._app = app
        self._most = most

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        taken = 0

        async def counted() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > self._most:
                raise HTTPException(413, f"The request sends more than {self._most:,} bytes. Send less at once.")
            return message

        await self._app(scope, counted if scope["type"] == "http" else receive, send)
