"""The commands that talk to a service, and the service itself as a process."""

from __future__ import annotations

import json
import signal
import socket
import subprocess
import time
from pathlib import Path

import httpx
import pytest

from tests.cli.command import Done, process, zerrit
from tests.ports import free_port
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, HOST_PASSWORD, PASSWORD, DemoStack

GIMBAL = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]"
Shared = tuple[DemoStack, Client]


def wait_for(url: str, running: subprocess.Popen[str]) -> None:
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline and running.poll() is None:
        try:
            httpx.get(url)
            return
        except httpx.HTTPError:
            time.sleep(0.1)
    raise AssertionError("the service did not come up")


@pytest.fixture
def signed_in(shared: Shared) -> dict[str, str]:
    stack, client = shared
    return {"ZERRIT_URL": stack.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}


def test_a_service_starts_says_its_first_password_and_stops_cleanly(tmp_path: Path) -> None:
    port = free_port()
    url = f"http://127.0.0.1:{port}"
    with process(
        "-m", "zerrit", "serve", "--data", str(tmp_path / "data"), "--port", str(port), "--log-json"
    ) as running:
        wait_for(f"{url}/api/v1/health", running)
        assert running.stdout is not None
        word = running.stdout.readline().split()[-1]
        with Client(url) as anonymous, Client(url, anonymous.token("admin", word).token) as client:
            events = client.events()
            assert next(events)[0] == "ready"
            running.send_signal(signal.SIGTERM)
            assert list(events) == [], "the event stream ends automatically"
        _, logged = running.communicate(timeout=15)
    assert running.returncode in (0, -signal.SIGTERM)
    lines = [json.loads(line) for line in logged.splitlines() if line.startswith("{")]
    assert lines[0]["event"] == "service.started"
    assert lines[-1]["event"] == "service.stopped"
    assert any(line["event"] == "request" and line["path"] == "/api/v1/tokens" for line in lines)
    assert word not in logged
    assert "Traceback" not in logged


def test_a_taken_port_is_said(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        done = zerrit("serve", "--data", "data", "--port", port, cwd=tmp_path)
    assert (done.code, done.err) == (
        3,
        f"zerrit: port {port} on 127.0.0.1 cannot be used (Address already in use). Choose another with --port.\n",
    )
    assert not (tmp_path / "data").exists()


@pytest.mark.parametrize(
    ("file", "password", "said"),
    [
        pytest.param("", "short", "A password has at least 8 characters.", id="a short first password"),
        pytest.param("zerrit.db", "long enough", "file is not a database", id="no database"),
        pytest.param("zerrit.key", "long enough", "holds no key", id="no key"),
    ],
)
def test_data_that_cannot_be_used_is_said(tmp_path: Path, file: str, password: str, said: str) -> None:
    (tmp_path / "data").mkdir()
    if file:
        (tmp_path / "data" / file).write_text("nonsense, and rather a lot of it\n" * 400)
    done = zerrit("serve", "--data", "data", "--port", "0", cwd=tmp_path, ZERRIT_ADMIN_PASSWORD=password)
    assert done.code == 3
    assert done.err.startswith("zerrit: the data in data cannot be used: ")
    assert said in done.err
    assert "Traceback" not in done.err


def test_a_sign_in_is_remembered_for_its_owner_only(shared: Shared, tmp_path: Path) -> None:
    stack, _ = shared
    wrong = zerrit("sign-in", "--url", stack.url, "--name", ADMIN, cwd=tmp_path, ZERRIT_PASSWORD="wrong")
    assert (wrong.code, wrong.err) == (3, "zerrit: The name or the password is wrong.\n")
    assert zerrit("sign-in", "--url", stack.url, "--name", ADMIN, cwd=tmp_path, ZERRIT_PASSWORD=PASSWORD).code == 0
    kept = tmp_path / "config/sign-in.json"
    assert kept.stat().st_mode & 0o077 == 0
    assert PASSWORD not in kept.read_text()
    listed = zerrit("server", "list", "--output", "json", cwd=tmp_path)
    assert [server["id"] for server in listed.data] == ["coral-gate", "lantern-shelf"]


def test_trouble_with_the_service_has_an_exit_code_of_its_own(shared: Shared, tmp_path: Path) -> None:
    down = zerrit("server", "list", cwd=tmp_path, ZERRIT_URL="http://127.0.0.1:1")
    assert down.code == 3
    assert down.err.startswith("zerrit: No Zerrit service answers at http://127.0.0.1:1")
    nonsense = zerrit("server", "list", cwd=tmp_path, ZERRIT_URL="nonsense")
    assert (nonsense.code, nonsense.err[:40]) == (3, "zerrit: `nonsense` is not an address of ")
    anonymous = zerrit("server", "list", cwd=tmp_path, ZERRIT_URL=shared[0].url)
    assert (anonymous.code, anonymous.err) == (3, "zerrit: Sign in first: in the console, or with `zerrit sign-in`.\n")


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (("show", "coral-gate:sea/finds.xml#shelf[brass]/find[Coper Gimbal]"), 2, "Nearest: shelf[brass]/find[Copper Gimbal]"),
        (("show", "coral-gate:../etc/secret#a"), 2, "coral-gate has no file ../etc/secret."),
        (("fetch", "coral-gat"), 2, "There is no server coral-gat. Did you mean 'coral-gate'?"),
        (("change", "set", "1", f"{GIMBAL}/@name", "+1"), 2, "`Copper Gimbal` is not a number"),
        (("change", "set", "1", "sea/finds.xml#shelf[brass]/find[Zz*]/@worth", "=1"), 2, "sea/finds.xml#shelf[brass] has no find that fits [Zz*]."),
        (("change", "deploy", "1", "--yes"), 1, "Change 1 is blocked: sea/finds.xml, line 79: `Ribbonwed Flats` is not among the grounds"),
        (("change", "remove-step", "1", "99"), 2, "Change 1 has no step 99."),
        (("change", "add", "1", GIMBAL, "note", "depth"), 2, "`depth`: write FIELD=VALUE, such as price=40."),
        (("change", "create", "coral-gate", ""), 2, "title"),
        (("rollback", "coral-gate", "999", "--yes"), 2, "coral-gate has no snapshot 999."),
        (("server", "add", "x", "--control", "http://127.0.0.1:1"), 2, "Name the connection"),
        (("server", "add", "x", "--ftp", "127.0.0.1:1", "--control", "ftp://x"), 2, "url: write it with http:// or https:// in front, such as https://host/my-server"),
        (("server", "add", "x", "--ftp", "127.0.0.1:1", "--control", "http://127.0.0.1:1"), 3, "No FTP server answers at 127.0.0.1:1"),
    ],
    ids=lambda value: " ".join(value[:3])[:40] if isinstance(value, tuple) else None,
)  # fmt: skip
def test_bad_input_is_explained(
    signed_in: dict[str, str], tmp_path: Path, arguments: tuple[str, ...], code: int, said: str
) -> None:
    secrets = {"ZERRIT_CONNECTION_PASSWORD": "a", "ZERRIT_CONTROL_TOKEN": "b"}
    done: Done = zerrit(*arguments, cwd=tmp_path, **signed_in, **secrets)
    assert said in done.err
    assert "Traceback" not in done.err
    assert done.code == code


