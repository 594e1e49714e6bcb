"""Many files at once: written side by side, taken up after a drop, refused kinds, folders that come and go."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.quick import Quick, quick_stack
from zerrit import api
from zerrit.client import Client
from zerrit.connections import ConnectionFailed, FtpConnection, NewFile

MANY = {f"part-{number // 40}/piece {number}.bin": b"\x00piece %d" % number * 40 for number in range(200)}
TOOLS = {
    "setup.exe": b"MZ\x00setup",
    "bin/patch.exe": b"MZ\x00patch",
    "bin/list.txt": b"one\n",
    "read-me.txt": b"Read.\n",
}


def _change(zerrit: Client, name: str, files: dict[str, bytes], **more: object) -> int:
    change = zerrit.create_change(name, "A pack").id
    zerrit.put_folder(change, "pack", files, **more)  # type: ignore[arg-type]
    return change


def _folders(quick: Quick, name: str = "reef") -> set[str]:
    root = quick.game(name).folder
    return {str(path.relative_to(root)) for path in root.rglob("*") if path.is_dir()} - {"logs", "crashes"}


def test_a_drop_in_the_middle_costs_only_the_files_that_were_on_their_way(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add("reef", "ftp")
        real, written = FtpConnection._write_or_refused, list[str]()

        def count(connection: FtpConnection, file: NewFile) -> int | ConnectionFailed:
            written.append(file.path)
            if len(written) == 80:  # as many drops as the tries of one file and of those beside it
                quick.misbehave(drop_after=50, times=9)
            return real(connection, file)

        monkeypatch.setattr(FtpConnection, "_write_or_refused", count)
        files = {**MANY, "setup.exe": b"MZ\x00"}
        run = quick.end_of(quick.zerrit.deploy(_change(quick.zerrit, "reef", files, if_refused="leave-out")))
        assert run.state == "deployed", run.outcome
        assert list(run.evidence.refused) == ["pack/setup.exe"], "it was refused before the drop"
        now = quick.files()
        assert {path: now[f"pack/{path}"] for path in MANY} == MANY
        assert 200 <= len(written) <= 220, "only what was on its way is written once more"
        assert next(stage.detail for stage in run.stages if stage.name == "write").startswith("200 files written")
        assert "all as written" in next(stage.detail for stage in run.stages if stage.name == "verify")


@pytest.mark.parametrize("kind", ["ftp", "ftps"])
def test_a_kind_that_the_host_refuses_fails_with_a_count_or_is_left_out_as_chosen(tmp_path: Path, kind: str) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add("reef", kind)
        before, folders = quick.files(), _folders(quick)
        failed = quick.end_of(quick.zerrit.deploy(_change(quick.zerrit, "reef", TOOLS)))
        assert failed.state == "rolled-back"
        assert "2 of 4 files end with .exe: bin/patch.exe" in failed.outcome.replace("pack/", "")
        assert "--without '*.exe'" in failed.outcome
        assert {p: d for p, d in quick.files().items() if p != "station.ini"} == {
            p: d for p, d in before.items() if p != "station.ini"
        }
        assert _folders(quick) == folders, "the folders that were made are gone again"

        run = quick.end_of(quick.zerrit.deploy(_change(quick.zerrit, "reef", TOOLS, if_refused="leave-out")))
        assert run.state == "deployed", run.outcome
        assert {path for path in quick.files() if path.startswith("pack/")} == {"pack/bin/list.txt", "pack/read-me.txt"}
        assert set(run.evidence.refused) == {"pack/setup.exe", "pack/bin/patch.exe"}
        assert "Left out, since the host refuses them: pack/bin/patch.exe, pack/setup.exe (2 files)." in run.outcome
        assert not quick.zerrit.fetch("reef").is_new, "nothing of it is drift"


def test_refused_kinds_that_are_known_are_found_before_anything_is_sent(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add("reef", "ftp", refused_files=["*.EXE"])
        change = _change(quick.zerrit, "reef", TOOLS)
        checked = quick.zerrit.check(change)
        refused = [one for one in checked.findings if one.code == "host.refuses"]
        assert [one.path for one in refused] == ["pack/bin/patch.exe", "pack/setup.exe"]
        assert checked.state == "draft"
        assert len(checked.blocking) == 2

        change = _change(quick.zerrit, "reef", TOOLS, if_refused="leave-out")
        found = [(one.code, one.severity) for one in quick.zerrit.check(change).findings]
        assert found == [("host.leaves-out", "notice")] * 2
        run = quick.end_of(quick.zerrit.deploy(change))
        assert run.state == "deployed"
        assert set(run.evidence.refused) == {"pack/setup.exe", "pack/bin/patch.exe"}
        assert not [file for file in run.files if file.path.endswith(".exe")]


def test_a_folder_goes_with_its_last_file_and_comes_back(tmp_path: Path) -> None:
    kinds = ("folder", "ftp", "ftps", "sftp")
    with quick_stack(tmp_path, kinds) as quick:
        for kind in kinds:
            folder = quick.game(kind).folder
            (folder / "on/bell/deep").mkdir(parents=True)
            (folder / "on/bell/deep/a.bin").write_bytes(b"\x00a")
            (folder / "off").mkdir()
            quick.add(kind, kind)
            change = quick.zerrit.create_change(kind, "Bell off").id
            quick.zerrit.add_step(change, api.StepIn(kind="move-file", address="on/bell", target="off/bell"))
            assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
            assert _folders(quick, kind) == {"live", "sea", "on", "off", "off/bell", "off/bell/deep"}, kind
            back = quick.zerrit.rollback(kind, quick.zerrit.snapshots(kind)[-1].id)
            assert quick.end_of(back).state == "done"
            assert _folders(quick, kind) == {"live", "sea", "on", "off", "on/bell", "on/bell/deep"}, kind


def test_a_folder_that_holds_what_no_step_knows_stays(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        folder = quick.game().folder
        (folder / "on/bell/logs").mkdir(parents=True)
        (folder / "on/bell/a.bin").write_bytes(b"\x00a")
        quick.add("reef", "ftp")
        change = quick.zerrit.create_change("reef", "Bell off").id
        quick.zerrit.add_step(change, api.StepIn(kind="remove-file", address="on/bell"))
        (folder / "on/bell/logs/left.sock").symlink_to("nowhere")
        assert quick.end_of(quick.zerrit.deploy(change)).state == "deployed"
        assert (folder / "on/bell/logs/left.sock").is_symlink()
        assert not (folder / "on/bell/a.bin").exists()
