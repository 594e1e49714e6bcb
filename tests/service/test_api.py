"""The HTTP API as a whole: who may ask, what every answer has, how long work and big requests are met."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
from sqlalchemy import update

from zerrit.client import Client, ProblemError
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack
from zerrit.records import Token, open_database
from zerrit.web import Settings, create_app

Shared = tuple[DemoStack, Client]
OPEN = {("POST", "/api/v1/session"), ("POST", "/api/v1/tokens"), ("GET", "/api/v1/health")}
ROUTES = [
    (method.upper(), path)
    for path, methods in create_app(Settings(Path())).openapi()["paths"].items()
    for method in methods
]


@pytest.fixture
def http(shared: Shared) -> Iterator[httpx.Client]:
    stack, zerrit = shared
    token = zerrit.token(ADMIN, PASSWORD).token
    with httpx.Client(base_url=stack.url, headers={"Authorization": f"Bearer {token}"}) as client:
        yield client


@pytest.mark.parametrize(("method", "path"), [route for route in ROUTES if route not in OPEN], ids=" ".join)
def test_nothing_is_answered_to_a_stranger(shared: Shared, method: str, path: str) -> None:
    place = path.replace("{server_id}", "coral-gate").replace("{name}", "x")
    for number in ("{change_id}", "{run_id}", "{step_id}"):
        place = place.replace(number, "1")
    answer = httpx.request(method, f"{shared[0].url}{place}", json={})
    assert answer.status_code == 401
    assert answer.headers["www-authenticate"] == "Bearer"
    assert answer.json()["type"] == "urn:zerrit:problem:not-signed-in"


def test_a_token_that_ran_out_is_refused(zerrit: Client, stack: DemoStack) -> None:
    assert zerrit.me().name == ADMIN
    database = open_database(stack.folder / "data" / "zerrit.db")
    with database.session() as session:
        session.execute(update(Token).values(expires_at=datetime.now(UTC) - timedelta(seconds=1)))
    database.close()
    with pytest.raises(ProblemError) as caught:
        zerrit.me()
    assert caught.value.kind == "not-signed-in"


@pytest.mark.parametrize(
    ("method", "path", "status", "kind"),
    [
        ("GET", "/api/v1/nothing", 404, "not-found"),
        ("GET", "/api/v1/changes/999", 404, "not-found"),
        ("GET", "/api/v1/changes/one", 422, "request-invalid"),
        ("PATCH", "/api/v1/servers", 405, "method-not-allowed"),
        ("GET", "/api/v1/servers/coral-gate/file?path=../../etc/passwd", 404, "not-found"),
        ("GET", "/api/v1/servers/lantern-shelf/file?path=craft.xml&change=1", 404, "not-found"),
        ("GET", "/api/v1/changes/1/differences?against=yesterday", 422, "refused"),
        ("GET", "/api/v1/changes/1/differences?against=defaults:1.9", 404, "not-found"),
    ],
)
def test_every_refusal_is_a_problem(http: httpx.Client, method: str, path: str, status: int, kind: str) -> None:
    answer = http.request(method, path)
    assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json")
    problem = answer.json()
    assert problem["type"] == f"urn:zerrit:problem:{kind}"
    assert problem["status"] == status
    assert problem["detail"]
    assert problem["instance"] == path.partition("?")[0]


def test_every_answer_bears_the_safety_headers(http: httpx.Client) -> None:
    for path in ("/", "/api/v1/health", "/servers/coral-gate", "/api/v1/nothing"):
        headers = http.get(path).headers
        assert "default-src 'self'" in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"


def test_a_change_has_a_version_that_an_edit_may_demand(http: httpx.Client) -> None:
    made = http.post("/api/v1/servers/lantern-shelf/changes", json={"title": "By hand"}).json()
    place = f"/api/v1/changes/{made['id']}"
    etag = http.get(place).headers["etag"]
    step = {"kind": "set", "address": "craft.xml#hull[Skiff]/@stock", "operation": "+1"}
    edited = http.post(f"{place}/steps", json=step, headers={"If-Match": etag})
    assert (edited.status_code, edited.headers["etag"] != etag) == (201, True)
    stale = http.post(f"{place}/steps", json=step, headers={"If-Match": etag})
    assert (stale.status_code, stale.json()["type"]) == (412, "urn:zerrit:problem:outdated")
    assert http.post(f"{place}/steps", json=step, headers={"If-Match": "new"}).status_code == 400
    assert http.post(f"{place}/steps", json=step, headers={"If-Match": "*"}).status_code == 201


@pytest.mark.parametrize("says_its_length", [True, False])
def test_a_request_that_is_too_large_is_refused_before_it_is_kept(tmp_path: Path, says_its_length: bool) -> None:
    with DemoStack(tmp_path / "demo", settle=0.3, max_body=20_000) as stack, stack.client() as client:
        token = client.token(ADMIN, PASSWORD).token
        body = b'{"text": "' + b"x" * 30_000 + b'"}'
        answer = httpx.put(
            f"{stack.url}/api/v1/gamebooks/big",
            content=body if says_its_length else iter((body[:15_000], body[15_000:])),
            headers={"Authorization": f"Bearer {token}", "Content-Type": "application/json"},
        )
        assert (answer.status_code, answer.json()["type"]) == (413, "urn:zerrit:problem:too-large")
        assert "more than 20,000 bytes" in answer.json()["detail"]
        assert client.gamebooks() == []


def test_the_event_stream_tells_what_happens(shared: Shared) -> None:
    stack, zerrit = shared
    with stack.client() as listener:
        events = listener.events()
        assert next(events)[0] == "ready"
        change = zerrit.create_change("lantern-shelf", "Heard")
        assert next(events) == ("change", {"change": change.id, "server": "lantern-shelf"})
