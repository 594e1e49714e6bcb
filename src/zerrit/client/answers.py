"""From responses to values or errors; the same for both clients."""

from __future__ import annotations

from typing import Any, Final, TypeVar

import httpx

from zerrit.client.calls import Call
from zerrit.client.errors import ProblemError, ServiceUnreachable

T = TypeVar("T")
POLL: Final = 0.15  # seconds between two looks at a run


def connection(url: str, token: str, timeout: float) -> dict[str, Any]:
    """What a client of httpx is made of. Raises ServiceUnreachable: `url` is not an address."""
    base = _base_of(url)
    return {
        "base_url": base,
        "headers": {"Authorization": f"Bearer {token}"} if token else {},
        "timeout": timeout,
        "trust_env": False,
        "verify": base.scheme == "https",  # a plain address needs no certificates, and to load them takes a while
    }


def _base_of(url: str) -> httpx.URL:
    """Where the API is. Raises ServiceUnreachable: `url` is not an address."""
    try:
        base = httpx.URL(f"{url.rstrip('/')}/api/v1")
    except httpx.InvalidURL as error:
        raise ServiceUnreachable(
            f"`{url}` is not an address of a service; write http://127.0.0.1:8750, say."
        ) from error
    if base.scheme not in ("http", "https") or not base.host:
        raise ServiceUnreachable(f"`{url}` is not an address of a service; write http://127.0.0.1:8750, say.")
    return base


def answer(call: Call[T], response: httpx.Response) -> T:
    """The value of a response. Raises ProblemError: the service refused."""
    if response.is_error:
        raise ProblemError.of(response)
    if call.is_raw:
        return call.parse(response.content)
    return call.parse(response.json() if response.content else None)


def unreachable(url: httpx.URL, error: httpx.HTTPError) -> ServiceUnreachable:
    """The error for a service that does not answer."""
    where = f"{url.scheme}://{url.host}:{url.port or ''}".rstrip(":")
    return ServiceUnreachable(
        f"No Zerrit service answers at {where} ({type(error).__name__}). Is it started: zerrit serve?"
    )
