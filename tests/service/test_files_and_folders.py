"""Files of any bytes and folders as steps of a change: put, moved, removed, deployed, rolled back, reverted, adopted."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path

import pytest

from tests.quick import Quick, quick_stack, wait_until
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.core.documents import MAX_BYTES

PACK, NEWER = b"PK\x03\x04\x00\x00 one \xff", b"PK\x03\x04\x00\x00 two \xfe"
KIT = {"kit.pak": NEWER, "maps/far.bin": b"\x00\x01far", "read-me.txt": b"Put it into packs.\r\n"}


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as running:
        _lay_packs(running, "reef")
        running.add()
        yield running


def _lay_packs(quick: Quick, name: str) -> None:
    folder = quick.game(name).folder / "packs"
    folder.mkdir()
    (folder / "shell.pak").write_bytes(PACK)
    (folder / "old.txt").write_text("to go\n")


def _whole_change(quick: Quick, name: str) -> int:
    """A new folder in place of one, a file moved, another one removed, all in one change."""
    change = quick.zerrit.create_change(name, "New packs").id
    quick.zerrit.put_folder(change, "packs", KIT, replace_all=True)
    quick.zerrit.add_step(change, api.StepIn(kind="move-file", address="packs/maps", target="charts/2"))
    quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="live"))
    return change


def test_folders_and_binaries_are_deployed_and_rolled_back_byte_for_byte_by_every_connection(tmp_path: Path) -> None:
    kinds = ("folder", "ftp", "ftps", "sftp")
    with quick_stack(tmp_path, kinds) as quick:
        for kind in kinds:
            _lay_packs(quick, kind)
            quick.add(kind, kind)
            before = quick.files(kind)
            run = quick.end_of(quick.zerrit.deploy(_whole_change(quick, kind)))
            assert run.state == "deployed", (kind, run.outcome)
            now = quick.files(kind)
            kept = {path for path in before if path.startswith("sea/")}
            assert now.keys() - kept == {"station.ini", "packs/kit.pak", "packs/read-me.txt", "charts/2/far.bin"}
            assert {now["packs/kit.pak"], now["charts/2/far.bin"]} == {NEWER, KIT["maps/far.bin"]}
            assert now["packs/read-me.txt"] == KIT["read-me.txt"]
            back = quick.end_of(quick.zerrit.rollback(kind, quick.zerrit.snapshots(kind)[-1].id))
            assert back.state == "done", (kind, back.outcome)
            assert {p: d for p, d in quick.files(kind).items() if p != "station.ini"} == {
                p: d for p, d in before.items() if p != "station.ini"
            }


def test_a_start_that_fails_brings_every_binary_back(quick: Quick) -> None:
    before = quick.files()
    change = _whole_change(quick, "reef")
    quick.zerrit.add_step(change, api.StepIn(kind="set", address="sea/1.yml#holds", operation="=6000000"))
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "rolled-back"
    now = quick.files()
    assert {p: d for p, d in now.items() if p != "station.ini"} == {
        p: d for p, d in before.items() if p != "station.ini"
    }


def test_what_a_folder_brings_is_compared_by_size_and_hash(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        _lay_packs(quick, "reef")
        quick.add("reef")
        change = quick.zerrit.create_change("reef", "New packs").id
        quick.zerrit.put_folder(change, "packs", {"deep/kit.pak": NEWER})
        shown = quick.zerrit.differences(change)
        assert [(one.kind, one.address) for one in shown.differences] == [("added", "packs/deep/kit.pak")]
        assert f"{len(NEWER)} bytes" in (shown.differences[0].new or "")


def test_binaries_are_carried_by_a_person_with_a_step_sheet(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        _lay_packs(quick, "reef")
        quick.carry("reef")
        change = quick.zerrit.create_change("reef", "New packs").id
        quick.zerrit.put_folder(change, "packs", {"deep/kit.pak": NEWER, "shell.pak": NEWER}, replace_all=True)
        run = quick.zerrit.deploy(change)
        wait_until(lambda: "Put 3 files" in quick.zerrit.run(run.id).asks)
        folder = quick.game().folder
        with zipfile.ZipFile(io.BytesIO(quick.zerrit.instructions(run.id))) as packed:
            steps = packed.read("STEPS.txt").decode()
            assert set(packed.namelist()) == {"STEPS.txt", "files/packs/deep/kit.pak", "files/packs/shell.pak"}
            for name in ("deep/kit.pak", "shell.pak"):
                (folder / "packs" / name).parent.mkdir(exist_ok=True)
                (folder / "packs" / name).write_bytes(packed.read(f"files/packs/{name}"))
        assert "Delete packs/old.txt on the server." in steps
        (folder / "packs/old.txt").unlink()
        quick.show("reef")
        wait_until(lambda: quick.zerrit.run(run.id).stage == "watch")
        quick.show("reef")
        assert quick.end_of(run).state == "deployed"


def test_a_packed_file_that_was_removed_is_not_looked_into_any_more(zerrit: Client) -> None:
    change = zerrit.create_change("coral-gate", "No charts").id
    found = zerrit.add_step(change, api.StepIn(kind="remove-file", address="charts")).findings
    assert {one.code for one in found if one.path == "charts/coral-gate.zip"} == {"gamebook.file-missing"}
    assert [one.line for one in found if one.path == "charts/coral-gate.zip"] == [0]


def test_only_what_the_service_lacks_is_sent(quick: Quick) -> None:
    digests = [sha256(data).hexdigest() for data in (PACK, NEWER, NEWER)]
    assert quick.zerrit.missing_contents(digests) == [digests[1]], "the first is in the snapshot"
    (stored,) = quick.zerrit.save_contents({"kit.pak": NEWER})
    assert (stored.digest, stored.size) == (digests[1], len(NEWER))
    assert quick.zerrit.missing_contents(digests) == []


def test_a_content_stays_while_a_step_names_it(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "New packs").id
    quick.zerrit.put_folder(change, "packs", {"kit.pak": NEWER})
    quick.zerrit.put_file(change, "packs/lone.bin", b"\x00lone")
    quick.zerrit.save_contents({"left.bin": b"\x00left"})
    quick.zerrit.prune("reef")
    left = [sha256(data).hexdigest() for data in (NEWER, b"\x00lone", b"\x00left")]
    assert quick.zerrit.missing_contents(left) == [left[2]]
    with pytest.raises(ProblemError, match="not stored any more"):
        quick.zerrit.add_step(change, api.StepIn(kind="put-file", address="packs/left.bin", digest=left[2]))


def test_binaries_are_reverted_restored_and_adopted_like_texts(quick: Quick) -> None:
    first = quick.zerrit.snapshots("reef")[0].id
    change = quick.zerrit.create_change("reef", "A newer shell").id
    quick.zerrit.put_file(change, "packs/shell.pak", NEWER)
    quick.zerrit.put_file(change, "packs/extra.pak", PACK)
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
    plan = quick.zerrit.revert(change, api.RevertIn(create=True))
    assert [(one.kind, one.address) for one in plan.differences] == [
        ("removed", "packs/extra.pak"),
        ("changed", "packs/shell.pak"),
    ]
    assert plan.change is not None
    assert quick.end_of(quick.zerrit.deploy(plan.change)).state == "deployed"
    assert (quick.files()["packs/shell.pak"], "packs/extra.pak" in quick.files()) == (PACK, False)

    (quick.game().folder / "packs/shell.pak").write_bytes(NEWER + b"!")
    quick.zerrit.fetch("reef")
    adopted = quick.zerrit.adopt_drift("reef")
    assert [(step.kind, step.address) for step in adopted.step_list] == [("put-file", "packs/shell.pak")]
    restored = quick.zerrit.restore_part("reef", first, "packs/shell.pak")
    assert quick.end_of(quick.zerrit.deploy(restored.id)).state == "deployed"
    assert quick.files()["packs/shell.pak"] == PACK


def test_the_same_text_in_another_encoding_is_written_and_adopted(quick: Quick) -> None:
    marked = b"\xef\xbb\xbf" + quick.files()["live/bell.yml"]
    change = quick.zerrit.create_change("reef", "With a mark").id
    quick.zerrit.put_file(change, "live/bell.yml", marked)
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
    assert quick.files()["live/bell.yml"] == marked
    (quick.game().folder / "live/bell.yml").write_bytes(marked[3:])
    quick.zerrit.fetch("reef")
    adopted = quick.zerrit.adopt_drift("reef")
    assert [(step.kind, step.outcome.kind) for step in adopted.step_list] == [("put-file", "done")]


def test_a_watched_file_does_not_keep_drift_from_being_reverted(quick: Quick) -> None:
    text = quick.zerrit.gamebook_overview("reef").text
    quick.zerrit.save_gamebook("quick", text.replace("packs/*.big", "packs/big.pak"))
    quick.zerrit.fetch("reef")
    (quick.game().folder / "packs/big.pak").write_bytes(b"\x00big")
    (quick.game().folder / "packs/shell.pak").write_bytes(NEWER)
    quick.zerrit.fetch("reef")
    adopted = quick.zerrit.adopt_drift("reef")
    reverted = quick.zerrit.revert(adopted.id, api.RevertIn(create=True))
    assert [(one.kind, one.address) for one in reverted.differences] == [("changed", "packs/shell.pak")]


def test_what_changed_since_is_asked_about_before_it_is_reverted(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "A newer shell").id
    quick.zerrit.put_file(change, "packs/shell.pak", NEWER)
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
    (quick.game().folder / "packs/shell.pak").write_bytes(b"\x00other")
    quick.zerrit.fetch("reef")
    plan = quick.zerrit.revert(change, api.RevertIn())
    assert [one.address for one in plan.conflicts] == ["packs/shell.pak"]
    taken = quick.zerrit.revert(change, api.RevertIn(rest="previous"))
    assert [one.kind for one in taken.differences] == ["changed"]
    with pytest.raises(ProblemError, match="Nothing of change"):
        quick.zerrit.revert(change, api.RevertIn(rest="current", create=True))


def test_a_binary_that_another_person_changed_halts_the_deploy(quick: Quick) -> None:
    change = quick.zerrit.create_change("reef", "A newer shell").id
    quick.zerrit.put_file(change, "packs/shell.pak", NEWER)
    (quick.game().folder / "packs/shell.pak").write_bytes(b"\x00other")
    with pytest.raises(ProblemError, match=r"packs/shell\.pak on reef changed since"):
        quick.zerrit.deploy(change)
    assert quick.files()["packs/shell.pak"] == b"\x00other"


@pytest.mark.parametrize(
    ("step", "why"),
    [
        ({"kind": "put-folder", "address": "logs", "files": {"x.bin": "0" * 64}}, "is not stored any more"),
        ({"kind": "put-folder", "address": "packs", "files": {"x.bin": "zz"}}, "String should match"),
        ({"kind": "move-file", "address": "packs", "target": "logs/packs"}, "none of the files that Zerrit keeps"),
        ({"kind": "move-file", "address": "pack", "target": "x"}, "no file or folder pack"),
    ],
)
def test_a_step_that_a_rollback_could_not_take_back_is_refused(quick: Quick, step: dict[str, object], why: str) -> None:
    change = quick.zerrit.create_change("reef", "No").id
    with pytest.raises((ProblemError, ValueError), match=why):
        quick.zerrit.add_step(change, api.StepIn.model_validate(step))
    assert quick.zerrit.change(change).step_list == []


def test_a_file_that_is_too_large_is_refused_by_name(quick: Quick) -> None:
    with pytest.raises(ProblemError, match=r"huge\.bin has more than"):
        quick.zerrit.save_contents({"huge.bin": bytes(MAX_BYTES + 1)})


def test_a_file_or_folder_is_had_as_it_is_stored(quick: Quick) -> None:
    first = quick.zerrit.snapshots("reef")[0].id
    assert quick.zerrit.stored("reef", "packs/shell.pak") == PACK
    with zipfile.ZipFile(io.BytesIO(quick.zerrit.stored("reef", "packs/"))) as packed:
        assert {name: packed.read(name) for name in packed.namelist()} == {"shell.pak": PACK, "old.txt": b"to go\n"}
    (quick.game().folder / "packs/shell.pak").write_bytes(NEWER)
    quick.zerrit.fetch("reef")
    assert quick.zerrit.stored("reef", "packs/shell.pak", first) == PACK
    for path in ("packs/shel.pak", "../station.ini", ""):
        with pytest.raises(ProblemError):
            quick.zerrit.stored("reef", path)
