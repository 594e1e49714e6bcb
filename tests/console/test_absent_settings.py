"""Known settings that are not there, in the inspector of the console."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.quick import ADMIN, PASSWORD, Quick
from tests.service.test_absent_settings import quick

__all__ = ["quick"]


def test_a_known_setting_is_added_with_its_default(page: Page, quick: Quick) -> None:
    sign_in(page, quick.url, ADMIN, PASSWORD)
    page.goto(f"{quick.url}/servers/reef/files/evenings.toml?address=tickets")
    inspector = page.get_by_role("region", name="Inspector")
    expect(inspector).to_contain_text("family: the game takes 20")
    inspector.get_by_role("button", name="Add family").click()
    expect(inspector).to_contain_text("family = 20")  # the entry as the change with the new step leaves it
    expect(inspector).not_to_contain_text("Known settings that are not here")
    (change,) = quick.zerrit.changes("reef")
    assert [step.kind for step in quick.zerrit.change(change.id).step_list] == ["add"]


def test_the_table_says_how_many_are_absent_and_adds_one(page: Page, quick: Quick) -> None:
    sign_in(page, quick.url, ADMIN, PASSWORD)
    page.goto(f"{quick.url}/servers/reef/files/evenings.toml")
    here = page.get_by_role("region", name="Known settings that are not in this file")
    here.get_by_role("button", name="2 known settings are not in this file").click()
    expect(here).to_contain_text("heating/degrees (its group is not there either): the game takes 18")
    expect(here.get_by_role("button", name="Add degrees")).to_have_count(0)  # its group is not there either
    here.get_by_role("button", name="Add family").click()
    expect(here.get_by_role("button", name="1 known setting is not in this file")).to_be_visible()
    (change,) = quick.zerrit.changes("reef")
    assert "# for two and their children\nfamily = 20\n" in quick.zerrit.file("reef", "evenings.toml", change.id).text
