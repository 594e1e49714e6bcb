"""Who may in, how long that holds, and what the service answers to those who may not."""

from __future__ import annotations

import concurrent.futures
import http.client
import http.server
import re
import socket
import sqlite3
import stat
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.cli.command import zerrit as command
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack
from zerrit.work.base.sign_in_delays import FREE, FREE_OF_ADDRESS, LONGEST, SignIns
from zerrit.work.base.workspace import Bounds

SAFE_HEADERS = {"content-security-policy", "x-content-type-options", "referrer-policy"}


@pytest.fixture
def stack(tmp_path: Path) -> Iterator[DemoStack]:
    with DemoStack(tmp_path / "demo", settle=0.3) as running:
        yield running


def test_wrong_passwords_cost_time_by_name_and_address() -> None:
    now = 0.0
    sign_ins = SignIns(clock=lambda: now)
    for _ in range(FREE):
        assert sign_ins.wait_for("admin", "10.0.0.1") == 0
        sign_ins.failed("Admin", "10.0.0.1")
    waits = []
    for _ in range(14):
        waits.append(sign_ins.wait_for("admin", "10.0.0.1"))
        now += waits[-1]
        sign_ins.failed("admin", "10.0.0.1")
    assert waits[:4] == [1, 2, 4, 8]
    assert waits[-1] == LONGEST
    assert sign_ins.wait_for("admin", "10.0.0.2") == 0  # a stranger keeps no one else out
    for number in range(FREE_OF_ADDRESS):
        sign_ins.failed(f"guess-{number}", "10.0.0.3")
    assert sign_ins.wait_for("another", "10.0.0.3") > 0
    sign_ins.succeeded("another", "10.0.0.3")
    assert sign_ins.wait_for("another", "10.0.0.3") > 0


def test_failed_sign_ins_are_logged_and_then_wait(stack: DemoStack) -> None:
    with Client(stack.url) as stranger:
        for _ in range(FREE):
            with pytest.raises(ProblemError, match="name or the password is wrong"):
                stranger.token(ADMIN, "wrong-password")
        with pytest.raises(ProblemError, match=r"the next try is possible in \d+ s") as caught:
            stranger.token(ADMIN, PASSWORD)
    assert (caught.value.problem.status, caught.value.kind) == (429, "sign-in-waits")
    with sqlite3.connect(stack.folder / "data" / "zerrit.db") as database:
        rows = database.execute("select person, detail from activity where action = 'person.sign-in-failed'").fetchall()
    assert rows == [(ADMIN, "from 127.0.0.1")] * FREE


def test_another_password_ends_all_other_sessions(stack: DemoStack) -> None:
    with stack.client() as mine, stack.client() as other:
        with pytest.raises(ProblemError, match="old password is wrong"):
            mine.change_password("not-it", "new-password-1")
        with pytest.raises(ProblemError, match="at least 8 characters"):
            mine.change_password(PASSWORD, "short")
        assert other.me().name == ADMIN
        mine.change_password(PASSWORD, "new-password-1")
        assert mine.me().name == ADMIN
        with pytest.raises(ProblemError, match="Sign in first"):
            other.me()
        assert [one.is_this for one in mine.tokens()] == [True]
    with Client(stack.url) as again:
        assert again.token(ADMIN, "new-password-1").token
        with pytest.raises(ProblemError, match="is wrong"):
            again.token(ADMIN, PASSWORD)


def test_tokens_are_listed_named_and_revoked(stack: DemoStack) -> None:
    with stack.client() as mine, Client(stack.url) as free:
        given = free.token(ADMIN, PASSWORD, "nightly backup").token
        with Client(stack.url, given) as nightly:
            assert nightly.me().name == ADMIN
            (found,) = [one for one in mine.tokens() if one.label == "nightly backup"]
            assert (found.kind, found.is_this, found.used_at is not None) == ("bearer", False, True)
            mine.revoke_token(found.id)
            with pytest.raises(ProblemError, match="Sign in first"):
                nightly.me()
        with pytest.raises(ProblemError, match=f"You have no token {found.id}"):
            mine.revoke_token(found.id)


