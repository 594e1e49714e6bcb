"""From responses to values or errors; the same for both clients."""

from __future__ import annotations

from typing import Final, TypeVar

import httpx

from zerrit.client.calls import Call
from zerrit.client.errors import ProblemError, ServiceUnreachable

T = TypeVar("T")
POLL: Final = 0.15  # seconds between two looks at a run


def answer(call: Call[T], response: httpx.Response) -> T:
    if response.is_error:
        raise ProblemError.of(response)
    return call.parse(response.json() if response.content else None)


def unreachable(url: httpx.URL, error: httpx.HTTPError) -> ServiceUnreachable:
    where = f"{url.scheme}://{url.host}:{url.port or ''}".rstrip(":")
    return ServiceUnreachable(
        f"No Zerrit service answers at {where} ({type(error).__name__}). Is it started: zerrit serve?"
    )
