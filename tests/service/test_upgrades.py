"""Carrying changes over an upgrade, replaying them elsewhere, trying steps, and figures of a server."""

from __future__ import annotations

import io
import re
import zipfile

import pytest

from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import DemoStack, defaults_zip
from zerrit.demo.world_files import default_files

FINDS = "sea/finds.xml"
GIMBAL = f"{FINDS}#shelf[brass]/find[Copper Gimbal]/@worth"
CONFLICTS = [
    "addins/tidebell/settings.yml#settings/volume",
    f"{FINDS}#shelf[float]/find[Small Cork Float]/@holds",
    GIMBAL,
]
OTHER_SIZES = [CONFLICTS[1].replace("Small", size) for size in ("Broad", "Great")]


@pytest.fixture(scope="module")
def zerrit(shared: tuple[DemoStack, Client]) -> Client:
    """Signed in to a service that has the next defaults too."""
    _, client = shared
    client.import_defaults("coral-gate", "2.2", defaults_zip("2.2"))
    return client


def upgrade(**more: object) -> api.UpgradeIn:
    return api.UpgradeIn.model_validate({"old": "2.1", "new": "2.2", **more})


def test_an_upgrade_shows_what_merges_and_what_conflicts(zerrit: Client) -> None:
    found = zerrit.upgrade_plan("coral-gate", upgrade())
    files = {file.path: file for file in found.files}
    assert {path: file.state for path, file in files.items()} == {
        "addins/lampwatch/settings.yml": "added",
        "addins/tidebell/settings.yml": "merged",
        "craft.xml": "merged",
        "dredge/hauls.yml": "updated",
        "galley/board.json": "updated",
        "galley/evenings.json": "updated",
        "galley/house.json": "updated",
        "ledger.db": "updated",
        "galley/recipes/lamp-tray.json": "moved",
        FINDS: "merged",
        "station.ini": "merged",
    }
    assert [one.address for one in files["station.ini"].vendor] == [
        "station.ini#World/DayLength",
        "station.ini#Multipliers/HaulWeight",
        "station.ini#Multipliers/SiltRate",
    ]
    assert {one.new for one in files["station.ini"].own} == {"1.4", "Coral Gate: mind the tide, sign the slate."}
    assert [(conflict.address, conflict.base, conflict.mine, conflict.theirs) for conflict in found.conflicts] == [
        (CONFLICTS[0], "0.7", "0.5", "0.6"),
        (CONFLICTS[1], "7..28", "7..34", "7..30"),
        (OTHER_SIZES[0], "7..28", "7..34", "7..30"),
        (OTHER_SIZES[1], "7..28", "7..34", "7..30"),
        (CONFLICTS[2], "35", "45", "40"),
    ]
    new = {note.address: note.comment for file in found.files for note in file.added}
    assert new["station.ini#Multipliers/SiltRate"].startswith("How fast the water clouds")
    dropped = {note.address: note.value for file in found.files for note in file.dropped}
    assert dropped["station.ini#Multipliers/HaulWeight"] == "1.0"
    assert found.remaining == ["galley/recipes/oyster-tray.json"]


def test_an_undecided_conflict_blocks_and_decided_ones_become_a_change(zerrit: Client) -> None:
    with pytest.raises(ProblemError, match="5 conflicts still to be decided"):
        zerrit.open_upgrade("coral-gate", upgrade())
    choices = {CONFLICTS[0]: "mine", CONFLICTS[1]: "theirs", **dict.fromkeys(OTHER_SIZES, "theirs"), GIMBAL: "=42"}
    change = zerrit.open_upgrade("coral-gate", upgrade(choices=choices, title="To 2.2"))
    assert (change.title, change.blocking) == ("To 2.2", [])
    assert {step.kind for step in change.step_list} == {"merge-version", "put-file"}
    result = {d.address: (d.old, d.new) for d in zerrit.differences(change.id, "base").differences}
    assert result[GIMBAL] == ("45", "42")
    assert result[CONFLICTS[1]] == ("7..34", "7..30")
    assert CONFLICTS[0] not in result
    assert result["station.ini#World/DayLength"] == ("96", "90")
    text = zerrit.file("coral-gate", FINDS, change=change.id).text
    assert 'name="Salt Lantern"' in text
    assert 'name="Cracked Vial"' not in text
    assert "FATHOMLINE 2.2" in text  # the vendor's own comment came along
    zerrit.withdraw(change.id)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"new": "9"}, "coral-gate has no defaults 9"),
        ({"new": "2.1"}, "Both versions are 2.1"),
        ({"choices": {"craft.xml#hull[Skiff]": "mine"}}, "There is no conflict at craft.xml#hull[Skiff]"),
        ({"choices": {GIMBAL: "both"}}, "write mine, theirs, or =VALUE"),
    ],
)
def test_an_upgrade_that_cannot_be_is_refused(zerrit: Client, given: dict[str, object], said: str) -> None:
    with pytest.raises(ProblemError, match=re.escape(said)):
        zerrit.upgrade_plan("coral-gate", upgrade(**given))


