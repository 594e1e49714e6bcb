"""
Take the pictures of docs/screenshots again: `make screenshots`.

Pages are taken from the console in Chromium; commands are run for real and their output is drawn as a terminal.
"""

from __future__ import annotations

import html
import os
import re
import subprocess
import sys
import tempfile
from base64 import b64encode
from pathlib import Path

from playwright.sync_api import Browser, Page

from tests.browser import chromium, new_page, sign_in
from zerrit import api
from zerrit.demo.downloads import downloads
from zerrit.demo.stack import (
    ADMIN,
    HOST_PASSWORD,
    PASSWORD,
    DemoStack,
    crashing_step,
    defaults_zip,
    story_steps,
    write_files,
)
from zerrit.demo.world_files import default_files, gamebook, server_files, snippet
from zerrit.web import configure_log

#: The files of the small game that the page on figures is about.
FIGURE_FILES = re.findall(
    r"^`([\w.]+)`\n\n```\w+\n(.*?)^```",
    (Path(__file__).parent.parent / "docs" / "figures.md").read_text(),
    re.MULTILINE | re.DOTALL,
)
OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def pages(stack: DemoStack, browser: Browser) -> None:
    page = new_page(browser)
    page.goto(stack.url)
    page.get_by_role("button", name="Sign in").wait_for()
    sign_in(page, stack.url, ADMIN, PASSWORD)
    page.goto(f"{stack.url}/servers/coral-gate/files")
    page.get_by_text("station.ini").first.wait_for()
    shoot(page, "files")
    page.goto(f"{stack.url}/servers/coral-gate/files/sea/finds.xml?change=1")
    page.get_by_label("Search entries").fill("gimbal")
    page.get_by_role("gridcell", name="Ribbonwed Flats").click()
    page.get_by_role("button", name="Rule with another field").wait_for()
    shoot(page, "entries")
    page.goto(f"{stack.url}/changes/1")
    page.get_by_text("Did you mean").wait_for()
    shoot(page, "change")
    page.goto(f"{stack.url}/servers/coral-gate/gamebook?view=suggested")
    page.get_by_role("button", name="Accept", exact=True).first.wait_for()
    shoot(page, "gamebook")
    page.goto(f"{stack.url}/add-server")
    page.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name="FTP, in clear text").click()
    for label, text in (
        ("Host", "127.0.0.1"),
        ("Port", str(stack.host.ftp_port)),
        ("User", "coral-gate"),
        ("Password", HOST_PASSWORD),
    ):
        page.get_by_label(label, exact=True).fill(text)
    page.get_by_role("button", name="Test the connection").click()
    page.get_by_text("Reached.").wait_for()
    page.get_by_role("list", name="What is in the folder").scroll_into_view_if_needed()
    shoot(page, "add-server")
    with stack.client() as zerrit:
        other = zerrit.create_change("lantern-shelf", "Two circuits for wet evenings")
    page.goto(f"{stack.url}/changes/{other.id}")
    page.get_by_role("button", name="Add a step").click()
    page.get_by_label("What to do").click()
    page.get_by_role("option", name="Merge a published snippet").click()
    page.get_by_label("File (path on the server)").fill("sea/finds.xml")
    page.get_by_label("Paste the snippet here").fill(snippet("tarnished-set.html"))
    page.get_by_role("button", name="Show the plan").click()
    page.get_by_text("Removed").first.wait_for()
    shoot(page, "merge")
    with stack.client() as zerrit:
        draft = zerrit.create_change("coral-gate", "More gimbals in the old iron")
        share = "dredge/hauls.yml#nets/[Old Iron]/of/[Copper Gimbal]/share"
        zerrit.add_step(draft.id, api.StepIn(kind="set", address=share, operation="=4"))
        zerrit.import_defaults("coral-gate", "2.2", defaults_zip("2.2"))
    page.goto(f"{stack.url}/servers/coral-gate/upgrade")
    page.get_by_role("button", name="All as here").wait_for()
    shoot(page, "upgrade")
    bundles(stack, page)
    shelf(stack, page)
    page.goto(f"{stack.url}/servers/coral-gate/compare")
    page.get_by_text("differences in").wait_for()
    shoot(page, "compare")
    with stack.client() as zerrit:
        zerrit.withdraw(draft.id)


