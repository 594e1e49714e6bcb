"""
The mistakes that happen every week, one test each: caught by a check, or made impossible by the way the product works.

Those that need a server that stops and starts are in `tests/service/test_field_notes.py`.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import replace

import pytest

from zerrit.core.checks import Checked, check_files_of, effects, gather_files, looks
from zerrit.core.compare import compare_files
from zerrit.core.documents import Finding, Severity
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.merge import apply_plan, plan_merge
from zerrit.core.steps import Step, StepKind, replay
from zerrit.databases import query
from zerrit.demo.world_files import default_files, gamebook


def _book() -> Gamebook:
    book, faults = read_gamebook(gamebook(), "fathomline.yml")
    assert book is not None, faults
    return book


BOOK = _book()
WORLD = default_files()
UNTOUCHED = check_files_of(gather_files(WORLD, BOOK, query=query), BOOK)


def checked(changed: Mapping[str, bytes | None]) -> Checked:
    """The check of the demo world with other files in it, as a change of it."""
    files = {path: data for path, data in {**WORLD, **changed}.items() if data is not None}
    before = gather_files(WORLD, BOOK, query=query).documents
    after = gather_files(files, BOOK, query=query)
    same = {path: before[path] for path in before if path in after.documents and path not in changed}
    return check_files_of(replace(after, documents={**after.documents, **same}), BOOK, before=before)


def new_findings(changed: Mapping[str, bytes | None]) -> list[Finding]:
    known = {(f.code, f.path, f.message) for f in UNTOUCHED.findings}
    return [f for f in checked(changed).findings if (f.code, f.path, f.message) not in known]


def with_text(path: str, old: str, new: str) -> dict[str, bytes | None]:
    text = WORLD[path].decode()
    assert text.count(old) == 1, f"{old!r} is {text.count(old)} times in {path}"
    return {path: text.replace(old, new).encode()}


def said(changed: Mapping[str, bytes | None]) -> list[tuple[str, str, str]]:
    """Code, path and message of each new finding."""
    return [(f.code, f.path, f.message) for f in new_findings(changed)]


def test_note_2_a_sign_that_was_deleted_far_from_where_one_looks() -> None:
    lost = with_text("craft.xml", '<hull name="Lugger" crew="5"', '<hull name="Lugger" crew="5')
    (finding,) = new_findings(lost)
    assert (finding.code, finding.line) == ("xml.quote-missing", 13)
    (finding,) = new_findings(with_text("galley/evenings.json", '"Kelp Porridge",', '"Kelp Porridge"'))
    assert (finding.code, finding.line) == ("json.comma-missing", 4)


def test_note_3_the_vendors_own_comment_upsets_nobody() -> None:
    (finding,) = UNTOUCHED.findings
    assert (finding.path, finding.code, finding.severity) == (
        "sea/buoys.xml",
        "xml.comment-double-hyphen",
        Severity.NOTICE,
    )


def test_note_5_what_is_written_is_not_in_force_yet() -> None:
    before = gather_files(WORLD, BOOK, query=query).documents
    steps = [
        Step(StepKind.SET, "station.ini#Station/Berths", operation="=30"),
        Step(StepKind.SET, "station.ini#Station/Welcome", operation="=Ahoy"),
        Step(StepKind.SET, "station.ini#World/DayLength", operation="=80"),
        Step(StepKind.SET, "addins/tidebell/settings.yml#settings/volume", operation="=0.4"),
        Step(StepKind.SET, "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds", operation="+4"),
    ]
    after = replay(before, steps, BOOK.read).documents
    waits = effects(BOOK, compare_files(before, after), after)
    assert [(one.takes_effect, [a.partition("#")[2] for a in one.addresses]) for one in waits] == [
        ("new world", ["Station/Berths"]),
        ("restart", ["shelf[brass]/find[Copper Gimbal]/@holds", "World/DayLength"]),
        ("rejoin", ["Station/Welcome"]),
        ("reload", ["settings/volume"]),
    ]
    assert looks(BOOK, before, after) == ["dive at Ribbonweed Flats and look for Copper Gimbal"]


def test_note_6_things_were_added_and_nothing_taken_away() -> None:
    text = WORLD["sea/finds.xml"].decode()
    start = text.index('    <find name="Copper Gimbal"')
    block = text[start : text.index("  </shelf>", start)].replace('<find name="', '<find name="Odd ')
    ((code, path, message),) = said(
        {"sea/finds.xml": text.replace(block.replace("Odd ", ""), block.replace("Odd ", "") + block).encode()}
    )
    assert (code, path) == ("meaning.balance", "sea/finds.xml")
    assert "goes from 1" in message and message.endswith("Was something added and nothing taken away?")


def test_note_7_a_block_that_was_pasted_with_its_header_or_twice() -> None:
    again = {"station.ini": WORLD["station.ini"] + b"\n[Multipliers]\nHaulWeight=1.5\n"}
    assert [(f.code, f.line) for f in new_findings(again)] == [("ini.section-twice", 70)]
    station = BOOK.read(WORLD["station.ini"], "station.ini")
    plan = plan_merge(station, "<pre>[Multipliers]\nHaulWeight=1.5</pre>")
    merged = apply_plan(station, plan)
    assert merged.text.count("[Multipliers]") == 1 and "HaulWeight=1.5" in merged.text
    assert apply_plan(merged, plan_merge(merged, "[Multipliers]\nHaulWeight=1.5\n")).text == merged.text


def test_note_8_the_right_file_of_the_wrong_chart() -> None:
    edited = {"charts/lantern-shelf/bearings.txt": b"Lantern Meadow = 14\n"}
    found = [f for f in new_findings(edited) if f.code == "meaning.not-in-use"]
    assert [(f.path, f.severity) for f in found] == [("charts/lantern-shelf/bearings.txt", Severity.WARNING)]
    assert found[0].message.startswith(
        "This file belongs to lantern-shelf, but station.ini#World/Chart says coral-gate"
    )


def test_note_9_the_same_edit_over_variants_slipped_on_one() -> None:
    address = "sea/finds.xml#shelf[float]/find[*Cork Float]/@holds"
    before = gather_files(WORLD, BOOK, query=query).documents
    alike = replay(before, [Step(StepKind.SET, address, operation="+4")], BOOK.read)
    assert not new_findings({"sea/finds.xml": alike.documents["sea/finds.xml"].to_bytes()})
    one = replay(before, [Step(StepKind.SET, address.replace("*", "Broad "), operation="+4")], BOOK.read)
    ((code, _, message),) = said({"sea/finds.xml": one.documents["sea/finds.xml"].to_bytes()})
    assert code == "meaning.alike"
    assert message == (
        "@holds is 7..32 here, but 7..28 in Small Cork Float, Great Cork Float. These variants are kept alike."
    )


def test_note_10_an_id_that_is_unique_in_three_files_and_equal_in_two() -> None:
    (finding,) = new_findings(with_text("crew/stewards.yml", "post: ST-02", "post: ST-01"))
    assert finding.message == "`ST-01` occurs twice among the codes on the chart; the first is in line 3."
    taken = said(with_text("sea/buoys.xml", 'code="BY-03"', 'code="BY-01"'))
    assert ("meaning.duplicate", "sea/buoys.xml") in [(code, path) for code, path, _ in taken]
    ((code, path, message),) = said(
        with_text(
            "sea/chart.xml",
            'code="RF-01" at="Ribbonweed Flats" draught="3"',
            'code="RF-01" at="Ribbonweed Flats" draught="4"',
        )
    )
    assert (code, path) == ("meaning.not-same", "sea/chart.xml")
    assert message == "draughts of berths: `RF-01` has 4 here, but 3 in ledger.db. The two must be the same."


def test_note_11_folder_file_and_start_parameter_are_one_word() -> None:
    found = said(with_text("launch.sh", "--chart coral-gate", "--chart coral_gate"))
    assert found == [
        (
            "meaning.disagree",
            "launch.sh",
            "`coral_gate` is here, but station.ini#World/Chart says `coral-gate`. The two must be the same word.",
        )
    ]
    assert new_findings(with_text("launch.sh", "--chart coral-gate", "--chart coral_gate"))[0].reason
    renamed = {
        "addins/tidebell/card.yml": WORLD["addins/tidebell/card.yml"].replace(b"name: tidebell", b"name: tide-bell")
    }
    assert ("meaning.disagree", "addins/tidebell/card.yml") in [(code, path) for code, path, _ in said(renamed)]


def test_note_12_order_checksums_and_versions_of_mods() -> None:
    order = {"mods/order.txt": b"surveyor-kit\ndeepsong\nundertow\n"}
    ((code, _, message),) = said(order)
    assert (code, message) == (
        "meaning.order",
        "surveyor-kit is before deepsong, which it needs; deepsong must come first.",
    )
    ((code, path, message),) = said({"mods/surveyor-kit.sum": None})
    assert (code, path) == ("meaning.file-missing", "mods/order.txt")
    assert message == "`surveyor-kit` needs the file mods/surveyor-kit.sum, which is not there."
    new = b"PAK\0"
    two = {
        "mods/order.txt": WORLD["mods/order.txt"] + b"surveyor-kit-1.3\n",
        "mods/surveyor-kit-1.3.pak": new,
        "mods/surveyor-kit-1.3.sum": b"x",
    }
    assert "meaning.one-of" in [code for code, _, _ in said(two)]


def test_note_14_a_category_is_the_name_of_a_file_in_the_same_letter_case() -> None:
    (finding,) = new_findings(with_text("galley/board.json", '"recipe": "eel-pie"', '"recipe": "Eel-Pie"'))
    assert (finding.code, finding.hint) == ("meaning.unknown-name", "Did you mean 'eel-pie'?")
    assert finding.fix is not None and finding.fix.text == "eel-pie"


def test_note_15_a_steward_outside_the_mess() -> None:
    ((code, path, message),) = said(with_text("crew/stewards.yml", "x: 12.5", "x: 52.5"))
    assert (code, path) == ("meaning.far", "crew/stewards.yml")
    assert message == "Odile is 40.51 away, more than the 8 within which it is reached."


def test_note_16_raising_a_variant_lowers_the_thing() -> None:
    (finding,) = new_findings(with_text("dredge/hauls.yml", "chance: 25%", "chance: 50%"))
    assert (finding.code, finding.severity) == ("meaning.variant", Severity.NOTICE)
    assert finding.message == (
        "Tarnished Gimbal now comes in place of Copper Gimbal in 50 of 100 draws (25 before), "
        "so Copper Gimbal itself comes up less often."
    )


def test_note_17_a_word_that_sends_the_game_elsewhere() -> None:
    def without(path: str, dish: str) -> dict[str, bytes | None]:
        lines = WORLD[path].decode().split("\n")
        return {path: "\n".join(line for line in lines if f'"{dish}"' not in line).encode()}

    # Without a price for the watch the house price holds; where that says so, the purser's.
    told = said(without("galley/house.json", "Radish Plate"))
    assert told == [
        (
            "meaning.sentinel",
            "galley/board.json",
            f'Without price/{watch}, this sends the game to {"galley/purser.json"}#prices/"Radish Plate", but nothing is there.',
        )
        for watch in ("evening", "night")
    ]
    told = said(without("galley/purser.json", "Kelp Porridge"))
    assert [(code, path) for code, path, _ in told] == [("meaning.sentinel", "galley/board.json")] * 2


def test_note_18_newcomers_join_a_party_that_is_closed() -> None:
    ((code, path, message),) = said(
        with_text("crew/parties.yml", "Shallow Party, open: true", "Shallow Party, open: false")
    )
    assert (code, path) == ("meaning.unknown-name", "crew/parties.yml")
    assert message == "newcomers join Shallow Party, which is not open; no one new could dive"


def test_note_19_an_addin_needs_one_that_is_switched_off() -> None:
    moved: dict[str, bytes | None] = {}
    for path, data in WORLD.items():
        if path.startswith("addins/tidebell/"):
            moved |= {path: None, path.replace("addins/", "shelved/"): data}
    found = [f for f in new_findings(moved) if f.code == "meaning.needs"]
    assert [(f.path, f.message, f.hint) for f in found] == [
        (
            "addins/wreckmarks/card.yml",
            "wreckmarks needs tidebell, which is not on.",
            "tidebell is here, but among those switched off (addins shelved).",
        )
    ]


def test_note_20_veterans_know_what_it_does_at_the_start() -> None:
    (finding,) = new_findings(with_text("station.ini", "FindRate=1.0", "FindRate=3.5"))
    assert (finding.code, finding.severity, finding.blocks) == ("meaning.advice", Severity.NOTICE, False)
    assert finding.message == "FindRate 3.5: above 3 the shallows are empty within a day"
    assert finding.hint == "heard of in 2.1, from the comment in station.ini"


def test_note_21_the_switch_is_on_but_the_game_dropped_what_it_switched() -> None:
    def renamed(dish: str) -> dict[str, bytes | None]:
        return with_text("galley/board.json", f'"dish": "{dish}"', f'"dish": "{dish} of Old"')

    found = [f for f in new_findings(renamed("Oyster Tray")) if f.path == "galley/evenings.json"]
    assert [f.message for f in found] == [
        "Feast of Lamps is on, but there is no dish Oyster Tray on the board; the game leaves it out and says nothing"
    ]
    assert not [f for f in new_findings(renamed("Whelk Pot")) if f.path == "galley/evenings.json"]


def test_note_22_a_packed_folder_must_be_packed_again() -> None:
    edited = with_text("charts/coral-gate/bearings.txt", "Needle Arch = 122", "Needle Arch = 124")
    ((code, path, message),) = said(edited)
    assert (code, path) == ("meaning.packed", "charts/coral-gate/bearings.txt")
    assert message.endswith(
        "is newer than its copy in charts/coral-gate.zip, which is what the game reads. Pack the folder again."
    )
    ((code, path, _),) = said({"charts/coral-gate.zip": b"PK\0 no archive"})
    assert (code, path) == ("meaning.packed", "charts/coral-gate.zip")


def test_note_23_a_row_of_the_games_database_carries_the_same_number() -> None:
    connection = sqlite3.connect(":memory:")
    connection.deserialize(WORLD["ledger.db"])
    connection.execute("UPDATE berths SET draught = 7 WHERE code = 'NA-01'")
    connection.commit()
    changed = {"ledger.db": connection.serialize()}
    connection.close()
    ((code, path, message),) = said(changed)
    assert (code, path) == ("meaning.not-same", "sea/chart.xml")
    assert message == "draughts of berths: `NA-01` has 5 here, but 7 in ledger.db. The two must be the same."


def test_note_25_a_file_bears_exactly_one_name() -> None:
    renamed = {"crew/wardens.txt": None, "crew/Wardens.txt": WORLD["crew/wardens.txt"]}
    found = {(f.code, f.path, f.hint) for f in new_findings(renamed)}
    assert found == {
        ("gamebook.file-missing", "crew/wardens.txt", "Did you mean 'crew/Wardens.txt'?"),
        ("meaning.file-name", "crew/Wardens.txt", "Did you mean 'wardens.txt'?"),
    }


@pytest.mark.parametrize(
    ("old", "new", "code"),
    [
        ('"radius": 8}\n', '"radius": 8},\n', "json.comma-extra"),
        ('"radius": 10},', '"radius": 10}', "json.comma-missing"),
    ],
)
def test_note_27_a_comma_after_the_last_entry_none_before_it(old: str, new: str, code: str) -> None:
    (finding,) = new_findings(with_text("galley/messes.json", old, new))
    assert finding.code == code and finding.fix is not None


@pytest.mark.parametrize(
    ("path", "old", "new", "hint"),
    [
        ("station.ini", "FindRate=1.0", "FindRat=1.0", "Did you mean 'FindRate'?"),
        ("craft.xml", 'name="Skiff" crew="2"', 'name="Skiff" crw="2"', "Did you mean 'crew'?"),
        ("galley/evenings.json", '"dish": "Oyster Tray"', '"dihs": "Oyster Tray"', "Did you mean 'dish'?"),
        (
            "dredge/hauls.yml",
            "thing: Red Amber Cameo, share",
            "thing: Red Amber Cameo, shrae",
            "Did you mean 'share'?",
        ),
    ],
)
def test_note_28_a_misspelled_name_gives_no_error_in_the_game(path: str, old: str, new: str, hint: str) -> None:
    (finding,) = new_findings(with_text(path, old, new))
    assert (finding.code, finding.path, finding.hint) == ("meaning.unknown-field", path, hint)


def test_note_28_a_misspelled_word_is_told_with_its_nearest_neighbour() -> None:
    (finding,) = new_findings(with_text("sea/buoys.xml", "Wreck of the Morrow", "Wreck of the Morow"))
    assert finding.hint == "Did you mean 'Wreck of the Morrow'?"


def test_one_broken_file_makes_no_findings_in_others() -> None:
    broken = {
        "sea/chart.xml": WORLD["sea/chart.xml"].replace(
            b'<ground name="Pilgrim Sands"', b'<ground name="Pilgrim Sands', 1
        )
    }
    assert {f.path for f in new_findings(broken)} == {"sea/chart.xml"}
