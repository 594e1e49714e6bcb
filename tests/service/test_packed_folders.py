"""Folders that the game reads packed: packed by the host or by Zerrit, and packed files that are edited inside."""

from __future__ import annotations

import io
import sys
import tarfile
import zipfile
from pathlib import Path

import pytest

from tests.quick import GAMEBOOK, Quick, quick_stack
from tests.zips import zipped
from zerrit import api
from zerrit.client import ProblemError
from zerrit.core.packing import Form, pack, unpack_as

FILES = {"north.yml": b"depth: 3\n", "deep/south.yml": b"depth: 5\n", "tiles.bin": b"\x00tiles"}


def _served(quick: Quick, more: str, kind: str = "folder", **settings: object) -> Path:
    """A server with a folder `maps/one` and what the gamebook says of it more."""
    quick.zerrit.save_gamebook("quick", GAMEBOOK + more)
    folder = quick.game().folder
    for path, data in FILES.items():
        (folder / "maps/one" / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / "maps/one" / path).write_bytes(data)
    quick.add("reef", kind, **settings)
    return folder


def _deployed(quick: Quick, change: int) -> api.RunOut:
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "deployed", run.outcome
    return run


@pytest.mark.parametrize(("form", "ending"), [("zip", ".zip"), ("tar", ".tar"), ("tar.gz", ".tgz"), ("plain", ".map")])
def test_zerrit_packs_the_folder_with_the_deploy_and_a_rollback_brings_the_old_pack_back(
    tmp_path: Path, form: Form, ending: str
) -> None:
    with quick_stack(tmp_path) as quick:
        rule = f"packed:\n  - {{folder: maps/one, into: maps/one{ending}, packed_by: zerrit, form: {form}}}\n"
        folder = _served(quick, rule, "ftp")
        first = _deployed(quick, quick.change("maps/one/north.yml#depth=4"))
        wanted = {**FILES, "north.yml": b"depth: 4\n"}
        data = (folder / f"maps/one{ending}").read_bytes()
        assert unpack_as(form, data) == wanted
        assert data == pack(form, dict(reversed(wanted.items()))), "the same files give the same bytes"
        assert {file.path for file in first.files} == {"maps/one/north.yml", f"maps/one{ending}"}
        assert not [one for one in quick.zerrit.check_server("reef").findings if one.code == "meaning.packed"]
        change = quick.zerrit.create_change("reef", "One less").id
        quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="maps/one/deep"))
        second = _deployed(quick, change)
        assert set(unpack_as(form, (folder / f"maps/one{ending}").read_bytes())) == {"north.yml", "tiles.bin"}
        quick.end_of(quick.zerrit.rollback("reef", second.before or 0))
        assert (folder / f"maps/one{ending}").read_bytes() == data


def test_a_command_packs_a_form_of_the_game_where_the_server_allows_it(tmp_path: Path) -> None:
    script = tmp_path / "packer.py"
    script.write_text(
        "import pathlib, sys\nfolder, file = map(pathlib.Path, sys.argv[1:])\n"
        "names = sorted(p.relative_to(folder).as_posix() for p in folder.rglob('*') if p.is_file())\n"
        "file.write_text('|'.join(names)) if 'fail' not in ''.join(names) else sys.exit('no room')\n"
    )
    rule = (
        "packed:\n  - {folder: maps/one, into: maps/one.own, packed_by: zerrit, "
        f"command: ['{sys.executable}', '{script}', '{{folder}}', '{{file}}']}}\n"
    )
    with quick_stack(tmp_path) as quick:
        folder = _served(quick, rule)
        refused = quick.end_of(quick.zerrit.deploy(quick.change("maps/one/north.yml#depth=4")))
        assert (refused.state, "do not allow" in refused.outcome) == ("failed", True)
        assert (folder / "maps/one/north.yml").read_bytes() == FILES["north.yml"]
        server = quick.zerrit.server("reef")
        quick.zerrit.change_server(
            api.ServerIn(
                id="reef", gamebook="quick", connection=server.connection, control=server.control,
                maintenance=server.maintenance.model_copy(update={"may_pack": True}),
            )
        )  # fmt: skip
        _deployed(quick, quick.change("maps/one/north.yml#depth=4"))
        assert (folder / "maps/one.own").read_text() == "deep/south.yml|north.yml|tiles.bin"
        change = quick.zerrit.create_change("reef", "It fails").id
        quick.zerrit.put_file(change, "maps/one/fail.bin", b"\x00")
        failed = quick.end_of(quick.zerrit.deploy(change))
        assert failed.state == "failed"
        assert "ended with 1. no room" in failed.outcome