def figures(stack: DemoStack, browser: Browser, folder: Path) -> None:
    """Two pages beside each other: points on a plane, and trades that gain in a circle, of the game in `folder`."""
    with stack.client() as zerrit:
        zerrit.add_server(
            api.ServerIn(id="market", connection=api.FolderConnection(folder=str(folder)), control=api.ManualControl())
        )
        zerrit.fetch("market")
        zerrit.save_as_gamebook("market", (folder / "gamebook.yml").read_text())
    pages = [new_page(browser, width=640) for _ in range(2)]
    for page, server, figure in zip(pages, ("coral-gate", "market"), ("Distances", "Loops of trades"), strict=True):
        sign_in(page, stack.url, ADMIN, PASSWORD)
        page.goto(f"{stack.url}/servers/{server}/figures")
        page.get_by_role("combobox", name="Figure").click()
        page.get_by_role("option", name=figure).click()
    plane, loops = pages
    plane.get_by_label("Address of the entries").fill("sea/chart.xml#ground")
    plane.get_by_label("Radius").fill("600")
    plane.get_by_role("button", name="Calculate").click()
    plane.locator("main svg circle").first.wait_for()
    if loops.get_by_role("button", name="Calculate").count():
        loops.get_by_role("button", name="Calculate").click()
    loops.get_by_label("Loop 1").wait_for()
    images = "".join(f'<img src="data:image/png;base64,{b64encode(page.screenshot()).decode()}">' for page in pages)
    both = new_page(browser)
    both.set_content(f'<body style="margin:0;display:flex">{images}</body>')
    shoot(both, "figures")


def shelf(stack: DemoStack, page: Page) -> None:
    text = '<buoy code="BY-{number}" at="{ground}" lamp="green" flash="{flash}"/>\n'
    usual = {"number": "", "ground": "", "flash": "4"}
    given = api.KeptIn(
        text=text, title="A green buoy", origin="the harbour office", path="sea/buoys.xml", parameters=usual
    )
    with stack.client() as zerrit:
        zerrit.keep_on_shelf("green-buoy", given)
        change = zerrit.create_change("coral-gate", "A buoy at the orchard").id
        values = {"number": "77", "ground": "Old Orchard"}
        zerrit.put_from_shelf(change, api.PlacedIn(name="green-buoy", values=values))
        zerrit.keep_on_shelf("green-buoy", given.model_copy(update={"text": text.replace("green", "white")}))
    page.goto(f"{stack.url}/shelf?snippet=green-buoy")
    page.get_by_text("is not deployed yet").wait_for()
    shoot(page, "shelf")
    with stack.client() as zerrit:
        zerrit.withdraw(change)
        zerrit.remove_from_shelf("green-buoy")


def bundles(stack: DemoStack, page: Page) -> None:
    with stack.client() as zerrit:
        for name in ("tidebell-1.4.2.zip", "tidebell-1.5.0.zip", "wreck-atlas-3.0.0.zip"):
            zerrit.save_archive(name, downloads()[name], "its author's page")
    page.goto(f"{stack.url}/servers/coral-gate/bundles")
    page.get_by_role("button", name="Upgrade to 1.5.0").wait_for()
    shoot(page, "bundles")


def deployed(stack: DemoStack, browser: Browser) -> None:
    page = new_page(browser)
    sign_in(page, stack.url, ADMIN, PASSWORD)
    with stack.client() as zerrit:
        zerrit.withdraw(1)
        for title, steps in (
            ("Fewer gimbals, two circuits", story_steps("Ribbonweed Flats")),
            ("Stronger pumps everywhere", [crashing_step()]),
        ):
            change = zerrit.create_change("coral-gate", title)
            for step in steps:
                zerrit.add_step(change.id, step)
            zerrit.check(change.id)
            page.goto(f"{stack.url}/changes/{change.id}")
            page.get_by_role("button", name="Deploy").click()
            page.get_by_role("button", name="Stop, write and start").click()
            page.get_by_text("preflight").wait_for()
            for _ in zerrit.follow(zerrit.runs("coral-gate")[0].id):
                pass
    page.get_by_text("Crash file:").wait_for()
    shoot(page, "rolled-back")
    _looked_after(stack, page)
    page.goto(stack.url)
    page.get_by_text("runs").nth(1).wait_for()
    shoot(page, "servers")
    dark = new_page(browser, dark=True)
    sign_in(dark, stack.url, ADMIN, PASSWORD)
    dark.goto(f"{stack.url}/servers/coral-gate/timeline")
    dark.get_by_text("Deploy of change 6").wait_for()
    shoot(dark, "timeline-dark")


