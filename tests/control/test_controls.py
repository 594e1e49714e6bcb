"""Every control against a real other side: commands as processes, the stand-in's console and HTTP hook."""

from __future__ import annotations

import contextlib
import http.server
import os
import signal
import socket
import struct
import sys
import threading
import time
import tracemalloc
from collections.abc import Iterator
from pathlib import Path

import pytest

from zerrit.control import Act, CommandControl, ConsoleControl, ControlError, HttpHook, ManualControl
from zerrit.control.control import GameState
from zerrit.standin import Faults, StandinHost

COMMANDS = {"stop": "surface", "reload": "reread", "announce": "tell {text}", "players": "aboard"}


@pytest.fixture
def host(tmp_path: Path) -> Iterator[StandinHost]:
    (tmp_path / "game").mkdir()
    running = StandinHost(tmp_path, ("game",), "keys")
    game = running.games["game"]
    game.start = lambda: None  # type: ignore[method-assign]  # no game is there
    running.start()
    yield running
    running.stop()


def console(host: StandinHost, password: str = "keys", commands: dict[str, str] | None = None) -> ConsoleControl:
    return ConsoleControl("127.0.0.1", host.console_ports["game"], password, commands or COMMANDS, timeout=3)


def test_a_console_counts_announces_and_stops(host: StandinHost) -> None:
    control = console(host)
    assert control.state() == GameState(True, "its console answers")
    host.games["game"].players = 4
    assert ConsoleControl("127.0.0.1", host.console_ports["game"], "keys", {"players": "status"}).players() == 4
    control.announce("Back in 5 minutes\nsurface")
    assert host.games["game"].announced == ["Back in 5 minutes surface"], "a line break must not become a command"
    control.reload()
    control.stop()
    assert control.is_manual == {Act.START}


def test_a_long_answer_of_a_console_comes_whole(host: StandinHost) -> None:
    host.games["game"].players = 3000
    control = console(host)
    said = control._say(Act.PLAYERS)
    assert said.startswith("diver 1\n")
    assert said.endswith("diver 3000")


def test_a_wrong_password_a_closed_port_and_another_service_are_told_apart(host: StandinHost) -> None:
    with pytest.raises(ControlError, match="refuses the password"):
        console(host, password="guess").state()
    assert not ConsoleControl("127.0.0.1", 1, "keys", COMMANDS).state().is_running
    with pytest.raises(ControlError, match="does not answer") as caught:
        ConsoleControl("127.0.0.1", 1, "keys", COMMANDS).stop()
    assert caught.value.is_passing
    with socket.create_server(("127.0.0.1", 0)) as other:

        def answer() -> None:
            peer, _ = other.accept()
            peer.sendall(b"HTTP/1.1 400 Bad Request\r\n\r\n")
            time.sleep(1)

        threading.Thread(target=answer, daemon=True).start()
        with pytest.raises(ControlError, match="not a game console"):
            ConsoleControl("127.0.0.1", other.getsockname()[1], "keys", COMMANDS, timeout=2).state()


def test_a_console_that_hangs_up_in_the_middle_is_said() -> None:
    with socket.create_server(("127.0.0.1", 0)) as other:

        def answer() -> None:
            peer, _ = other.accept()
            peer.recv(100)
            peer.sendall(struct.pack("<iii", 10, 1, 2)[:9])
            peer.close()

        threading.Thread(target=answer, daemon=True).start()
        with pytest.raises(ControlError, match="broke"):
            ConsoleControl("127.0.0.1", other.getsockname()[1], "keys", COMMANDS, timeout=2).state()


def test_commands_run_without_a_shell_and_say_what_went_wrong(tmp_path: Path) -> None:
    said = tmp_path / "said"
    write = [sys.executable, "-c", f"import sys; open({str(said)!r}, 'w').write(sys.argv[1])", "{text}"]
    control = CommandControl(
        {
            "state": [sys.executable, "-c", "print('afloat'); raise SystemExit(0)"],
            "stop": [sys.executable, "-c", "import sys; sys.exit('the crane is stuck')"],
            "start": ["no-such-command"],
            "announce": write,
            "players": [sys.executable, "-c", "print('aboard: 7')"],
        }
    )
    assert control.state() == GameState(True, "afloat")
    assert control.players() == 7
    assert control.can == {Act.STOP, Act.START, Act.ANNOUNCE, Act.PLAYERS}
    control.announce("5 minutes; touch /tmp/oops $(whoami)")
    assert said.read_text() == "5 minutes; touch /tmp/oops $(whoami)"
    with pytest.raises(ControlError, match=r"`stop` .* ended with 1: the crane is stuck"):
        control.stop()
    with pytest.raises(ControlError, match="cannot be run: no-such-command"):
        control.start()
    with pytest.raises(ControlError, match="does not know how to make the game read its files again"):
        control.reload()


