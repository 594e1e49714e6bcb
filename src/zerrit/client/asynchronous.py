"""The client for programs that do several things at once."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from httpx_sse import aconnect_sse

from zerrit import api
from zerrit.client.answers import POLL, answer, connection, unreachable
from zerrit.client.calls import Call
from zerrit.client.endpoints import Endpoints
from zerrit.client.errors import ProblemError

T = TypeVar("T")


class AsyncClient(Endpoints):
    """The same as `Client`, for asyncio."""

    def __init__(self, url: str, token: str = "", *, timeout: float = 120.0) -> None:
        """`url` is the service's address, such as http://127.0.0.1:8750; `token` comes from `zerrit sign-in`.

        Raises ServiceUnreachable: `url` is not an address.
        """
        self._http = httpx.AsyncClient(**connection(url, token, timeout))

    async def send(self, call: Call[T]) -> T:
        """Send a call. Raises ProblemError, ServiceUnreachable."""
        try:
            response = await self._http.request(
                call.method,
                call.path,
                params=dict(call.params),
                json=call.json,
                data=call.data,
                files=call.files,
                headers=dict(call.headers),
            )
        except httpx.HTTPError as error:
            raise unreachable(self._http.base_url, error) from error
        return answer(call, response)

    async def close(self) -> None:
        await self._http.aclose()

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def follow(self, run_id: int) -> AsyncIterator[api.RunOut]:
        """The run at every step of its progress, until it has ended."""
        seen: api.RunOut | None = None
        while seen is None or seen.state == "running":
            now = await self.run(run_id)
            if now != seen:
                seen = now
                yield now
            if now.state == "running":
                await asyncio.sleep(POLL)

    async def events(self) -> AsyncIterator[tuple[str, dict[str, Any]]]:
        """What happens in the service, as it happens: the kind and what it is about. Ends with the connection."""
        try:
            async with aconnect_sse(self._http, "GET", "/events", timeout=None) as source:
                if source.response.is_error:
                    await source.response.aread()
                    raise ProblemError.of(source.response)
                async for event in source.aiter_sse():
                    yield event.event, event.json()
        except httpx.HTTPError as error:
            raise unreachable(self._http.base_url, error) from error
