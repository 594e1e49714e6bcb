"""The commands that need no service: check, compare, merge, edit, show, codes. Their JSON and exit codes are a contract."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.cli.command import zerrit
from zerrit.demo.stack import write_files
from zerrit.demo.world_files import default_files, gamebook, server_files, snippet

FINDS = "sea/finds.xml"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The defaults, a server's files, the gamebook and a snippet, side by side. Tests write beside them, not into them."""
    folder = tmp_path_factory.mktemp("world")
    write_files(folder / "defaults", default_files())
    write_files(folder / "mine", server_files("coral-gate"))
    (folder / "fathomline.yml").write_bytes(gamebook())
    (folder / "pumps.txt").write_text(snippet("pump-circuits.txt"))
    return folder


def test_a_sound_folder_has_no_finding(world: Path) -> None:
    done = zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=world)
    assert (done.code, done.err) == (0, "")
    assert done.out.splitlines()[0] == "sea/buoys.xml:2:25  ○ notice  xml.comment-double-hyphen"
    assert done.out.splitlines()[-1] == "74 files checked, 1 finding, 0 errors."


def test_findings_are_told_with_their_place(world: Path, tmp_path: Path) -> None:
    write_files(tmp_path / "bad", {
        "sea/chart.xml": b'<chart>\n  <ground name="Flats" x="1" z="2" floor="5"/>\n</chart>\n',
        FINDS: b'<finds>\n  <shelf family="brass">\n    <find name="A" ground="Falts" holds="1..2" returns="2 tides" heft="1 kg" worth="1"/>\n  </shelf>\n</finds>\n',
    })  # fmt: skip
    done = zerrit("check", "bad", "--gamebook", str(world / "fathomline.yml"), "--output", "json", cwd=tmp_path)
    assert done.code == 1
    assert done.data["summary"] == {"files": 2, "findings": 36, "errors": 1}
    (error,) = (f for f in done.data["findings"] if f["severity"] == "error")
    assert error == {
        "code": "meaning.unknown-name",
        "severity": "error",
        "message": "`Falts` is not among the grounds (one name is known).",
        "path": FINDS,
        "line": 3,
        "column": 28,
        "address": "sea/finds.xml#shelf[brass]/find[A]/@ground",
        "hint": "Did you mean 'Flats'?",
        "rule": "sea/finds.xml#shelf/find/@ground",
        "reason": "",
    }


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("a.xml", '<a>\n  <b x="1/>\n</a>\n', "a.xml:2:10  ■ error  xml.quote-missing\n    2 |   <b x=\"1/>\n      |          ^\n    The value of `x` has no closing quotation mark."),
        ("a.json", '{\n  "a": 1\n  "b": 2\n}\n', 'a.json:2:9  ■ error  json.comma-missing\n    2 |   "a": 1\n      |         ^\n    A comma is missing after "a"; the next one follows. Add `,` here.'),
        ("a.yml", "a: 1\n\tb: 2\n", "a.yml:2:1  ■ error  yaml.tab\n    2 | \u2192b: 2\n      | ^\n    A tab is at the start of this line"),
        ("a.ini", "[A\nb=1\n", "a.ini:1:3  ■ error  ini.section-not-closed\n    1 | [A\n      |   ^\n    The section header [A has no closing bracket. Add `]` here."),
    ],
)  # fmt: skip
def test_a_malformed_file_is_told_in_plain_words(tmp_path: Path, name: str, text: str, said: str) -> None:
    (tmp_path / name).write_text(text)
    done = zerrit("check", name, cwd=tmp_path)
    assert done.code == 1
    assert said in done.out
    assert "1 file checked, 1 finding, 1 error." in done.out


def test_two_folders_are_compared_by_address(world: Path) -> None:
    done = zerrit("compare", "defaults", "mine", "--output", "json", cwd=world)
    assert done.code == 1
    found = {d["address"]: (d["kind"], d["old"], d["new"]) for d in done.data["differences"]}
    assert found["sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth"] == ("changed", "35", "45")
    assert found["station.ini#Multipliers/FindRate"] == ("changed", "1.0", "1.4")
    table = zerrit("compare", f"defaults/{FINDS}", f"mine/{FINDS}", cwd=world)
    assert "◆ changed  finds.xml#shelf[brass]/find[Copper Gimbal]/@worth" in table.out
    assert "4 differences in 4 entries: 4 changed." in table.out
    text = zerrit("compare", f"defaults/{FINDS}", f"mine/{FINDS}", "--output", "text", cwd=world)
    assert (
        '+    <find name="Copper Gimbal" ground="Ribbonweed Flats" holds="12..40" returns="3 tides" heft="1.5 kg" worth="45"/>'
        in text.out
    )


