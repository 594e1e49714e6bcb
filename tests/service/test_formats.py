"""Files of other formats on a server: guessed, said in the gamebook, changed, deployed and rolled back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.cli.command import zerrit
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.worlds import world
from zerrit import api

FILES = world("foundry")
ROTA = (
    b'class Rota\r\n{\r\n\topens = 6; // hour\r\n\tcrew[] = {"ada", "bo"};\r\n\tclass Night { opens = 0; };\r\n};\r\n'
)


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add_with({**FILES, "rota.cfg": ROTA})
        yield stack


def format_of(quick: Quick, path: str) -> tuple[str, str]:
    found = quick.zerrit.file_format("reef", path)
    return found.format, found.said_by


def test_files_without_a_gamebook_entry_are_shown_and_changed_by_address_and_come_back(quick: Quick) -> None:
    client = quick.zerrit
    before = quick.files()
    (place,) = client.show("reef", "rota.cfg#Rota/Night/opens")
    assert (place.value, place.read_as) == ("0", "class config (guessed)")
    assert [one.value for one in client.show("reef", "gate.cfg#pour[Bell]/2")] == ["5"]
    change = quick.change(
        "rota.cfg#Rota/opens=7",
        "gate.cfg#seats=30",
        "gate.cfg#pour[Bell]/2=6",
        "moulds.cfg#Moulds/mould[Bell]/weight=90",
        "foundry.properties#motd=Two\nlines",
        ".env#FOUNDRY_TITLE=Low Quay",
    )
    client.add_step(change, api.StepIn(kind="copy", address="moulds.cfg#Moulds/mould[Bell]", key="Gong"))
    client.add_step(change, api.StepIn(kind="add", address="rota.cfg#Rota/crew", value="cy"))
    client.add_step(change, api.StepIn(kind="remove", address="gate.cfg#load[patterns/ornate]"))
    compared = {one.address: (one.kind, one.old, one.new) for one in client.differences(change).differences}
    assert compared["rota.cfg#Rota/opens"] == ("changed", "6", "7")
    assert compared["gate.cfg#pour[Bell]/2"] == ("changed", "5", "6")
    assert compared["moulds.cfg#Moulds/mould[Gong]"][0] == "added"
    assert compared["gate.cfg#load[patterns/ornate]"][0] == "removed"
    assert quick.end_of(client.deploy(change)).state == "deployed"
    now = quick.files()
    assert now["rota.cfg"] == ROTA.replace(b"opens = 6;", b"opens = 7;").replace(b'"bo"}', b'"bo", "cy"}')
    assert b"seats 30\n" in now["gate.cfg"] and b'"patterns/ornate"' not in now["gate.cfg"]
    assert b'"weight"\t"90"\t// kilograms' in now["moulds.cfg"]
    assert b"motd=Two\\nlines\n" in now["foundry.properties"]
    assert b'FOUNDRY_TITLE="Low Quay" # shown' in now[".env"]
    assert quick.end_of(client.rollback("reef", 1)).state == "done"
    assert quick.files() == before


def test_what_is_guessed_blocks_nothing_until_the_gamebook_says_it(quick: Quick) -> None:
    client = quick.zerrit
    broken = ROTA.replace(b"opens = 6;", b"opens = 6")
    (quick.game().folder / "rota.cfg").write_bytes(broken)
    client.fetch("reef")
    assert format_of(quick, "rota.cfg") == ("classes", "content")
    found = [one for one in client.check_server("reef").findings if one.path == "rota.cfg"]
    assert [(one.code, one.severity) for one in found] == [("classes.semicolon-missing", "notice")]
    tried = client.read_file_as("reef", "rota.cfg", "classes", dry_run=True)
    assert (tried.is_saved, [one.severity for one in tried.appeared]) == (False, ["error"])
    assert format_of(quick, "rota.cfg") == ("classes", "content")
    assert client.read_file_as("reef", "rota.cfg", "classes").is_saved
    assert format_of(quick, "rota.cfg") == ("classes", "gamebook")
    assert next(one for one in client.files("reef") if one.path == "rota.cfg").format == "classes"
    assert client.check(quick.change("gate.cfg#seats=31")).state == "checked", (
        "an old fault of another file blocks nothing"
    )
    client.read_file_as("reef", "rota.cfg", "text")
    assert client.file("reef", "rota.cfg").read_as == "text"
    client.read_file_as("reef", "rota.cfg", None)
    assert format_of(quick, "rota.cfg") == ("classes", "content")
    assert format_of(quick, "foundry.properties") == ("properties", "name")


def test_the_same_by_commands_and_plain_http(quick: Quick, tmp_path: Path) -> None:
    token = quick.zerrit.token(ADMIN, PASSWORD).token
    signed = {"ZERRIT_URL": quick.url, "ZERRIT_TOKEN": token}
    shown = zerrit("show", "reef:gate.cfg#seats", cwd=tmp_path, **signed)
    assert shown.out.splitlines()[0] == "reef:gate.cfg#seats   (line 4, read as: keyword lines (guessed))"
    done = zerrit("gamebook", "read-as", "reef", "gate.cfg", "keywords", cwd=tmp_path, **signed)
    assert [line.split() for line in done.out.splitlines() if line.startswith("▲")] == [
        ["▲", "gate.cfg:"],
        ["▲", "read_as:", "keywords"],
    ]
    assert "Saved in the gamebook quick." in done.out
    again = zerrit("show", "reef:gate.cfg#seats", cwd=tmp_path, **signed)
    assert again.out.splitlines()[0] == "reef:gate.cfg#seats   (line 4)"
    with httpx.Client(base_url=quick.url, headers={"Authorization": f"Bearer {token}"}) as plain:
        where = "/api/v1/servers/reef/file/format"
        assert plain.get(where, params={"path": "gate.cfg"}).json()["said_by"] == "gamebook"
        wrong = plain.put(where, json={"path": "gate.cfg", "format": "toad"})
        assert wrong.status_code == 422
        assert plain.get(where, params={"path": "none.cfg"}).status_code == 404


def test_local_files_are_edited_by_address(tmp_path: Path) -> None:
    (tmp_path / "rota.cfg").write_bytes(ROTA)
    done = zerrit("edit", "rota.cfg", "Rota/opens", "=50", cwd=tmp_path)
    assert done.code == 0, done.err
    assert (tmp_path / "rota.cfg").read_bytes() == ROTA.replace(b"opens = 6;", b"opens = 50;")
    shown = zerrit("show", "rota.cfg#Rota/crew", cwd=tmp_path)
    assert "read as: class config (guessed)" in shown.out
