"""The page of your own account."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser import sign_in
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