def test_what_the_host_packs_at_the_start_is_compared_and_is_no_drift(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        folder = _served(quick, "packed:\n  - {folder: maps/one, into: maps/one.zip, packed_by: host}\n")
        wanted = {**FILES, "north.yml": b"depth: 4\n"}
        quick.game().at_start = {"maps/one.zip": zipped(wanted)}
        run = _deployed(quick, quick.change("maps/one/north.yml#depth=4"))
        assert run.evidence.doubts == []
        assert run.evidence.written_at_start == ["maps/one.zip"]
        assert not quick.zerrit.fetch("reef").is_new
        again = _deployed(quick, quick.change("maps/one/north.yml#depth=6"))
        assert len(again.evidence.doubts) == 1
        assert "the host has not packed maps/one at the start: maps/one/north.yml is newer" in again.evidence.doubts[0]
        found = [one for one in quick.zerrit.check_server("reef").findings if one.code == "meaning.packed"]
        assert [(one.path, one.severity) for one in found] == [("maps/one/north.yml", "notice")]
        (folder / "maps/one.zip").write_bytes(zipped({**FILES, "north.yml": b"depth: 6\n"}))
        quick.zerrit.fetch("reef")
        with pytest.raises(ProblemError):  # there is no drift to speak of
            quick.zerrit.drift("reef")


@pytest.mark.parametrize("kind", ["folder", "ftp"])
def test_what_is_in_an_opened_pack_is_shown_checked_edited_and_packed_again(tmp_path: Path, kind: str) -> None:
    with quick_stack(tmp_path) as quick:
        book = 'opened: ["maps/*.zip"]\n'
        rules = "  maps/*.zip!/*.yml: {entries: {depth: {}}, closed: true}\n  live/*.yml:"
        quick.zerrit.save_gamebook("quick", (GAMEBOOK + book).replace("  live/*.yml:", rules, 1))
        folder = quick.game().folder
        (folder / "maps").mkdir()
        original = zipped({**FILES, "odd.yml": b"dept: 3\n"})
        (folder / "maps/sea.zip").write_bytes(original)
        quick.add("reef", kind)
        assert {one.path for one in quick.zerrit.files("reef") if one.path.startswith("maps")} == {
            "maps/sea.zip", "maps/sea.zip!/north.yml", "maps/sea.zip!/deep/south.yml", "maps/sea.zip!/tiles.bin",
            "maps/sea.zip!/odd.yml",
        }  # fmt: skip
        assert quick.zerrit.show("reef", "maps/sea.zip!/north.yml#depth")[0].value == "3"
        assert [one.path for one in quick.zerrit.check_server("reef").findings] == ["maps/sea.zip!/odd.yml"]

        change = quick.zerrit.create_change("reef", "Inside").id
        quick.zerrit.add_step(change, api.StepIn(kind="set", address="maps/sea.zip!/north.yml#depth", operation="=9"))
        quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="maps/sea.zip!/odd.yml"))
        quick.zerrit.put_file(change, "maps/sea.zip!/deep/new.bin", b"\x00new")
        run = _deployed(quick, change)
        assert [file.path for file in run.files] == ["maps/sea.zip"]
        with zipfile.ZipFile(folder / "maps/sea.zip") as packed:
            assert {name: packed.read(name) for name in packed.namelist()} == {
                **FILES, "north.yml": b"depth: 9\n", "deep/new.bin": b"\x00new",
            }  # fmt: skip
        assert not (folder / "maps/sea.zip!").exists()
        assert not quick.zerrit.fetch("reef").is_new
        assert quick.zerrit.show("reef", "maps/sea.zip!/north.yml#depth")[0].value == "9"
        back = quick.end_of(quick.zerrit.rollback("reef", run.before or 0))
        assert back.state == "done"
        assert (folder / "maps/sea.zip").read_bytes() == original
        with zipfile.ZipFile(io.BytesIO(quick.zerrit.export_snapshot("reef", run.before or 0))) as exported:
            assert not [name for name in exported.namelist() if "!/" in name]