def test_equal_files_do_not_differ(world: Path) -> None:
    done = zerrit("compare", "mine", "mine", cwd=world)
    assert (done.code, done.out) == (0, "No difference.\n")


def test_a_snippet_is_merged_once_and_then_there_already(world: Path, tmp_path: Path) -> None:
    out = tmp_path / "station.ini"
    done = zerrit("merge", "mine/station.ini", "pumps.txt", "--save-to", str(out), cwd=world)
    assert done.code == 0
    assert "note: Straightened bent quotation marks." in done.out
    assert '▲ add   "Circuit Wet Lab"' in done.out
    assert done.out.endswith(f"Written to {out}.\n")
    assert "[Circuit Sump Six]\nDeck=3\nModel=T3\nRating=4\nManned=Night Watch\n" in out.read_text()
    again = zerrit("merge", str(out), "-", "--output", "json", cwd=world, stdin=(world / "pumps.txt").read_bytes())
    assert again.data["conflicts"] == []
    assert {action["kind"] for action in again.data["actions"]} == {"same"}


def test_a_snippet_that_was_cut_off_is_refused_and_nothing_is_written(world: Path, tmp_path: Path) -> None:
    out = tmp_path / "station.ini"
    done = zerrit("merge", "mine/station.ini", "-", "--save-to", str(out), cwd=world, stdin="[Pumps]\nSpill=((To=\n")
    assert done.code == 1
    assert done.err.startswith("zerrit: The snippet cannot be read as INI, line 2: ")
    assert not out.exists()


@pytest.mark.parametrize(("operation", "value"), [("=40.5", "40.5"), ("+10", "11.4"), ("-1", "0.4"), ("*1.5", "2.1")])
def test_a_value_is_edited_and_nothing_else(world: Path, tmp_path: Path, operation: str, value: str) -> None:
    before = (world / "mine/station.ini").read_text()
    out = tmp_path / "station.ini"
    done = zerrit("edit", "mine/station.ini", "Multipliers/FindRate", operation, "--save-to", str(out), cwd=world)
    assert (done.code, done.err) == (0, "")
    assert done.out.endswith(f"1 value changed in {out}.\n")
    assert out.read_text() == before.replace("FindRate=1.4", f"FindRate={value}")
    assert (world / "mine/station.ini").read_text() == before


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (("edit", "mine/station.ini", "Multipliers/FindRat", "=1"), 2, "station.ini#Multipliers has no `FindRat`. Nearest: Multipliers/FindRate"),
        (("edit", "mine/station.ini", "Multipliers/Zz*", "=1"), 2, "station.ini#Multipliers has no `Zz*`. There are: Multipliers/FindRate"),
        (("edit", "mine/station.ini", "Station/Name", "+1"), 2, "`Coral Gate` is not a number"),
        (("edit", "mine/station.ini", "Multipliers/FindRate", "more"), 2, "`more` is not an operation."),
        (("edit", "mine/none.ini", "a", "=1"), 2, "File 'mine/none.ini' does not exist."),
        (("compare", "mine", "pumps.txt"), 2, "mine has no file of that name"),
        (("show", "mine/none.ini#a"), 2, "There is no file mine/none.ini. For a file on a server write SERVER:mine/none.ini."),
        (("check", "mine", "--gamebook", "pumps.txt"), 2, "The gamebook pumps.txt cannot be used."),
        (("codes", "xml.not-closd"), 2, "There is no code xml.not-closd. Nearest: xml.not-closed,"),
    ],
    ids=lambda value: " ".join(value[:3]) if isinstance(value, tuple) else None,
)  # fmt: skip
def test_wrong_use_is_explained(world: Path, arguments: tuple[str, ...], code: int, said: str) -> None:
    done = zerrit(*arguments, cwd=world)
    assert said in done.err
    assert "Traceback" not in done.err
    assert done.code == code


def test_a_place_is_shown_with_its_comment(world: Path) -> None:
    done = zerrit("show", f"mine/{FINDS}#shelf[brass]/find[Copper Gimbal]", cwd=world)
    assert done.out.splitlines() == [
        "mine/sea/finds.xml#shelf[brass]/find[Copper Gimbal]   (line 31)",
        '    <find name="Copper Gimbal" ground="Ribbonweed Flats" holds="12..40" returns="3 tides" heft="1.5 kg" worth="45"/>',
        "  comment: Swings in a fixed ring. Crews learn to find with it; do not make it rare.",
    ]


