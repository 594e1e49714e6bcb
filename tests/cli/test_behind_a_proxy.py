"""The service behind a reverse proxy (Debian's nginx), set up with the very lines of docs/running.md."""

from __future__ import annotations

import os
import re
import shutil
import sqlite3
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

import httpx

from tests.cli.test_service import process, wait_for
from tests.ports import free_port
from zerrit.standin.host import make_certificate

NGINX: Final = shutil.which("nginx", path="/usr/sbin:/usr/bin") or "/usr/sbin/nginx"
PAGE: Final = Path(__file__).parents[2] / "docs" / "running.md"
NAME: Final = "zerrit.example.net"


@contextmanager
def proxy(folder: Path, port: int, service: int) -> Iterator[None]:
    """nginx on loopback with HTTPS, in the foreground and with its files below a folder."""
    found = re.search(r"```\n(location / \{.*?\n\})\n```", PAGE.read_text(), re.DOTALL)
    assert found is not None
    lines = found.group(1).replace("127.0.0.1:8750", f"127.0.0.1:{service}")
    pem = make_certificate(folder)
    paths = "".join(
        f"{kind}_temp_path {folder}/{kind};\n" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    user = "user root;\n" if os.geteuid() == 0 else ""  # its workers write below the folder, too
    (folder / "nginx.conf").write_text(
        f"{user}daemon off; pid {folder}/nginx.pid; error_log {folder}/error.log;\nevents {{}}\nhttp {{\naccess_log off;\n{paths}"
        f"server {{\nlisten 127.0.0.1:{port} ssl;\nserver_name {NAME};\nssl_certificate {pem};\nssl_certificate_key {pem};\n"
        f"{lines}\n}}\n}}\n"
    )
    running = subprocess.Popen([NGINX, "-c", str(folder / "nginx.conf"), "-e", str(folder / "error.log")])
    try:
        yield
    finally:
        running.terminate()
        running.wait(10)


def test_the_lines_for_a_proxy_pass_on_name_address_cookies_uploads_and_events(tmp_path: Path) -> None:
    port, service = free_port(), free_port()
    serve = ("-m", "zerrit", "serve", "--data", str(tmp_path / "data"), "--port", str(service), "--allow-host", NAME)
    (tmp_path / "nginx").mkdir()
    with process(*serve) as running, proxy(tmp_path / "nginx", port, service):
        wait_for(f"http://127.0.0.1:{service}/api/v1/health", running)
        assert running.stdout is not None
        password = running.stdout.readline().split()[-1]
        with httpx.Client(
            base_url=f"https://127.0.0.1:{port}",
            headers={"Host": NAME},
            verify=False,  # noqa: S501 (made up here)
            transport=httpx.HTTPTransport(verify=False, local_address="127.0.0.2", retries=5),
            timeout=30,
        ) as browser:
            wrong = browser.post("/api/v1/session", json={"name": "admin", "password": "not it"})
            assert wrong.status_code == 401
            signed_in = browser.post("/api/v1/session", json={"name": "admin", "password": password})
            assert signed_in.status_code == 200
            assert "Secure" in signed_in.headers["set-cookie"]
            token = browser.post("/api/v1/tokens", json={"name": "admin", "password": password}).json()["token"]
            headers = {"Authorization": f"Bearer {token}"}
            with sqlite3.connect(tmp_path / "data" / "zerrit.db") as records:
                said = records.execute("SELECT detail FROM activity WHERE action = 'person.sign-in-failed'").fetchall()
            assert said == [("from 127.0.0.2",)], "the address of the caller, not that of the proxy"
            upload = {"archive": ("defaults.zip", b"x" * (3 << 20))}  # more than a proxy lets through by itself
            answered = browser.post("/api/v1/servers/none/defaults", data={"label": "1"}, files=upload, headers=headers)
            assert (answered.status_code, answered.json()["type"]) == (422, "urn:zerrit:problem:archive-refused")
            with browser.stream("GET", "/api/v1/events", headers=headers) as events:
                assert next(events.iter_lines()) == "event: ready"
            assert browser.get("/api/v1/health", headers={"Host": "elsewhere.example.net"}).status_code in (400, 421)
