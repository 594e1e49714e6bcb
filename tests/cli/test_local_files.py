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
    assert (done.code, done.out, done.err) == (0, "47 files checked, 0 findings, 0 errors.\n", "")


def test_findings_are_told_with_their_place(world: Path, tmp_path: Path) -> None:
    write_files(tmp_path / "bad", {
        "sea/chart.xml": b'<chart>\n  <ground name="Flats" floor="5"/>\n</chart>\n',
        FINDS: b'<finds>\n  <find name="A" family="brass" weight="1" house="1">\n    <band depth="deep" at="Falts" least="1" holds="2" renew="900"/>\n  </find>\n</finds>\n',
    })  # fmt: skip
    done = zerrit("check", "bad", "--gamebook", str(world / "fathomline.yml"), "--output", "json", cwd=tmp_path)
    assert done.code == 1
    assert done.data["summary"] == {"files": 2, "findings": 3, "errors": 1}
    (error,) = (f for f in done.data["findings"] if f["severity"] == "error")
    assert error == {
        "code": "meaning.unknown-name",
        "severity": "error",
        "message": "`Falts` is not among the grounds (one name is known).",
        "path": FINDS,
        "line": 3,
        "column": 28,
        "address": "sea/finds.xml#find[A]/band[deep]/@at",
        "hint": "Did you mean 'Flats'?",
    }


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("a.xml", '<a>\n  <b x="1/>\n</a>\n', "a.xml:2:10  error  xml.quote-missing\n    The value of `x` has no closing quotation mark."),
        ("a.json", '{\n  "a": 1\n  "b": 2\n}\n', 'a.json:2:9  error  json.comma-missing\n    A comma is missing after "a"; the next one follows. Add `,` here.'),
        ("a.yml", "a: 1\n\tb: 2\n", "a.yml:2:1  error  yaml.tab\n    A tab stands at the start of this line"),
        ("a.ini", "[A\nb=1\n", "a.ini:1:3  error  ini.section-not-closed\n    The section header [A has no closing bracket. Add `]` here."),
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
    assert found["sea/finds.xml#find[Copper Gimbal]/@house"] == ("changed", "35", "45")
    assert found["station.ini#Multipliers/FindRate"] == ("changed", "1.0", "1.4")
    table = zerrit("compare", f"defaults/{FINDS}", f"mine/{FINDS}", cwd=world)
    assert "~ changed  finds.xml#find[Copper Gimbal]/@house" in table.out
    assert "4 differences in 4 entries." in table.out
    text = zerrit("compare", f"defaults/{FINDS}", f"mine/{FINDS}", "--text", cwd=world)
    assert '+  <find name="Copper Gimbal" family="brass" weight="1.7" house="45">' in text.out


def test_equal_files_do_not_differ(world: Path) -> None:
    done = zerrit("compare", "mine", "mine", cwd=world)
    assert (done.code, done.out) == (0, "No difference.\n")


def test_a_snippet_is_merged_once_and_then_there_already(world: Path, tmp_path: Path) -> None:
    out = tmp_path / "station.ini"
    done = zerrit("merge", "mine/station.ini", "pumps.txt", "--save-to", str(out), cwd=world)
    assert done.code == 0
    assert "cleaned: Straightened bent quotation marks." in done.out
    assert "+ add   Pumps/Circuit[Wet Lab]" in done.out
    assert done.out.endswith(f"Written to {out}.\n")
    assert 'Circuit=(Name="Sump Six",Deck=3,Pumps=((Model=T3,Rating=5)),Duty=Night)' in out.read_text()
    again = zerrit("merge", str(out), "-", "--output", "json", cwd=world, stdin=(world / "pumps.txt").read_bytes())
    assert again.data["clashes"] == []
    assert {action["kind"] for action in again.data["actions"]} == {"same"}


def test_a_snippet_that_was_cut_off_is_refused_and_nothing_is_written(world: Path, tmp_path: Path) -> None:
    out = tmp_path / "station.ini"
    done = zerrit("merge", "mine/station.ini", "-", "--save-to", str(out), cwd=world, stdin="[Pumps]\nCircuit=(Name=\n")
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
        (("edit", "mine/station.ini", "Station/Name", "+1"), 2, "`Coral Gate` is no number"),
        (("edit", "mine/station.ini", "Multipliers/FindRate", "more"), 2, "`more` is no operation."),
        (("edit", "mine/none.ini", "a", "=1"), 2, "File 'mine/none.ini' does not exist."),
        (("compare", "mine", "pumps.txt"), 2, "Compare two files or two folders, not one with the other."),
        (("show", "mine/none.ini#a"), 2, "There is no file mine/none.ini. For a file on a server write SERVER:mine/none.ini."),
        (("check", "mine", "--gamebook", "pumps.txt"), 2, "The gamebook pumps.txt cannot be used."),
        (("codes", "xml.nothing"), 2, "There is no code xml.nothing. `zerrit codes` lists all."),
    ],
    ids=lambda value: " ".join(value[:3]) if isinstance(value, tuple) else None,
)  # fmt: skip
def test_wrong_use_is_explained(world: Path, arguments: tuple[str, ...], code: int, said: str) -> None:
    done = zerrit(*arguments, cwd=world)
    assert said in done.err
    assert "Traceback" not in done.err
    assert done.code == code


def test_a_place_is_shown_with_its_comment(world: Path) -> None:
    done = zerrit("show", f"mine/{FINDS}#find[Copper Gimbal]", cwd=world)
    assert done.out.splitlines() == [
        "mine/sea/finds.xml#find[Copper Gimbal]   (line 74)",
        '    <find name="Copper Gimbal" family="brass" weight="1.7" house="45">',
        '      <band depth="shallow" at="Ribbonweed Flats" least="12" holds="40" renew="1800"/>',
        '      <band depth="middle" at="Needle Arch" least="4" holds="16" renew="3600"/>',
        "    </find>",
        "  comment: Swings in a fixed ring. Crews learn to find with it; do not make it rare.",
    ]


def test_every_code_is_listed_without_colour(world: Path) -> None:
    done = zerrit("codes", cwd=world)
    assert "xml.stray-ampersand" in done.out
    assert "\x1b" not in done.out
