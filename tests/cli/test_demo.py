"""The demo and the tour through it, as programs."""

from __future__ import annotations

import os
import signal
from collections.abc import Mapping, Sequence
from pathlib import Path

import pytest

from tests.cli.command import process
from tests.cli.prepared import run_prepared
from tests.ports import free_port
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack
from zerrit.demo.tour import as_process, tour


def prepared(arguments: Sequence[str], environment: Mapping[str, str]) -> tuple[int, str]:
    code, out, err = run_prepared(list(arguments), Path.cwd(), dict(environment), b"")
    return code, (out + err).decode()


def test_the_tour_tells_the_whole_story(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with DemoStack(tmp_path / "demo", settle=1.0) as stack:
        tour(stack, tmp_path, prepared)
    told = capsys.readouterr().out
    assert told.count("\n# ") == 7
    assert told.rstrip().endswith("The tour is over: the game runs with the files of snapshot 1.")


def test_a_command_of_the_tour_is_a_process(tmp_path: Path) -> None:
    code, printed = as_process(["show", str(tmp_path / "none.xml")], os.environ)
    assert (code, "none.xml" in printed) == (2, True)


def test_the_demo_starts_twice_and_names_a_taken_port(tmp_path: Path) -> None:
    ports = {"--port": free_port(), "--ftp-port": free_port(), "--control-port": free_port()}
    given = [str(part) for pair in ports.items() for part in pair]
    demo = ("-m", "zerrit", "demo", "--folder", str(tmp_path / "demo"), *given)
    for _ in range(2):
        with process(*demo) as running:
            assert running.stdout is not None
            first = [running.stdout.readline() for _ in range(4)]
            assert f"http://127.0.0.1:{ports['--port']}" in first[1]
            assert first[2].split()[-3:] == [ADMIN, "password:", PASSWORD]
            with process(*demo) as second:
                _, said = second.communicate(timeout=30)
            assert second.returncode == 3
            assert f"Port {ports['--port']} for the console is in use" in said
            assert f"make demo PORT={ports['--port'] + 100}" in said
            running.send_signal(signal.SIGINT)
            assert running.wait(30) == 0