@pytest.mark.parametrize("end", ["revoke", "sign-out", "password"])
def test_an_event_stream_ends_with_its_session(stack: DemoStack, end: str) -> None:
    with stack.client() as mine, Client(stack.url) as free:
        token = free.token(ADMIN, PASSWORD, "listener").token
        ready, ended = threading.Event(), threading.Event()

        def listen() -> None:
            with Client(stack.url, token) as listener:
                for kind, _ in listener.events():
                    assert kind == "ready"
                    ready.set()
            ended.set()

        thread = threading.Thread(target=listen)
        thread.start()
        assert ready.wait(10)
        if end == "revoke":
            mine.revoke_token(next(one.id for one in mine.tokens() if one.label == "listener"))
        elif end == "sign-out":
            with Client(stack.url, token) as same:
                same.sign_out()
        else:
            mine.change_password(PASSWORD, "new-password-1")
        assert ended.wait(20)  # well before it is seen again automatically
        thread.join()


def test_every_answer_bears_the_headers_of_safety(stack: DemoStack) -> None:
    url = stack.url
    answers = [
        httpx.get(f"{url}/api/v1/health"),
        httpx.get(f"{url}/api/v1/servers"),  # 401
        httpx.get(f"{url}/api/v1/nothing"),  # 404
        httpx.post(f"{url}/api/v1/session", content=b"{"),  # 422
        httpx.post(f"{url}/api/v1/session", content=bytes(100_000)),  # 413
        httpx.get(f"{url}/api/v1/health", headers={"Host": "elsewhere.example"}),  # 421
        httpx.get(url),
    ]
    assert [answer.status_code for answer in answers] == [200, 401, 404, 422, 413, 421, 200]
    for answer in answers:
        assert set(answer.headers) >= SAFE_HEADERS
        assert len(answer.headers.get_list("content-security-policy")) == 1
    host, _, port = url.removeprefix("http://").partition(":")
    with socket.create_connection((host, int(port)), 10) as raw:
        raw.sendall(b"no request at all\r\n\r\n")
        said = b"".join(iter(lambda: raw.recv(4096), b"")).decode().lower()
    assert said.startswith("http/1.1 400")
    assert all(f"{name}:" in said for name in SAFE_HEADERS), said


def test_a_fault_inside_bears_them_too(stack: DemoStack, monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*_: object) -> None:
        raise RuntimeError("inside")

    monkeypatch.setattr("zerrit.work.servers.servers.list_servers", fails)
    with stack.client() as mine:
        answer = httpx.get(f"{stack.url}/api/v1/servers", headers=mine._http.headers)
    assert answer.status_code == 500
    assert set(answer.headers) >= SAFE_HEADERS
    assert answer.json()["type"] == "urn:zerrit:problem:internal"
    assert "inside" not in answer.json()["detail"].replace("inside Zerrit", "")


@pytest.mark.parametrize(
    ("host", "is_known"),
    [
        ("localhost:1", True),
        ("127.0.0.1", True),
        ("[::1]:8750", True),
        ("192.0.2.7:8750", True),
        ("evil.example", False),
        ("localhost.evil.example", False),
        ("127.0.0.1.evil.example", False),
    ],
)
def test_the_service_answers_under_its_own_names_only(stack: DemoStack, host: str, is_known: bool) -> None:
    answer = httpx.get(f"{stack.url}/api/v1/health", headers={"Host": host})
    assert answer.status_code == (200 if is_known else 421)
    assert is_known or "--allow-host" in answer.json()["detail"]


def test_a_body_is_bounded_before_it_is_read(stack: DemoStack) -> None:
    """Announced or not: what is too much for whom is said, with the bound."""
    large = 3 * 1024 * 1024
    tried = [
        ("/api/v1/session", {}, "65,536 bytes, which is the bound for signing in"),
        ("/api/v1/servers/coral-gate/defaults", {}, "65,536 bytes, which is the bound for one who is not signed in"),
    ]
    for path, headers, said in tried:
        for content in (bytes(large), iter([bytes(60_000)] * 60)):
            answer = httpx.post(stack.url + path, content=content, headers=headers)  # type: ignore[arg-type]
            if answer.status_code == 401 and not isinstance(content, bytes):  # nothing of it was read
                continue
            assert (answer.status_code, said in answer.json()["detail"]) == (413, True)
    with stack.client() as mine:
        answer = httpx.post(f"{stack.url}/api/v1/servers", headers=mine._http.headers, content=b" " * (9 * 1024 * 1024))
        assert (answer.status_code, "8,388,608 bytes" in answer.json()["detail"]) == (413, True)
        answer = httpx.post(f"{stack.url}/api/v1/servers", headers=mine._http.headers, content=b" " * 5_000_000)
        assert answer.status_code == 422


