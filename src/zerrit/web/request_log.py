"""One log line for each call of the API, and an answer where something went wrong inside."""

from __future__ import annotations

import time

import structlog
from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zerrit.web.context import Context
from zerrit.web.problems import unexpected

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
            await send(message)

        is_call = scope["path"].startswith("/api/") and not scope["path"].endswith("/events")
        here: Context | None = getattr(scope["app"].state, "context", None) if is_call else None
        if here is not None:
            here.calls += 1
            here.last_call = time.monotonic()
        try:
            await self._app(scope, receive, noted)
        except Exception:
            log.exception("request.failed", path=scope["path"])
            if status:  # half of an answer is out; to break it off is all that is left
                raise
            await unexpected(Request(scope))(scope, receive, noted)
        finally:
            if here is not None:
                here.calls -= 1
                here.last_call = time.monotonic()
            if scope["path"].startswith("/api/"):
                took = round((time.perf_counter() - started) * 1000, 1)
                log.info("request", method=scope["method"], path=scope["path"], status=status, ms=took)
