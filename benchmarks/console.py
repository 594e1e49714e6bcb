"""
Measure what a person waits for in the console, in headless Chromium, and write it into `benchmarks/RESULTS.md`.

    make bench-console

A made-up server has 502 files and 20 MB; one of them is 6 MB of XML with 20,000 entries. Each wait begins with the key or the
click as the browser gets it, and ends when what was asked for has been painted. The median of several rounds is held
against its bound.
"""

from __future__ import annotations

import re
import shutil
import statistics
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from playwright.sync_api import Page

from benchmarks.run import RESULTS
from benchmarks.server import server_files
from tests.browser import chromium, new_page, sign_in
from zerrit import api
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack
from zerrit.demo.world_files import gamebook
from zerrit.web import configure_log

HEADING: Final = "\n## The console\n"
ENTRIES: Final = 20_000
SERVERS: Final = 30
ROUNDS: Final = 7
LARGE: Final = "sea/many.xml"
SMALL: Final = "sea/chart.xml"
#: Notes when the browser gets the first key, click or input, since the driver takes its own time until it sends one.
WATCH: Final = """() => {
  window.began = 0;
  for (const kind of ["pointerdown", "keydown", "input"])
    window.addEventListener(kind, event => { window.began ||= event.timeStamp; }, {capture: true, once: true});
}"""
PAINTED: Final = """() => new Promise(done => requestAnimationFrame(() => setTimeout(
  () => done(performance.now() - window.began))))"""


@dataclass(frozen=True, slots=True)
class Wait:
    """What a person waits for: the median of the rounds, and the bound, in seconds."""

    what: str
    took: float
    bound: float

    @property
    def is_met(self) -> bool:
        return self.took <= self.bound


def many_entries() -> bytes:
    """6 MB of XML with 20,000 entries."""
    rows = []
    for number in range(ENTRIES):
        note = f"Swings in a fixed ring number {number}; " * 4
        rows.append(
            f'  <find name="Thing {number}" ground="Ground {number % 40}" holds="{number % 30}..{number % 30 + 9}" '
            f'returns="{number % 7 + 1} tides" worth="{number % 500}" note="{note}"/>\n'
        )
    return ("<finds>\n" + "".join(rows) + "</finds>\n").encode()


@contextmanager
def prepared(folder: Path) -> Iterator[tuple[DemoStack, Client]]:
    """A service with the large server, and others that are only listed in the overview."""
    large = folder / "large"
    files = {**server_files(1.0), LARGE: many_entries()}
    for path, data in files.items():
        (large / path).parent.mkdir(parents=True, exist_ok=True)
        (large / path).write_bytes(data)
    with DemoStack(folder / "demo", settle=0.2) as stack, stack.client() as zerrit:
        zerrit.save_gamebook("fathomline", gamebook().decode())
        control = stack.server_in("coral-gate").control
        for number in reversed(range(SERVERS)):  # the large one last, so that its first fetch has just been
            at = large if number == 0 else folder / f"small-{number}"
            if number:
                shutil.copytree(stack.host_folder / "lantern-shelf", at)
            connection = api.FolderConnection(folder=str(at))
            given = {"id": f"s{number}", "title": f"Server {number}", "gamebook": "fathomline"}
            sent = stack.server_in("coral-gate").model_copy(
                update=given | {"connection": connection, "control": control}
            )
            zerrit.add_server(sent)
            zerrit.fetch(f"s{number}")
        yield stack, zerrit


def waited(page: Page, act: Callable[[], object], until: Callable[[], object], rounds: int = ROUNDS) -> float:
    """Seconds from the act until it is on the screen, the median of several rounds."""
    times = []
    for _ in range(rounds):
        page.evaluate(WATCH)
        act()
        until()
        times.append(float(page.evaluate(PAINTED)) / 1000)
    return statistics.median(times)


def measure() -> list[Wait]:
    """Every wait of the table."""
    configure_log(as_json=False, least="error")
    with tempfile.TemporaryDirectory() as name, prepared(Path(name)) as (stack, zerrit), chromium() as browser:
        page = new_page(browser, is_still=False)
        page.set_default_timeout(120_000)
        sign_in(page, stack.url, ADMIN, PASSWORD)
        change = zerrit.create_change("s0", "typing").id
        small = _opened(page, stack, change, SMALL)
        first = _opened(page, stack, change)
        while not zerrit.search("thing").is_complete:  # as the service does while no one asks for anything
            pass
        return [
            *_overview(page, stack),
            Wait("the first table that a new browser shows, of a small file", small, 0.5),
            Wait("right after the first fetch: open the grid of 6 MB", first, 0.5),
            *_entries(page, stack, change),
            *_text(page, stack, change),
            *_search(page, stack),
        ]