@pytest.mark.parametrize(("mode", "form"), [("w", "tar"), ("w:gz", "tar.gz"), ("w:bz2", "")])
def test_a_pack_stays_in_its_form_whatever_its_ending_says(tmp_path: Path, mode: str, form: Form | str) -> None:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode=mode) as packed:  # type: ignore[call-overload]
        info = tarfile.TarInfo("north.yml")
        info.size = 9
        packed.addfile(info, io.BytesIO(b"depth: 3\n"))
    with quick_stack(tmp_path) as quick:
        folder = _served(quick, 'opened: ["maps/*.pak"]\n')
        (folder / "maps/sea.pak").write_bytes(buffer.getvalue())
        quick.zerrit.fetch("reef")
        run = quick.end_of(quick.zerrit.deploy(quick.change("maps/sea.pak!/north.yml#depth=9")))
        data = (folder / "maps/sea.pak").read_bytes()
        if form:
            assert (run.state, data) == ("deployed", pack(form, {"north.yml": b"depth: 9\n"}))  # type: ignore[arg-type]
        else:
            assert (run.state, "only reads" in run.outcome, data) == ("failed", True, buffer.getvalue())


def test_a_running_game_is_stopped_for_a_pack_that_it_does_not_read_at_a_reload(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        rule = "packed:\n  - {folder: maps/one, into: maps/one.zip, packed_by: zerrit}\n"
        book = GAMEBOOK.replace("  live/*.yml:", "  maps/**: {takes_effect: reload}\n  live/*.yml:", 1)
        for known, is_in_place in (("maps/**", True), ("maps/one/*.yml", False)):
            quick.zerrit.save_gamebook("quick", book.replace("maps/**", known) + rule)
            if is_in_place:
                folder = quick.game().folder
                (folder / "maps/one").mkdir(parents=True)
                (folder / "maps/one/north.yml").write_bytes(FILES["north.yml"])
                quick.add("reef")
                quick.zerrit.restart("reef")
                *_, _ = quick.zerrit.follow(quick.zerrit.runs("reef")[0].id)
            run = _deployed(quick, quick.change(f"maps/one/north.yml#depth={7 + is_in_place}"))
            assert run.evidence.in_place is is_in_place


def test_an_emptied_folder_is_not_packed_to_nothing(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        _served(quick, "packed:\n  - {folder: maps/one, into: maps/one.zip, packed_by: zerrit}\n")
        change = quick.zerrit.create_change("reef", "No map").id
        quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="maps/one"))
        run = quick.end_of(quick.zerrit.deploy(change))
        assert (run.state, "Remove maps/one.zip with the same change" in run.outcome) == ("failed", True), run.outcome


def test_a_pack_that_is_not_opened_is_not_edited_inside_and_an_odd_folder_is_no_pack(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        folder = _served(quick, "")
        (folder / "maps/sea.zip").write_bytes(zipped(FILES))
        (folder / "Mods!").mkdir()
        (folder / "Mods!/a.txt").write_text("kept\n")
        quick.zerrit.fetch("reef")
        change = quick.zerrit.create_change("reef", "No").id
        with pytest.raises(ProblemError, match="is not opened"):
            quick.zerrit.put_file(change, "maps/sea.zip!/new.bin", b"\x00")
        quick.zerrit.put_file(change, "Mods!/b.bin", b"\x00b")
        _deployed(quick, change)
        assert (folder / "Mods!/b.bin").read_bytes() == b"\x00b"


def test_a_pack_that_is_opened_later_is_no_drift_and_a_damaged_one_is_said(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        folder = _served(quick, "")
        (folder / "maps/sea.zip").write_bytes(zipped(FILES))
        (folder / "maps/bad.zip").write_bytes(b"PK\x03\x04 damaged")
        quick.zerrit.fetch("reef")
        quick.zerrit.save_gamebook("quick", GAMEBOOK + 'opened: ["maps/*.zip"]\n')
        fetched = quick.zerrit.fetch("reef")
        assert (fetched.changed, fetched.added, fetched.removed) == ([], [], [])
        assert "what is in it cannot be shown" in fetched.left_out["maps/bad.zip"]
        assert "maps/sea.zip!/north.yml" in {one.path for one in quick.zerrit.files("reef")}


def test_hostile_plain_packs_are_refused() -> None:
    from zerrit.core.errors import ArchiveRefused, PathRefused

    good = pack("plain", FILES)
    assert unpack_as("plain", good) == FILES
    for data in (good[:-1], good + b"x", good.replace(b"9 ", b"-1 ", 1), b"packed folder 1\n99999999\n", b"PK", b""):
        with pytest.raises((ArchiveRefused, PathRefused)):
            unpack_as("plain", data)
    with pytest.raises((ArchiveRefused, PathRefused)):
        unpack_as("plain", b"packed folder 1\n1\n1 ../up\nx")
    with tarfile.open(fileobj=io.BytesIO(pack("tar", FILES))) as packed:
        assert packed.getnames() == sorted(FILES)
