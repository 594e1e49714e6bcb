"""Comparing, merging, upgrading and figures in the console."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser import sign_in
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack, defaults_zip
from zerrit.demo.world_files import snippet

Shared = tuple[DemoStack, Client]


@pytest.fixture
def at(page: Page, shared: Shared) -> Iterator[Page]:
    """A signed-in page of a service that has the next defaults too."""
    stack, zerrit = shared
    if "2.2" not in zerrit.server("coral-gate").defaults:
        zerrit.import_defaults("coral-gate", "2.2", defaults_zip("2.2"))
    sign_in(page, stack.url, ADMIN, PASSWORD)
    yield page


def test_two_states_are_compared_and_narrowed(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/compare")
    at.get_by_label("From").click()
    at.get_by_role("option", name="the defaults of 2.1").click()
    expect(at.get_by_text("12 differences in 12 entries.")).to_be_visible()
    at.get_by_label("Only this address").fill("sea/*.xml#shelf[*]/find[Copper*]")
    at.get_by_role("button", name="Filter").click()
    expect(at.get_by_text("1 difference in 1 entry.")).to_be_visible()
    expect(
        at.get_by_role("row", name="changed sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth 35 45 +10")
    ).to_be_visible()
    with at.expect_popup() as opened:
        at.get_by_role("link", name="Print view").click()
    expect(opened.value.get_by_role("heading", level=1)).to_contain_text("From defaults 2.1 of coral-gate")
    at.get_by_label("Only this address").fill("sea/finds.xml#shelf[brass]/find[Coper Gimbal]")
    at.get_by_role("button", name="Filter").click()
    expect(at.get_by_role("alert")).to_contain_text("Nearest: shelf[brass]/find[Copper Gimbal]")


def test_an_upgrade_is_decided_and_becomes_a_change(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    at.goto(f"{stack.url}/servers/coral-gate/upgrade")
    expect(at.get_by_text("5 conflicts are still to be decided.")).to_be_visible()
    expect(at.get_by_role("button", name="Create change")).to_be_disabled()
    expect(at.get_by_text("How fast the water clouds behind a crew.")).to_be_visible()
    expect(at.get_by_text("galley/recipes/oyster-tray.json")).to_be_visible()
    at.get_by_role("button", name="station.ini").click()
    expect(at.get_by_role("row", name="changed station.ini#World/DayLength 96 90 -6", exact=True)).to_be_visible()
    at.get_by_role("button", name="All as here").click()
    gimbal = at.get_by_role("group", name="Decide sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth")
    gimbal.get_by_role("button", name="other value").click()
    at.get_by_label("Value for sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth").fill("42")
    at.get_by_role("button", name="Create change").click()
    expect(at.get_by_role("heading", name="Upgrade from 2.1 to 2.2")).to_be_visible()
    change = zerrit.changes("coral-gate")[0]
    found = {d.address: d.new for d in zerrit.differences(change.id).differences}
    assert found["sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@worth"] == "42"
    assert "addins/tidebell/settings.yml#settings/volume" not in found
    zerrit.withdraw(change.id)


def test_a_merge_plan_is_changed_row_by_row(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("coral-gate", "Tarnished things")
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Add a step").click()
    at.get_by_label("What to do").click()
    at.get_by_role("option", name="Merge a published snippet").click()
    at.get_by_label("File (path on the server)").fill("sea/finds.xml")
    at.get_by_label("Paste the snippet here").fill(snippet("tarnished-set.html"))
    at.get_by_label("Source: web address").fill("Osric Lind, the shelf's board")
    at.get_by_role("button", name="Show the plan").click()
    expect(at.get_by_text("Replaced the web page's entities")).to_be_visible()
    at.get_by_label("Action for shelf[brass]/find[Tarnished Star Globe]").locator("..").click()
    at.get_by_role("option", name="skip").click()
    expect(at.get_by_text("left out")).to_be_visible()
    at.get_by_role("button", name="Add step").click()
    expect(at.get_by_text("from Osric Lind, the shelf's board")).to_be_visible()
    text = zerrit.file("coral-gate", "sea/finds.xml", change=change.id).text
    assert 'holds="2..9" returns="6 tides"' in text
    assert "Tarnished Star Globe" not in text
    zerrit.withdraw(change.id)


def test_a_snippet_that_fits_several_places_asks(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("coral-gate", "Somewhere")
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Add a step").click()
    at.get_by_label("What to do").click()
    at.get_by_role("option", name="Merge a published snippet").click()
    at.get_by_label("File (path on the server)").fill("station.ini")
    at.get_by_label("Paste the snippet here").fill("Name=Dusk\nFindRate=2\n")
    at.get_by_role("button", name="Show the plan").click()
    at.get_by_label("which one?").click()
    at.get_by_role("option", name="Multipliers").click()
    at.get_by_role("button", name="Show the plan").click()
    expect(at.get_by_text("Multipliers/FindRate")).to_be_visible()
    zerrit.withdraw(change.id)


def test_folders_are_moved_and_removed_by_the_form(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "Folders")
    at.goto(f"{stack.url}/changes/{change.id}")
    for kind, path, target in (
        ("Move a file or folder", "shelved", "stored"),
        ("Remove a file or folder", "stored/", ""),
    ):
        at.get_by_role("button", name="Add a step").click()
        at.get_by_label("What to do").click()
        at.get_by_role("option", name=kind, exact=True).click()
        at.get_by_label("Path of the file or folder").fill(path)
        if target:
            at.get_by_label("New path").fill(target)
        at.get_by_role("button", name="Dry run").click()
        expect(at.get_by_role("dialog").get_by_text(f"{path.rstrip('/')}/").first).to_be_visible()
        at.get_by_role("button", name="Add step").click()
        expect(at.get_by_role("dialog")).to_be_hidden()
    assert [(step.kind, step.outcome.kind) for step in zerrit.change(change.id).step_list] == [
        ("move-file", "done"),
        ("remove-file", "done"),
    ]
    assert not [file for file in zerrit.differences(change.id).differences if file.kind != "removed"]
    zerrit.withdraw(change.id)


def test_a_bulk_step_shows_its_places_first(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/changes/1")
    at.get_by_role("button", name="Add a step").click()
    at.get_by_label("Address: FILE").fill("sea/finds.xml#shelf[float]/find[*Cork Float]/@holds")
    at.get_by_label("Operation").fill("*1.5")
    at.get_by_role("button", name="Dry run").click()
    expect(at.get_by_text("3 places change:")).to_be_visible()
    at.get_by_label("Address: FILE").fill("sea/finds.xml#shelf[float]/find[Cork]/@holds")
    at.get_by_role("button", name="Dry run").click()
    expect(at.get_by_role("alert")).to_contain_text("no find that fits [Cork]")


def test_figures_are_drawn_and_listed(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/changes/1")
    at.get_by_role("tab", name="Figures").click()
    at.get_by_label("Address of the numbers").fill("sea/finds.xml#shelf/find/@holds")
    at.get_by_label("Group by").fill("family")
    at.get_by_role("button", name="Calculate").click()
    expect(at.get_by_role("row", name="brass 48 49 1352 1350 -2")).to_be_visible()
    expect(at.locator("main svg text", has_text="brass").first).to_be_visible()
    at.get_by_role("combobox", name="Figure").click()
    at.get_by_role("option", name="Odds of draw tables").click()
    expect(at.get_by_role("row", name="Green Bottle 50.1 % 0.501")).to_be_visible()
    at.get_by_role("combobox", name="Figure").click()
    at.get_by_role("option", name="Next free numbers").click()
    at.get_by_label("Addresses of the ids").fill("sea/chart.xml#berth/@code")
    at.get_by_role("button", name="Calculate").click()
    expect(at.get_by_role("row", name="CG-00 2 CG-03 none")).to_be_visible()


def test_a_change_is_replayed_on_another_server(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    at.goto(f"{stack.url}/changes/1")
    at.get_by_role("button", name="Replay elsewhere").click()
    at.get_by_role("combobox", name="Server").click()
    at.get_by_role("option", name="Lantern Shelf").click()
    at.get_by_role("button", name="Open a change there (5 steps)").click()
    expect(at.get_by_role("link", name="lantern-shelf")).to_be_visible()
    change = zerrit.changes("lantern-shelf")[0]
    assert change.steps == 5
    zerrit.withdraw(change.id)
