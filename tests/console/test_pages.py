"""What the pages of the console do beside the main story."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser import new_page, search_entries, sign_in
from zerrit import api
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

HOLDS = "sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds"
Shared = tuple[DemoStack, Client]


@pytest.fixture
def at(page: Page, shared: Shared) -> Iterator[Page]:
    """A signed-in page of a service with data in it."""
    stack, _ = shared
    sign_in(page, stack.url, ADMIN, PASSWORD)
    yield page


def test_a_wrong_password_is_said_and_the_page_stays(page: Page, shared: Shared) -> None:
    page.goto(shared[0].url)
    page.get_by_label("Name").fill(ADMIN)
    page.get_by_label("Password").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_have_text("The name or the password is wrong.")


def test_signing_out_leaves_nothing_to_see(at: Page) -> None:
    at.get_by_role("button", name="Sign out").click()
    expect(at.get_by_role("button", name="Sign in")).to_be_visible()
    at.reload()
    expect(at.get_by_role("button", name="Sign in")).to_be_visible()


def test_a_finding_is_accepted_with_a_reason(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "A ground of the next chart")
    zerrit.add_step(
        change.id, api.StepIn(kind="set", address=HOLDS.replace("@holds", "@ground"), operation="=Kelp Hall")
    )
    at.goto(f"{stack.url}/changes/{change.id}")
    expect(at.get_by_role("button", name="Deploy")).to_be_disabled()
    at.get_by_role("button", name="Waive …").click()
    at.get_by_label("Reason for the waiver").fill("the new chart brings it tonight")
    at.get_by_role("button", name="Waive", exact=True).click()
    expect(at.get_by_text(f"waived by {ADMIN}: the new chart brings it tonight")).to_be_visible()
    expect(at.get_by_role("button", name="Deploy")).to_be_enabled()


def test_a_step_is_taken_out_and_a_change_withdrawn(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "On second thoughts")
    zerrit.add_step(change.id, api.StepIn(kind="set", address=HOLDS, operation="=7..9"))
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Remove step 1").click()
    expect(at.get_by_text("No steps yet.")).to_be_visible()
    at.get_by_role("button", name="Withdraw").click()
    expect(at.get_by_text("withdrawn")).to_be_visible()
    expect(at.get_by_role("button", name="Add a step")).to_be_hidden()


def test_a_refused_step_says_why_in_the_dialog(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "A slip")
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Add a step").click()
    dialog = at.get_by_role("dialog")
    dialog.get_by_label("Address").fill("sea/finds.xml#shelf[brass]/find[Coper Gimbal]/@worth")
    dialog.get_by_label("Operation").fill("=1")
    dialog.get_by_role("button", name="Add step").click()
    expect(dialog.get_by_role("alert")).to_contain_text("Nearest: shelf[brass]/find[Copper Gimbal]")


def test_an_entry_is_moved_and_another_made_a_comment_in_the_dialog(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "In another order")
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Add a step").click()
    dialog = at.get_by_role("dialog")
    dialog.get_by_label("What to do").click()
    at.get_by_role("option", name="Move an entry").click()
    dialog.get_by_label("Address of the entry").fill("craft.xml#hull[Skiff]")
    dialog.get_by_label("Where to").click()
    at.get_by_role("option", name="after another entry").click()
    dialog.get_by_label("Address of that entry or group").fill("hull[Pilot Bell]")
    dialog.get_by_role("button", name="Add step").click()
    expect(at.get_by_text("after hull[Pilot Bell]").first).to_be_visible()
    at.get_by_role("button", name="Add a step").click()
    dialog.get_by_label("What to do").click()
    at.get_by_role("option", name="Make it a comment").click()
    dialog.get_by_label("Address of the entry or setting").fill("craft.xml#hull[Skiff]")
    dialog.get_by_role("button", name="Add step").click()
    expect(at.get_by_text("comment-out")).to_be_visible()
    text = zerrit.file("lantern-shelf", "craft.xml", change=change.id).text
    assert text.index("Pilot Bell") < text.index('<!-- <hull name="Skiff"')


def test_a_broken_file_shows_each_mistake_at_its_place(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "Spoilt")
    spoilt = zerrit.file("lantern-shelf", "craft.xml").text.replace('crew="2"', "crew=2", 1)
    zerrit.add_step(change.id, api.StepIn(kind="put-file", address="craft.xml", content=spoilt))
    at.goto(f"{stack.url}/servers/lantern-shelf/files/craft.xml?view=text&change={change.id}")
    expect(at.get_by_text("The value of `crew` is without quotation marks.")).to_be_visible()
    expect(at.locator(".cm-lintRange-error")).to_have_text("2")
    at.locator(".cm-lintRange-error").hover()
    expect(at.get_by_text("xml.value-unquoted")).to_be_visible()


def test_a_setting_is_edited_in_the_grid(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    at.goto(f"{stack.url}/servers/lantern-shelf/files/station.ini?kind=settings")
    search_entries(at, "DayLength")
    at.get_by_role("gridcell", name="96").dblclick()
    at.keyboard.press("Control+a")
    at.keyboard.type("120")
    at.keyboard.press("Enter")
    expect(at.get_by_role("gridcell", name="120")).to_have_class(re.compile("is-changed"))
    expect(at.get_by_role("combobox", name="Edit in")).to_contain_text("Edit station.ini")
    at.get_by_role("gridcell", name="120").click()
    expect(at.get_by_role("region", name="Inspector")).to_contain_text("Minutes for a day under water.")
    change = zerrit.changes("lantern-shelf")[0]
    assert zerrit.change(change.id).step_list[0].summary == "=120"


def test_settings_of_a_server_are_changed_without_its_passwords(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    at.goto(f"{stack.url}/servers/coral-gate")
    at.get_by_role("button", name="Settings").click()
    dialog = at.get_by_role("dialog")
    expect(dialog.get_by_label("User", exact=True)).to_have_value("coral-gate")
    expect(dialog.get_by_label("Password", exact=True)).to_have_value("")
    dialog.get_by_label("Port", exact=True).fill("1")
    dialog.get_by_role("button", name="Save").click()
    expect(dialog.get_by_role("alert")).to_contain_text("only used for the host, port, key and user")
    dialog.get_by_label("Port", exact=True).fill(str(stack.host.ftp_port))
    dialog.get_by_label("Title").fill("Coral Gate, deck 1")
    dialog.get_by_role("button", name="Save").click()
    expect(at.get_by_role("heading", name="Coral Gate, deck 1")).to_be_visible()
    assert zerrit.server("coral-gate").title == "Coral Gate, deck 1"


def test_files_that_drifted_are_said_on_the_change(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("coral-gate", "Fewer gimbals")
    zerrit.add_step(change.id, api.StepIn(kind="set", address=HOLDS, operation="-10"))
    finds = stack.host_folder / "coral-gate/sea/finds.xml"
    finds.write_text(finds.read_text().replace('holds="12..40"', 'holds="12..36"'))
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Deploy").click()
    at.get_by_role("button", name="Stop, write and start").click()
    expect(at.get_by_role("dialog").get_by_role("alert")).to_contain_text("sea/finds.xml on coral-gate changed since")
    at.get_by_role("button", name="Cancel").click()
    at.get_by_role("link", name="coral-gate").click()
    at.get_by_role("button", name="Fetch files").click()
    expect(at.get_by_text("sea/finds.xml").first).to_be_visible()
    at.goto(f"{stack.url}/changes/{change.id}")
    at.get_by_role("button", name="Re-base onto the latest files").click()
    expect(at.get_by_text("→ 12..26")).to_be_visible()


def test_a_page_follows_what_somebody_else_does(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change("lantern-shelf", "Together")
    at.goto(f"{stack.url}/changes/{change.id}")
    expect(at.get_by_text("No steps yet.")).to_be_visible()
    zerrit.add_step(change.id, api.StepIn(kind="set", address=HOLDS, operation="=9"))
    expect(at.get_by_role("tab", name="Steps (1)")).to_be_visible()


def test_a_file_that_is_not_there_is_said(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/files/sea/find.xml")
    expect(at.get_by_role("alert").first).to_contain_text(
        "There is no text file sea/find.xml. Did you mean 'sea/finds.xml'?"
    )


def test_a_narrow_page_does_not_run_over(browser: Browser, shared: Shared) -> None:
    stack, _ = shared
    narrow = new_page(browser, width=390, height=800)
    sign_in(narrow, stack.url, ADMIN, PASSWORD)
    for path in ("/", "/servers/coral-gate/timeline", "/changes/1"):
        narrow.goto(stack.url + path)
        narrow.get_by_role("heading").first.wait_for()
        assert narrow.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), path
    narrow.context.close()


def test_an_address_without_a_page_leads_back(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/nowhere")
    expect(at.get_by_text("There is no such page.")).to_be_visible()
    at.get_by_role("link", name="Back to the servers").click()
    expect(at.get_by_role("heading", name="Servers")).to_be_visible()
