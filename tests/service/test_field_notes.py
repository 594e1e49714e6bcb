"""
The mistakes of every week that need a server which stops and starts, one test each.

All others are in `tests/core/test_field_notes.py`.
"""

from __future__ import annotations

import pytest

from tests.files import files_of
from tests.service.test_deploys import HOLDS, SET, carried_out, opened
from zerrit import api
from zerrit.client import Client
from zerrit.connections import FtpConnection
from zerrit.demo.stack import DemoStack, defaults_zip
from zerrit.demo.world_files import NEXT_VERSION, server_files

EDIT = api.StepIn(kind="set", address="station.ini#Station/Berths", operation="=30")


def test_note_1_the_original_is_kept_from_the_first_fetch_on(zerrit: Client, stack: DemoStack) -> None:
    original = server_files("coral-gate")["sea/finds.xml"]
    first = min(snapshot.id for snapshot in zerrit.snapshots("coral-gate") if snapshot.kind == "server")
    assert carried_out(zerrit, zerrit.deploy(opened(zerrit, SET))).state == "deployed"
    assert zerrit.show("coral-gate", HOLDS)[0].value == "12..30"
    assert carried_out(zerrit, zerrit.rollback("coral-gate", first)).state == "done"
    assert files_of(stack.host_folder / "coral-gate")["sea/finds.xml"] == original


def test_note_4_an_edit_of_a_file_that_the_running_game_would_overwrite_is_not_lost(
    zerrit: Client, stack: DemoStack
) -> None:
    assert zerrit.game_state("coral-gate").state == "running"
    assert carried_out(zerrit, zerrit.deploy(opened(zerrit, EDIT))).state == "deployed"
    text = (stack.host_folder / "coral-gate" / "station.ini").read_text()
    assert "Berths=30" in text
    assert "Starts=1" in text, "what the game wrote when it stopped is there too"


def test_note_13_a_file_that_the_upload_lost_is_seen_and_taken_back(
    zerrit: Client, stack: DemoStack, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = files_of(stack.host_folder / "coral-gate")
    truly = FtpConnection.write

    def loses(connection: FtpConnection, path: str, data: bytes, *, is_executable: bool | None = None) -> None:
        if path != "craft.xml":
            truly(connection, path, data, is_executable=is_executable)

    monkeypatch.setattr(FtpConnection, "write", loses)
    craft = api.StepIn(kind="set", address="craft.xml#hull[Skiff]/@stock", operation="=14")
    run = carried_out(zerrit, zerrit.deploy(opened(zerrit, SET, craft)))
    assert run.state == "rolled-back"
    assert "craft.xml" in run.outcome
    now = files_of(stack.host_folder / "coral-gate")
    assert now["sea/finds.xml"] == before["sea/finds.xml"]


def test_note_24_an_old_crash_file_is_not_taken_for_a_new_one(zerrit: Client, stack: DemoStack) -> None:
    crashes = stack.host_folder / "coral-gate" / "crashes"
    crashes.mkdir(exist_ok=True)
    (crashes / "crash-20250101-000000.txt").write_text("went down last year")
    run = carried_out(zerrit, zerrit.deploy(opened(zerrit, SET)))
    assert (run.state, run.evidence.crash_files) == ("deployed", {})


def test_note_26_an_upgrade_brings_new_keys_and_keeps_ones_own_edits(zerrit: Client) -> None:
    zerrit.import_defaults("coral-gate", NEXT_VERSION, defaults_zip(NEXT_VERSION))
    plan = zerrit.upgrade_plan("coral-gate", api.UpgradeIn(old="2.1", new=NEXT_VERSION))
    bell = next(file for file in plan.files if file.path == "addins/tidebell/settings.yml")
    assert [key.address.partition("#")[2] for key in bell.added] == ["settings/fade"]
    assert [conflict.mine for conflict in plan.conflicts if conflict.address.endswith("settings/volume")] == ["0.5"]
