"""Looking into a server: files with their state, entries as rows, places, fetches, what was done by whom."""

from __future__ import annotations

import re

import httpx
import pytest

from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack
from zerrit.demo.world_files import server_files

FINDS = "sea/finds.xml"
Shared = tuple[DemoStack, Client]


def test_files_have_a_state_against_the_defaults(shared: Shared) -> None:
    _, zerrit = shared
    files = {file.path: file for file in zerrit.files("lantern-shelf")}
    assert files["launch.sh"].state == "changed"
    assert files["craft.xml"].state == "as-shipped"
    assert files["mods/deepsong.pak"].state == "watched"
    assert files[FINDS].purpose == "what is on the sea bed, how much of it, and where"
    assert (files[FINDS].format, files[FINDS].errors, files[FINDS].warnings) == ("xml", 0, 0)


def test_entries_are_rows_with_what_each_field_may_hold(shared: Shared) -> None:
    _, zerrit = shared
    found = zerrit.entries("coral-gate", api.EntriesQuery(path=FINDS, kind="shelf/find"))
    assert found.kinds == {"shelf": 9, "shelf/find": 399}
    columns = {column.field: column for column in found.columns}
    assert (columns["@holds"].allowed, columns["@holds"].note) == (
        "a range of numbers from 0 to 120",
        "below the first number the sea fills up again; above the second it stops",
    )
    assert "Ribbonweed Flats" in columns["@ground"].words
    (row,) = [row for row in found.rows if row.trail == "brass / Copper Gimbal"]
    assert row.address == "shelf[brass]/find[Copper Gimbal]"
    assert (row.cells["@holds"], row.changed, row.findings) == ("12..40", [], {})


def test_entries_of_a_change_show_what_it_changed_and_what_is_wrong(shared: Shared) -> None:
    _, zerrit = shared
    rows = {row.trail: row for row in zerrit.entries("coral-gate", api.EntriesQuery(path=FINDS, change=1)).rows}
    assert rows["brass / Copper Gimbal"].changed == ["@holds", "@returns"]
    new = rows["brass / Slate Gimbal"]
    assert new.changed == ["@ground", "@heft", "@holds", "@name", "@returns", "@worth"]
    assert new.findings["@ground"].endswith("Did you mean 'Ribbonweed Flats'?")


@pytest.mark.parametrize(
    ("path", "kinds"),
    [
        ("station.ini", {"Pumps/Spill/*": 3, "settings": 34}),
        ("galley/board.json", {"board/*": 28}),
        ("addins/tidebell/settings.yml", {"settings/places/*": 2, "settings": 8}),
        ("launch.sh", {"settings": 5}),
    ],
)
def test_every_format_has_its_entries_and_its_loose_settings(shared: Shared, path: str, kinds: dict[str, int]) -> None:
    _, zerrit = shared
    assert zerrit.entries("coral-gate", api.EntriesQuery(path=path)).kinds == kinds


def test_a_file_is_had_as_text_and_as_bytes(shared: Shared) -> None:
    stack, zerrit = shared
    file = zerrit.file("coral-gate", "station.ini")
    assert (file.format, file.encoding, file.findings) == ("ini", "utf-8", [])
    assert file.text.encode() == server_files("coral-gate")["station.ini"]
    token = zerrit.token(ADMIN, PASSWORD).token
    raw = httpx.get(
        f"{stack.url}/api/v1/servers/coral-gate/raw",
        params={"path": "station.ini"},
        headers={"Authorization": f"Bearer {token}"},
    )
    assert raw.content == server_files("coral-gate")["station.ini"]
    assert raw.headers["content-disposition"] == "attachment"


def test_a_pattern_shows_every_place_with_its_default(shared: Shared) -> None:
    _, zerrit = shared
    places = zerrit.show("coral-gate", f"{FINDS}#shelf[float]/find[*Cork Float]/@holds")
    assert [(place.value, place.default) for place in places] == [("7..34", "7..28")] * 3
    seasons = zerrit.show("coral-gate", "sea/happenings/*.xml#happening[*]/@runs")
    assert {place.address.partition("#")[0] for place in seasons} == {
        "sea/happenings/highwater.xml",
        "sea/happenings/icewater.xml",
    }


