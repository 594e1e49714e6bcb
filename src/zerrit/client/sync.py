"""The client for programs that wait for each answer."""

from __future__ import annotations

import time
from collections.abc import Iterator
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from httpx_sse import connect_sse

from zerrit import api
from zerrit.client.answers import POLL, answer, connection, unreachable
from zerrit.client.calls import Call
from zerrit.client.endpoints import Endpoints
from zerrit.client.errors import ProblemError

T = TypeVar("T")


class Client(Endpoints):
    """A typed client of the service; one method for each call, errors as exceptions."""

    def __init__(self, url: str, token: str = "", *, timeout: float = 120.0) -> None:
        """`url` is the service's address, such as http://127.0.0.1:8750; `token` comes from `zerrit sign-in`.

        Raises ServiceUnreachable: `url` is not an address.
        """
        self._http = httpx.Client(**connection(url, token, timeout))

    def send(self, call: Call[T]) -> T:
        """Send a call. Raises ProblemError, ServiceUnreachable."""
        try:
            response = self._http.request(
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

    def close(self) -> None:
        self._http.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def follow(self, run_id: int) -> Iterator[api.RunOut]:
        """The run at every step of its progress, until it has ended."""
        seen: api.RunOut | None = None
        while seen is None or seen.state == "running":
            now = self.run(run_id)
            if now != seen:
                seen = now
                yield now
            if now.state == "running":
                time.sleep(POLL)

    def events(self) -> Iterator[tuple[str, dict[str, Any]]]:
        """What happens in the service, as it happens: the kind and what it is about. Ends with the connection."""
        try:
            with connect_sse(self._http, "GET", "/events", timeout=None) as source:
                if source.response.is_error:
                    source.response.read()
                    raise ProblemError.of(source.response)
                for event in source.iter_sse():
                    yield event.event, event.json()
        except httpx.HTTPError as error:
            raise unreachable(self._http.base_url, error) from error
