"""What a deploy does besides contents: files that only move, files that may be run, and folders with nothing in them."""

from __future__ import annotations

import io
import os
import zipfile
from collections.abc import ItemsView, Iterator
from pathlib import Path

import pytest

from tests.quick import GAMEBOOK, Quick, quick_stack, wait_until
from zerrit import api
from zerrit.client import ProblemError
from zerrit.core.documents import MAX_BYTES

KINDS = ("folder", "ftp", "sftp")
LARGE = MAX_BYTES + 5
BREAKS = api.StepIn(kind="set", address="sea/1.yml#holds", operation="=6000000")


@pytest.fixture
def quick(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Quick]:
    kinds = (request.node.callspec.params["kind"],) if hasattr(request.node, "callspec") else ("folder",)
    with quick_stack(tmp_path, kinds) as running:
        running.zerrit.save_gamebook("quick", GAMEBOOK.replace("packs/*.big", "packs/**"))
        for kind in kinds:
            root = running.game(kind).folder
            (root / "packs").mkdir()
            with (root / "packs/world.pak").open("wb") as file:
                file.write(b"\x00world")
                file.truncate(LARGE)
            (root / "packs/reef.pak").write_bytes(b"\x00reef")
            (root / "start.sh").write_bytes(b"#!/bin/sh\nexec ./station\n")
            (root / "start.sh").chmod(0o755)
            (root / "saves/old").mkdir(parents=True)
            running.add(kind, kind)
        yield running


def _mode(path: Path) -> int:
    return path.stat().st_mode & 0o777


def _folders(root: Path) -> set[str]:
    return {str(path.relative_to(root)) for path in root.rglob("*") if path.is_dir()} - {"logs", "crashes"}


def _state(root: Path) -> tuple[dict[str, tuple[int, int, bool]], set[str]]:
    """Every file with its inode, its size and whether it may be run, and every folder."""
    files = {
        str(path.relative_to(root)): (path.stat().st_ino, path.stat().st_size, os.access(path, os.X_OK))
        for path in root.rglob("*.*")
        if path.is_file() and path.parent.name not in ("logs", "crashes")
    }
    return files, _folders(root)


def _change(quick: Quick, name: str) -> int:
    zerrit = quick.zerrit
    change = zerrit.create_change(name, "Packs off, a program, folders").id
    for step in (
        api.StepIn(kind="move-file", address="packs/world.pak", target="packs/off/world.pak"),
        api.StepIn(kind="move-file", address="packs/reef.pak", target="packs/off/reef.pak"),
        api.StepIn(kind="text", address="start.sh", replacements=[("exec", "nice exec")]),
        api.StepIn(kind="set-executable", address="sea/2.yml", executable=True),
        api.StepIn(kind="put-file", address="stop.sh", content="#!/bin/sh\n", executable=True),
        api.StepIn(kind="put-file", address="sea/3.yml", content="number: 3\nholds: 1\n", executable=True),
        api.StepIn(kind="add-folder", address="saves/new/deep"),
        api.StepIn(kind="remove-file", address="saves/old"),
    ):
        zerrit.add_step(change, step)
    return change


@pytest.mark.parametrize("kind", KINDS)
def test_they_are_made_and_taken_back(quick: Quick, kind: str) -> None:
    root = quick.game(kind).folder
    before = _state(root)
    run = quick.end_of(quick.zerrit.deploy(_change(quick, kind)))
    assert run.state == "deployed", run.outcome
    assert run.evidence.doubts == []
    files, folders = _state(root)
    assert files["packs/off/world.pak"] == before[0]["packs/world.pak"], "it is the same file, under another name"
    assert files["packs/off/reef.pak"] == before[0]["packs/reef.pak"]
    assert (root / "start.sh").read_text().startswith("#!/bin/sh\nnice exec")
    assert {path for path, (_, _, runs) in files.items() if runs} == {"start.sh", "stop.sh", "sea/2.yml", "sea/3.yml"}
    assert "saves/new/deep" in folders
    assert "saves/old" not in folders
    assert not quick.zerrit.fetch(kind).is_new, "what the deploy did is no drift"

    back = quick.end_of(quick.zerrit.rollback(kind, run.before or 0))
    assert back.state == "done", back.outcome
    assert back.evidence.doubts == []
    assert _same(_state(root), before)
    again = quick.end_of(quick.zerrit.rollback(kind, run.after or 0))
    assert again.state == "done", again.outcome
    assert _same(_state(root), (files, folders))


@pytest.mark.parametrize("kind", KINDS)
def test_a_start_that_fails_takes_them_back(quick: Quick, kind: str) -> None:
    root = quick.game(kind).folder
    before = _state(root)
    change = _change(quick, kind)
    quick.zerrit.add_step(change, BREAKS)
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "rolled-back", run.outcome
    assert run.evidence.doubts == []
    assert _same(_state(root), before)


