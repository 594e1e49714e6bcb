"""The main job from beginning to end, manually in the console."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser import search_entries, sign_in
from tests.files import files_of
from zerrit.demo import world_files
from zerrit.demo.stack import ADMIN, HOST_PASSWORD, PASSWORD, DemoStack

FINDS = "sea/finds.xml"


def test_the_story_in_the_console(page: Page, stack: DemoStack) -> None:
    game = stack.host_folder / "coral-gate"
    at_first = files_of(game)
    with stack.client() as zerrit:
        zerrit.save_gamebook("fathomline", world_files.gamebook().decode())
    sign_in(page, stack.url, ADMIN, PASSWORD)

    add_the_server(page, stack)
    fetch_and_import_defaults(page, stack.folder / f"fathomline-{world_files.VERSION}-defaults.zip")
    open_a_change(page, "Wet evenings")
    write_the_steps(page)
    fix_the_slip(page)
    look_at_the_differences(page)

    deploy(page)
    expect(page.get_by_label("Run 1", exact=True)).to_contain_text("deployed")
    expect(page.get_by_label("Run 1", exact=True).get_by_role("listitem")).to_have_count(
        9
    )  # eight stages, and what it wrote when it stopped
    assert 'ground="Ribbonweed Flats" holds="2..8"' in (game / FINDS).read_text()
    assert "[Circuit Sump Six]" in (game / "station.ini").read_text()

    page.get_by_role("link", name="coral-gate").click()
    open_a_change(page, "Stronger pumps everywhere")
    add_step(page, "Change values", "station.ini#Circuit */Rating", {"Operation": "+6"})
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("Nothing blocks this change.")).to_be_visible()
    deploy(page)
    run = page.get_by_label("Run 2", exact=True)
    expect(run).to_contain_text("rolled back", timeout=30_000)
    expect(run).to_contain_text("byte for byte")
    expect(page.get_by_label("Log excerpt")).to_contain_text("breaker tripped")
    expect(page.get_by_text("Crash file:")).to_be_visible()

    page.get_by_role("link", name="coral-gate").click()
    page.get_by_role("tab", name="Timeline").click()
    page.get_by_role("button", name="Roll back to snapshot 1", exact=True).click()
    page.get_by_role("button", name="Roll back", exact=True).click()
    expect(page.get_by_label("Run 3", exact=True)).to_contain_text(
        "restored and verified; the game is up.", timeout=30_000
    )
    assert files_of(game) == at_first


def add_the_server(page: Page, stack: DemoStack) -> None:
    expect(page.get_by_text("No servers yet.")).to_be_visible()
    page.get_by_role("link", name="Add a server").click()
    page.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name="FTP, in clear text").click()
    page.get_by_label("Gamebook").click()
    page.get_by_role("option", name="fathomline").click()
    answers = {
        "Server id": "coral-gate",
        "Title": "Coral Gate",
        "Host": "127.0.0.1",
        "Port": str(stack.host.ftp_port),
        "User": "coral-gate",
        "Password": "wrong",
        "Address of the control": f"http://127.0.0.1:{stack.host.control_port}/coral-gate",
        "Token of the control": HOST_PASSWORD,
    }
    for label, text in answers.items():
        page.get_by_label(label, exact=True).fill(text)
    page.get_by_role("button", name="Test the connection").click()
    expect(page.get_by_text("refuses the user `coral-gate` or its password")).to_be_visible()
    page.get_by_label("Password", exact=True).fill(HOST_PASSWORD)
    page.get_by_role("button", name="Test the connection").click()
    expect(page.get_by_text("Reached. 80 files")).to_be_visible()
    page.get_by_role("button", name="Test the control").click()
    expect(page.get_by_text("It answers: running")).to_be_visible()
    page.get_by_role("button", name="Add server").click()


def fetch_and_import_defaults(page: Page, archive: Path) -> None:
    expect(page.get_by_text("Snapshot 1 with 79 files.")).to_be_visible()
    page.get_by_label("Version").fill("2.1")
    page.get_by_label("ZIP of the defaults").set_input_files(archive)
    page.get_by_role("button", name="Import", exact=True).click()
    expect(page.get_by_text("Defaults 2.1 are imported.")).to_be_visible()
    expect(page.get_by_text("79 files were checked: 0 errors")).to_be_visible()
    page.get_by_role("link", name="Open the files").click()
    page.get_by_role("heading", name="Coral Gate").wait_for()
    page.get_by_label("Show").click()
    page.get_by_role("option", name="Changed from the defaults (5)").click()
    expect(page.get_by_role("row")).to_have_count(6)
    expect(page.get_by_role("link", name=FINDS)).to_be_visible()


def open_a_change(page: Page, title: str) -> None:
    page.get_by_role("tab", name="Changes").click()
    page.get_by_label("What is the new change for?").fill(title)
    page.get_by_role("button", name="Open a change").click()
    page.get_by_role("heading", name=title).wait_for()


def write_the_steps(page: Page) -> None:
    """Two cells in the grid by keyboard, the rest by the dialog."""
    change = page.url
    page.get_by_role("link", name="coral-gate").click()
    page.get_by_role("tab", name="Files").click()
    page.get_by_role("treeitem", name="sea").click()
    page.get_by_role("treeitem", name="finds.xml").click()
    page.get_by_label("Edit in").click()
    page.get_by_role("option", name="Change 1: Wet evenings").click()
    search_entries(page, "copper gimbal")
    for field, old, new in (("@holds", "12..40", "12..30"), ("@returns", "3 tides", "6 tides")):
        cell = page.locator(f"[data-rowindex='0'] [data-field='{field}']")
        expect(cell).to_have_text(old)
        cell.dblclick()
        page.keyboard.press("Control+a")
        page.keyboard.type(new)
        page.keyboard.press("Enter")
        expect(cell).to_have_class(re.compile("is-changed"))
    expect(page.get_by_text("a number with a unit (tides) from 1 to 40", exact=True)).to_be_visible()
    page.goto(change)
    add_step(page, "Change values", f"{FINDS}#shelf[float]/find[*Cork Float]/@holds", {"Operation": "+5"})
    expect(page.get_by_text("find[Great Cork Float]/@holds").first).to_be_visible()
    fields = "name=Slate Gimbal\nground=Ribbonwed Flats\nholds=2..8\nreturns=6 tides\nheft=1.9 kg\nworth=60"
    shelf = f"{FINDS}#shelf[brass]"
    add_step(page, "Add an entry", shelf, {"Name of the new entry": "find", "Fields, one per line": fields})
    add_step(page, "Change values", "sea/happenings/icewater.xml#happening[Lantern Fall]/@runs", {"Operation": "on"})
    page.get_by_role("button", name="Add a step").click()
    choose(page, "What to do", "Merge a published snippet")
    page.get_by_label("File (path on the server)").fill("station.ini")
    page.get_by_label("Paste the snippet here").fill(world_files.snippet("pump-circuits.txt"))
    page.get_by_role("button", name="Show the plan").click()
    expect(page.get_by_text("Straightened bent quotation marks.")).to_be_visible()
    expect(page.get_by_role("dialog").get_by_text('"Circuit Sump Six"')).to_be_visible()
    page.get_by_role("button", name="Add step", exact=True).click()
    expect(page.get_by_role("tab", name="Steps (6)")).to_be_visible()


def fix_the_slip(page: Page) -> None:
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("Did you mean 'Ribbonweed Flats'?")).to_be_visible()
    expect(page.get_by_role("button", name="Deploy")).to_be_disabled()
    page.get_by_role("link", name="line 79, column 39").click()
    expect(page.get_by_label("Text of the file")).to_contain_text("Slate Gimbal")
    expect(page.locator(".cm-lintRange-error")).to_have_text("Ribbonwed")
    expect(page.get_by_text("is not among the grounds (20 names are known)").first).to_be_visible()
    page.go_back()
    add_step(
        page, "Change values", f"{FINDS}#shelf[brass]/find[Slate Gimbal]/@ground", {"Operation": "=Ribbonweed Flats"}
    )
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("Nothing blocks this change.")).to_be_visible()
    expect(page.get_by_text("checked")).to_be_visible()


def look_at_the_differences(page: Page) -> None:
    page.get_by_role("tab", name="Difference").click()
    choose(page, "Compare with", "the live files")
    expect(page.get_by_text("from coral-gate, live to change 1: 9 differences")).to_be_visible()
    expect(page.get_by_role("row", name="sea/finds.xml#shelf[brass]/find[Copper Gimbal]", exact=True)).to_be_visible()
    expect(page.get_by_role("row", name="changed @holds 12..40 12..30 upper end -10")).to_be_visible()
    choose(page, "Shown", "as text")
    expect(page.get_by_text("+[Circuit Wet Lab]")).to_be_visible()
    choose(page, "Compare with", "the defaults")
    expect(page.get_by_text("from defaults 2.1 to change 1")).to_be_visible()
    expect(page.get_by_text("+FindRate=1.4")).to_be_visible()
    choose(page, "Compare with", "its base")
    choose(page, "Shown", "side by side")
    both = page.get_by_role("group", name="sea/finds.xml in both states")
    expect(both.locator(".cm-merge-a .cm-changedText").first).to_have_text("34")
    expect(both.locator(".cm-merge-b .cm-changedText").first).to_have_text("39")


def add_step(page: Page, what: str, address: str, answers: dict[str, str]) -> None:
    page.get_by_role("button", name="Add a step").click()
    dialog = page.get_by_role("dialog")
    choose(page, "What to do", what)
    dialog.get_by_label("Address").fill(address)
    for label, text in answers.items():
        dialog.get_by_label(label).fill(text)
    dialog.get_by_role("button", name="Add step").click()
    expect(dialog).to_be_hidden()


def choose(page: Page, label: str, option: str) -> None:
    page.get_by_role("combobox", name=label).click()
    page.get_by_role("option", name=option).click()


def deploy(page: Page) -> None:
    page.get_by_role("button", name="Deploy").click()
    page.get_by_role("button", name="Stop, write and start").click()