def _opened(page: Page, stack: DemoStack, change: int, path: str = LARGE) -> float:
    """From the click on the file in the tree until its first rows."""
    name = path.rpartition("/")[2]
    page.goto(f"{stack.url}/servers/s0/files?change={change}")
    page.get_by_label("Filter files").fill(name)
    page.get_by_role("treeitem", name=name).wait_for()
    first = page.locator("[data-rowindex='0'] [data-field='trail']")
    return waited(page, page.get_by_role("treeitem", name=name).click, first.wait_for, rounds=1)


def _overview(page: Page, stack: DemoStack) -> list[Wait]:
    page.goto(f"{stack.url}/servers")

    def leave() -> None:
        page.get_by_role("banner").get_by_role("link", name="All servers").click()
        page.get_by_role("heading", name="All servers").wait_for()

    times = []
    for _ in range(ROUNDS):
        leave()
        take = waited(
            page,
            lambda: page.get_by_role("banner").get_by_role("link", name="Servers", exact=True).click(),
            lambda: page.get_by_role("link", name=f"Server {SERVERS - 1}", exact=True).wait_for(),
            rounds=1,
        )
        times.append(take)
    return [Wait(f"overview with {SERVERS} servers", statistics.median(times), 0.2)]


def _entries(page: Page, stack: DemoStack, change: int) -> list[Wait]:
    opened = statistics.median(_opened(page, stack, change) for _ in range(3))
    matching = page.locator(".MuiTablePagination-displayedRows")
    words = iter(range(100, 100 + ROUNDS))

    def filter_by() -> None:
        page.get_by_label("Search entries").fill(f"ring number 1{next(words)}")

    filtered = waited(page, filter_by, lambda: matching.filter(has_text=re.compile(r"of \d\d?$")).wait_for())
    return [
        Wait(f"open the grid of 6 MB with {ENTRIES:,} entries, once its files were read", opened, 0.5),
        Wait("filter it", filtered, 0.3),
    ]


def _text(page: Page, stack: DemoStack, change: int) -> list[Wait]:
    page.goto(f"{stack.url}/servers/s0/files/{LARGE}?change={change}")
    page.locator("[data-rowindex='0']").wait_for()
    opened = waited(page, page.get_by_role("tab", name="Text").click, page.locator(".cm-line").first.wait_for, rounds=1)
    line = page.locator(".cm-line", has_text="Thing 5").first
    line.click()
    typed = waited(page, lambda: page.keyboard.type("x"), lambda: None, rounds=20)
    page.get_by_role("button", name="Discard typed text").click()
    return [Wait("open its text, first time", opened, 2.0), Wait("type a character into it", typed, 0.05)]


def _search(page: Page, stack: DemoStack) -> list[Wait]:
    page.goto(f"{stack.url}/servers/s0/files")
    page.get_by_role("treeitem").first.wait_for()
    page.keyboard.press("Control+Shift+F")
    field = page.get_by_label("Search for")
    field.fill("nothing like it")
    page.get_by_text("Not found in").wait_for()
    numbers = iter(range(ROUNDS))

    def search() -> None:
        field.fill(f"Thing 1999{next(numbers)}")

    in_files = waited(page, search, lambda: page.get_by_text("1 in 1 of").wait_for())
    page.keyboard.press("Control+k")
    goto = page.get_by_role("combobox", name="Go to")
    goto.fill("thing 7")
    page.get_by_role("option").first.wait_for()
    keys = iter(range(10_010, 10_010 + ROUNDS))
    wanted = [0]

    def ask() -> None:
        wanted[0] = next(keys)
        goto.fill(f"Thing {wanted[0]}")

    def found() -> None:
        page.get_by_role("option", name=f"Thing {wanted[0]}").first.wait_for()

    names = waited(page, ask, found)
    return [Wait("search in 20 MB of files", in_files, 0.3), Wait("go to an entry by its name", names, 0.3)]


def table(waits: list[Wait]) -> str:
    """The section of the results."""
    rows = [
        f"| {one.what} | {one.took * 1000:,.0f} ms | {one.bound * 1000:,.0f} ms | {'yes' if one.is_met else 'no'} |"
        for one in waits
    ]
    return "\n".join(
        [
            HEADING,
            "In headless Chromium on the machine of the service, from the key or the click until it is painted; the median.",
            "",
            "| what | takes | at most | met |",
            "|---|---:|---:|---|",
            *rows,
            "",
        ]
    )


def main() -> None:
    waits = measure()
    text = table(waits)
    before = RESULTS.read_text().partition(HEADING)[0]
    RESULTS.write_text(before + text)
    sys.stdout.write(text)
    sys.exit(0 if all(one.is_met for one in waits) else 1)


if __name__ == "__main__":
    main()
