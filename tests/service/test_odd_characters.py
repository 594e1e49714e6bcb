"""Half pairs of UTF-16, NUL, marks of direction and names without end: from requests and from files, no server error."""

from __future__ import annotations

import json
from urllib.parse import quote

import httpx
import pytest

from zerrit.client import Client
from zerrit.demo.stack import DemoStack

ODD = ["\ud800", "a\x00b", "\u202etxt", "\x1b[31m", "x" * 5000, "\U0010ffff", "a/../b", "\n", ""]


@pytest.mark.parametrize("odd", ODD, ids=ascii)
def test_no_text_of_a_request_is_a_server_error(shared: tuple[DemoStack, Client], odd: str) -> None:
    stack, client = shared
    headers = dict(client._http.headers) | {"Content-Type": "application/json"}

    def send(method: str, path: str, body: object = None, /, **params: str) -> int:
        content = json.dumps(body).encode() if body is not None else None
        url = f"{stack.url}/api/v1{path}"
        return httpx.request(method, url, headers=headers, content=content, params=params, timeout=60).status_code

    change = client.create_change("coral-gate", "odd").id
    step = {"kind": "set", "address": f"sea/finds.xml#{odd}", "value": odd}
    plain = odd.encode("utf-8", "replace").decode()
    statuses = [
        send("POST", "/tokens", {"name": odd, "password": odd}),
        send("POST", "/session", {"name": odd, "password": odd}),
        send("PUT", "/me/password", {"old": odd, "new": odd}),
        send("POST", "/servers/coral-gate/changes", {"title": odd}),
        send("POST", f"/changes/{change}/steps", step),
        send("POST", f"/changes/{change}/try", {"kind": "file", "address": odd, "content": odd}),
        send("POST", f"/changes/{change}/try", {odd: odd}),
        send("PUT", "/gamebooks/odd", {"text": odd}),
        send("POST", "/servers/coral-gate/gamebook/test", {"text": f"gamebook: 1\n{odd}"}),
        send("GET", "/servers/coral-gate/file", path=plain),
        send("GET", "/servers/coral-gate/raw", path=plain),
        send("GET", "/servers/coral-gate/show", address=plain),
        send("GET", "/servers/coral-gate/entries", pattern=plain),
        send("GET", "/servers/coral-gate/complete", text=plain),
        send("GET", "/comparison", left=plain, right=plain),
        send("GET", f"/servers/{quote(plain, safe='')}"),
    ]
    assert max(statuses) < 500, statuses


@pytest.mark.parametrize("number", [10**30, -1, 2**63, 2**64])
def test_no_number_of_a_request_is_a_server_error(shared: tuple[DemoStack, Client], number: int) -> None:
    stack, client = shared
    for path in (
        f"/changes/{number}",
        f"/runs/{number}",
        f"/rollouts/{number}",
        f"/servers/coral-gate/snapshots/{number}/export",
        f"/servers/coral-gate/drift?snapshot={number}",
        f"/servers/coral-gate/file?path=sea/finds.xml&change={number}",
    ):
        answer = httpx.get(f"{stack.url}/api/v1{path}", headers=client._http.headers)
        assert answer.status_code in (404, 422), path
    answer = httpx.get(
        f"{stack.url}/api/v1/changes/1", headers=dict(client._http.headers) | {"If-Match": f'"{number}"'}
    )
    assert answer.status_code < 500


def test_odd_characters_in_a_games_files_are_shown(zerrit: Client, stack: DemoStack) -> None:
    """What a strange file holds can be looked at like anything else."""
    folder = stack.host_folder / "coral-gate"
    (folder / "odd.json").write_text('{"half": "\\ud800", "\\udc00": 1, "nul": "a\\u0000b", "mark": "\u202e"}')
    (folder / "odd.ini").write_text("[A]\nb=\x1b[31m\u202e\n", "utf-8")
    number = zerrit.fetch("coral-gate").snapshot.id
    url, headers = f"{stack.url}/api/v1/servers/coral-gate", zerrit._http.headers
    for path, params in (
        ("/file", {"path": "odd.json"}),
        ("/raw", {"path": "odd.json"}),
        ("/show", {"address": "odd.json#half"}),
        ("/show", {"address": "odd.json#**"}),
        ("/entries", {"pattern": "odd.json#*"}),
        ("/about", {"address": "odd.json#half"}),
        ("/complete", {"text": "odd.json#"}),
        ("/check", {}),
        ("/review", {}),
        ("/review/file", {"path": "odd.json"}),
        ("/drift", {"snapshot": str(number)}),
    ):
        answer = httpx.get(url + path, params=params, headers=headers, timeout=60)
        assert answer.status_code < 500, (path, answer.text[:300])
        answer.text.encode()
    compared = httpx.get(
        f"{stack.url}/api/v1/comparison",
        params={"left": "coral-gate@defaults", "right": "coral-gate"},
        headers=headers,
        timeout=60,
    )
    assert compared.status_code < 500
