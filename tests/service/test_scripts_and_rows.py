"""Tables of scripts, start lines and rows of a database on a server: changed by address, deployed, rolled back."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.core.documents.test_database import LEDGER, rows
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.worlds import world
from zerrit import api
from zerrit.client import ProblemError

FILES = world("cannery") | world("lantern")


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with({**FILES, "ledger.db": LEDGER})
        yield stack


def said(run: api.RunOut) -> str:
    return " ".join(stage.detail for stage in run.stages)


def played(path: Path, statement: str) -> None:
    """The game writes to its database."""
    with closing(sqlite3.connect(path)) as connection:
        connection.execute(statement)
        connection.commit()


def test_scripts_and_rows_are_changed_by_address_and_come_back(quick: Quick) -> None:
    client = quick.zerrit
    before = quick.files()
    (place,) = client.show("reef", "scripts/settings.lua#feature[shipments]")
    assert (place.value, place.read_as) == ("true", "Lua script")
    assert [one.value for one in client.show("reef", "ledger.db#berths[1025]/price")] == ["40.5"]
    change = quick.change(
        "scripts/settings.lua#feature[shipments]=false",
        "scripts/settings.lua#crates[kx1]/price=530",
        "scripts/belts.js#belts/north/length=44",
        "start.bat#port=7801",
        "lantern.toml#lamp[north]/price=6",
        "ledger.db#berths[1025]/price=12",
    )
    client.add_step(change, api.StepIn(kind="copy", address="scripts/settings.lua#Market.Stalls[quay]", key="cove"))
    client.add_step(change, api.StepIn(kind="add", address="start.sh#load", value="jars"))
    client.add_step(change, api.StepIn(kind="remove", address="ledger.db#berths[1026]"))
    client.add_step(
        change, api.StepIn(kind="add", address="ledger.db#", name="berths", fields={"owner": "Di", "price": "3"})
    )
    compared = {one.address: (one.kind, one.old, one.new) for one in client.differences(change).differences}
    assert compared["scripts/settings.lua#feature/shipments"] == ("changed", "true", "false")
    assert compared["scripts/settings.lua#crates/[kx1]/price"] == ("changed", "30", "530")
    assert compared["scripts/settings.lua#Market.Stalls/cove"][0] == "added"
    assert compared["start.sh#load/[jars]"][0] == "added"
    assert compared["ledger.db#berths[1025]/price"] == ("changed", "40.5", "12.0")
    assert compared["ledger.db#berths[1026]"][0] == "removed"
    assert client.check(change).state == "checked"
    played(quick.game().folder / "ledger.db", "INSERT INTO load VALUES (1027, 'oil', 9)")
    assert quick.end_of(client.deploy(change)).state == "deployed"
    now = quick.files()
    assert b"  shipments = false,\n" in now["scripts/settings.lua"]
    assert b'{ id = "kx1", size = 4, price = 530 }' in now["scripts/settings.lua"]
    assert b"-port=7801 --load" in now["start.bat"]
    assert b'--load="base;belts;jars"' in now["start.sh"]
    assert rows(now["ledger.db"], "SELECT id, owner, price FROM berths WHERE id <> 1027") == [
        (1025, "Ada", 12.0),
        (1028, "Di", 3.0),
    ]
    assert rows(now["ledger.db"], "SELECT n FROM load WHERE berth = 1027") == [(9,)], "what the game wrote stays"
    assert quick.end_of(client.rollback("reef", 1)).state == "done"
    assert quick.files() == before


def test_what_the_database_forbids_is_a_fault_of_the_change_before_the_deploy(quick: Quick) -> None:
    with pytest.raises(ProblemError, match="A row of berths would refer to one of kinds that is not there"):
        quick.change("ledger.db#berths[1025]/kind=9")
    client = quick.zerrit
    change = quick.change("ledger.db#berths[1025]/kind=2")
    played(quick.game().folder / "ledger.db", "UPDATE berths SET kind = NULL WHERE kind = 2")
    played(quick.game().folder / "ledger.db", "DELETE FROM kinds WHERE id = 2")
    end = quick.end_of(client.deploy(change))
    assert end.state == "failed"
    assert "would refer to one of kinds that is not there" in said(end)


def test_drift_of_a_database_is_told_by_row_and_one_row_is_brought_back(quick: Quick) -> None:
    client = quick.zerrit
    path = quick.game().folder / "ledger.db"
    played(path, "UPDATE berths SET price = 1 WHERE id = 1026")
    played(path, "DELETE FROM berths WHERE id = 1027")
    client.fetch("reef")
    drifted = {one.address: (one.kind, one.old, one.new) for one in client.drift("reef").differences}
    assert drifted["ledger.db#berths[1026]/price"] == ("changed", "7.0", "1.0")
    assert drifted["ledger.db#berths[1027]"][0] == "removed"
    change = client.restore_part("reef", 1, "ledger.db#berths[1027]").id
    assert [(one.kind, one.old) for one in client.differences(change).differences] == [("added", None)]
    assert quick.end_of(client.deploy(change)).state == "deployed"
    assert rows(path.read_bytes(), "SELECT id, price FROM berths") == [(1025, 40.5), (1026, 1.0), (1027, 8.0)]


def test_what_a_change_did_to_rows_is_taken_back_and_what_the_game_did_since_stays(quick: Quick) -> None:
    client = quick.zerrit
    path = quick.game().folder / "ledger.db"
    change = quick.change("ledger.db#berths[1025]/price=12")
    client.add_step(change, api.StepIn(kind="remove", address="ledger.db#berths[1026]"))
    assert quick.end_of(client.deploy(change)).state == "deployed"
    played(path, "UPDATE berths SET price = 3 WHERE id = 1027")
    client.fetch("reef")
    reverted = client.revert(change, api.RevertIn(create=True))
    assert reverted.change is not None
    assert quick.end_of(client.deploy(reverted.change)).state == "deployed"
    assert rows(path.read_bytes(), "SELECT id, owner, price FROM berths WHERE id < 1027") == [
        (1025, "Ada", 40.5),
        (1026, "Bo", 7.0),
    ]
    assert rows(path.read_bytes(), "SELECT price FROM berths WHERE id = 1027") == [(3.0,)]


def test_a_whole_database_is_brought_back_by_its_bytes(quick: Quick) -> None:
    client = quick.zerrit
    path = quick.game().folder / "ledger.db"
    path.unlink()
    client.fetch("reef")
    change = client.restore_part("reef", 1, "ledger.db").id
    assert quick.end_of(client.deploy(change)).state == "deployed"
    assert path.read_bytes() == LEDGER
    rows_as_text = "# SQLite database\nkinds: id=1\n"
    with pytest.raises(ProblemError, match="is no database, so rows cannot be put into it"):
        client.add_step(
            quick.change("start.bat#port=1"), api.StepIn(kind="put-file", address="new.db", content=rows_as_text)
        )


def test_rows_in_a_log_beside_the_database_are_not_lost(quick: Quick) -> None:
    client = quick.zerrit
    change = quick.change("ledger.db#berths[1025]/price=12")
    assert client.check(change).state == "checked"
    (quick.game().folder / "ledger.db-wal").write_bytes(b"\x37\x7f\x06\x82" + bytes(60))
    end = quick.end_of(client.deploy(change))
    assert end.state == "failed"
    assert "ledger.db-wal is beside ledger.db with 64 bytes" in said(end)
    assert (quick.game().folder / "ledger.db").read_bytes() == LEDGER


def test_the_same_by_commands(quick: Quick, tmp_path: Path) -> None:
    token = quick.zerrit.token(ADMIN, PASSWORD).token
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    shown = zerrit("show", "reef:ledger.db#berths[1025]", cwd=tmp_path, **signed)
    assert 'owner="Ada", price=40.5' in shown.out
    change = str(quick.change("start.bat#name=The New Cannery"))
    done = zerrit(
        "change", "copy", change, "scripts/settings.lua#crates[kx1]", "kx9", "--throughout", cwd=tmp_path, **signed
    )
    assert done.code == 0, done.err
    assert "crates/[kx9]" in done.out
    local = tmp_path / "stalls.lua"
    local.write_text("stalls = { quay = { price = 5 } }\n")
    ledger = tmp_path / "ledger.db"
    ledger.write_bytes(LEDGER)
    log = tmp_path / "ledger.db-wal"
    log.write_bytes(b"rows")
    refused = zerrit("edit", "ledger.db", "berths[1025]/price", "+1", cwd=tmp_path)
    assert (refused.code, "ledger.db-wal is beside the database" in refused.err) == (2, True)
    assert ledger.read_bytes() == LEDGER
    log.write_bytes(b"")
    assert zerrit("edit", "ledger.db", "berths[1025]/price", "+1", cwd=tmp_path).code == 0
    assert rows(ledger.read_bytes(), "SELECT price FROM berths WHERE id = 1025") == [(41.5,)]
    edited = zerrit("edit", "stalls.lua", "stalls[quay]/price", "+1", cwd=tmp_path)
    assert edited.code == 0, edited.err
    assert local.read_text() == "stalls = { quay = { price = 6 } }\n"