def test_every_code_is_listed_without_colour(world: Path) -> None:
    done = zerrit("codes", cwd=world)
    assert "xml.stray-ampersand" in done.out
    assert "\x1b" not in done.out


BROKEN = '{\n  "a": 1\n  "b": 2,\n}\n'


def test_safe_fixes_are_shown_and_written_only_with_consent(tmp_path: Path) -> None:
    file = tmp_path / "a.json"
    file.write_text(BROKEN)
    told = zerrit("check", "a.json", cwd=tmp_path)
    assert "2 safe fixes" in told.out
    done = zerrit("check", "a.json", "--fix", cwd=tmp_path)
    assert done.code == 1
    assert '-  "a": 1\n-  "b": 2,\n+  "a": 1,\n+  "b": 2\n' in done.out
    assert "Nothing was written" in done.err
    assert file.read_text() == BROKEN
    done = zerrit("check", "a.json", "--fix", "--yes", cwd=tmp_path)
    assert done.code == 0
    assert "Written: 2 safe fixes in 1 file.\n1 file checked, 0 findings, 0 errors." in done.out
    assert file.read_text() == '{\n  "a": 1,\n  "b": 2\n}\n'
    assert "No finding has a safe fix." in zerrit("check", "a.json", "--fix", cwd=tmp_path).out


def test_safe_fixes_are_told_to_programs(tmp_path: Path) -> None:
    (tmp_path / "a.json").write_text(BROKEN)
    done = zerrit("check", "a.json", "--fix", "--yes", "--output", "json", cwd=tmp_path)
    assert done.code == 0
    assert [f["code"] for f in done.data["fixed"]] == ["json.comma-missing", "json.comma-extra"]
    assert done.data["summary"] == {"files": 1, "findings": 0, "errors": 0}


@pytest.mark.parametrize(
    ("words", "text"),
    [
        (("find[A]/@worth", "*3 from 0 to 100"), '<f>\n  <find name="A" worth="100"/>\n</f>\n'),
        (("find[A]", "copy", "B"), '<f>\n  <find name="A" worth="40"/>\n  <find name="B" worth="40"/>\n</f>\n'),
        (("find[A]", "rename", "B"), '<f>\n  <find name="B" worth="40"/>\n</f>\n'),
        (("find[A]", "comment-out"), '<f>\n  <!-- <find name="A" worth="40"/> -->\n</f>\n'),
        (("find[A]", "add", "band", "=x"), '<f>\n  <find name="A" worth="40">\n    <band>x</band>\n  </find>\n</f>\n'),
        (("", "add", "find", "name=B"), '<f>\n  <find name="A" worth="40"/>\n  <find name="B"/>\n</f>\n'),
        (("find[A]", "remove"), "<f>\n</f>\n"),
    ],
)  # fmt: skip
def test_a_local_file_is_edited_with_a_few_words(tmp_path: Path, words: tuple[str, ...], text: str) -> None:
    file = tmp_path / "a.xml"
    file.write_text('<f>\n  <find name="A" worth="40"/>\n</f>\n')
    done = zerrit("edit", "a.xml", *words, cwd=tmp_path)
    assert done.code == 0, done.err
    assert file.read_text() == text


def test_a_code_is_explained_with_a_wrong_and_a_right_example(tmp_path: Path) -> None:
    done = zerrit("codes", "json.comma-extra", cwd=tmp_path)
    assert done.out.splitlines() == [
        "json.comma-extra  (error)",
        "",
        "  A comma is after the last value.",
        "  Remove it. Some games read it anyway.",
        "",
        "  wrong:",
        "    {",
        '      "name": "Oda",',
        "    }",
        "  right:",
        "    {",
        '      "name": "Oda"',
        "    }",
        "",
        "  A gamebook can tolerate it for a file:  tolerate: [json.comma-extra]",
    ]
    listed = zerrit("codes", "--output", "json", cwd=tmp_path).data
    assert {c["code"]: c["tolerance"] for c in listed}["xml.doctype"] is False


