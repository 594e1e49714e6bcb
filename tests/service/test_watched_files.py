"""Files that are only watched, such as the big binaries of mods, are put, replaced, moved and removed, and come back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.quick import GAMEBOOK, Quick, quick_stack, wait_until
from zerrit import api

OLD, NEW, NEWEST = (b"\x00pack one" * 50, b"\x00pack two" * 60, b"\x00pack three" * 70)
KINDS = ("folder", "ftp", "sftp")


@pytest.fixture
def quick(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Quick]:
    kinds = (request.node.callspec.params["kind"],) if hasattr(request.node, "callspec") else ("folder",)
    with quick_stack(tmp_path, kinds) as running:
        running.zerrit.save_gamebook("quick", GAMEBOOK.replace("packs/*.big", "packs/*.pak"))
        for kind in kinds:
            folder = running.game(kind).folder / "packs"
            folder.mkdir()
            for name in ("shell", "reef", "sand"):
                (folder / f"{name}.pak").write_bytes(OLD + name.encode())
            running.add(kind, kind)
        yield running


def _packs(quick: Quick, name: str) -> dict[str, bytes]:
    return {path: data for path, data in quick.files(name).items() if path.startswith("packs/")}


def _change(quick: Quick, name: str) -> int:
    """One replaced, one moved, one removed, one new."""
    change = quick.zerrit.create_change(name, "New packs").id
    quick.zerrit.put_file(change, "packs/shell.pak", NEW)
    quick.zerrit.put_file(change, "packs/tide.pak", NEW)
    quick.zerrit.add_step(change, api.StepIn(kind="move-file", address="packs/reef.pak", target="packs/far.pak"))
    quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="packs/sand.pak"))
    return change


@pytest.mark.parametrize("kind", KINDS)
def test_they_are_written_and_a_rollback_brings_all_back(quick: Quick, kind: str) -> None:
    before = _packs(quick, kind)
    run = quick.end_of(quick.zerrit.deploy(_change(quick, kind)))
    assert run.state == "deployed", run.outcome
    after = {
        "packs/shell.pak": NEW,
        "packs/tide.pak": NEW,
        "packs/far.pak": before["packs/reef.pak"],
    }
    assert _packs(quick, kind) == after
    assert run.evidence.written_at_start == []
    assert not quick.zerrit.fetch(kind).is_new, "what the deploy wrote is no drift"
    states = {one.path: one.state for one in quick.zerrit.files(kind)}
    assert states["packs/shell.pak"] == "watched"

    again = quick.zerrit.create_change(kind, "A newer shell").id
    quick.zerrit.put_file(again, "packs/shell.pak", NEWEST)
    shown = quick.zerrit.differences(again).differences
    assert [one.address for one in shown] == ["packs/shell.pak"], "watched files that stay are no difference"
    assert quick.end_of(quick.zerrit.deploy(again)).state == "deployed"
    middle = quick.end_of(quick.zerrit.rollback(kind, run.after or 0))
    assert (middle.state, _packs(quick, kind)) == ("done", after)
    first = quick.end_of(quick.zerrit.rollback(kind, run.before or 0))
    assert (first.state, _packs(quick, kind)) == ("done", before)


@pytest.mark.parametrize("kind", KINDS)
def test_a_start_that_fails_brings_them_back(quick: Quick, kind: str) -> None:
    before = _packs(quick, kind)
    change = _change(quick, kind)
    quick.zerrit.add_step(change, api.StepIn(kind="set", address="sea/1.yml#holds", operation="=6000000"))
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "rolled-back", run.outcome
    assert _packs(quick, kind) == before


def test_one_that_was_changed_since_halts_the_deploy(quick: Quick) -> None:
    change = _change(quick, "folder")
    (quick.game("folder").folder / "packs/shell.pak").write_bytes(b"\x00another")
    with pytest.raises(Exception, match=r"packs/shell\.pak"):
        quick.end_of(quick.zerrit.deploy(change))
    assert _packs(quick, "folder")["packs/shell.pak"] == b"\x00another"


def test_a_watched_file_that_no_change_touched_is_left_alone_by_a_rollback(quick: Quick) -> None:
    run = quick.end_of(quick.zerrit.deploy(_change(quick, "folder")))
    (quick.game("folder").folder / "packs/other.pak").write_bytes(b"\x00put by hand")
    back = quick.end_of(quick.zerrit.rollback("folder", run.before or 0))
    assert back.state == "done"
    assert _packs(quick, "folder")["packs/other.pak"] == b"\x00put by hand"


def test_a_person_carries_them_too(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.zerrit.save_gamebook("quick", GAMEBOOK.replace("packs/*.big", "packs/*.pak"))
        folder = quick.game().folder / "packs"
        folder.mkdir()
        (folder / "shell.pak").write_bytes(OLD)
        quick.carry("reef")
        change = quick.zerrit.create_change("reef", "A newer shell").id
        quick.zerrit.put_file(change, "packs/shell.pak", NEW)
        run = quick.zerrit.deploy(change)
        wait_until(lambda: "Put 1 file" in quick.zerrit.run(run.id).asks)
        (folder / "shell.pak").write_bytes(NEW)
        quick.show("reef")
        wait_until(lambda: quick.zerrit.run(run.id).stage == "watch")
        quick.show("reef")
        assert quick.end_of(run).state == "deployed"


def _deploy_shell(quick: Quick, data: bytes) -> api.RunOut:
    change = quick.zerrit.create_change("folder", "Another shell").id
    quick.zerrit.put_file(change, "packs/shell.pak", data)
    run = quick.end_of(quick.zerrit.deploy(change))
    assert run.state == "deployed", run.outcome
    return run


def test_contents_that_no_late_deploy_touched_are_let_go(quick: Quick) -> None:
    runs = [_deploy_shell(quick, b"\x00shell %d" % number * 1000) for number in range(4)]
    assert quick.zerrit.prune("folder").watched == 0, "the usual rule keeps what ten deploys touched"
    known = quick.zerrit.server("folder")
    rules = api.Retention(watched=2)
    quick.zerrit.change_server(
        api.ServerIn(
            id="folder",
            gamebook="quick",
            connection=known.connection,
            control=known.control,
            maintenance=api.Maintenance(retention=rules),
        )
    )
    contents = quick.zerrit.verify_all().contents
    planned = quick.zerrit.plan_pruning("folder")
    gone = quick.zerrit.prune("folder")
    assert (gone.pruned, gone.watched) == ([], planned.watched)
    assert gone.watched > 0
    assert quick.zerrit.verify_all().damaged == {}
    assert quick.zerrit.verify_all().contents == contents - 2, "the first shell, and the first that was deployed"
    assert quick.zerrit.prune("folder").watched == 0

    back = quick.end_of(quick.zerrit.rollback("folder", runs[3].before or 0))
    assert (back.state, _packs(quick, "folder")["packs/shell.pak"]) == ("done", b"\x00shell 2" * 1000)
    far = quick.end_of(quick.zerrit.rollback("folder", runs[0].before or 0))
    assert far.state == "done"
    assert _packs(quick, "folder")["packs/shell.pak"] == b"\x00shell 2" * 1000
    assert "1 watched file cannot be brought back" in far.evidence.doubts[0]
    (again,) = quick.zerrit.replay(runs[0].changes[0], api.ReplayIn(server="folder")).steps
    assert "is not stored any more. Put the file again." in again.outcome.message