def _same(
    now: tuple[dict[str, tuple[int, int, bool]], set[str]], then: tuple[dict[str, tuple[int, int, bool]], set[str]]
) -> bool:
    """The same files, which may be others where they were written anew; large ones are the very same."""
    plain = [{path: (size, runs) for path, (_, size, runs) in files.items()} for files, _ in (now, then)]
    worlds = [{path: ino for path, (ino, _, _) in files.items() if "world" in path} for files, _ in (now, then)]
    assert plain[0] == plain[1]
    assert worlds[0] == worlds[1]
    assert now[1] == then[1]
    return True


class _Once(dict[str, bytes]):
    """Files that a game writes at its next start only."""

    def items(self) -> ItemsView[str, bytes]:
        found = dict(self)
        self.clear()
        return found.items()


def test_what_the_game_wrote_in_the_place_of_a_moved_file_gives_way(quick: Quick) -> None:
    root = quick.game("folder").folder
    before = _state(root)
    change = _change(quick, "folder")
    quick.zerrit.add_step(change, BREAKS)
    quick.game("folder").at_start = _Once({"packs/world.pak": b"\x00made by the start"})
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "rolled-back", run.outcome
    assert _same(_state(root), before)


def test_a_deploy_of_folders_and_rights_alone(quick: Quick) -> None:
    root = quick.game("folder").folder
    change = quick.zerrit.create_change("folder", "Only folders").id
    quick.zerrit.add_step(change, api.StepIn(kind="add-folder", address="saves/new"))
    quick.zerrit.add_step(change, api.StepIn(kind="set-executable", address="start.sh", executable=False))
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "deployed", run.outcome
    assert (root / "saves/new").is_dir()
    assert not _mode(root / "start.sh") & 0o111


def test_a_fetch_sees_folders_and_rights(quick: Quick) -> None:
    root = quick.game("folder").folder
    assert not quick.zerrit.fetch("folder").is_new
    assert {one.path for one in quick.zerrit.files("folder") if one.is_executable} == {"start.sh"}
    (root / "start.sh").chmod(0o644)
    assert quick.zerrit.fetch("folder").is_new
    assert {one.path for one in quick.zerrit.files("folder") if one.is_executable} == set()
    (root / "saves/later").mkdir()
    assert quick.zerrit.fetch("folder").is_new
    assert quick.zerrit.empty_folders("folder") == ["saves/later", "saves/old"]
    (root / "logs/day").mkdir(parents=True)
    assert not quick.zerrit.fetch("folder").is_new, "ignored folders are none of the set-up"


def test_a_file_in_the_target_of_a_move_halts_the_deploy(quick: Quick) -> None:
    change = _change(quick, "folder")
    (quick.game("folder").folder / "packs/off").mkdir()
    (quick.game("folder").folder / "packs/off/world.pak").write_bytes(b"\x00put by hand")
    with pytest.raises(ProblemError, match=r"packs/off/world\.pak"):
        quick.zerrit.deploy(change)
    assert (quick.game("folder").folder / "packs/off/world.pak").read_bytes() == b"\x00put by hand"
    assert (quick.game("folder").folder / "packs/world.pak").stat().st_size == LARGE


def test_a_person_is_told_of_folders_and_rights(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.carry("reef")
        change = quick.zerrit.create_change("reef", "A folder of 30").id
        files = {f"{number}.txt": b"%d" % number for number in range(30)}
        quick.zerrit.put_folder(change, "maps/far", files, folders=["spare"], programs=["1.txt"])
        run = quick.zerrit.deploy(change)
        wait_until(lambda: "Put 30 files" in quick.zerrit.run(run.id).asks)
        with zipfile.ZipFile(io.BytesIO(quick.zerrit.instructions(run.id))) as packed:
            steps = packed.read("STEPS.txt").decode()
        assert "Upload the folder files/maps/far with its 30 files into the folder maps" in steps
        assert "Make the empty folder maps/far/spare" in steps
        assert "Make maps/far/1.txt executable" in steps
        quick.zerrit.cancel(run.id)


def test_a_deployed_change_is_reverted_with_what_came_since_left_alone(quick: Quick) -> None:
    root = quick.game("folder").folder
    before = _state(root)
    change = _change(quick, "folder")
    assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
    later = quick.zerrit.create_change("folder", "Something else").id
    quick.zerrit.add_step(later, api.StepIn(kind="put-file", address="saves/note.txt", content="kept\n"))
    assert quick.end_of(quick.zerrit.deploy(later)).state == "deployed"
    found = quick.zerrit.revert(change, api.RevertIn(create=True))
    assert found.conflicts == []
    assert found.change is not None
    run = quick.end_of(quick.zerrit.deploy(found.change))
    assert run.state == "deployed", run.outcome
    now = _state(root)
    assert now[0].pop("saves/note.txt")
    assert _same((now[0], now[1] - {"packs/off", "saves/new"}), before)
