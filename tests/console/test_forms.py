"""A form is drafted from an entry, filled in, looked at, and becomes the steps of a change."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.core.test_forms import FILES
from tests.quick import ADMIN, PASSWORD, quick_stack


def test_a_form_is_filled_in_and_all_its_steps_are_added(page: Page, tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        for path, data in FILES.items():
            (quick.game().folder / path).parent.mkdir(parents=True, exist_ok=True)
            (quick.game().folder / path).write_bytes(data)
        quick.add()
        change = quick.zerrit.create_change("reef", "A cove").id
        sign_in(page, quick.url, ADMIN, PASSWORD)
        page.goto(f"{quick.url}/changes/{change}")
        page.get_by_role("button", name="Fill in a form").click()
        page.get_by_label("Address of an entry that the new one is like").fill("shop/stalls.lua#Stalls[mole]")
        page.get_by_role("button", name="Find its places").click()
        expect(page.get_by_text("is not one entry")).to_be_visible()
        page.get_by_label("Address of an entry that the new one is like").fill("shop/stalls.lua#Stalls[quay]")
        page.get_by_role("button", name="Find its places").click()
        expect(page.get_by_text("the file icons/{word}.yml, made from icons/quay.yml")).to_be_visible()
        page.get_by_label("what it is called").fill("cove")
        page.get_by_label("price").fill("9")
        page.get_by_role("button", name="Show what it does").click()
        expect(page.get_by_text("order.json#open/[cove]")).to_be_visible()
        assert quick.zerrit.change(change).step_list == []
        page.get_by_role("button", name="Add all steps").click()
        expect(page.get_by_role("tab", name="Steps (9)")).to_be_visible()
        assert len(quick.zerrit.change(change).step_list) == 9
        other = quick.zerrit.create_change("reef", "An inlet").id
        page.goto(f"{quick.url}/changes/{other}")
        page.get_by_role("button", name="Fill in a form").click()
        page.get_by_label("Address of an entry that the new one is like").fill("shop/stalls.lua#Stalls[quay]")
        page.get_by_role("button", name="Find its places").click()
        page.get_by_label("Action").click()
        page.get_by_role("option", name="Rename one that is there").click()
        page.get_by_label("what it is called").fill("quay")
        page.get_by_label("New word").fill("inlet")
        page.get_by_role("button", name="Show what it does").click()
        expect(page.get_by_text("Has the old word still: stock.db#sold[1]/word")).to_be_visible()
        page.get_by_role("button", name="Add all steps").click()
        expect(page.get_by_role("tab", name="Steps")).to_be_visible()
        steps = [(one.kind, one.address) for one in quick.zerrit.change(other).step_list]
        assert ("rename", "shop/stalls.lua#Stalls/quay") in steps
        assert ("move-file", "icons/quay.yml") in steps