def test_a_change_is_replayed_on_another_server(zerrit: Client) -> None:
    found = zerrit.replay(1, api.ReplayIn(server="lantern-shelf"))
    assert [step.outcome.kind for step in found.steps] == ["done", "done", "done", "done", "same", "done"]
    assert [finding.code for finding in found.findings] == ["meaning.unknown-name"]
    assert found.change is None
    kept = zerrit.replay(1, api.ReplayIn(server="lantern-shelf", create=True, title="As on the gate"))
    assert kept.change is not None
    change = zerrit.change(kept.change)
    assert (change.server, change.title, len(change.step_list)) == ("lantern-shelf", "As on the gate", 5)
    zerrit.withdraw(kept.change)


def test_a_step_that_fits_nothing_elsewhere_is_told_with_the_reason(zerrit: Client) -> None:
    change = zerrit.create_change("coral-gate", "Only here")
    zerrit.add_step(change.id, api.StepIn(kind="set", address="station.ini#Station/Welcome", operation="=Hello"))
    zerrit.add_step(change.id, api.StepIn(kind="put-file", address="notes/gate.txt", content="for this server\n"))
    zerrit.add_step(change.id, api.StepIn(kind="set", address="notes/gate.txt#line[#1]", operation="=ours"))
    zerrit.remove_steps(change.id, [zerrit.change(change.id).step_list[1].id])
    found = zerrit.replay(change.id, api.ReplayIn(server="lantern-shelf"))
    assert [step.outcome.kind for step in found.steps] == ["done", "impossible"]
    assert "has no file notes/gate.txt" in found.steps[1].outcome.message
    with pytest.raises(ProblemError, match="no-one"):
        zerrit.replay(change.id, api.ReplayIn(server="no-one"))
    zerrit.withdraw(change.id)


def test_a_bulk_step_is_tried_before_it_is_made(zerrit: Client) -> None:
    before = zerrit.change(1)
    given = api.StepIn(kind="set", address=f"{FINDS}#shelf[brass]/find[*]/@holds", operation="*2 from 0 to 40")
    tried = zerrit.try_step(1, given)
    assert (tried.kind, len(tried.changes)) == ("done", 49)
    assert all(int((one.new or "..0").partition("..")[2]) <= 48 for one in tried.changes)
    fields = api.StepIn(
        kind="copy-fields",
        address=f"{FINDS}#shelf[float]/find[Small Cork Float]",
        target="shelf[float]/find[Broad Cork Float,Great Cork Float]",
        names=["worth"],
    )
    tried = zerrit.try_step(1, fields)
    assert [(one.address, one.new) for one in tried.changes] == [
        (f"{FINDS}#shelf[float]/find[Broad Cork Float]/@worth", "15"),
        (f"{FINDS}#shelf[float]/find[Great Cork Float]/@worth", "15"),
    ]
    wrong = zerrit.try_step(
        1, api.StepIn(kind="set", address=f"{FINDS}#shelf[brass]/find[Coper]/@worth", operation="=1")
    )
    assert (wrong.kind, wrong.changes) == ("impossible", [])
    assert zerrit.change(1).version == before.version