@pytest.mark.parametrize(
    ("address", "kind", "said"),
    [
        (f"{FINDS}#shelf[brass]/find[Coper Gimbal]", "address-not-found", "Nearest: shelf[brass]/find[Copper Gimbal]"),
        (f"{FINDS}#find[", "address-invalid", "a bracket `[` is never closed"),
        ("sea/fnds.xml#find", "address-not-found", "coral-gate has no file sea/fnds.xml. Nearest: sea/finds.xml"),
        ("mods/deepsongs.pak", "address-not-found", "coral-gate has no file mods/deepsongs.pak."),
    ],
)
def test_a_wrong_address_is_a_problem_with_the_way_out(shared: Shared, address: str, kind: str, said: str) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError) as caught:
        zerrit.show("coral-gate", address)
    assert caught.value.kind == kind
    assert said in str(caught.value)


def test_a_fetch_keeps_a_snapshot_only_when_something_differs(zerrit: Client, stack: DemoStack) -> None:
    folder = stack.host_folder / "lantern-shelf"
    first = zerrit.fetch("lantern-shelf")
    assert first.is_new is False
    (folder / "craft.xml").write_text((folder / "craft.xml").read_text().replace('stock="12"', 'stock="10"'))
    (folder / "notes.txt").write_text("berth 3 is closed\n")
    (folder / "addins/tidebell/card.yml").unlink()
    (folder / "mods/deepsong.pak").write_bytes(b"PAK\0" + b"x" * 9000)
    (folder / "logs/other.log").write_text("not of interest")
    second = zerrit.fetch("lantern-shelf")
    assert (second.is_new, second.changed, second.added, second.removed) == (
        True,
        ["craft.xml"],
        ["notes.txt"],
        ["addins/tidebell/card.yml"],
    )
    assert second.snapshot.id > first.snapshot.id
    assert zerrit.fetch("lantern-shelf").is_new is False
    assert {file.path: file.size for file in zerrit.files("lantern-shelf")}["mods/deepsong.pak"] == 9004


def test_what_was_done_stands_in_the_activity_with_its_person(shared: Shared) -> None:
    _, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "For the log")
    zerrit.add_step(change.id, api.StepIn(kind="set", address="craft.xml#hull[Skiff]/@stock", operation="+1"))
    zerrit.check(change.id)
    zerrit.withdraw(change.id)
    rows = zerrit.activity("lantern-shelf")[:4]
    assert [(row.action, row.person) for row in rows] == [
        ("change.withdrawn", ADMIN),
        ("change.checked", ADMIN),
        ("change.edited", ADMIN),
        ("change.opened", ADMIN),
    ]
    assert "set craft.xml#hull[Skiff]/@stock" in rows[2].detail


def test_a_change_lists_the_newest_first_and_keeps_what_was_withdrawn(shared: Shared) -> None:
    _, zerrit = shared
    first, second = (zerrit.create_change("lantern-shelf", title) for title in ("One", "Two"))
    zerrit.withdraw(first.id)
    listed = [(c.id, c.title, c.state) for c in zerrit.changes("lantern-shelf")[:2]]
    assert listed == [(second.id, "Two", "draft"), (first.id, "One", "withdrawn")]


def test_a_step_back_leaves_nothing_to_write(shared: Shared) -> None:
    _, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "There and back")
    for operation in ("+4", "-4"):
        detail = zerrit.add_step(
            change.id, api.StepIn(kind="set", address="craft.xml#hull[Skiff]/@stock", operation=operation)
        )
    assert detail.touched == []


def test_a_merge_is_planned_without_touching_the_change(shared: Shared) -> None:
    _, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "Only looking")
    plan = zerrit.plan_merge(change.id, "station.ini", "```\n[Pumps]\nBus=44\nSpare=1\n```")
    assert [(action.kind, action.address) for action in plan.actions] == [
        ("combine", "Pumps/Bus"),
        ("add", "Pumps/Spare"),
    ]
    assert plan.notes == ["Removed the code fence (```)."]
    assert zerrit.change(change.id).steps == 0
    with pytest.raises(ProblemError, match=r"lantern-shelf has no file station\.in"):
        zerrit.plan_merge(change.id, "station.in", "Bus=44")


def test_the_old_faults_of_a_file_are_counted_and_do_not_block(zerrit: Client, stack: DemoStack) -> None:
    finds = stack.host_folder / "lantern-shelf" / FINDS
    finds.write_text(finds.read_text().replace('ground="Needle Arch"', 'ground="Needle Arrch"', 1))
    zerrit.fetch("lantern-shelf")
    change = zerrit.create_change("lantern-shelf", "Something else")
    detail = zerrit.add_step(change.id, api.StepIn(kind="set", address="craft.xml#hull[Skiff]/@stock", operation="+1"))
    assert (detail.findings, detail.old_findings, detail.blocking) == ([], 2, []), "and the vendor's comment"
    assert zerrit.check(change.id).state == "checked"
    assert {file.path: file.errors for file in zerrit.files("lantern-shelf")}[FINDS] == 1