def test_three_files_are_merged_and_conflicts_are_decided(tmp_path: Path) -> None:
    write_files(tmp_path, {
        "base.yml": b"day: 40\nnight: 10\n",
        "mine.yml": b"# ours\nday: 45\nnight: 10\n",
        "theirs.yml": b"day: 50\nnight: 12\ndawn: 3\n",
    })  # fmt: skip
    files = ("--base", "base.yml", "mine.yml", "theirs.yml", "--save-to", "out.yml")
    done = zerrit("merge", *files, cwd=tmp_path)
    assert done.code == 1
    assert "2 changes taken from theirs." in done.out
    assert "1 conflict to decide with --choose" in done.out
    assert (tmp_path / "out.yml").read_text() == "# ours\nday: 45\nnight: 12\ndawn: 3\n"
    told = zerrit("merge", *files, "--output", "json", cwd=tmp_path)
    assert told.data["conflicts"] == [
        {"address": "day", "base": "40", "mine": "45", "theirs": "50", "reason": "both sides gave it another value"}
    ]
    done = zerrit("merge", *files, "--choose", "day==47", cwd=tmp_path)
    assert done.code == 0
    assert (tmp_path / "out.yml").read_text() == "# ours\nday: 47\nnight: 12\ndawn: 3\n"
    done = zerrit("merge", *files, "--choose", "dai=mine", cwd=tmp_path)
    assert done.code == 2
    assert "write ADDRESS=mine or ADDRESS=theirs with a conflict; there is day." in done.err
    (tmp_path / "theirs.yml").write_text("day: [")
    done = zerrit("merge", *files, cwd=tmp_path)
    assert "Theirs has a fault in line 1" in done.err
    assert (tmp_path / "out.yml").read_text() == "# ours\nday: 47\nnight: 12\ndawn: 3\n"


def test_three_folders_are_merged_into_a_new_one(tmp_path: Path) -> None:
    write_files(tmp_path, {
        "base/a.yml": b"day: 40\nnight: 10\n", "base/gone.txt": b"x\n",
        "mine/a.yml": b"day: 45\nnight: 10\n", "mine/gone.txt": b"x\n", "mine/own.txt": b"ours\n",
        "theirs/a.yml": b"day: 40\nnight: 12\n", "theirs/sub/new.ini": b"[A]\nb=1\n",
    })  # fmt: skip
    folders = ("--base", "base", "mine", "theirs", "--save-to", "out")
    done = zerrit("merge", *folders, cwd=tmp_path)
    assert done.code == 0, done.err
    written = {p.relative_to(tmp_path / "out").as_posix(): p.read_text() for p in (tmp_path / "out").rglob("*.*")}
    assert written == {"a.yml": "day: 45\nnight: 12\n", "own.txt": "ours\n", "sub/new.ini": "[A]\nb=1\n"}
    again = zerrit("merge", *folders, cwd=tmp_path)
    assert again.code == 2
    assert "out is there already" in again.err
    mixed = zerrit("merge", "--base", "base/a.yml", "mine", "theirs", cwd=tmp_path)
    assert mixed.code == 2
    assert "three files or three folders" in mixed.err


def test_a_comparison_is_narrowed_and_printed_as_a_page(world: Path, tmp_path: Path) -> None:
    done = zerrit("compare", "defaults", "mine", "--only", "sea/*.xml#shelf[brass]/find[Copper*]", cwd=world)
    assert (done.code, done.out.splitlines()[-1]) == (1, "1 difference in 1 entry: 1 changed.")
    done = zerrit("compare", "defaults", "mine", "--only", "sea/find.xml", cwd=world)
    assert (done.code, done.out) == (2, "")
    assert "There is no file sea/find.xml. Nearest: sea/finds.xml" in done.err
    page = tmp_path / "page.html"
    done = zerrit("compare", "defaults", "mine", "--output", "html", "--save-to", str(page), cwd=world)
    assert done.code == 1
    html = page.read_text()
    assert "find[Copper Gimbal]/@worth" in html
    assert "&lt;find name=&#34;Copper Gimbal&#34;" in html  # what is in the files is text, not markup
    assert "<script" not in html


def test_what_stands_in_a_file_cannot_steer_the_terminal(tmp_path: Path) -> None:
    """Names, values and messages from outside are shown with such characters as numbers; JSON is the same text still."""
    write_files(
        tmp_path / "bad", {"a\x1b[31m.xml": b"<a>\x1b[2J</a>", "b.ini": "[A]\nb = \u202eevil\x9b31m\n".encode()}
    )
    for arguments in (
        ("check", "bad"),
        ("compare", "bad", "bad", "--output", "json"),
        ("check", "bad", "--output", "json"),
    ):
        done = zerrit(*arguments, cwd=tmp_path)
        assert not set(done.out + done.err) & set("\x1b\x9b\u202e")
    assert "a\\u001b[31m.xml:1:4" in zerrit("check", "bad", cwd=tmp_path).out