def test_figures_of_a_change_are_before_and_after(zerrit: Client) -> None:
    found = zerrit.balance("coral-gate", f"{FINDS}#shelf/find/@holds", ["family"], change=1)
    assert {row.group: row.delta for row in found.rows if row.delta != "0"} == {"float": "+15", "brass": "-2"}
    assert (found.before, found.after, found.total.count_after) == ("snapshot 1", "change 1", 400)
    change = zerrit.create_change("coral-gate", "More gimbals")
    share = "dredge/hauls.yml#nets/[Old Iron]/of/[Copper Gimbal]/share"
    zerrit.add_step(change.id, api.StepIn(kind="set", address=share, operation="=9"))
    (odds,) = zerrit.odds("coral-gate", "Harbour Sweep", change=change.id)
    chances = {one.thing: one for one in odds.chances}
    assert chances["Copper Gimbal"].after > 2 * chances["Copper Gimbal"].before
    assert chances["Rusted Shackle"].after < chances["Rusted Shackle"].before
    numerator, _, denominator = chances["Copper Gimbal"].exact.partition("/")
    assert int(numerator) / int(denominator) == pytest.approx(chances["Copper Gimbal"].after)
    zerrit.withdraw(change.id)


def test_other_figures_come_from_the_newest_files(zerrit: Client) -> None:
    assert [one.following for one in zerrit.free_numbers("coral-gate", ["sea/chart.xml#berth/@code"])][:1] == ["CG-03"]
    prices = zerrit.derived("coral-gate", ["evening price"], ["0"])
    assert len(prices) == 28
    assert all(one.amounts[0].value == pytest.approx(1.5 * (one.value or 0)) for one in prices)
    near = zerrit.distances("coral-gate", "sea/chart.xml#ground", ["x", "z"], ["0", "0"], radius="400")
    assert [one.address for one in near if one.is_inside] == [
        "sea/chart.xml#ground[Coral Gate]",
        "sea/chart.xml#ground[Old Orchard]",
    ]
    for call, said in (
        (lambda: zerrit.balance("coral-gate", f"{FINDS}#find/@nmae"), "Nothing is at"),
        (lambda: zerrit.odds("coral-gate", "Nope"), "There is no table Nope"),
        (lambda: zerrit.derived("coral-gate", ["cost"]), "derives no value called cost"),
    ):
        with pytest.raises(ProblemError, match=said):
            call()


def packed(**files: bytes) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "."), data)
    return buffer.getvalue()


def test_what_stays_as_it_is_makes_no_step(zerrit: Client) -> None:
    """Coral Gate has 16 skiffs; the vendor goes from 12 to 20, and the admin keeps what is there."""
    craft = default_files()["craft.xml"]
    more = craft.replace(b'stock="12"', b'stock="20"')
    zerrit.import_defaults("coral-gate", "few", packed(craft__xml=craft))
    zerrit.import_defaults("coral-gate", "many", packed(craft__xml=more))
    zerrit.import_defaults("coral-gate", "noted", packed(craft__xml=more, notes__txt=b"read me\n"))
    before = len(zerrit.changes("coral-gate"))
    with pytest.raises(ProblemError, match="there is nothing to carry over"):
        zerrit.open_upgrade("coral-gate", api.UpgradeIn(old="few", new="many", rest="mine"))
    assert len(zerrit.changes("coral-gate")) == before
    change = zerrit.open_upgrade("coral-gate", api.UpgradeIn(old="few", new="noted", rest="mine"))
    assert [(step.kind, step.address) for step in change.step_list] == [("put-file", "notes.txt")]
    zerrit.withdraw(change.id)


def test_a_file_that_is_decided_as_a_whole_is_put(zerrit: Client) -> None:
    craft = default_files()["craft.xml"]
    zerrit.import_defaults("coral-gate", "broken", packed(craft__xml=craft.replace(b"</craft>", b"")))
    zerrit.import_defaults("coral-gate", "whole", packed(craft__xml=craft.replace(b'stock="12"', b'stock="20"')))
    found = zerrit.upgrade_plan("coral-gate", api.UpgradeIn(old="broken", new="whole"))
    assert [conflict.address for conflict in found.conflicts] == ["craft.xml"]
    change = zerrit.open_upgrade("coral-gate", api.UpgradeIn(old="broken", new="whole", rest="theirs"))
    assert [(step.kind, step.address) for step in change.step_list] == [("put-file", "craft.xml")]
    differences = {one.address: one.new for one in zerrit.differences(change.id).differences}
    assert differences == {"craft.xml#hull[Skiff]/@stock": "20"}
    zerrit.withdraw(change.id)