def test_any_two_states_of_servers_are_compared(shared: Shared) -> None:
    stack, zerrit = shared
    found = zerrit.comparison(
        "coral-gate@defaults:2.1", "coral-gate@latest", "sea/finds.xml#shelf[brass]/find[Copper Gimbal]", texts=True
    )
    assert [(d.address, d.old, d.new, d.delta) for d in found.differences] == [
        (f"{FINDS}#shelf[brass]/find[Copper Gimbal]/@worth", "35", "45", "+10")
    ]
    assert found.old == "defaults 2.1 of coral-gate"
    assert [text.path for text in found.texts] == [FINDS]
    both = zerrit.comparison("coral-gate@live", "lantern-shelf@live", "station.ini#World/**")
    assert {d.address: d.new for d in both.differences}["station.ini#World/Chart"] == "lantern-shelf"
    page = httpx.get(
        f"{stack.url}/api/v1/comparison/page",
        params={"old": "coral-gate@latest", "new": "lantern-shelf@latest"},
        headers={"Authorization": f"Bearer {zerrit.token(ADMIN, PASSWORD).token}"},
    )
    assert page.headers["content-type"].startswith("text/html")
    assert "World/Chart" in page.text


@pytest.mark.parametrize(
    ("old", "new", "only", "said"),
    [
        ("coral-gate", "coral-gate@live", "", "`coral-gate` is not a state of a server"),
        ("coral-gate@999", "coral-gate@live", "", "coral-gate has no snapshot 999"),
        ("coral-gate@defaults:9", "coral-gate@latest", "", "has no defaults 9"),
        ("no-one@latest", "coral-gate@latest", "", "no-one"),
        (
            "coral-gate@latest",
            "coral-gate@latest",
            "sea/finds.xml#shelf[brass]/find[Coper Gimbal]",
            "Nearest: shelf[brass]/find[Copper Gimbal]",
        ),
    ],
)
def test_what_cannot_be_compared_is_said(shared: Shared, old: str, new: str, only: str, said: str) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match=re.escape(said)):
        zerrit.comparison(old, new, only)


def test_entries_are_grouped_by_a_field_with_exact_sums(shared: Shared) -> None:
    _, zerrit = shared
    rows = zerrit.entries("coral-gate", api.EntriesQuery(path="sea/finds.xml", limit=1000)).rows
    found = zerrit.entry_groups("coral-gate", api.GroupsQuery(path="sea/finds.xml", by="@ground", sum="@worth"))
    wanted: dict[str, int] = {}
    for row in rows:
        wanted[row.cells["@ground"]] = wanted.get(row.cells["@ground"], 0) + int(row.cells["@worth"])
    assert {one.value: int(one.after.total) for one in found.groups} == wanted
    assert (found.all.after.entries, found.has_change) == (len(rows), False)
    assert [one.after.entries for one in found.groups] == sorted(
        (one.after.entries for one in found.groups), reverse=True
    )
    heft = zerrit.entry_groups("coral-gate", api.GroupsQuery(path="sea/finds.xml", by="@ground", sum="@name"))
    assert (heft.all.after.without, heft.all.after.total) == (len(rows), "0")
    few = zerrit.entry_groups(
        "coral-gate", api.GroupsQuery(path="sea/finds.xml", by="@family", where=["@worth:>100000"])
    )
    assert few.groups == []
    with pytest.raises(ProblemError, match="There is no text file"):
        zerrit.entry_groups("coral-gate", api.GroupsQuery(path="nowhere.xml", by="x"))


def test_sums_of_groups_are_those_before_and_after_a_change(zerrit: Client) -> None:
    change = zerrit.create_change("coral-gate", "More").id
    zerrit.add_step(change, api.StepIn(kind="set", address="sea/finds.xml#shelf[brass]/find/@worth", operation="+1"))
    zerrit.add_step(change, api.StepIn(kind="remove", address="sea/finds.xml#shelf[brass]/find[Copper Gimbal]"))
    asked = api.GroupsQuery(path="sea/finds.xml", by="@ground", sum="@worth", change=change)
    found = zerrit.entry_groups("coral-gate", asked)
    assert found.has_change and found.all.before.entries == found.all.after.entries + 1
    assert sum(int(one.before.total) for one in found.groups) == int(found.all.before.total)
    assert found.all.before.total != found.all.after.total
