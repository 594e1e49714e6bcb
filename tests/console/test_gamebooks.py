"""The pages of findings, the gamebook and the review, and what an entry grid knows of its fields."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.quick import quick_stack
from tests.zips import zipped
from zerrit import api
from zerrit.client import Client
from zerrit.core.gamebooks import read_gamebook
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

Shared = tuple[DemoStack, Client]


@pytest.fixture
def at(page: Page, shared: Shared) -> Iterator[Page]:
    """A signed-in page of a service with data in it."""
    stack, _ = shared
    sign_in(page, stack.url, ADMIN, PASSWORD)
    yield page


def test_an_own_fault_is_accepted_and_the_waiver_taken_back(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    path = stack.host_folder / "lantern-shelf" / "crew" / "parties.yml"
    path.write_text(path.read_text().replace("newcomers: Shallow Party", "newcomers: Trench Party"))
    zerrit.fetch("lantern-shelf")
    at.goto(f"{stack.url}/servers/lantern-shelf/findings")
    expect(at.get_by_text("newcomers join Trench Party, which is not open")).to_be_visible()
    expect(at.get_by_text("One finding is in the defaults too and blocks no one.")).to_be_visible()
    at.get_by_role("button", name="Waive …").click()
    at.get_by_label("Reason for the waiver").fill("it opens on Friday")
    at.get_by_label("Last day (empty: no end)").fill("2099-03-01")
    at.get_by_role("button", name="Waive", exact=True).click()
    expect(at.get_by_text(f"waived by {ADMIN}: it opens on Friday")).to_be_visible()
    expect(at.get_by_role("cell", name="1 Mar 2099")).to_be_visible()
    at.get_by_role("button", name="Remove").click()
    expect(at.get_by_text("No finding of this server is waived.")).to_be_visible()
    expect(at.get_by_text("One error in 79 files")).to_be_visible()


def test_rules_are_shown_with_how_often_they_hold_and_lead_to_their_line(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/gamebook")
    expect(at.get_by_text("Gamebook fathomline. Every rule is satisfied by these files.")).to_be_visible()
    at.get_by_label("Search rules").fill("sum(rating)")
    row = at.get_by_role("row", name="sum(rating) <= bus")
    expect(row).to_contain_text("everywhere")
    expect(row).to_contain_text("warning")
    row.get_by_role("button").last.click()
    area = at.get_by_label("Text of the gamebook")
    chosen = area.evaluate("area => area.value.slice(area.selectionStart, area.selectionEnd)")
    assert chosen.lstrip().startswith("- let: {bus:")
    at.get_by_text("lists 20").click()
    expect(at.get_by_text("ledger.db: SELECT code FROM berths")).to_be_visible()
    at.get_by_text("files 25").click()
    expect(at.get_by_text("in a new world only")).to_be_visible()


def test_an_edited_rule_is_tried_before_it_is_kept(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    kept = zerrit.gamebook_text("fathomline").text
    at.goto(f"{stack.url}/servers/coral-gate/gamebook")
    at.get_by_text("text", exact=True).click()
    area = at.get_by_label("Text of the gamebook")
    expect(at.get_by_role("button", name="Save as fathomline")).to_be_disabled()
    area.fill(
        kept.replace("list: grounds, always: true, note: a ground", "list: groundz, always: true, note: a ground")
    )
    at.get_by_role("button", name="Test on the files").click()
    expect(at.get_by_text("This gamebook is not valid.")).to_be_visible()
    expect(at.get_by_text("Did you mean 'grounds'?")).to_be_visible()
    area.fill(kept.replace("min: 0, max: 120", "min: 0, max: 42"))
    at.get_by_role("button", name="Test on the files").click()
    expect(at.get_by_text("findings would come, 0 would go.")).to_be_visible()
    assert zerrit.gamebook_text("fathomline").text == kept
    at.get_by_role("button", name="Save as fathomline").click()
    expect(at.get_by_text("rules are violated.")).to_be_visible()
    zerrit.save_gamebook("fathomline", kept)


def test_settings_are_marked_as_read(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/review")
    at.get_by_text("addins/wreckmarks/settings.yml").click()
    row = at.get_by_role("row", name="settings/enabled")
    row.get_by_role("button", name="Mark as read").click()
    expect(row).to_contain_text(ADMIN)
    at.get_by_role("button", name="Mark all 6 as read").click()
    expect(at.get_by_role("button", name="Mark all 0 as read")).to_be_disabled()


def test_a_cell_offers_its_words_and_says_what_refers_to_it(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("coral-gate", "Another season")
    at.goto(f"{stack.url}/servers/coral-gate/files/station.ini?kind=settings&change={change.id}")
    at.get_by_role("row", name="World/Season").get_by_role("gridcell", name="High Water").dblclick()
    offered = at.locator("datalist option").evaluate_all("all => all.map(one => one.value)")
    assert offered == ["High Water", "Ice Water"]
    at.keyboard.press("Escape")
    at.get_by_role("row", name="World/Chart").get_by_role("gridcell", name="coral-gate").click()
    inspector = at.get_by_role("region", name="Inspector")
    expect(inspector).to_contain_text("a folder below charts")
    expect(inspector).to_contain_text("with the next map change")
    expect(inspector.get_by_role("link", name="launch.sh#chart")).to_be_visible()
    expect(inspector).to_contain_text("line 4; must be the same word")
    expect(inspector).to_contain_text("first fetch")


def test_a_change_says_what_it_fixes_waits_for_and_asks_to_look_at(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    path = stack.host_folder / "coral-gate" / "crew" / "parties.yml"
    path.write_text(path.read_text().replace("newcomers: Shallow Party", "newcomers: Trench Party"))
    zerrit.fetch("coral-gate")
    change = zerrit.create_change("coral-gate", "Open water")
    zerrit.add_step(change.id, api.StepIn(kind="set", address="crew/parties.yml#newcomers", operation="=Wall Party"))
    gimbal = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds"
    zerrit.add_step(change.id, api.StepIn(kind="set", address=gimbal, operation="=12..44"))
    at.goto(f"{stack.url}/changes/{change.id}")
    expect(at.get_by_text("newcomers join Trench Party, which is not open")).to_be_visible()
    expect(at.get_by_text("after a restart")).to_be_visible()
    expect(at.get_by_text("dive at Ribbonweed Flats and look for Copper Gimbal")).to_be_visible()
    expect(at.get_by_role("button", name="Deploy …")).to_be_enabled()


def test_a_guess_from_logs_is_decided_about_by_itself(page: Page, tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add()
        quick.zerrit.save_gamebook("quick", "gamebook: 1\ngame: quick\nignore: [logs/**, crashes/**]\n")
        quick.zerrit.import_defaults("reef", "1", zipped(quick.files("reef")))
        assert quick.deploy("sea/1.yml#holds=3").state == "deployed"
        found = quick.zerrit.suggestions("reef")
        rules = [one for one in found if one.rule.part != "guesses" and not one.rule.violations]
        assert len(rules) < len(found)
        sign_in(page, quick.url, ADMIN, PASSWORD)
        page.goto(f"{quick.url}/servers/reef/gamebook?view=suggested")
        expect(page.get_by_text("It has no rules yet; some may be suggested.")).to_be_visible()
        expect(page.get_by_role("button", name=f"Accept the {len(rules)} without exceptions")).to_be_visible()
        page.get_by_label("Search suggestions").fill("says that the game is ready")
        expect(page.get_by_text("in 1 of 1 good start")).to_be_visible()
        page.get_by_role("button", name="Accept", exact=True).click()
        expect(page.get_by_text("No rule waits for a decision.")).to_be_visible()
        book, _ = read_gamebook(quick.zerrit.gamebook_text("quick").text.encode())
        assert book is not None
        assert book.rules.trouble.ready_pattern == "station is open"
