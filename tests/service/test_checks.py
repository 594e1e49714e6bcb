"""What is known of a server: its check, its waivers, its gamebook, its places, the review of its settings."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from tests.service.test_deploys import carried_out, opened
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import DemoStack, defaults_zip
from zerrit.demo.world_files import NEXT_VERSION, gamebook
from zerrit.records import Waiver, open_database

Shared = tuple[DemoStack, Client]
GIMBAL = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]"
BREAKS = api.StepIn(kind="set", address="crew/parties.yml#newcomers", operation="=Trench Party")
CLOSED = "meaning.unknown-name"


# --- checks and waivers -----------------------------------------------------------------------------------------------


def test_the_check_of_a_server_tells_what_the_vendor_shipped(shared: Shared) -> None:
    _, zerrit = shared
    found = zerrit.check_server("coral-gate")
    assert (found.blocking, found.files) == (0, 79)
    assert [(f.code, f.severity, f.is_shipped) for f in found.findings] == [
        ("xml.comment-double-hyphen", "notice", True)
    ]


def with_own_fault(zerrit: Client, stack: DemoStack, server: str = "lantern-shelf") -> None:
    """Someone edited a file on the server manually."""
    path = stack.host_folder / server / "crew" / "parties.yml"
    path.write_text(path.read_text().replace("newcomers: Shallow Party", "newcomers: Trench Party"))
    zerrit.fetch(server)


def test_a_waiver_accepts_a_finding_until_its_day(zerrit: Client, stack: DemoStack) -> None:
    with_own_fault(zerrit, stack)
    (fault,) = [f for f in zerrit.check_server("lantern-shelf").findings if f.severity == "error"]
    assert (fault.code, fault.blocks) == (CLOSED, True)
    until = datetime.now(UTC) + timedelta(days=2)
    (waiver,) = zerrit.waive_on("lantern-shelf", CLOSED, fault.waiver_address, "the trench opens on Friday", until)
    assert (waiver.state, waiver.author, waiver.message) == ("in-use", "isolde", fault.message)
    found = zerrit.check_server("lantern-shelf")
    assert found.blocking == 0
    assert [f.waived for f in found.findings if f.code == CLOSED] == ["isolde: the trench opens on Friday"]

    with open_database(stack.folder / "data" / "zerrit.db").session() as session:  # the day has come
        session.get_one(Waiver, waiver.id).until = datetime.now(UTC) - timedelta(minutes=1)
    found = zerrit.check_server("lantern-shelf")
    assert found.blocking == 1
    assert [f.message for f in found.findings if f.code == "waiver.ended"] == [
        f"The waiver {waiver.id} of isolde ended; what it accepted counts again."
    ]


def test_a_waiver_that_accepts_nothing_any_more_is_reported(zerrit: Client, stack: DemoStack) -> None:
    with_own_fault(zerrit, stack)
    (fault,) = [f for f in zerrit.check_server("lantern-shelf").findings if f.severity == "error"]
    (waiver,) = zerrit.waive_on("lantern-shelf", CLOSED, fault.waiver_address, "for the feast")
    path = stack.host_folder / "lantern-shelf" / "crew" / "parties.yml"
    path.write_text(path.read_text().replace("newcomers: Trench Party", "newcomers: Wall Party"))
    zerrit.fetch("lantern-shelf")
    assert [one.state for one in zerrit.waivers("lantern-shelf")] == ["unused"]
    assert "waiver.unused" in [f.code for f in zerrit.check_server("lantern-shelf").findings]
    zerrit.remove_waiver("lantern-shelf", waiver.id)
    assert zerrit.waivers("lantern-shelf") == []
    assert "waiver.unused" not in [f.code for f in zerrit.check_server("lantern-shelf").findings]


@pytest.mark.parametrize(
    ("place", "reason", "until", "said"),
    [
        ("crew/parties.yml#newcomers", "why not", None, "has no finding"),
        ("crew/parties.yml#newcomers", " ", None, "Give a reason"),
        ("crew/parties.yml#newcomers", "why not", datetime(2020, 1, 1, tzinfo=UTC), "is over"),
    ],
)
def test_a_waiver_of_nothing_is_refused(
    shared: Shared, place: str, reason: str, until: datetime | None, said: str
) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match=f"{said}"):
        zerrit.waive_on("coral-gate", CLOSED, place, reason, until)


def test_a_fault_that_stands_in_the_defaults_blocks_nobody(zerrit: Client, stack: DemoStack) -> None:
    with_faults = (
        gamebook()
        .decode()
        .replace(
            'heft: {path: "@heft", is: quantity, units: [kg], min: 0.1',
            'heft: {path: "@heft", is: quantity, units: [kg], min: 0.2',
        )
    )
    zerrit.save_gamebook("fathomline", with_faults)
    shipped = [f for f in zerrit.check_server("coral-gate").findings if f.severity == "error"]
    assert shipped and all(f.is_shipped and not f.blocks for f in shipped)
    change = opened(zerrit, api.StepIn(kind="set", address="craft.xml#hull[Skiff]/@stock", operation="=14"))
    assert zerrit.check(change).blocking == []
    assert carried_out(zerrit, zerrit.deploy(change)).state == "deployed"


def test_a_change_shows_what_it_brings_in_fixes_and_finds(zerrit: Client, stack: DemoStack) -> None:
    with_own_fault(zerrit, stack, "coral-gate")
    change = opened(zerrit, api.StepIn(kind="set", address="launch.sh#chart", operation="=coral_gate"))
    detail = zerrit.check(change)
    assert [(f.code, f.path) for f in detail.findings] == [("meaning.disagree", "launch.sh")]
    assert detail.old_findings == 2, "the fault that stood there before, and the vendor's comment"
    assert len(detail.blocking) == 1
    fixed = zerrit.add_step(change, api.StepIn(kind="set", address="launch.sh#chart", operation="=coral-gate"))
    fixed = zerrit.add_step(
        change, api.StepIn(kind="set", address="crew/parties.yml#newcomers", operation="=Wall Party")
    )
    assert (fixed.findings, fixed.old_findings, fixed.blocking) == ([], 1, [])
    assert [f.code for f in fixed.fixed] == [CLOSED]


def test_a_change_says_what_it_waits_for_and_what_to_look_at(zerrit: Client) -> None:
    change = opened(
        zerrit,
        api.StepIn(kind="set", address=f"{GIMBAL}/@holds", operation="+4"),
        api.StepIn(kind="set", address="station.ini#Station/Berths", operation="=30"),
    )
    detail = zerrit.change(change)
    assert [(e.takes_effect, e.addresses) for e in detail.effects] == [
        ("new world", ["station.ini#Station/Berths"]),
        ("restart", [f"{GIMBAL}/@holds"]),
    ]
    assert detail.checklist_preview == ["dive at Ribbonweed Flats and look for Copper Gimbal"]


# --- places -----------------------------------------------------------------------------------------------------------


def test_about_a_place_tells_its_connections_and_who_changed_it_when(zerrit: Client) -> None:
    change = opened(zerrit, api.StepIn(kind="set", address=f"{GIMBAL}/@worth", operation="=50"))
    assert carried_out(zerrit, zerrit.deploy(change)).state == "deployed"
    found = zerrit.about("coral-gate", f"{GIMBAL}/@worth")
    assert (found.shown.value, found.shown.default, found.takes_effect) == ("50", "35", "restart")
    assert [(past.value, past.person, past.change) for past in found.history] == [
        ("50", "isolde", change),
        ("45", "", None),
    ]
    band = zerrit.about("coral-gate", f"{GIMBAL}/@ground")
    assert [connection.address for connection in band.refers_to] == ["sea/chart.xml#ground[Ribbonweed Flats]/@name"]
    ground = zerrit.about("coral-gate", "sea/chart.xml#ground[Ribbonweed Flats]")
    assert f"{GIMBAL}/@ground" in [connection.address for connection in ground.referred_by]
    chart = zerrit.about("coral-gate", "station.ini#World/Chart")
    assert [(connection.address, connection.what) for connection in chart.refers_to] == [
        ("launch.sh#chart", "must be the same word")
    ]


def test_about_several_places_or_none_is_refused(shared: Shared) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match="leads to 48 places"):
        zerrit.about("coral-gate", "sea/finds.xml#shelf[brass]/find[*]")
    with pytest.raises(ProblemError, match="Nearest: shelf\\[brass\\]/find\\[Copper Gimbal\\]"):
        zerrit.about("coral-gate", "sea/finds.xml#shelf[brass]/find[Coper Gimbal]")


@pytest.mark.parametrize(
    ("typed", "value", "offered"),
    [
        ("sea/ch", None, ["sea/chart.xml"]),
        ("station.ini#Wor", None, ["station.ini#World"]),
        ("station.ini#World/S", None, ["station.ini#World/Season"]),
        ("craft.xml#hull[P", None, ["craft.xml#hull[Pilot Bell]"]),
        ("station.ini#World/Season", "=I", ["=Ice Water"]),
        ("crew/parties.yml#parties/[Wall Party]/open", "", ["=on", "=off"]),
        ("sea/finds.xml#find[", "=", []),
        ("nothing.xml#", None, []),
    ],
)
def test_what_is_typed_is_completed(shared: Shared, typed: str, value: str | None, offered: list[str]) -> None:
    _, zerrit = shared
    assert zerrit.complete("coral-gate", typed, value) == offered


def test_settings_say_what_they_may_hold(shared: Shared) -> None:
    _, zerrit = shared
    rows = {
        row.address: row
        for row in zerrit.entries("coral-gate", api.EntriesQuery(path="station.ini", kind="settings", limit=1000)).rows
    }
    known = rows["World/Season"].known
    assert known is not None and known.words == ["High Water", "Ice Water"]
    assert rows["Multipliers/BendsChance"].known.allowed == "a number from 0 to 1"  # type: ignore[union-attr]
    (place,) = zerrit.show("coral-gate", "station.ini#World/Season")
    assert place.allowed == "one of the 2 seasons: High Water, Ice Water"


# --- gamebooks --------------------------------------------------------------------------------------------------------


def test_the_gamebook_of_a_server_shows_how_often_each_rule_holds(shared: Shared) -> None:
    _, zerrit = shared
    found = zerrit.gamebook_overview("coral-gate")
    rules = {rule.text: rule for rule in found.rules}
    place = rules["sea/finds.xml / shelf/find: ground is one of the grounds, and is always there"]
    assert (place.places, place.violations, place.severity) == (399, 0, "error")
    assert [len(one.words or []) for one in found.lists if one.name in ("grounds", "berths of the office")] == [20, 6]
    assert "addins/tidebell/phrases.yml" in found.unknown
    assert found.text == zerrit.gamebook_text("fathomline").text


def test_an_edited_rule_is_tried_before_it_is_kept(shared: Shared) -> None:
    _, zerrit = shared
    text = zerrit.gamebook_text("fathomline").text
    trial = zerrit.test_gamebook("coral-gate", text.replace("min: 0, max: 120", "min: 0, max: 42"))
    assert (trial.faults, trial.gone) == ([], [])
    assert {f.code for f in trial.appeared} == {"meaning.range"}
    broken = zerrit.test_gamebook("coral-gate", text.replace("list: grounds", "list: groundz"))
    assert (broken.faults[0].hint, broken.appeared) == ("Did you mean 'grounds'?", [])
    assert zerrit.gamebook_text("fathomline").text == text


def test_a_gamebook_is_drafted_from_the_defaults_of_a_server(zerrit: Client) -> None:
    zerrit.import_defaults("coral-gate", NEXT_VERSION, defaults_zip(NEXT_VERSION))
    text = zerrit.draft_gamebook("coral-gate").text
    assert "drafted: defaults 2.1 and 2.2" in text
    zerrit.save_gamebook("fathomline", text)
    found = zerrit.gamebook_overview("coral-gate")
    assert (found.drafted, found.findings) == ("defaults 2.1 and 2.2", 1)
    change = opened(zerrit, api.StepIn(kind="set", address=f"{GIMBAL}/@ground", operation="=Nowhere"))
    detail = zerrit.check(change)
    assert [f.severity for f in detail.findings] == ["notice"]
    assert detail.blocking == [], "what was drafted never blocks"


def test_a_server_without_a_gamebook_says_how_to_get_one(zerrit: Client) -> None:
    server = zerrit.server("lantern-shelf")
    zerrit.change_server(
        api.ServerIn(
            id=server.id,
            title=server.title,
            gamebook=None,
            connection=server.connection,
            control=server.control,
        )
    )
    with pytest.raises(ProblemError, match="Draft one from the defaults"):
        zerrit.gamebook_overview("lantern-shelf")
    found = zerrit.check_server("lantern-shelf")
    assert [(f.severity, f.is_shipped) for f in found.findings] == [("error", True)], (
        "no one says that the game accepts it"
    )
    assert found.blocking == 0, "but the vendor shipped it"


# --- review -----------------------------------------------------------------------------------------------------------


def test_settings_that_nobody_looked_at_come_up_and_go_when_they_are_read(zerrit: Client) -> None:
    path = "addins/tidebell/settings.yml"
    files = {file.path: file for file in zerrit.review("coral-gate")}
    assert (files[path].settings, files[path].unread) == (4, 3)
    states = {one.address.partition("#")[2]: one.state for one in zerrit.review_file("coral-gate", path)}
    assert states == {
        "settings/volume": "own",
        "settings/quiet/from": "unread",
        "settings/quiet/to": "unread",
        "settings/ring_for_restart": "unread",
    }
    assert zerrit.mark_read("coral-gate", path, [f"{path}#settings/quiet/from"]).marked == 1
    assert zerrit.mark_read("coral-gate", path).marked == 2
    assert {one.state for one in zerrit.review_file("coral-gate", path)} == {"own", "read"}
    with pytest.raises(ProblemError, match="is not a setting of"):
        zerrit.mark_read("coral-gate", path, [f"{path}#settings/volum"])


def test_new_keys_of_an_upgrade_come_up_by_themselves(zerrit: Client) -> None:
    path = "addins/tidebell/settings.yml"
    zerrit.mark_read("coral-gate", path)
    zerrit.import_defaults("coral-gate", NEXT_VERSION, defaults_zip(NEXT_VERSION))
    change = zerrit.open_upgrade("coral-gate", api.UpgradeIn(old="2.1", new=NEXT_VERSION, title="To 2.2", rest="mine"))
    assert carried_out(zerrit, zerrit.deploy(change.id)).state == "deployed"
    states = {one.address.partition("#")[2]: one.state for one in zerrit.review_file("coral-gate", path)}
    assert states["settings/fade"] == "unread"
    assert states["settings/quiet/from"] == "read"
