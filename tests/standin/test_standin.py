"""The simulated host behaves as real ones do: its game reads, crashes, rewrites; its control wants a token."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from zerrit.control import ControlError, HttpHook
from zerrit.demo.stack import write_files
from zerrit.demo.world_files import server_files
from zerrit.standin import StandinHost


@pytest.fixture
def host(tmp_path: Path) -> Iterator[StandinHost]:
    write_files(tmp_path / "coral-gate", server_files("coral-gate"))
    running = StandinHost(tmp_path, ("coral-gate",), "shelf-keys")
    running.start()
    yield running
    running.stop()


def hook(host: StandinHost, token: str = "shelf-keys", game: str = "coral-gate") -> HttpHook:
    return HttpHook(f"http://127.0.0.1:{host.control_port}/{game}", token)


def log_says(host: StandinHost, word: str) -> str:
    """The log, once it has the word."""
    path = host.games["coral-gate"].folder / "logs/station.log"
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        text = path.read_text() if path.exists() else ""
        if word in text:
            return text
        time.sleep(0.05)
    raise AssertionError(f"the log never said {word!r}")


def test_the_game_says_what_it_loaded(host: StandinHost) -> None:
    log = log_says(host, "station is open")
    for line in (
        "chart: 20 grounds",
        "finds: 399 on 9 shelves, 0 without a ground",
        "galley: 28 of 28 dishes",
        "add-in tidebell loaded",
    ):
        assert line in log
    assert hook(host).state().is_running


def test_the_game_rewrites_its_file_when_it_stops(host: StandinHost) -> None:
    log_says(host, "station is open")
    station = host.games["coral-gate"].folder / "station.ini"
    before = station.read_text()
    station.write_text(before.replace("FindRate=1.4", "FindRate=3"))
    hook(host).stop()
    after = station.read_text()
    assert "FindRate=1.4" in after, "who edits while it runs loses the edit"
    assert ("Starts=0" in before, "Starts=1" in after) == (True, True)
    assert not hook(host).state().is_running


@pytest.mark.parametrize(
    ("path", "old", "new", "said"),
    [
        ("sea/chart.xml", "</chart>", "</chrt>", "mismatched tag"),
        ("station.ini", "Bus=40", "Bus=9", "breaker tripped: circuits draw 25 strokes, the bus carries 9"),
        ("galley/board.json", "}", "", "Expecting"),
    ],
)
def test_a_broken_file_ends_in_a_crash_file(host: StandinHost, path: str, old: str, new: str, said: str) -> None:
    log_says(host, "station is open")
    hook(host).stop()
    file = host.games["coral-gate"].folder / path
    file.write_text(file.read_text().replace(old, new))
    hook(host).start()
    assert said in log_says(host, "ERROR")
    deadline = time.monotonic() + 20
    while hook(host).state().word != "crashed":
        assert time.monotonic() < deadline
        time.sleep(0.05)
    (crash,) = (host.games["coral-gate"].folder / "crashes").iterdir()
    assert said in crash.read_text()


def test_a_control_with_a_wrong_token_or_game_is_refused(host: StandinHost) -> None:
    with pytest.raises(ControlError, match="refuses the token"):
        hook(host, token="guess").state()
    with pytest.raises(ControlError, match="answered 404 to `state`"):
        hook(host, game="other").state()
    assert httpx.post(f"http://127.0.0.1:{host.control_port}/coral-gate/stop").status_code == 401


def test_a_control_that_is_not_there_is_said() -> None:
    with pytest.raises(ControlError, match=r"does not answer .* Is the host up"):
        HttpHook("http://127.0.0.1:1", "shelf-keys").state()