def _looked_after(stack: DemoStack, page: Page) -> None:
    """Drift, the schedule and what stays."""
    finds = stack.host_folder / "coral-gate" / "sea/finds.xml"
    finds.write_text(finds.read_text().replace('holds="12..30"', 'holds="12..38"', 1))
    with stack.client() as zerrit:
        zerrit.fetch("coral-gate")
        zerrit.add_task("coral-gate", api.TaskIn(task="restart", times=["05:00"], zone="Europe/Berlin", announce=10))
        zerrit.add_task("coral-gate", api.TaskIn(task="snapshot", times=["13:00", "21:00"], zone="Europe/Berlin"))
    page.goto(f"{stack.url}/servers/coral-gate/maintenance")
    page.get_by_text("every day at 05:00").wait_for()
    page.get_by_text("a person, or the host").or_(page.get_by_text("it was another person")).first.wait_for()
    shoot(page, "maintenance")


def commands(stack: DemoStack, browser: Browser, folder: Path) -> None:
    """Each main command as a person sees it in a terminal of 140 columns."""
    write_files(folder / "mine", server_files("coral-gate"))
    broken = (folder / "mine" / "sea/finds.xml").read_text().replace('" heft="', '"heft="', 1)
    (folder / "mine" / "sea/finds.xml").write_text(broken)
    (folder / "fathomline.yml").write_bytes(gamebook())
    with stack.client() as zerrit:
        change = zerrit.create_change("lantern-shelf", "Fewer lanterns")
        zerrit.add_step(change.id, story_steps()[3])
    terminal(
        browser,
        stack,
        folder,
        "cli-check",
        "zerrit check mine --gamebook fathomline.yml",
        "zerrit check mine --fix --yes",
        f"zerrit change check {change.id}",
    )
    write_files(folder / "market", {name: text.encode() for name, text in FIGURE_FILES})
    terminal(
        browser,
        stack,
        folder / "market",
        "cli-figures",
        "zerrit figures odds lantern-shelf 'Harbour Sweep' | head -8",
        "zerrit figures odds lantern-shelf 'Harbour Sweep' --seen 'Copper Gimbal=0' --draws 60",
        "zerrit figures derived . price --gamebook gamebook.yml",
        "zerrit figures loops . --gamebook gamebook.yml | head -13",
        "zerrit figures room . goods.xml#thing/@stock --limit 50 --first goods.xml#thing[old=1] --gamebook gamebook.yml",
    )
    (folder / "pumps.txt").write_text(snippet("pump-circuits.txt"))
    write_files(folder / "defaults", default_files())
    terminal(
        browser,
        stack,
        folder,
        "cli-merge",
        "zerrit merge mine/station.ini pumps.txt --save-to station.ini",
        "zerrit edit station.ini 'Circuit Wet Lab/Rating' -1",
        "zerrit compare mine/station.ini station.ini",
        "zerrit compare defaults mine",
    )
    terminal(
        browser,
        stack,
        folder,
        "cli-gamebook",
        "zerrit gamebook draft defaults --save-to draft.yml --game fathomline",
        "grep -A1 'shelf/find\\|needs:' draft.yml",
        "zerrit about 'coral-gate:sea/chart.xml#ground[Silent Fan]' | head -12",
        "zerrit about 'coral-gate:sea/finds.xml#shelf[brass]/find[Copper Gimbal]/@holds'",
        "zerrit review coral-gate addins/tidebell/settings.yml",
    )


def terminal(browser: Browser, stack: DemoStack, folder: Path, name: str, *lines: str) -> None:
    with stack.client() as zerrit:
        token = zerrit.token(ADMIN, PASSWORD).token
    environment = os.environ | {
        "ZERRIT_URL": stack.url,
        "ZERRIT_TOKEN": token,
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}",
    }
    parts = []
    for line in lines:
        done = subprocess.run(
            ["bash", "-c", line], cwd=folder, env=environment, capture_output=True, text=True, check=False
        )
        parts.append(f"<b>$ {html.escape(line)}</b>\n{html.escape(done.stdout + done.stderr)}")
    page = new_page(browser)
    style = "background:#10191b;color:#dfe8e5;font:12px/1.45 'DejaVu Sans Mono',monospace;padding:16px;white-space:pre-wrap;margin:0"
    page.set_content(f'<body style="{style}">{chr(10).join(parts)}</body>')
    shoot(page, name)


def shoot(page: Page, name: str) -> None:
    page.wait_for_timeout(500)
    page.screenshot(path=OUT / f"{name}.png")
    print(f"{name}.png")


def main() -> None:
    configure_log(as_json=False, least="warning")
    OUT.mkdir(parents=True, exist_ok=True)
    with (
        tempfile.TemporaryDirectory() as name,
        DemoStack(Path(name) / "demo", settle=2.0) as stack,
        chromium() as browser,
    ):
        stack.seed()
        pages(stack, browser)
        deployed(stack, browser)
        commands(stack, browser, Path(name))
        figures(stack, browser, Path(name) / "market")


if __name__ == "__main__":
    main()