def test_a_change_is_looked_at_in_json(signed_in: dict[str, str], tmp_path: Path) -> None:
    checked = zerrit("change", "check", "1", "--output", "json", cwd=tmp_path, **signed_in)
    assert checked.code == 1
    assert checked.data["summary"]["state"] == "draft"
    assert checked.data["findings"][0]["hint"] == "Did you mean 'Ribbonweed Flats'?"
    shown = zerrit("change", "show", "1", "--output", "json", cwd=tmp_path, **signed_in)
    assert [step["kind"] for step in shown.data["step_list"]] == ["set", "set", "set", "add", "set", "merge"]
    compared = zerrit(
        "change", "compare", "1", "--against", "defaults:2.1", "--output", "json", cwd=tmp_path, **signed_in
    )
    assert {"kind", "address", "old", "new"} <= set(compared.data["differences"][0])


def test_a_deploy_asks_before_it_stops_the_game(signed_in: dict[str, str], shared: Shared, tmp_path: Path) -> None:
    _, client = shared
    change = client.create_change("lantern-shelf", "Not tonight")
    zerrit("change", "set", str(change.id), f"{GIMBAL}/@worth", "=50", cwd=tmp_path, **signed_in)
    done = zerrit("change", "deploy", str(change.id), cwd=tmp_path, stdin="n\n", **signed_in)
    assert "Stop lantern-shelf, write sea/finds.xml, and start it again? [y/N]" in done.out
    assert done.code == 1
    assert client.change(change.id).runs == []


def test_a_connection_is_tested_before_a_server_is_added(
    shared: Shared, tmp_path: Path, signed_in: dict[str, str]
) -> None:
    stack, _ = shared
    (tmp_path / "game").mkdir()
    (tmp_path / "game" / "hive.ini").write_text("[A]\nb=1\n")
    (tmp_path / "game" / "start.sh").write_text("#!/bin/sh\n")
    control = f"http://127.0.0.1:{stack.host.control_port}/coral-gate"
    done = zerrit(
        "server", "check-access", "--folder", "game", "--try-write", "--control", control, "--control-token", HOST_PASSWORD,
        cwd=tmp_path, **signed_in,
    )  # fmt: skip
    assert done.code == 0, done.err
    assert "Found 2 files in 0 folders." in done.out
    assert "A small file was written, read and removed." in done.out
    assert "Settings: hive.ini\nScripts that may start it: start.sh\n" in done.out
    assert "Control: running, said after" in done.out
    wrong = zerrit("server", "check-access", "--folder", "nowhere", cwd=tmp_path, **signed_in)
    assert (wrong.code, "is not there" in wrong.err) == (3, True)
