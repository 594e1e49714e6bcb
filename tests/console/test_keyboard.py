"""The whole story by keyboard alone: sign in, find, edit, review, deploy, roll back."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Browser, Page, expect

from tests.browser import new_page
from tests.quick import ADMIN, PASSWORD, quick_stack

FAR = 120  # presses of Tab; whoever has to press more is lost

#: What has the focus, as a screen reader says it: its label, else its text.
FOCUSED = """() => {
  const one = document.activeElement;
  const label = one.getAttribute('aria-label') || one.labels?.[0]?.textContent || one.textContent || '';
  return `${one.getAttribute('role') || one.tagName.toLowerCase()}: ${label.trim()}`;
}"""


def focused(page: Page) -> str:
    return str(page.evaluate(FOCUSED))


def tab_to(page: Page, *wanted: str) -> None:
    """Press Tab until something is focused that has all these words."""
    seen = []
    for _ in range(FAR):
        page.keyboard.press("Tab")
        seen.append(focused(page))
        if all(word in seen[-1] for word in wanted):
            return
    raise AssertionError(f"{wanted} is not reached by Tab; it went over {list(dict.fromkeys(seen))}")


def go_to(page: Page, text: str, option: str) -> None:
    page.keyboard.press("Control+k")
    expect(page.get_by_role("combobox", name="Go to")).to_be_focused()
    page.keyboard.type(text)
    first = page.get_by_role("option").first
    expect(first).to_contain_text(option)
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Go to")).to_have_count(0)


def test_the_story_by_keyboard_alone(browser: Browser, tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add()
        file = quick.game().folder / "sea/1.yml"
        before = file.read_text()
        page = new_page(browser)
        page.set_default_timeout(30_000)
        page.goto(quick.url)
        expect(page.get_by_label("Name")).to_be_focused()
        page.keyboard.type(ADMIN)
        page.keyboard.press("Tab")
        page.keyboard.type(PASSWORD)
        page.keyboard.press("Enter")
        page.get_by_role("heading", name="Servers").wait_for()

        go_to(page, "1.yml", "1.yml")
        page.get_by_label("Search entries").wait_for()
        tab_to(page, "Select all rows")  # a table is one stop; inside it the arrows go from cell to cell
        for key in ("ArrowDown", "ArrowDown", "ArrowRight", "ArrowRight"):
            page.keyboard.press(key)
        assert focused(page) == "gridcell: 0"
        page.keyboard.type("5")
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Change")).to_contain_text("1 step")
        page.keyboard.press("Control+z")
        expect(page.get_by_role("region", name="Change")).to_contain_text("0 steps")
        page.keyboard.press("Control+Shift+Z")
        expect(page.get_by_role("region", name="Change")).to_contain_text("1 step")

        tab_to(page, "Review")
        page.keyboard.press("Enter")
        page.get_by_role("heading", name="Change 1").wait_for()
        tab_to(page, "Deploy …")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").wait_for()
        tab_to(page, "Stop, write and start")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Run 1")).to_contain_text("the game is up")
        assert "holds: 5" in file.read_text()

        go_to(page, "timeline", "Timeline")
        page.get_by_role("button", name="Restart the game").wait_for()
        tab_to(page, "Roll back to snapshot 1")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").wait_for()
        tab_to(page, "button: Roll back")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Run 2", exact=True)).to_contain_text("restored and verified; the game is up.")
        assert file.read_text() == before
        page.context.close()
