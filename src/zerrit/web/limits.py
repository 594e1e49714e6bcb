"""
Bounds on what a request may send and how it may call the service, seen before anything of it is read.

A request without a valid session may be small only; a person who is signed in may send what the route needs. The
framework reads a body before it asks who sent it, so this is in front of it.
"""

from __future__ import annotations

import ipaddress
import re
import socket
from collections.abc import Iterable
from typing import Final

import anyio
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zerrit.web.context import token_of
from zerrit.web.problems import problem
from zerrit.work.base import accounts

MAX_BODY: Final = 256 * 1024 * 1024  # bytes; an archive of defaults with its form fields stays far below
MAX_ANONYMOUS: Final = 64 * 1024  # bytes; to sign in takes some hundred
MAX_JSON: Final = 8 * 1024 * 1024
#: Archives and files of a form, and steps that hold the complete text of a file.
_LARGE: Final = re.compile(
    r"/api/v1/(?:servers/[^/]+/(?:defaults|snapshots/import|hand(?:/[^/]+)?)|changes/\d+/(?:steps|step-list|text|try|replay)"
    r"|servers/[^/]+/typed|contents(?:/missing)?|bundles(?:/archive)?)"
)
_SIGN_IN: Final = ("/api/v1/session", "/api/v1/tokens")


class BodyLimit:
    """ASGI middleware: a body over the bound of its route is answered with 413, without having been read."""

    def __init__(self, app: ASGIApp, most: int) -> None:
        self._app = app
        self._most = most

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        request = Request(scope)
        declared = request.headers.get("Content-Length", "")
        announced = int(declared) if declared.isascii() and declared.isdigit() and len(declared) < 19 else None
        has_body = announced != 0 and (announced is not None or "Transfer-Encoding" in request.headers)
        is_small = announced is not None and announced <= MAX_ANONYMOUS
        most, whose = await self._bound(request) if has_body and not is_small else (MAX_ANONYMOUS, "a request")
        most = min(most, self._most)
        said = f"The request sends more than {most:,} bytes, which is the bound for {whose}."
        if announced is not None and announced > most:
            await problem(413, "too-large", said, request)(scope, receive, send)
            return
        taken = 0

        async def counted() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > most:
                raise HTTPException(413, said)
            return message

        await self._app(scope, counted, send)

    @staticmethod
    async def _bound(request: Request) -> tuple[int, str]:
        if request.url.path in _SIGN_IN:
            return MAX_ANONYMOUS, "signing in"
        if not await anyio.to_thread.run_sync(_is_known, request):
            return MAX_ANONYMOUS, "one who is not signed in"
        if _LARGE.fullmatch(request.url.path):
            return MAX_BODY, "files and archives; send fewer or smaller ones at once"
        return MAX_JSON, "this call"


def _is_known(request: Request) -> bool:
    here = request.app.state.context.workspace
    try:
        token = token_of(request)
    except HTTPException:  # from a page of another site; the route itself says so
        return False
    if not token:
        return False
    with here.session() as session:
        return accounts.person_of(here, session, token) is not None


class KnownHosts:
    """ASGI middleware: the service answers only under names that are its own.

    Another name that leads to this machine may be one that a web page of a stranger had made to do so, in order to
    speak with the service through the browser of a person who is signed in. Numbers cannot be made to lead elsewhere.
    """

    def __init__(self, app: ASGIApp, names: Iterable[str]) -> None:
        self._app = app
        self._names = {"localhost", socket.gethostname().lower(), *(name.lower().rstrip(".") for name in names)}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            request = Request(scope)
            host = request.headers.get("Host", "")
            if not self._is_own(host):
                said = (
                    f"This service is not known as `{host[:100]}`. If it should be, start it with "
                    "`zerrit serve --allow-host NAME`, NAME without the port."
                )
                await problem(421, "host-not-known", said, request)(scope, receive, send)
                return
        await self._app(scope, receive, send)

    def _is_own(self, host: str) -> bool:
        name = re.sub(r":\d*\Z", "", host).lower().rstrip(".")
        if name in self._names or not host:
            return True
        try:
            ipaddress.ip_address(name.removeprefix("[").removesuffix("]"))
        except ValueError:
            return False
        return True
