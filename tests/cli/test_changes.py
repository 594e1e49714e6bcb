"""The life of a change on the command line, one command after the other."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.cli.command import Done
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, DemoStack
from zerrit.demo.world_files import snippet

Run = Callable[..., Done]
Shared = tuple[DemoStack, Client]


@pytest.fixture
def change(shared: Shared) -> str:
    return str(shared[1].create_change("lantern-shelf", "By command").id)


STEPS = [
    pytest.param(
        ("set", "craft.xml#hull[Skiff]/@stock", "+4"),
        ["Step 1: set craft.xml#hull[Skiff]/@stock +4", "        craft.xml#hull[Skiff]/@stock: 12 -> 16"],
        id="set",
    ),
    pytest.param(
        ("add", "craft.xml#hull[Skiff]", "rig", "part=Bell", "count=1"),
        [
            "Step 1: add craft.xml#hull[Skiff] rig part Bell, count 1",
            '        craft.xml#hull[Skiff]/rig[Bell]: new: <rig part="Bell" count="1"/>',
        ],
        id="add an entry",
    ),
    pytest.param(
        ("add", "addins/tidebell/settings.yml#settings", "calm", "--value", "true"),
        [
            "Step 1: add addins/tidebell/settings.yml#settings calm: true",
            "        addins/tidebell/settings.yml#settings/calm: new: calm: true",
        ],
        id="add a field",
    ),
    pytest.param(
        ("add", "addins/tidebell/settings.yml#settings/ring_before", "-", "--value", "60"),
        [
            "Step 1: add addins/tidebell/settings.yml#settings/ring_before 60",
            "        addins/tidebell/settings.yml#settings/ring_before/[#5]: new: 60",
        ],
        id="add an item",
    ),
    pytest.param(
        ("copy", "craft.xml#hull[Skiff]", "Dinghy"),
        ["Step 1: copy craft.xml#hull[Skiff] as Dinghy"],
        id="copy",
    ),
    pytest.param(
        ("remove", "craft.xml#hull[Lugger]/rig[Deep Lamp]"),
        [
            "Step 1: remove craft.xml#hull[Lugger]/rig[Deep Lamp]",
            '        craft.xml#hull[Lugger]/rig[Deep Lamp]: <rig part="Deep Lamp" count="4"/> -> (gone)',
        ],
        id="remove",
    ),
    pytest.param(
        ("rename", "craft.xml#hull[Lugger]", "Old Lugger"),
        [
            "Step 1: rename craft.xml#hull[Lugger] to Old Lugger",
            "        craft.xml#hull[Lugger]: Lugger -> Old Lugger",
        ],
        id="rename",
    ),
    pytest.param(
        ("move", "craft.xml#hull[Lugger]", "before", "craft.xml#hull[Skiff]"),
        ["Step 1: move craft.xml#hull[Lugger] before craft.xml#hull[Skiff]"],
        id="move",
    ),
    pytest.param(
        ("comment-out", "station.ini#World/DayLength"),
        ["Step 1: comment-out station.ini#World/DayLength"],
        id="comment out",
    ),
    pytest.param(
        ("set", "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds", "*9 from 0 to 100"),
        ["Step 1: set sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds *9 from 0 to 100"],
        id="adjust within bounds",
    ),
]


@pytest.mark.parametrize(("arguments", "said"), STEPS)
def test_a_step_says_what_it_will_do(run: Run, change: str, arguments: tuple[str, ...], said: list[str]) -> None:
    name, *rest = arguments
    done = run("change", name, change, *rest)
    assert (done.code, done.err) == (0, "")
    assert done.out.splitlines()[: len(said)] == said


def test_a_snippet_comes_from_standard_input_or_a_file(run: Run, change: str, tmp_path: Path) -> None:
    (tmp_path / "pumps.txt").write_text(snippet("pump-circuits.txt"), encoding="utf-8")
    planned = run("change", "merge", change, "station.ini", "pumps.txt", "--dry-run")
    assert '▲ add   "Circuit Wet Lab"' in planned.out
    assert "Step" not in planned.out
    merged = run("change", "merge", change, "station.ini", "-", stdin=(tmp_path / "pumps.txt").read_text())
    assert (
        merged.out.splitlines()[-1]
        == "Step 1: merge station.ini a snippet of 13 lines (SHA-256 d20a90e1f6d0…), 2 places"
    )
    again = run("change", "merge", change, "station.ini", "pumps.txt")
    assert (again.code, "it is so already" in again.err) == (2, True)


def test_an_action_of_a_merge_is_chosen(run: Run, change: str) -> None:
    snippet = "[Pumps]\nBus=44\nSpare=1\n"
    done = run("change", "merge", change, "station.ini", "-", "--choose", "Pumps/Bus=skip", stdin=snippet)
    assert (
        done.out.splitlines()[-1] == "Step 1: merge station.ini a snippet of 3 lines (SHA-256 583f7fc01a60…), 1 place"
    )
    wrong = run("change", "merge", change, "station.ini", "-", "--choose", "Pumps/Bus=maybe", stdin=snippet)
    assert (wrong.code, "with one of add, combine, replace, skip" in wrong.err) == (2, True)
    unknown = run("change", "merge", change, "station.ini", "-", "--choose", "Pumps/Bsu=skip", stdin=snippet)
    assert (unknown.code, "The snippet has no entry Pumps/Bsu" in unknown.err) == (2, True)


def test_a_file_is_put_and_taken_out_again(run: Run, change: str, tmp_path: Path) -> None:
    (tmp_path / "rules.txt").write_text("no diving alone\n")
    assert run("change", "put-file", change, "crew/rules.txt", "rules.txt").out.startswith(
        "Step 1: put-file crew/rules.txt 1 line"
    )
    assert run("change", "remove-step", change, "1").out == "Step 1 is removed: put-file crew/rules.txt\n"
    ignored = run("change", "put-file", change, "logs/a.log", "rules.txt")
    assert "logs/a.log is none of the files that Zerrit keeps for lantern-shelf" in ignored.err


def test_files_of_any_bytes_and_folders_are_put_moved_and_removed(run: Run, change: str, tmp_path: Path) -> None:
    kit = tmp_path / "kit"
    (kit / "deep").mkdir(parents=True)
    (kit / "lamp.bin").write_bytes(b"\x00lamp")
    (kit / "deep/rules.txt").write_text("no diving alone\n")
    (kit / "setup.exe").write_bytes(b"MZ\x00")
    shutil.make_archive(str(tmp_path / "kit"), "zip", kit)
    put = run("change", "put-file", change, "crew/lamp.bin", "kit/lamp.bin")
    assert put.out.startswith("Step 1: put-file crew/lamp.bin SHA-256 "), put.err
    assert "        crew/lamp.bin: new: 5 bytes" in put.out
    folder = run("change", "put-folder", change, "addins/tidebell", "kit", "--without", "*.exe", "--replace-all")
    assert "Step 2: put-folder addins/tidebell 2 files, in place of all that is there" in folder.out
    assert re.search(r"addins/tidebell/settings\.yml: \d+ lines -> \(gone\)", folder.out)
    assert "        addins/tidebell/deep/rules.txt: new: 1 line" in folder.out
    assert re.search(r"2 new, 0 changed, \d removed, 0 the same already", folder.out)
    archive = run("change", "put-folder", change, "kit", "kit.zip", "--only", "deep/**")
    assert "Step 3: put-folder kit 1 file\n        kit/deep/rules.txt: new: 1 line\n" in archive.out
    tried = run("change", "move-file", change, "kit", "stored/kit", "--dry-run")
    assert "1 place would change. Nothing was added to the change." in tried.out
    moved = run("change", "move-file", change, "kit", "stored/kit")
    assert "Step 4: move-file kit to stored/kit" in moved.out
    assert "stored/kit/deep/rules.txt" in moved.out
    removed = run("change", "remove-file", change, "stored/kit/")
    assert "        stored/kit/deep/rules.txt: 1 line -> (gone)" in removed.out
    for arguments, why in (
        (("kit", "--only", "*.pak"), "None of the 3 files of kit is left by --only and --without."),
        (("kit/lamp.bin",), "kit/lamp.bin: This is neither a ZIP nor a TAR"),
    ):
        refused = run("change", "put-folder", change, "crew", *arguments)
        assert (refused.code, why in refused.err) == (2, True), refused.err


def test_empty_folders_and_programs_are_steps(run: Run, change: str, tmp_path: Path) -> None:
    (tmp_path / "kit/spare").mkdir(parents=True)
    (tmp_path / "kit/start.sh").write_text("#!/bin/sh\n")
    (tmp_path / "kit/start.sh").chmod(0o755)
    (tmp_path / "kit/notes.txt").write_text("dim\n")
    folder = run("change", "put-folder", change, "kit", "kit")
    assert "put-folder kit 2 files and 1 empty folder" in folder.out
    assert "kit/start.sh: not executable -> executable" in folder.out
    assert "kit/spare/: new: an empty folder" in folder.out
    assert "kit/later/: new: an empty folder" in run("change", "add-folder", change, "kit/later").out
    off = run("change", "set-executable", change, "kit/start.sh", "off")
    assert "kit/start.sh: executable -> not executable" in off.out
    again = run("change", "set-executable", change, "kit/start.sh", "off")
    assert (again.code, "it is so already" in again.err) == (2, True)
    put = run("change", "put-file", change, "stop.sh", "kit/start.sh", "--executable")
    assert "put-file stop.sh 1 line, executable" in put.out


def test_a_word_is_renamed_throughout(run: Run, change: str) -> None:
    words = ("mods/surveyor-kit.yml", "depth-kit.yml", "--throughout")
    tried = run("change", "rename", change, *words, "--dry-run")
    assert tried.code == 0, tried.err
    assert re.search(r"launch\.sh#mod\[surveyor-kit\]\s+surveyor-kit\s+depth-kit", tried.out)
    assert re.search(r"mods/surveyor-kit\.pak\s+mods/surveyor-kit\.pak\s+mods/depth-kit\.pak", tried.out)
    assert "note: `surveyor-kit` also stands on 1 other line" in tried.out
    assert "7 places would change. Nothing was added to the change." in tried.out
    done = run("change", "rename", change, *words, "--leave", "launch.sh#mod[surveyor-kit]")
    assert "rename mods/surveyor-kit.yml to depth-kit.yml throughout" in done.out
    assert "launch.sh#mod" not in done.out
    taken = run("change", "rename", change, "mods/order.txt#mod[deepsong]", "undertow", "--throughout")
    message = "mods/order.txt has mod[undertow] already. Choose another key."
    assert (taken.code, message in taken.err) == (2, True), taken.err


def test_a_finding_blocks_until_it_is_accepted_with_the_command_that_is_shown(run: Run, change: str) -> None:
    run("change", "set", change, "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@ground", "=Kelp Hall")
    checked = run("change", "check", change)
    assert checked.code == 1
    assert f"Change {change} stays a draft." in checked.out
    place = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@ground"
    assert f"    zerrit change waive {change} meaning.unknown-name '{place}' --reason '...'" in checked.out
    empty = run("change", "waive", change, "meaning.unknown-name", place, "--reason", " ")
    assert (empty.code, "Give a reason for the waiver" in empty.err) == (2, True)
    nothing = run("change", "waive", change, "meaning.range", place, "--reason", "so")
    assert f"Change {change} has no finding meaning.range at {place}." in nothing.err
    waived = run("change", "waive", change, "meaning.unknown-name", place, "--reason", "the new chart")
    assert waived.out == "Waived. Nothing blocks now.\n"
    after = run("change", "check", change)
    assert (after.code, f"waived by {ADMIN}: the new chart" in after.out) == (0, True)
    assert (
        "\nNothing blocks this change (1 older finding not counted).\nAfter it is written it takes effect after a restart: "
        in after.out
    )
    assert after.out.endswith(
        f"  checklist: dive at Kelp Hall and look for Copper Gimbal\nChange {change} is checked.\n"
    )


def test_a_change_is_listed_shown_and_withdrawn(run: Run, change: str) -> None:
    run("change", "set", change, "craft.xml#hull[Skiff]/@stock", "+4")
    listed = run("change", "list", "lantern-shelf")
    assert any(line.split()[:2] == [change, "draft"] for line in listed.out.splitlines())
    shown = run("change", "show", change).out.splitlines()
    assert shown[0] == f"Change {change} on lantern-shelf: By command   [draft]"
    assert shown[1] == "   1. set    craft.xml#hull[Skiff]/@stock  +4"
    text = run("change", "compare", change, "--output", "text").out
    assert '-  <hull name="Skiff" crew="2" crush="60" stock="12">' in text
    assert '+  <hull name="Skiff" crew="2" crush="60" stock="16">' in text
    assert run("change", "withdraw", change).out == f"Change {change} is withdrawn.\n"
    assert f"Change {change} is withdrawn and is not edited any more." in run("change", "remove-step", change, "1").err


def test_a_change_is_put_on_newer_files(run: Run, change: str, shared: Shared) -> None:
    stack, _ = shared
    run("change", "set", change, "craft.xml#hull[Lugger]/@stock", "+1")
    craft = stack.host_folder / "lantern-shelf/craft.xml"
    craft.write_text(craft.read_text().replace('stock="4"', 'stock="7"'))
    refused = run("change", "deploy", change, "--yes")
    assert (refused.code, "craft.xml on lantern-shelf changed since" in refused.err) == (1, True)
    noted = run("change", "compare", change, "--against", "live").out
    assert "note: craft.xml on lantern-shelf is not as in snapshot" in noted
    fetched = run("fetch", "lantern-shelf")
    assert "◆ changed  craft.xml" in fetched.out
    assert run("change", "update", change).out.startswith(f"Change {change} now is on snapshot ")
    assert "craft.xml#hull[Lugger]/@stock: 7 -> 8" in run("change", "show", change).out


def test_a_setting_of_a_server_is_changed_and_the_rest_stays(run: Run, shared: Shared) -> None:
    _, client = shared
    before = client.server("coral-gate")
    done = run("server", "set", "coral-gate", "--title", "The Gate")
    assert done.out == "coral-gate has its new settings; connection and control answer.\n"
    after = client.server("coral-gate")
    assert (after.title, after.connection, after.control) == ("The Gate", before.connection, before.control)
    refused = run("server", "set", "coral-gate", "--ftp", "127.0.0.1:1")
    assert (refused.code, "the saved one is only used for the host, port, key and user" in refused.err) == (2, True)
    shelf = run("server", "set", "lantern-shelf", "--folder", "nowhere")
    assert (shelf.code, "is not there. Check the path of the connection." in shelf.err) == (3, True)


def test_gamebooks_are_listed_and_a_broken_one_is_refused(run: Run, tmp_path: Path) -> None:
    assert "fathomline" in run("gamebook", "list").out
    (tmp_path / "bad.yml").write_text("gamebook: 1\ngame: x\nlists: {a: {source: 'b.xml#c['}}\n")
    done = run("gamebook", "save", "bad", "bad.yml")
    assert (done.code, "line 3: lists / a / source: c[ is not an address" in done.err) == (2, True)
