"""Trying a connection and a control before a server is added."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.files import files_of
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import HOST_PASSWORD, DemoStack

Shared = tuple[DemoStack, Client]
WORLDS = Path(__file__).parents[1] / "worlds"


def folder(path: Path, *, try_write: bool = False) -> api.ConnectionTestIn:
    return api.ConnectionTestIn.model_validate(
        {"connection": {"kind": "folder", "folder": str(path)}, "try_write": try_write}
    )


def ftp(stack: DemoStack, password: str, below: str = "/") -> api.ConnectionTestIn:
    connection = {
        "kind": "ftp",
        "host": "127.0.0.1",
        "port": stack.host.ftp_port,
        "user": "coral-gate",
        "folder": below,
    }
    return api.ConnectionTestIn.model_validate({"connection": connection, "connection_secret": password})


def test_a_host_is_looked_at_without_keeping_anything(shared: Shared) -> None:
    stack, zerrit = shared
    seen = zerrit.test_connection(ftp(stack, HOST_PASSWORD))
    assert (seen.files, seen.is_complete, seen.can_write) == (80, True, None)
    assert [one.name for one in seen.here if one.is_folder][:3] == ["addins", "charts", "crew"]
    assert ("station.ini" in seen.settings, seen.scripts, seen.databases) == (True, ["launch.sh"], ["ledger.db"])
    assert seen.read_speed is not None and seen.read_speed > 0 and seen.listing_ms > 0
    assert "clear text" in seen.notes[0]
    assert [server.id for server in zerrit.servers()] == ["coral-gate", "lantern-shelf"]
    below = zerrit.test_connection(ftp(stack, HOST_PASSWORD, "/sea"))
    assert [one.name for one in below.here] == ["happenings", "buoys.xml", "chart.xml", "finds.xml"]


@pytest.mark.parametrize(
    ("password", "below", "said"), [("wrong", "/", "refuses the user"), (HOST_PASSWORD, "/nowhere", "nowhere")]
)
def test_what_fails_says_why(shared: Shared, password: str, below: str, said: str) -> None:
    with pytest.raises(ProblemError, match=said):
        shared[1].test_connection(ftp(shared[0], password, below))


def test_a_written_file_is_gone_afterwards_and_one_that_is_there_is_not_touched(shared: Shared, tmp_path: Path) -> None:
    (tmp_path / "rules.ini").write_text("[A]\nb=1\n")
    before = files_of(tmp_path)
    assert shared[1].test_connection(folder(tmp_path, try_write=True)).can_write is True
    assert files_of(tmp_path) == before
    (tmp_path / "zerrit-write-test.txt").write_text("mine")
    seen = shared[1].test_connection(folder(tmp_path, try_write=True))
    assert seen.can_write is False and "is there already" in seen.write_problem
    assert (tmp_path / "zerrit-write-test.txt").read_text() == "mine"


def test_a_link_leads_nowhere_and_odd_names_are_left_out(shared: Shared, tmp_path: Path) -> None:
    (tmp_path / "a.ini").write_text("x=1\n")
    (tmp_path / "out").symlink_to("/etc")
    (tmp_path / "bad\nname.ini").write_text("x=1\n")
    seen = shared[1].test_connection(folder(tmp_path))
    assert ([one.name for one in seen.here], seen.files) == (["a.ini"], 1)


def test_looking_has_an_end(shared: Shared, tmp_path: Path) -> None:
    for number in range(200):
        (tmp_path / f"f{number}").mkdir()
        (tmp_path / f"f{number}" / "a.ini").write_text("x=1\n")
    seen = shared[1].test_connection(folder(tmp_path))
    assert (seen.is_complete, seen.folders) == (False, 200)
    assert 100 <= seen.files <= 160


@pytest.mark.parametrize("world", ["apiary", "orchard", "post", "quarry", "tramway"])
def test_other_games_are_looked_at_too(shared: Shared, world: str) -> None:
    seen = shared[1].test_connection(folder(WORLDS / world / "1"))
    assert seen.files == len(files_of(WORLDS / world / "1"))


def test_a_control_is_asked_and_nothing_is_stopped(shared: Shared) -> None:
    stack, zerrit = shared
    control = {"kind": "http", "url": f"http://127.0.0.1:{stack.host.control_port}/coral-gate"}
    asked = api.ControlTestIn.model_validate({"control": control, "control_secret": HOST_PASSWORD})
    said = zerrit.test_control(asked)
    assert (said.is_running, said.state) == (True, "running")
    with pytest.raises(ProblemError):
        zerrit.test_control(api.ControlTestIn.model_validate({"control": control, "control_secret": "wrong"}))
    with pytest.raises(ProblemError, match="nothing to ask"):
        zerrit.test_control(api.ControlTestIn.model_validate({"control": {"kind": "manual"}}))
    with pytest.raises(ProblemError, match="nothing to test"):
        zerrit.test_connection(api.ConnectionTestIn.model_validate({"connection": {"kind": "manual"}}))


def test_a_drafted_gamebook_ignores_the_logs_that_are_on_the_server(zerrit: Client, stack: DemoStack) -> None:
    game = stack.host_folder / "lantern-shelf"
    (game / "crash-reports").mkdir()
    (game / "crash-reports" / "1.txt").write_text("boom")
    known = zerrit.server("lantern-shelf").model_dump(include={"id", "title", "connection", "control", "maintenance"})
    zerrit.change_server(api.ServerIn.model_validate({**known, "gamebook": None}))
    zerrit.fetch("lantern-shelf")
    text = zerrit.draft_gamebook("lantern-shelf").text
    assert 'ignore: ["logs/**", "crash-reports/**"]' in text
    zerrit.save_as_gamebook("lantern-shelf", text)