def test_many_sign_ins_at_once_hold_nobody_up(stack: DemoStack) -> None:
    """While dozens of passwords are checked, whoever is signed in and the question after health are answered."""
    with stack.client() as mine, concurrent.futures.ThreadPoolExecutor(60) as pool:
        tries = [
            pool.submit(
                httpx.post,
                f"{stack.url}/api/v1/tokens",
                json={"name": f"unknown-{number}", "password": "wrong-password"},
                timeout=60,
            )
            for number in range(60)
        ]
        slowest = 0.0
        for _ in range(20):
            began = time.monotonic()
            assert httpx.get(f"{stack.url}/api/v1/health", timeout=20).status_code == 200
            mine.me()
            slowest = max(slowest, time.monotonic() - began)
        codes = {one.result().status_code for one in tries}
    assert slowest < 15
    assert codes <= {401, 429}


# --- the machine ------------------------------------------------------------------------------------------------------


def test_the_data_folder_is_no_games_folder(stack: DemoStack) -> None:
    with stack.client() as mine:
        given = stack.server_in("coral-gate")
        for folder in (stack.folder / "data", stack.folder / "data" / "manual", stack.folder, Path("/")):
            folder.mkdir(exist_ok=True)
            inside = given.model_copy(
                update={"id": "inside", "gamebook": None, "connection": api.FolderConnection(folder=str(folder))}
            )
            with pytest.raises(ProblemError, match="lie in each other"):
                mine.add_server(inside)
        way_round = stack.folder.parent / "way-round"
        way_round.symlink_to(stack.folder / "data")
        with pytest.raises(ProblemError, match="lie in each other"):
            mine.add_server(
                given.model_copy(
                    update={"id": "inside", "gamebook": None, "connection": api.FolderConnection(folder=str(way_round))}
                )
            )


def test_folders_and_commands_as_whoever_starts_it_says(tmp_path: Path) -> None:
    allowed, other = tmp_path / "allowed", tmp_path / "other"
    (allowed / "game").mkdir(parents=True)
    other.mkdir()
    with (
        DemoStack(tmp_path / "demo", settle=0.3, bounds=Bounds(commands=False, folders_below=(allowed,))) as stack,
        stack.client() as mine,
    ):
        given = stack.server_in("coral-gate").model_copy(
            update={
                "id": "folder-one",
                "gamebook": None,
                "connection": api.FolderConnection(folder=str(other)),
                "control": api.ManualControl(),
            }
        )
        with pytest.raises(ProblemError, match=r"is not below .*allowed"):
            mine.add_server(given)
        (allowed / "out").symlink_to(other)
        with pytest.raises(ProblemError, match=r"is not below .*allowed"):
            mine.add_server(given.model_copy(update={"connection": api.FolderConnection(folder=str(allowed / "out"))}))
        given = given.model_copy(update={"connection": api.FolderConnection(folder=str(allowed / "game"))})
        commands = {"state": ["true"], "stop": ["true"], "start": ["true"]}
        with pytest.raises(ProblemError, match="runs no commands"):
            mine.add_server(given.model_copy(update={"control": api.CommandControl(commands=commands)}))
        console = api.ConsoleControl(
            host="127.0.0.1", port=1, commands=api.ConsoleCommands(stop="stop"), start=["true"]
        )
        with pytest.raises(ProblemError, match="runs no commands"):
            mine.add_server(given.model_copy(update={"control": console}))
        assert mine.add_server(given).id == "folder-one"


