"""
Control over HTTP: `GET {url}/state`, `POST {url}/stop`, `POST {url}/start`, with a bearer token.

The state is answered as `{"state": "running"}`; every other word counts as not running.
"""

from __future__ import annotations

from typing import Final

import httpx

from zerrit.control.control import ControlError, GameState

TIMEOUT: Final = 10.0  # seconds


class HttpHook:
    def __init__(self, url: str, token: str) -> None:
        self._url = url.rstrip("/")
        self._token = token

    def state(self) -> GameState:
        word = str(self._ask("GET", "state").get("state", "unknown"))
        return GameState(word == "running", word)

    def stop(self) -> None:
        self._ask("POST", "stop")

    def start(self) -> None:
        self._ask("POST", "start")

    def _ask(self, method: str, what: str) -> dict[str, object]:
        try:
            response = httpx.request(
                method,
                f"{self._url}/{what}",
                headers={"Authorization": f"Bearer {self._token}"},
                timeout=TIMEOUT,
                follow_redirects=False,
                trust_env=False,
            )
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise ControlError(
                f"The control at {self._url} does not answer ({type(error).__name__}). Is the host up, and is the address right?"
            ) from error
        if response.status_code in (401, 403):
            raise ControlError(f"The control at {self._url} refuses the token. Correct the token of the control.")
        if response.is_error:
            raise ControlError(f"The control at {self._url} answered {response.status_code} to `{what}`.")
        try:
            answer = response.json()
        except ValueError as error:
            raise ControlError(
                f"The control at {self._url} answered `{what}` with something that is no JSON."
            ) from error
        return answer if isinstance(answer, dict) else {}
