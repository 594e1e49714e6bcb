"""The workspace: files as a tree and as tabs, entries and text, what is known of a place, and the change at hand."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Locator, Page, Route, expect

from tests.browser import new_page, search_entries, sign_in
from zerrit import api
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

Shared = tuple[DemoStack, Client]
FINDS = "sea/finds.xml"
GIMBAL = "shelf[brass]/find[Copper Gimbal]"


@pytest.fixture
def at(page: Page, shared: Shared) -> Iterator[Page]:
    """A signed-in page of a service with data in it."""
    sign_in(page, shared[0].url, ADMIN, PASSWORD)
    yield page


def open_file(at: Page, shared: Shared, server: str, path: str, query: str = "") -> None:
    at.goto(f"{shared[0].url}/servers/{server}/files/{path}{query}")
    at.get_by_role("tab", name="Entries").wait_for()


def new_change(shared: Shared, server: str, title: str) -> int:
    return shared[1].create_change(server, title).id


def cell(at: Page, field: str, row: int = 0) -> Locator:
    return at.locator(f"[data-rowindex='{row}'] [data-field='{field}']")


def test_the_first_edit_creates_a_change_and_undo_and_redo_work_on_steps(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    open_file(at, shared, "lantern-shelf", FINDS)
    search_entries(at, "copper gimbal")
    holds = cell(at, "@holds")
    expect(holds).to_have_text("12..40")
    holds.click()
    at.keyboard.type("7..9")
    at.keyboard.press("Enter")
    expect(holds).to_have_class(re.compile("is-changed"))
    expect(at.get_by_role("combobox", name="Edit in")).to_contain_text(f"Edit {FINDS}")
    change = zerrit.changes("lantern-shelf")[0].id
    at.get_by_role("tab", name="Entries").focus()
    at.keyboard.press("Control+z")
    expect(holds).to_have_text("12..40")
    assert zerrit.change(change).step_list == []
    at.keyboard.press("Control+Shift+Z")
    expect(holds).to_have_text("7..9")
    assert [step.summary for step in zerrit.change(change).step_list] == ["=7..9"]


def test_a_link_names_file_view_selection_and_change(at: Page, shared: Shared) -> None:
    change = new_change(shared, "coral-gate", "A link to send")
    open_file(at, shared, "coral-gate", FINDS, f"?change={change}")
    search_entries(at, "copper gimbal")
    cell(at, "@worth").click()
    expect(at.get_by_role("region", name="Inspector")).to_contain_text(f"{GIMBAL}/@worth")
    link = at.url
    at.goto(shared[0].url)
    at.goto(link)
    expect(at.get_by_role("region", name="Inspector")).to_contain_text(f"{GIMBAL}/@worth")
    expect(at.get_by_role("combobox", name="Edit in")).to_contain_text("A link to send")
    at.keyboard.press("Control+Shift+E")
    expect(at.locator(".cm-activeLine").first).to_contain_text("Copper Gimbal")


def test_a_choice_made_while_a_file_is_being_opened_leaves_that_file_open(at: Page, shared: Shared) -> None:
    new_change(shared, "coral-gate", "Chosen in a hurry")
    at.goto(f"{shared[0].url}/servers/coral-gate/files")
    at.get_by_role("treeitem", name="sea").click()
    at.get_by_role("treeitem", name="finds.xml").wait_for()
    at.get_by_role("combobox", name="Edit in").click()
    option = at.get_by_role("option", name="Chosen in a hurry")
    option.wait_for()
    at.evaluate(
        """([file, option]) => { file.click(); option.click(); }""",
        [
            at.get_by_role("treeitem", name="finds.xml", include_hidden=True).get_by_text("finds.xml").element_handle(),
            option.element_handle(),
        ],
    )
    expect(at.get_by_label("Search entries")).to_be_visible()
    expect(at.get_by_role("combobox", name="Edit in")).to_contain_text("Chosen in a hurry")


def test_a_change_that_is_created_late_does_not_lead_back_to_the_file_before(at: Page, shared: Shared) -> None:
    open_file(at, shared, "lantern-shelf", FINDS)
    search_entries(at, "copper gimbal")
    held: list[Route] = []
    at.route(
        "**/api/v1/servers/lantern-shelf/changes",
        lambda route: held.append(route) if route.request.method == "POST" else route.continue_(),
    )
    cell(at, "@holds").click()
    at.keyboard.type("8..9")
    at.keyboard.press("Enter")
    at.get_by_role("treeitem", name="station.ini").click()
    expect(at).to_have_url(re.compile("files/station.ini"))
    held.pop().continue_()
    expect(at.get_by_role("combobox", name="Edit in")).to_contain_text(f"Edit {FINDS}")
    expect(at).to_have_url(re.compile("files/station.ini"))


def test_a_selected_value_says_what_is_known_and_goes_back_to_its_default(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "coral-gate", "Less, then not")
    open_file(at, shared, "coral-gate", FINDS, f"?change={change}")
    search_entries(at, "copper gimbal")
    cell(at, "@holds").click()
    at.keyboard.type("1..2")
    at.keyboard.press("Enter")
    expect(cell(at, "@holds")).to_have_class(re.compile("is-changed"))
    cell(at, "@holds").click()
    inspector = at.get_by_role("region", name="Inspector")
    expect(inspector).to_contain_text("a range of numbers from 0 to 120")
    expect(inspector).to_contain_text("after a restart")
    inspector.get_by_role("button", name="Reset to default").click()
    expect(cell(at, "@holds")).to_have_text("12..40")
    assert [step.summary for step in zerrit.change(change).step_list] == ["=1..2", "=12..40"]


def test_typed_text_is_checked_saved_as_steps_and_undone_as_one(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "By hand")
    open_file(at, shared, "lantern-shelf", "station.ini", f"?view=text&change={change}")
    before = zerrit.file("lantern-shelf", "station.ini", change=change).text
    at.locator(".cm-line", has_text="DayLength=96").click()
    at.keyboard.press("End")
    at.keyboard.press("Backspace")
    at.keyboard.press("Backspace")
    at.keyboard.type("nine")
    expect(at.locator(".cm-lintRange-error")).to_be_visible()
    expect(at.get_by_text("Typed text that is not saved", exact=True)).to_be_visible()
    for _ in "nine":
        at.keyboard.press("Backspace")
    at.keyboard.type("48")
    expect(at.locator(".cm-lintRange-error")).to_be_hidden()
    at.keyboard.press("Control+s")
    expect(at.get_by_text("Typed text that is not saved", exact=True)).to_be_hidden()
    assert [(step.kind, step.summary) for step in zerrit.change(change).step_list] == [("set", "=48")]
    assert zerrit.file("lantern-shelf", "station.ini", change=change).text == before.replace(
        "DayLength=96", "DayLength=48"
    )
    at.get_by_role("button", name="Undo").click()
    expect(at.locator(".cm-line", has_text="DayLength=96")).to_be_visible()


def test_typed_text_survives_a_reload_and_merges_with_what_another_person_saved(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "Two at once")
    open_file(at, shared, "lantern-shelf", "station.ini", f"?view=text&change={change}")
    at.locator(".cm-line", has_text="DayLength=96").click()
    at.keyboard.press("End")
    at.keyboard.type("0")
    expect(at.get_by_role("img", name="not saved")).to_be_visible()
    at.wait_for_timeout(400)  # what is typed goes into the browser's storage after a moment of quiet
    season = api.StepIn(kind="set", address="station.ini#World/Season", operation="=High Water")
    zerrit.add_step(change, season)
    at.once("dialog", lambda asked: asked.accept())
    at.reload()
    expect(at.locator(".cm-line", has_text="DayLength=960")).to_be_visible()
    expect(at.get_by_role("alert")).to_contain_text("This file was changed in the meantime")
    at.get_by_role("button", name="Save as steps").click()
    expect(at.locator(".cm-line", has_text="Season=High Water")).to_be_visible()
    text = zerrit.file("lantern-shelf", "station.ini", change=change).text
    assert "DayLength=960" in text and "Season=High Water" in text


def test_rows_are_changed_together_and_cells_are_pasted_as_a_table(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "Many at once")
    open_file(at, shared, "lantern-shelf", FINDS, f"?change={change}")
    search_entries(at, "amber float")
    at.get_by_role("checkbox", name="Select all rows").check()
    bar = at.get_by_role("toolbar", name="Selected rows")
    bar.get_by_role("combobox", name="Column").click()
    at.get_by_role("option", name="worth").click()
    worth = [int(cell(at, "@worth", row).inner_text()) for row in range(3)]
    expect(bar.get_by_text(f"sum {sum(worth)}")).to_be_visible()
    bar.get_by_label("Change to").fill("*2")
    bar.get_by_role("button", name="Change", exact=True).click()
    for row in range(3):
        expect(cell(at, "@worth", row)).to_have_text(str(worth[row] * 2))
    assert len(zerrit.change(change).step_list) == 3
    cell(at, "@worth").click()
    paste(at, "11\n12\n13")
    expect(cell(at, "@worth", 2)).to_have_text("13")
    assert len(zerrit.change(change).step_list) == 6
    cell(at, "@worth", 1).click()
    paste(at, "1\n2\n3")
    expect(at.get_by_text("larger than the rows and columns from here on. Nothing was changed.")).to_be_visible()
    at.get_by_role("button", name="Undo").click()
    for row in range(3):
        expect(cell(at, "@worth", row)).to_have_text(str(worth[row] * 2))
    assert len(zerrit.change(change).step_list) == 3


def paste(at: Page, text: str) -> None:
    """As the browser does it when Ctrl+V is pressed."""
    at.evaluate(
        """text => {
            const data = new DataTransfer();
            data.setData("text/plain", text);
            document.activeElement.dispatchEvent(new ClipboardEvent("paste", {clipboardData: data, bubbles: true, cancelable: true}));
        }""",
        text,
    )


def test_the_selected_rows_are_filled_with_the_value_of_the_first(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "Alike")
    open_file(at, shared, "lantern-shelf", FINDS, f"?change={change}")
    search_entries(at, "cork float")
    at.get_by_role("checkbox", name="Select all rows").check()
    first = cell(at, "@heft").inner_text()
    cell(at, "@heft").click()
    at.keyboard.press("Control+d")
    expect(cell(at, "@heft", 2)).to_have_text(first)
    assert {step.summary for step in zerrit.change(change).step_list} == {f"={first}"}


def test_entries_are_filtered_and_sorted_by_the_service(at: Page, shared: Shared) -> None:
    open_file(at, shared, "coral-gate", FINDS)
    expect(at.get_by_text(re.compile(r"1–100 of \d{3}"))).to_be_visible()
    at.get_by_role("button", name="Add a condition …").click()
    at.get_by_role("combobox", name="Column").click()
    at.get_by_role("option", name="worth").click()
    at.get_by_label("Condition", exact=True).fill(">100")
    at.get_by_role("button", name="Add the condition").click()
    expect(at.get_by_role("button", name="worth >100")).to_be_visible()
    header = at.get_by_role("columnheader", name="worth")
    header.scroll_into_view_if_needed()
    expect(cell(at, "@worth")).to_be_visible()  # the grid has drawn the columns that came into sight
    header.click()
    expect(header).to_have_attribute("aria-sort", "ascending")
    expect(cell(at, "@worth")).to_have_text(re.compile(r"^1\d\d$"))
    shown = [int(text) for text in at.locator("[role=gridcell][data-field='@worth']").all_inner_texts()]
    assert len(shown) > 3
    assert shown == sorted(shown)
    assert min(shown) > 100


def test_inner_entries_are_opened_from_their_row_and_edited(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "coral-gate", "Inside")
    open_file(at, shared, "coral-gate", "sea/finds.xml", f"?kind=shelf&change={change}")
    at.get_by_title("Open find of brass").click()
    dialog = at.get_by_role("dialog")
    search_entries(dialog, "copper gimbal")
    worth = dialog.locator("[data-rowindex='0'] [data-field='@worth']")
    worth.dblclick()
    at.keyboard.press("Control+a")
    at.keyboard.type("77")
    at.keyboard.press("Enter")
    expect(worth).to_have_class(re.compile("is-changed"))
    assert zerrit.change(change).step_list[0].address == f"{FINDS}#{GIMBAL}/@worth"


def test_go_to_leads_to_an_entry_and_to_a_page(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/timeline")
    at.get_by_role("tab", name="Timeline").wait_for()
    at.keyboard.press("Control+k")
    at.get_by_role("combobox", name="Go to").fill("brass copper gimbal")
    at.get_by_role("option", name=re.compile("brass . Copper Gimbal.*coral-gate")).first.click()
    expect(at.get_by_role("region", name="Inspector")).to_contain_text(GIMBAL)
    at.keyboard.press("Control+k")
    at.get_by_role("combobox", name="Go to").fill("gamebook")
    at.get_by_role("option", name=re.compile("^Gamebook.*what the game accepts")).click()
    expect(at).to_have_url(re.compile("/servers/coral-gate/gamebook$"))


def test_a_search_in_files_is_replaced_place_by_place(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "Other wood")
    open_file(at, shared, "lantern-shelf", FINDS, f"?change={change}")
    at.keyboard.press("Control+Shift+F")
    at.get_by_label("Search for").fill("Cork Float")
    expect(at.get_by_text(re.compile(r"3 in 1 of \d+ files\."))).to_be_visible()
    at.get_by_label("Replace by").fill("Oak Float")
    at.get_by_label(re.compile("Replace at sea/finds.xml")).first.uncheck()
    at.get_by_role("button", name="Replace 2 places").click()
    expect(at.get_by_text("2 places replaced")).to_be_visible()
    assert zerrit.file("lantern-shelf", FINDS, change=change).text.count("Oak Float") == 2
    assert len(zerrit.change(change).step_list) == 2
    at.get_by_role("tab", name="Entries").focus()
    at.keyboard.press("Control+z")  # what was replaced together is undone together
    expect(at.get_by_role("region", name="Change")).to_contain_text("0 steps")


def test_the_tree_and_the_tabs_are_used_by_keyboard_and_panes_stay_folded(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/files")
    at.get_by_label("Filter files").fill("board")
    at.get_by_role("treeitem", name="board.json").focus()
    at.keyboard.press("Enter")
    expect(at.get_by_role("navigation", name="Open files").get_by_role("link", name="board.json")).to_be_visible()
    at.get_by_role("button", name="Inspector").click()
    expect(at.get_by_role("region", name="Inspector")).to_be_hidden()
    at.reload()
    expect(at.get_by_role("tab", name="Entries")).to_be_visible()
    expect(at.get_by_role("button", name="Inspector", pressed=False)).to_be_visible()
    at.get_by_role("button", name="Close galley/board.json").click()
    expect(at.get_by_role("navigation", name="Open files")).to_have_text("")


def test_two_people_in_one_change_see_each_others_steps(at: Page, shared: Shared, browser: Browser) -> None:
    change = new_change(shared, "lantern-shelf", "We two")
    other = new_page(browser)
    sign_in(other, shared[0].url, ADMIN, PASSWORD)
    for page in (at, other):
        open_file(page, shared, "lantern-shelf", FINDS, f"?change={change}")
        search_entries(page, "copper gimbal")
    cell(at, "@worth").click()
    at.keyboard.type("55")
    at.keyboard.press("Enter")
    expect(cell(other, "@worth")).to_have_text("55")
    expect(other.get_by_role("region", name="Change")).to_contain_text("1 step")
    other.context.close()


def test_a_phone_shows_the_files_then_one_and_what_is_known_from_below(browser: Browser, shared: Shared) -> None:
    phone = new_page(browser, width=390, height=844)
    sign_in(phone, shared[0].url, ADMIN, PASSWORD)
    phone.goto(f"{shared[0].url}/servers/coral-gate/files")
    phone.get_by_role("treeitem", name="station.ini").click()
    phone.get_by_role("button", name="‹ Files").wait_for()
    cell(phone, "trail").first.click()
    expect(phone.get_by_role("region", name="Inspector")).to_contain_text("Value")
    phone.get_by_role("button", name="Close").click()
    assert phone.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    phone.context.close()


def test_the_keys_are_shown_on_demand(at: Page) -> None:
    at.keyboard.press("?")
    expect(at.get_by_role("dialog", name="Keys")).to_contain_text("Ctrl+K")


SNIPPET = '<find name="Slate Compass" ground="Old Orchard" holds="1..2" returns="3 tides" heft="1.2 kg" worth="70"/>'


def test_a_pasted_block_is_planned_and_becomes_a_step(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    open_file(at, shared, "lantern-shelf", FINDS, "?view=entries")
    at.get_by_label("Edit in").click()
    at.get_by_role("option", name="A new change, with the first edit").click()
    expect(at.get_by_text("You see the files as they are on the server.")).to_be_visible()
    at.get_by_role("tab", name="Entries").focus()
    paste(at, f'<shelf family="brass">\n  {SNIPPET}\n</shelf>')
    dialog = at.get_by_role("dialog")
    expect(dialog.get_by_text("shelf[brass]/find[Slate Compass]").first).to_be_visible()
    dialog.get_by_role("button", name="Add step").click()
    expect(dialog).to_be_hidden()
    change = zerrit.changes("lantern-shelf")[0]
    assert change.title == f"Paste into {FINDS}"
    assert [step.kind for step in zerrit.change(change.id).step_list] == ["merge"]


def drop(at: Page, target: str, name: str, text: str) -> None:
    """As the browser does it when a file is let go over an element."""
    at.locator(target).first.evaluate(
        """(element, [name, text]) => {
            const data = new DataTransfer();
            data.items.add(new File([Uint8Array.from(text, sign => sign.charCodeAt(0))], name));
            for (const type of ["dragover", "drop"])
                element.dispatchEvent(new DragEvent(type, {dataTransfer: data, bubbles: true, cancelable: true}));
        }""",
        [name, text],
    )


def test_a_dropped_file_is_put_into_the_folder_it_falls_on(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "Dropped")
    at.goto(f"{shared[0].url}/servers/lantern-shelf/files?change={change}")
    at.get_by_role("treeitem", name="galley").wait_for()
    drop(at, "[data-folder='galley/']", "extra.json", '{"a": 1}')
    dialog = at.get_by_role("dialog")
    expect(dialog.get_by_role("row", name="galley/extra.json")).to_contain_text("added")
    dialog.get_by_role("button", name="Put", exact=True).click()
    expect(dialog).to_be_hidden()
    assert [(step.kind, step.address) for step in zerrit.change(change).step_list] == [
        ("put-file", "galley/extra.json")
    ]
    drop(at, "[data-folder='mods/']", "picture.bin", "\x89PNG\x00\xff")
    expect(dialog.get_by_role("row", name="mods/picture.bin")).to_contain_text("added")
    dialog.get_by_role("button", name="Put", exact=True).click()
    expect(dialog).to_be_hidden()
    step = zerrit.change(change).step_list[-1]
    assert (step.kind, step.address, step.outcome.changes[0].new) == ("put-file", "mods/picture.bin", "6 bytes")


def drop_folder(at: Page, target: str, name: str, files: dict[str, str]) -> None:
    """As the browser does it when a folder is let go over an element. A path that ends with `/` is an empty folder in it."""
    at.locator(target).first.evaluate(
        """(element, [name, files]) => {
            const asEntry = (name, below) => ({
                name, isFile: false, isDirectory: true,
                createReader: () => { let left = [...below]; return {readEntries: done => { done(left); left = []; }}; },
            });
            const tree = (below) => {
                const names = [...new Set(Object.keys(below).map(path => path.split("/")[0]))];
                return names.map(one => {
                    if (one in below) return {name: one, isFile: true, file: done => done(new File([Uint8Array.from(below[one], sign => sign.charCodeAt(0))], one))};
                    const inside = Object.entries(below).filter(([path]) => path.startsWith(one + "/") && path !== one + "/");
                    return asEntry(one, tree(Object.fromEntries(inside.map(([path, text]) => [path.slice(one.length + 1), text]))));
                });
            };
            const data = new DataTransfer();
            data.items.add(new File([], name));
            DataTransferItem.prototype.webkitGetAsEntry = () => asEntry(name, tree(files));
            for (const type of ["dragover", "drop"])
                element.dispatchEvent(new DragEvent(type, {dataTransfer: data, bubbles: true, cancelable: true}));
        }""",
        [name, files],
    )


def test_a_dropped_folder_is_one_step_with_what_it_takes_away(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "lantern-shelf", "A folder")
    at.goto(f"{shared[0].url}/servers/lantern-shelf/files?change={change}")
    at.get_by_role("treeitem", name="addins").wait_for()
    drop_folder(at, "[data-folder='addins/']", "moorings", {"card.yml": "card: {name: moorings}\n", "data/": ""})
    dialog = at.get_by_role("dialog")
    expect(dialog.get_by_text("1 file, 0.0 MB, 1 empty folder")).to_be_visible()
    expect(dialog.get_by_role("row", name="addins/moorings/card.yml")).to_contain_text("replace")
    dialog.get_by_label("Remove what else is in it on the server").check()
    gone = [one.path for one in zerrit.files("lantern-shelf") if one.path.startswith("addins/moorings/")]
    gone.remove("addins/moorings/card.yml")
    assert gone
    for path in gone:
        expect(dialog.get_by_role("row", name=path)).to_contain_text("removed")
    dialog.get_by_role("button", name="Put", exact=True).click()
    expect(dialog).to_be_hidden()
    (step,) = zerrit.change(change).step_list
    assert (step.kind, step.address) == ("put-folder", "addins/moorings")
    assert step.summary == "1 file and 1 empty folder, in place of all that is there"


def test_the_menu_of_a_folder_renames_it_throughout_but_for_what_is_left(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "coral-gate", "Another name")
    at.goto(f"{shared[0].url}/servers/coral-gate/files?change={change}")
    at.get_by_role("treeitem", name="charts").click()
    at.locator("[data-path='charts/coral-gate/']").click(button="right")
    at.get_by_role("menuitem", name="Rename throughout").click()
    dialog = at.get_by_role("dialog")
    dialog.get_by_label("New key or name").fill("pearl-gate")
    dialog.get_by_role("button", name="Dry run").click()
    expect(dialog.get_by_role("row", name="station.ini#World/Chart")).to_contain_text("pearl-gate")
    dialog.get_by_role("button", name="Leave charts/rotation.txt#chart[coral-gate] as it is").click()
    expect(dialog.get_by_text("Left as it is:")).to_be_visible()
    expect(dialog.get_by_role("row", name="charts/rotation.txt#chart[coral-gate]")).to_be_hidden()
    dialog.get_by_role("button", name="Add step").click()
    expect(dialog).to_be_hidden()
    (step,) = zerrit.change(change).step_list
    assert (step.kind, step.address, step.summary) == ("rename", "charts/coral-gate", "to pearl-gate throughout")
    changed = {one.address for one in step.outcome.changes}
    assert "station.ini#World/Chart" in changed
    assert "charts/rotation.txt#chart[coral-gate]" not in changed


def test_the_menu_key_opens_the_menu_of_a_file(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    change = new_change(shared, "coral-gate", "By keyboard")
    at.goto(f"{shared[0].url}/servers/coral-gate/files?change={change}")
    item = at.get_by_role("treeitem", name="launch.sh")
    item.wait_for()
    item.focus()
    at.keyboard.press("ContextMenu")
    menu = at.get_by_role("menu")
    with at.expect_download() as saved:
        menu.get_by_role("menuitem", name="Save a copy").click()
    assert saved.value.suggested_filename == "launch.sh"
    item.focus()
    at.keyboard.press("ContextMenu")
    menu.get_by_role("menuitem", name="Make it executable, or not").click()
    dialog = at.get_by_role("dialog")
    dialog.get_by_role("button", name="Add step").click()
    expect(dialog).to_be_hidden()
    assert [(one.kind, one.summary) for one in zerrit.change(change).step_list] == [("set-executable", "on")]


def test_a_dropped_gamebook_is_tested_before_it_is_saved(at: Page, shared: Shared) -> None:
    _, zerrit = shared
    at.goto(f"{shared[0].url}/servers/lantern-shelf/files")
    at.get_by_role("treeitem", name="galley").wait_for()
    text = zerrit.gamebook_overview("lantern-shelf").text
    drop(at, "[data-folder='galley/']", "new.yml", "gamebook: 1\ngame: x\nrefers:\n  - {every: 3}\n")
    dialog = at.get_by_role("dialog")
    expect(dialog.get_by_text("line 4").first).to_be_visible()
    expect(dialog.get_by_role("button", name="Save as the gamebook")).to_be_disabled()
    dialog.get_by_role("button", name="Cancel").click()
    drop(at, "[data-folder='galley/']", "new.yml", text.replace("gamebook: 1", "# dropped\ngamebook: 1", 1))
    dialog.get_by_role("button", name="Save as the gamebook of lantern-shelf").click()
    expect(dialog).to_be_hidden()
    assert "# dropped" in zerrit.gamebook_overview("lantern-shelf").text


def test_a_dropped_archive_asks_what_it_is(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/lantern-shelf/files")
    at.get_by_role("treeitem", name="galley").wait_for()
    drop(at, "[data-folder='galley/']", "game.zip", "no archive at all")
    dialog = at.get_by_role("dialog")
    dialog.get_by_role("button", name="Import as a snapshot").click()
    expect(dialog.get_by_role("alert")).to_be_visible()
    dialog.get_by_role("button", name="Import as defaults …").click()
    expect(dialog.get_by_text("game.zip")).to_be_visible()


def test_the_timeline_is_filtered_and_two_states_are_compared_from_it(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/timeline")
    rows = at.get_by_role("list", name="Timeline").get_by_role("listitem")
    expect(rows).not_to_have_count(0)
    at.get_by_label("Words").fill("no such words")
    expect(rows).to_have_count(0)
    at.get_by_label("Words").fill("")
    at.get_by_role("combobox", name="Show").click()
    at.get_by_role("option", name="Defaults", exact=True).click()
    expect(rows).to_have_count(1)
    at.get_by_role("button", name="Compare Defaults 2.1").click()
    at.get_by_role("combobox", name="Show").click()
    at.get_by_role("option", name="Snapshots", exact=True).click()
    at.get_by_role("button", name="Compare with Snapshot").last.click()
    expect(at).to_have_url(re.compile(r"/compare\?old=coral-gate%40.*&new=coral-gate%40"))
    expect(at.get_by_text(re.compile(r"\d+ differences in \d+ entries"))).to_be_visible()


def test_a_part_of_a_snapshot_becomes_a_change(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/timeline")
    at.get_by_role("button", name="Restore a part of snapshot").last.click()
    dialog = at.get_by_role("dialog")
    dialog.get_by_label("What to restore").fill("sea/nothing.xml")
    dialog.get_by_role("button", name="Create the change").click()
    expect(dialog.get_by_role("alert")).to_be_visible()


def test_entries_are_grouped_with_sums_before_and_after(at: Page, shared: Shared) -> None:
    change = new_change(shared, "coral-gate", "Dearer gimbals")
    shared[1].add_step(
        change, api.StepIn(kind="set", address=f"{FINDS}#shelf[brass]/find[*Gimbal]/@worth", operation="+10")
    )
    open_file(at, shared, "coral-gate", FINDS, f"?change={change}")
    at.get_by_label("Group by").click()
    at.get_by_role("option", name="ground").click()
    at.get_by_label("Sum of").click()
    at.get_by_role("option", name="worth").click()
    asked = api.GroupsQuery(path=FINDS, by="@ground", sum="@worth", change=change)
    found = shared[1].entry_groups("coral-gate", asked)
    moved = int(found.all.after.total) - int(found.all.before.total)
    assert moved > 0 and moved % 10 == 0
    groups = at.get_by_role("region", name="Groups")
    expect(groups.get_by_role("row").last).to_contain_text(f"+{moved}")
    first = found.groups[0]
    groups.get_by_role("button", name=first.value, exact=True).click()
    expect(at.get_by_text(f"ground ={first.value}")).to_be_visible()
    expect(at.get_by_text(re.compile(f"of {first.after.entries}$"))).to_be_visible()


def test_go_to_finds_words_and_findings_and_does_commands(at: Page, shared: Shared) -> None:
    at.goto(f"{shared[0].url}/servers/coral-gate/files")
    at.get_by_role("treeitem", name="station.ini").wait_for()
    at.keyboard.press("Control+k")
    at.get_by_role("combobox", name="Go to").fill("saltgrass")
    expect(at.get_by_role("option", name=re.compile("Saltgrass Reach.*one of the grounds")).first).to_be_visible()
    at.get_by_role("combobox", name="Go to").fill("two hyphens")
    at.get_by_role("option").filter(has_text="sea/buoys.xml, line").first.click()
    expect(at.get_by_label("Text of sea/buoys.xml")).to_be_visible()
    at.keyboard.press("Control+k")
    at.get_by_role("combobox", name="Go to").fill("new change")
    at.get_by_role("option", name=re.compile("^New change")).click()
    expect(at.get_by_role("combobox", name="Edit in")).to_contain_text("Edits in the workspace")


def test_the_text_leads_to_what_a_value_refers_to(at: Page, shared: Shared) -> None:
    line = next(
        n for n, text in enumerate(shared[1].file("coral-gate", FINDS).text.splitlines(), 1) if "Copper Gimbal" in text
    )
    open_file(at, shared, "coral-gate", FINDS, f"?view=text&line={line}")
    editor = at.get_by_label(f"Text of {FINDS}")
    expect(at.locator(".cm-activeLine").first).to_contain_text("Copper Gimbal")
    editor.focus()
    text = at.locator(".cm-activeLine").first.inner_text()
    for _ in range(text.index("ground=") + 12):
        at.keyboard.press("ArrowRight")
    at.keyboard.press("F12")
    expect(at.get_by_label("Text of sea/chart.xml")).to_be_visible()
