"""The page of your own account."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.quick import quick_stack
from zerrit import api
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack


def test_sessions_are_listed_and_ended_and_the_password_changed(page: Page, stack: DemoStack) -> None:
    with Client(stack.url) as free:
        free.token(ADMIN, PASSWORD, "nightly backup")
        other = free.token(ADMIN, PASSWORD, "old laptop").token
    sign_in(page, stack.url, ADMIN, PASSWORD)
    page.get_by_role("link", name=ADMIN).click()
    expect(page.get_by_role("row", name="Console")).to_contain_text("this one")
    page.get_by_role("row", name="nightly backup").get_by_role("button", name="Revoke").click()
    expect(page.get_by_role("row", name="nightly backup")).to_have_count(0)
    page.get_by_role("button", name="Verify the log").click()
    expect(page.get_by_text("none was altered or removed")).to_be_visible()
    page.get_by_label("Current password").fill(PASSWORD)
    page.get_by_label("New password", exact=True).fill("new-password-1")
    page.get_by_label("New password again").fill("new-password-2")
    expect(page.get_by_text("Not the same")).to_be_visible()
    expect(page.get_by_role("button", name="Change password")).to_be_disabled()
    page.get_by_label("New password again").fill("new-password-1")
    page.get_by_role("button", name="Change password").click()
    expect(page.get_by_text("The password is changed, and everything else is signed out.")).to_be_visible()
    expect(page.get_by_role("row", name="old laptop")).to_have_count(0)
    with Client(stack.url, other) as laptop:
        try:
            laptop.me()
        except Exception as error:
            assert "Sign in first" in str(error)
        else:
            raise AssertionError("the other session goes on")


def test_a_helper_is_added_and_deploys_only_what_stays_at_their_places(page: Page, tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add()
        sign_in(page, quick.url, ADMIN, PASSWORD)
        page.goto(f"{quick.url}/account")
        page.get_by_role("button", name="Add someone").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Name").fill("tamsin")
        dialog.get_by_label("Places that they may change").fill("reef:station.ini#World/[")
        dialog.get_by_label("Password").fill("a-long-night")
        dialog.get_by_role("button", name="Add").click()
        expect(dialog.get_by_text("is never closed")).to_be_visible()
        dialog.get_by_label("Places that they may change").fill("station.ini#World/DayLength")
        dialog.get_by_role("button", name="Add").click()
        row = page.get_by_role("row", name="tamsin")
        expect(row).to_contain_text("station.ini#World/DayLength")

        with Client(quick.url) as free, Client(quick.url, free.token("tamsin", "a-long-night").token) as helper:
            changes = []
            for address, value in (("station.ini#World/DayLength", "=90"), ("sea/1.yml#holds", "=4")):
                changes.append(helper.create_change("reef", "A try").id)
                helper.add_step(changes[-1], api.StepIn(kind="set", address=address, operation=value))
        page.context.clear_cookies()
        sign_in(page, quick.url, "tamsin", "a-long-night")
        page.goto(f"{quick.url}/changes/{changes[0]}")
        expect(page.get_by_role("button", name="Deploy …")).to_be_enabled()
        page.goto(f"{quick.url}/changes/{changes[1]}")
        expect(
            page.get_by_text("It goes beyond what tamsin may change, so an admin has to deploy it: ")
        ).to_be_visible()
        expect(page.get_by_role("button", name="Deploy …")).to_be_disabled()
        page.goto(f"{quick.url}/account")
        expect(page.get_by_role("row", name="tamsin (you)")).to_be_visible()
        expect(page.get_by_role("button", name="Add someone")).to_have_count(0)

        page.context.clear_cookies()
        sign_in(page, quick.url, ADMIN, PASSWORD)
        page.goto(f"{quick.url}/account")
        row.get_by_role("button", name="Remove").click()
        page.get_by_role("dialog").get_by_role("button", name="Remove").click()
        expect(row).to_have_count(0)
