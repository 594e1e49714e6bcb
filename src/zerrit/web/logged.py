"""One log line for each call of the API, and the headers that every answer bears."""

from __future__ import annotations

import time
from typing import Final

import structlog
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_POLICY: Final = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)

log = structlog.get_logger("zerrit.web")


class Logged:
    """ASGI middleware. Not Starlette's base class for these: that one cuts an event stream off with an error."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        started = time.perf_counter()
        status = 0

        async def noted(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                headers = MutableHeaders(scope=message)
                headers["Content-Security-Policy"] = _POLICY
                headers["X-Content-Type-Options"] = "nosniff"
                headers["Referrer-Policy"] = "no-referrer"
            await send(message)

        try:
            await self._app(scope, receive, noted)
        finally:
            if scope["path"].startswith("/api/"):
                took = round((time.perf_counter() - started) * 1000, 1)
                log.info("request", method=scope["method"], path=scope["path"], status=status, ms=took)
