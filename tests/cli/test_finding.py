"""Commands that find and edit: what needs a person, names, text in files, tables of entries, text in an editor."""

from __future__ import annotations

import json
import shlex
import stat
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.cli.command import Done, signed_in
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack

Run = Callable[..., Done]


@pytest.fixture(scope="module")
def quick(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Quick]:
    with quick_stack(tmp_path_factory.mktemp("cli") / "stack") as stack:
        stack.add("reef")
        yield stack


@pytest.fixture
def run(quick: Quick, tmp_path: Path) -> Run:
    return signed_in(quick.url, quick.zerrit.token(ADMIN, PASSWORD).token, tmp_path)


def new_change(quick: Quick) -> str:
    return str(quick.zerrit.create_change("reef", "from the terminal").id)


def editor(folder: Path, old: str, new: str) -> str:
    """An editor that replaces one text, as EDITOR names it."""
    script = folder / "editor.py"
    script.write_text(
        f"import sys\npath = sys.argv[1]\ntext = open(path, newline='').read()\n"
        f"open(path, 'w', newline='').write(text.replace({old!r}, {new!r}))\n"
    )
    script.chmod(script.stat().st_mode | stat.S_IXUSR)
    return f"{shlex.quote(sys.executable)} {shlex.quote(str(script))}"


def test_what_needs_a_person_is_listed_and_well_is_well(run: Run, quick: Quick) -> None:
    assert run("overview").out.startswith("Nothing needs attention.")
    assert run("overview").code == 0
    quick.deploy("sea/3.yml#holds=6000000")
    done = run("overview")
    assert done.code == 1
    assert "run-failed" in done.out
    assert "reef" in done.out
    assert {one["kind"] for one in run("overview", "--output", "json").data["items"]} == {"run-failed"}


def test_names_and_text_are_found(run: Run) -> None:
    done = run("search", "station.ini")
    assert "reef:station.ini" in done.out
    assert run("search", "zzqqxx").code == 1
    done = run("search", "holds", "--in-files", "--server", "reef", "--files", "sea/1.yml")
    assert done.out.startswith("sea/1.yml:2:1: holds")
    assert "1 place in 1 file" in done.err
    assert run("search", "holds", "--in-files").code == 2
    assert "go with --in-files" in run("search", "holds", "--whole-word").err


def test_a_table_of_entries_is_filtered_and_sorted(run: Run, quick: Quick) -> None:
    change = new_change(quick)
    text = "<cargo>" + "".join(f'<crate name="c{n}" weight="{n}"/>' for n in range(30)) + "</cargo>"
    steps = [{"kind": "put-file", "address": "cargo.xml", "content": text}]
    assert run("change", "add-steps", change, "-", stdin=json.dumps(steps)).code == 0
    done = run(
        "entries",
        "reef",
        "cargo.xml",
        "--change",
        change,
        "--where",
        "@weight:>25",
        "--sort",
        "@weight",
        "--descending",
    )
    assert [line.split()[0] for line in done.out.splitlines() if line.startswith("c2")] == ["c29", "c28", "c27", "c26"]
    assert "1 to 4 of 4" in done.out
    assert (
        "`>` needs one number behind it, not `x`. Write it such as >10"
        in run("entries", "reef", "cargo.xml", "--change", change, "--where", "@weight:>x").err
    )


def test_a_file_is_edited_in_an_editor_and_becomes_steps(run: Run, quick: Quick, tmp_path: Path) -> None:
    change = new_change(quick)
    done = run("change", "edit", change, "sea/1.yml", EDITOR=editor(tmp_path, "holds: 0", "holds: 4"), VISUAL="")
    assert "Step 1: set sea/1.yml#holds =4" in done.out
    done = run("change", "edit", change, "sea/1.yml", EDITOR=editor(tmp_path, "nothing", "there"), VISUAL="")
    assert "Nothing was typed, so nothing was saved." in done.out
    assert len(quick.zerrit.change(int(change)).step_list) == 1


def test_text_is_replaced_after_a_dry_run(run: Run, quick: Quick) -> None:
    change = new_change(quick)
    done = run("change", "replace", change, "holds: 0", "holds: 6", "--files", "sea/*.yml", "--dry-run")
    assert "[holds: 0 -> holds: 6]" in done.out
    assert "Nothing was added to the change." in done.out
    assert quick.zerrit.change(int(change)).step_list == []
    done = run("change", "replace", change, "holds: 0", "holds: 6", "--files", "sea/1.yml")
    assert done.out.startswith("1 place replaced by 1 step")


def test_a_list_of_steps_is_added_all_or_none_and_removed_by_number(run: Run, quick: Quick) -> None:
    change = new_change(quick)
    steps = [{"kind": "set", "address": f"sea/{number}.yml#holds", "operation": "=7"} for number in (1, 2)]
    done = run("change", "add-steps", change, "-", stdin=json.dumps(steps))
    assert done.out.splitlines() == ["Step 1: set sea/1.yml#holds =7", "Step 2: set sea/2.yml#holds =7"]
    assert "Step 2 is removed: set sea/2.yml#holds" in run("change", "remove-step", change, "1", "2").out
    assert "has no step 9" in run("change", "remove-step", change, "9").err
    for sent, said in (
        ("{", "is not valid JSON"),
        ('[{"kind": "set", "address": "a"}, {"kind": "fly", "address": "b"}]', "Step 2, kind: "),
        ('{"kind": "set"}', "This is not a list of steps"),
    ):
        done = run("change", "add-steps", change, "-", stdin=sent)
        assert done.code == 2
        assert said in done.err


def test_an_address_is_explained_as_a_change_leaves_it(run: Run, quick: Quick) -> None:
    change = new_change(quick)
    run("change", "set", change, "sea/1.yml#holds", "=9")
    assert run("about", "reef:sea/1.yml#holds", "--change", change, "--output", "json").data["shown"]["value"] == "9"
