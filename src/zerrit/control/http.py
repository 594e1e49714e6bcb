"""
Control over HTTP, with a bearer token: `GET {url}/state`, `POST {url}/stop`, `POST {url}/start`; where the host has
them also `POST {url}/reload`, `POST {url}/announce` with `{"text": …}`, and `GET {url}/players`.

The state is answered as `{"state": "running"}`; every other word counts as not running. Players are answered as
`{"players": 3}`.
"""

from __future__ import annotations

import ssl
import time
from collections.abc import Mapping
from functools import cache
from json import loads as json_of
from typing import Any, Final

import httpx

from zerrit.control.control import Act, ControlError, GameState, cannot

TIMEOUT: Final = 10.0  # seconds
MAX_ANSWER: Final = 64 * 1024  # bytes


@cache
def _certificates() -> ssl.SSLContext:
    """Those that are trusted. To load them takes longer than most questions, and a game's state is asked for often."""
    return httpx.create_ssl_context(trust_env=False)


class HttpHook:
    is_manual: frozenset[Act] = frozenset()
    can = frozenset(Act)

    def __init__(self, url: str, token: str, timeout: float = TIMEOUT) -> None:
        self._url = url.rstrip("/")
        self._token = token
        self._timeout = timeout

    def state(self) -> GameState:
        word = str(self._ask("GET", "state").get("state", "unknown"))
        return GameState(word == "running", word)

    def stop(self) -> None:
        self._ask("POST", "stop")

    def start(self) -> None:
        self._ask("POST", "start")

    def reload(self) -> None:
        self._ask("POST", "reload", act=Act.RELOAD)

    def announce(self, text: str) -> None:
        self._ask("POST", "announce", act=Act.ANNOUNCE, json={"text": text})

    def players(self) -> int:
        count = self._ask("GET", "players", act=Act.PLAYERS).get("players")
        if not isinstance(count, int):
            raise ControlError(f"The control at {self._url} answered `players` without a number.")
        return count

    def _ask(
        self, method: str, what: str, act: Act | None = None, json: Mapping[str, Any] | None = None
    ) -> dict[str, object]:
        try:
            status, body = self._answer(method, what, json)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise ControlError(
                f"The control at {self._url} does not answer ({type(error).__name__}). Is the host up, and is the address right?",
                is_passing=True,
            ) from error
        if status in (401, 403):
            raise ControlError(f"The control at {self._url} refuses the token. Correct the token of the control.")
        if status in (404, 405) and act is not None:
            raise cannot(act, f"at {self._url}", "Do it manually, or leave it out.")
        if status >= 400:
            raise ControlError(
                f"The control at {self._url} answered {status} to `{what}`. Look at the host's panel, then try again.",
                is_passing=status >= 500,
            )
        try:
            answer = json_of(body)
        except (ValueError, RecursionError) as error:
            raise ControlError(
                f"The control at {self._url} answered `{what}` with something that is no JSON."
            ) from error
        return answer if isinstance(answer, dict) else {}

    def _answer(self, method: str, what: str, given: Mapping[str, Any] | None) -> tuple[int, bytes]:
        """The status and the body, of which a host may neither send more nor take longer than is reasonable."""
        ends = time.monotonic() + self._timeout
        body = bytearray()
        with httpx.stream(
            method,
            f"{self._url}/{what}",
            headers={"Authorization": f"Bearer {self._token}", "Accept-Encoding": "identity"},
            json=given,
            timeout=self._timeout,
            follow_redirects=False,
            trust_env=False,
            # A plain address needs no certificates.
            verify=_certificates() if self._url.startswith("https:") else False,
        ) as response:
            for block in response.iter_raw():
                body += block
                if len(body) > MAX_ANSWER:
                    raise ControlError(
                        f"The control at {self._url} answered `{what}` with more than {MAX_ANSWER:,} bytes. Is the address right?"
                    )
                if time.monotonic() > ends:
                    raise ControlError(
                        f"The control at {self._url} did not end its answer to `{what}` within {self._timeout:g} s.",
                        is_passing=True,
                    )
            return response.status_code, bytes(body)