def test_a_token_goes_to_no_other_service_and_its_file_is_private(stack: DemoStack, tmp_path: Path) -> None:
    config = tmp_path / "config"
    config.mkdir()
    (config / "sign-in.json").write_text("{}")
    (config / "sign-in.json").chmod(0o644)
    given = {"ZERRIT_CONFIG": str(config), "ZERRIT_PASSWORD": PASSWORD}
    assert command("sign-in", "--url", stack.url, "--name", ADMIN, cwd=tmp_path, **given).code == 0
    assert stat.S_IMODE((config / "sign-in.json").stat().st_mode) == 0o600
    assert command("server", "list", cwd=tmp_path, **given).code == 0
    seen: list[str] = []

    class Other(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            seen.append(self.headers.get("Authorization", ""))
            self.send_error(401)

        def log_message(self, format: str, *args: object) -> None:
            pass

    with http.server.HTTPServer(("127.0.0.1", 0), Other) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        elsewhere = given | {"ZERRIT_URL": f"http://127.0.0.1:{server.server_address[1]}"}
        assert command("server", "list", cwd=tmp_path, **elsewhere).code == 3
        server.shutdown()
    assert seen == [""]
    assert "this one" in command("tokens", cwd=tmp_path, **given).out
    assert command("sign-out", cwd=tmp_path, **given).out == "Signed out.\n"
    assert not (config / "sign-in.json").exists()
    assert "Sign in first" in command("server", "list", cwd=tmp_path, **given | {"ZERRIT_URL": stack.url}).err


def test_key_and_database_are_private_whatever_was_there(tmp_path: Path) -> None:
    with DemoStack(tmp_path / "demo", settle=0.3):
        pass
    data = tmp_path / "demo" / "data"
    for name in ("zerrit.key", "zerrit.db"):
        (data / name).chmod(0o644)
    with DemoStack(tmp_path / "demo", settle=0.3):
        assert {stat.S_IMODE((data / name).stat().st_mode) for name in ("zerrit.key", "zerrit.db")} == {0o600}


# --- the log of what was done -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        ("update activity set detail = 'nothing' where id = 2", r"row 2 \(.*\) was altered"),
        ("delete from activity where id = 2", "What stood between row 1 and row 3 was removed"),
        ("delete from activity where id = (select max(id) from activity)", r"was removed: the last row was row \d+"),
    ],
)
def test_an_altered_or_removed_row_of_the_activity_log_is_named(
    tmp_path: Path, spoil: str, said: str, capfd: pytest.CaptureFixture[str]
) -> None:
    with DemoStack(tmp_path / "demo", settle=0.3) as stack, stack.client() as mine:
        with Client(stack.url) as free:
            for _ in range(3):
                free.token(ADMIN, PASSWORD)
        chain = mine.verify_activity()
        assert (chain.rows >= 3, chain.faults) == (True, [])
    with sqlite3.connect(tmp_path / "demo" / "data" / "zerrit.db") as database:
        database.execute(spoil)
    capfd.readouterr()
    with DemoStack(tmp_path / "demo", settle=0.3) as stack:
        told = capfd.readouterr().out
        assert "The activity log was altered: " in told
        assert re.search(said, told)
        signed_in = {"ZERRIT_PASSWORD": PASSWORD, "ZERRIT_URL": stack.url}
        assert command("sign-in", "--name", ADMIN, cwd=tmp_path, **signed_in).code == 0
        verified = command("activity", "verify", cwd=tmp_path)
    if "max(id)" not in spoil:  # its number was given to the row of this sign-in; the start has said it
        assert (verified.code, bool(re.search(said, verified.out))) == (1, True)


def test_a_connection_in_use_is_not_closed_between_two_requests(
    stack: DemoStack, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("zerrit.web.http_server.HEAD_PATIENCE", 0.3)
    connection = http.client.HTTPConnection(stack.url.removeprefix("http://"), timeout=20)
    connection.connect()
    used = connection.sock
    for _ in range(20):
        connection.request("GET", "/api/v1/health")
        assert connection.getresponse().read()
        time.sleep(0.1)  # the service looks while nothing is under way
    assert connection.sock is used
    connection.close()


def test_half_open_connections_are_let_go(stack: DemoStack, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever begins a request and does not go on is not waited for; whoever asks and is answered is not hurried."""
    monkeypatch.setattr("zerrit.web.http_server.HEAD_PATIENCE", 0.5)
    monkeypatch.setattr("zerrit.web.http_server.BODY_PATIENCE", 1.0)
    host, _, port = stack.url.removeprefix("http://").partition(":")
    begun = [
        b"",
        b"GET /api/v1/health HT",
        b"GET /api/v1/health HTTP/1.1\r\nHost: localhost\r\n\r\nGET /api",
        b"POST /api/v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 90\r\n\r\n{",
    ]
    connections = [socket.create_connection((host, int(port)), 20) for _ in begun]
    for raw, part in zip(connections, begun, strict=True):
        raw.sendall(part)
    with stack.client() as mine:
        events = mine.events()
        assert next(events)[0] == "ready"
        for raw in connections:
            while raw.recv(65536):
                pass  # the answer to what was whole; then it is closed
            raw.close()
        fetched = threading.Timer(
            1.5, mine.add_server, [stack.server_in("coral-gate").model_copy(update={"gamebook": None})]
        )
        fetched.start()
        fetched.join()
        mine.change_server(stack.server_in("coral-gate").model_copy(update={"gamebook": None}))
        assert next(events)[0] == "server"  # a stream goes on for as long as it is listened to
