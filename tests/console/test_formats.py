"""A file whose format is guessed: its entries as a table, and the format said for good by one choice."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.quick import ADMIN, PASSWORD, quick_stack
from tests.worlds import world


def test_entries_of_a_guessed_file_are_edited_and_its_format_is_chosen(page: Page, tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        for path, data in world("foundry").items():
            (quick.game().folder / path).write_bytes(data)
        quick.add()
        sign_in(page, quick.url, ADMIN, PASSWORD)
        page.goto(f"{quick.url}/servers/reef/files/moulds.cfg")
        expect(page.get_by_text("read as: braced key-values (guessed)")).to_be_visible()
        row = page.get_by_role("row").filter(has_text="Moulds / Anvil")
        expect(row).to_be_visible()
        page.get_by_label("Read as").click()
        page.get_by_role("option", name="text", exact=True).click()
        expect(page.get_by_text("read as: text", exact=True)).to_be_visible()
        expect(row).to_have_count(0)
        page.get_by_label("Read as").click()
        page.get_by_role("option", name="as its name or content says").click()
        expect(page.get_by_text("read as: braced key-values (guessed)")).to_be_visible()
        expect(row).to_be_visible()
        assert quick.zerrit.file_format("reef", "moulds.cfg").said_by == "content"
        page.get_by_role("tab", name="Text").click()
        expect(page.get_by_text("kilograms").first).to_be_visible()