def test_a_shell_is_used_only_where_it_is_asked_for_and_gets_the_text_as_a_variable(tmp_path: Path) -> None:
    said = tmp_path / "said"
    control = CommandControl({"state": ["exit 3"], "announce": [f'printf %s "$ZERRIT_TEXT" > {said}']}, use_shell=True)
    assert not control.state().is_running
    control.announce('"; touch oops; "')
    assert said.read_text() == '"; touch oops; "'


def test_a_command_that_does_not_end_is_given_up() -> None:
    control = CommandControl({"stop": [sys.executable, "-c", "import time; time.sleep(30)"]}, timeout=0.5)
    with pytest.raises(ControlError, match=r"did not end within 0\.5 s"):
        control.stop()


def test_the_hook_counts_and_announces_and_a_failing_one_may_pass(host: StandinHost) -> None:
    hook = HttpHook(f"http://127.0.0.1:{host.control_port}/game", "keys")
    host.games["game"].players = 2
    assert hook.players() == 2
    hook.announce("soon")
    assert host.games["game"].announced == ["soon"]
    host.games["game"].wrong.set(Faults(control_down=True))
    with pytest.raises(ControlError, match="answered 503") as caught:
        hook.state()
    assert caught.value.is_passing
    other = HttpHook(f"http://127.0.0.1:{host.control_port}", "keys")
    with pytest.raises(ControlError, match="does not know how to announce something"):
        other.announce("soon")


def test_a_game_by_hand_is_looked_at_and_never_touched() -> None:
    control = ManualControl(lambda: GameState(True, "does not look stopped"))
    assert control.state().is_running
    assert {Act.STOP, Act.START} <= control.is_manual
    with pytest.raises(ControlError, match="Stop it yourself"):
        control.stop()


@pytest.mark.parametrize(
    ("script", "is_running", "word"),
    [
        ("exit 0", True, "running"),
        ("echo active; exit 0", True, "active"),
        ("echo stopped; exit 0", False, "stopped"),
        ("echo Stopped.; exit 0", False, "Stopped."),
        ("exit 1", False, "stopped"),
        ("echo inactive; exit 3", False, "inactive"),
    ],
)
def test_a_state_command_says_by_exit_code_and_word_whether_the_game_runs(
    script: str, is_running: bool, word: str
) -> None:
    assert CommandControl({"state": ["sh", "-c", script]}).state() == GameState(is_running, word)


@pytest.mark.parametrize("script", ["exit 2", "exit 127", "echo running; exit 1", "kill -9 $$"])
def test_a_state_command_that_fails_is_no_stopped_game(script: str) -> None:
    with pytest.raises(ControlError, match="must end with exit code 0 when the game runs, and with 1 or 3"):
        CommandControl({"state": ["sh", "-c", script]}).state()


# --- answers without end ----------------------------------------------------------------------------------------------


def test_a_command_that_prints_without_end_fills_no_memory() -> None:
    """Only the start of what it prints is kept, and it is held up by nothing."""
    control = CommandControl({"state": ["sh", "-c", "yes running | head -c 30000000"]})
    tracemalloc.start()
    try:
        assert control.state().is_running
        _, most = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert most < 2_000_000


def test_a_game_left_running_by_a_command_holds_nothing_up(tmp_path: Path) -> None:
    """It has the same output as the command; the command has ended anyway."""
    control = CommandControl({"start": ["sh", "-c", f"sleep 30 & echo $! > {tmp_path / 'pid'}"]}, timeout=20)
    began = time.monotonic()
    try:
        control.start()
        assert time.monotonic() - began < 15
    finally:
        os.kill(int((tmp_path / "pid").read_text()), signal.SIGKILL)


@pytest.mark.parametrize(("pause", "said"), [(0.0, "more than 65,536 bytes"), (0.3, "did not end its answer")])
def test_an_answer_over_http_has_a_size_and_a_time(pause: float, said: str) -> None:
    """One host sends without end, another one sends a little, again and again."""

    class Endless(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.end_headers()
            with contextlib.suppress(OSError):
                for _ in range(100_000):
                    self.wfile.write(b" " * (5 if pause else 4096))
                    time.sleep(pause)

        def log_message(self, format: str, *args: object) -> None:
            pass

    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Endless) as server:
        server.daemon_threads = True
        server.block_on_close = False
        threading.Thread(target=server.serve_forever, daemon=True).start()
        with pytest.raises(ControlError, match=said):
            HttpHook(f"http://127.0.0.1:{server.server_address[1]}", "token", timeout=1).state()
        server.shutdown()
