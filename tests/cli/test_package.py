"""The wheel: installed into an empty environment, it has the console, the demo and every command."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path

import httpx
import pytest

from tests.cli.test_service import process, wait_for
from tests.ports import free_port
from zerrit.demo.stack import ADMIN, PASSWORD
from zerrit.standin.host import make_certificate

ROOT = Path(__file__).parent.parent.parent


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The command of a new environment. What the wheel needs is taken from this one, since nothing is downloaded."""
    folder = tmp_path_factory.mktemp("package")
    pip = (sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check")
    subprocess.run(
        [*pip, "wheel", "--no-deps", "--no-build-isolation", "--wheel-dir", folder, str(ROOT)], check=True, cwd=folder
    )
    (wheel,) = folder.glob("zerrit-*.whl")
    venv.create(folder / "env")
    python = folder / "env/bin/python"
    subprocess.run([*pip, "--python", python, "install", "--no-index", "--no-deps", wheel], check=True)
    (packages,) = (folder / "env/lib").glob("python3*/site-packages")
    (packages / "needs.pth").write_text(sysconfig.get_path("purelib") + "\n")
    return folder / "env/bin/zerrit"


def run(command: Path, *words: str, cwd: Path) -> subprocess.CompletedProcess[str]:
    given = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    return subprocess.run(
        [command, *words], cwd=cwd, env=given, capture_output=True, text=True, timeout=60, check=False
    )


def test_the_installed_program_is_the_wheels_own(installed: Path, tmp_path: Path) -> None:
    where = run(installed.parent / "python", "-c", "import zerrit; print(zerrit.__file__)", cwd=tmp_path).stdout
    assert Path(where.strip()).is_relative_to(installed.parent.parent)
    (tmp_path / "a.json").write_text('{"a": 1,}')
    checked = run(installed, "check", "a.json", cwd=tmp_path)
    assert (checked.returncode, "json.comma-extra" in checked.stdout) == (1, True)


def test_the_installed_demo_serves_the_console(installed: Path, tmp_path: Path) -> None:
    port = free_port()
    words = ("--folder", tmp_path / "demo", "--port", port, "--ftp-port", free_port(), "--control-port", free_port())
    given = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    running = subprocess.Popen(
        [installed, "demo", *map(str, words)], cwd=tmp_path, env=given, stdout=subprocess.PIPE, text=True
    )
    try:
        wait_for(f"http://127.0.0.1:{port}/api/v1/health", running)
        with httpx.Client(base_url=f"http://127.0.0.1:{port}") as browser:
            page = browser.get("/")
            assert (page.status_code, '<div id="root">' in page.text) == (200, True)
            script = page.text.partition('src="')[2].partition('"')[0]
            assert browser.get(script).headers["content-type"].startswith(("text/javascript", "application/javascript"))
            assert browser.post("/api/v1/session", json={"name": ADMIN, "password": PASSWORD}).status_code == 200
        running.send_signal(signal.SIGINT)
        assert running.wait(30) == 0
    finally:
        running.kill()
        running.communicate()


def test_the_service_speaks_https_with_a_certificate(tmp_path: Path) -> None:
    pem, port = make_certificate(tmp_path), free_port()
    words = ("-m", "zerrit", "serve", "--data", str(tmp_path / "data"), "--port", str(port), "--tls-cert", str(pem))
    with process(*words) as alone:
        _, said = alone.communicate(timeout=30)
    assert (alone.returncode, "Give both --tls-cert and --tls-key." in said) == (2, True)
    with process(*words, "--tls-key", str(tmp_path / "none.pem")) as lost:
        _, said = lost.communicate(timeout=30)
    assert (lost.returncode, "cannot be used as certificate and key" in said) == (3, True)
    with process(*words, "--tls-key", str(pem)) as running:
        assert running.stdout is not None
        password = running.stdout.readline().split()[-1]
        with httpx.Client(base_url=f"https://127.0.0.1:{port}", verify=False) as browser:  # noqa: S501  # made up here
            for _ in range(100):
                try:
                    browser.get("/api/v1/health")
                    break
                except httpx.HTTPError:
                    signal.sigtimedwait([], 0.1)
            answer = browser.post("/api/v1/session", json={"name": "admin", "password": password})
        assert answer.status_code == 200
        assert "Secure" in answer.headers["set-cookie"]
