"""Deploys, the timeline and the care of a server in the console, in headless Chromium, wide and narrow."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser import new_page, sign_in
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack, wait_until
from zerrit import api


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path, ("reef", "shoal")) as stack:
        stack.add("reef")
        stack.add("shoal")
        yield stack


@pytest.fixture
def page(quick: Quick, browser: Browser) -> Iterator[Page]:
    opened = new_page(browser)
    sign_in(opened, quick.url, ADMIN, PASSWORD)
    yield opened
    opened.context.close()


def test_a_deploy_is_seen_stage_by_stage_and_its_look_list_is_ticked_off(quick: Quick, page: Page) -> None:
    change = quick.change("sea/1.yml#holds=5")
    page.goto(f"{quick.url}/changes/{change}")
    page.get_by_role("button", name="Deploy …").click()
    page.get_by_label("Warn players (minutes before)").fill("0")
    page.get_by_role("button", name="Stop, write and start").click()
    expect(page.get_by_label("Run 1")).to_contain_text("the game is up", timeout=20_000)
    expect(page.get_by_label("Run 1")).to_contain_text("verify")
    looks = page.get_by_label("Checklist")
    looks.get_by_label("Note").fill("five of them")
    looks.get_by_role("button", name="Right", exact=True).click()
    expect(looks).to_contain_text("confirmed")
    page.get_by_role("button", name="Revert …").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("sea/1.yml#holds")
    dialog.get_by_role("button", name="Create a change that reverts it").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Revert change 1")


def packed(quick: Quick, into: Path) -> Path:
    """What is on the server now, as a person downloads it from a web page."""
    folder = quick.game("reef").folder
    with zipfile.ZipFile(into, "w") as archive:
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                archive.write(path, path.relative_to(folder))
    return into


def test_files_are_carried_and_the_game_stopped_and_started_by_hand(quick: Quick, page: Page, tmp_path: Path) -> None:
    quick.zerrit.change_server(
        api.ServerIn(id="reef", gamebook="quick", connection=api.ManualConnection(), control=api.ManualControl())
    )
    page.goto(f"{quick.url}/servers/reef/maintenance")
    taking = page.locator("input[type=file][accept='.zip']")

    def upload() -> None:
        with page.expect_response(lambda answer: "/upload" in answer.url):
            taking.set_input_files(packed(quick, tmp_path / "shown.zip"))

    upload()
    quick.zerrit.fetch("reef")
    change = quick.change("sea/1.yml#holds=5")
    page.goto(f"{quick.url}/changes/{change}")
    page.get_by_role("button", name="Deploy …").click()
    page.get_by_label("Warn players (minutes before)").fill("0")
    page.get_by_role("button", name="Stop, write and start").click()
    run = page.get_by_label("Run 1")
    expect(run).to_contain_text("Stop reef now")
    run.get_by_role("button", name="Report as stopped").click()
    expect(run).to_contain_text("does not look stopped")
    quick.game("reef").stop()
    upload()
    expect(run).to_contain_text("Put 1 file on reef")
    with page.expect_download() as download:
        run.get_by_role("link", name="Download instructions").click()
    with zipfile.ZipFile(download.value.path()) as archive:
        (quick.game("reef").folder / "sea/1.yml").write_bytes(archive.read("files/sea/1.yml"))
    upload()
    expect(run).to_contain_text("Start reef now")
    quick.game("reef").start()
    upload()
    expect(run).to_contain_text("1 file written and read back; the game is up.")
    assert b"holds: 5" in quick.files("reef")["sea/1.yml"]


def test_a_run_that_waits_can_be_cancelled(quick: Quick, page: Page) -> None:
    quick.game().players = 1
    change = quick.change("sea/1.yml#holds=5")
    page.goto(f"{quick.url}/changes/{change}")
    page.get_by_role("button", name="Deploy …").click()
    page.get_by_label("Wait until no one plays").check()
    page.get_by_role("button", name="Stop, write and start").click()
    expect(page.get_by_label("Run 1")).to_contain_text("waiting: 1 player on the server", timeout=20_000)
    page.get_by_role("button", name="Cancel and revert what was written").click()
    expect(page.get_by_label("Run 1")).to_contain_text(
        "Nothing was written. It ended at announce: cancelled by isolde", timeout=20_000
    )


def test_one_press_and_a_confirmation_roll_back_on_a_phone(quick: Quick, browser: Browser) -> None:
    quick.deploy("sea/1.yml#holds=5")
    quick.deploy("sea/1.yml#holds=6")
    phone = new_page(browser, width=390, height=800, dark=True)
    sign_in(phone, quick.url, ADMIN, PASSWORD)
    phone.goto(f"{quick.url}/servers/reef/timeline")
    timeline = phone.get_by_label("Timeline")
    expect(timeline).to_contain_text("Deploy of change 2")
    width = phone.evaluate("document.documentElement.scrollWidth")
    assert width <= 390, "nothing has to be scrolled sideways"
    phone.get_by_role("button", name="Roll back to the last good one").click()
    expect(phone.get_by_role("dialog")).to_contain_text("are restored and verified")
    phone.get_by_role("button", name="Roll back", exact=True).click()
    expect(phone.get_by_label("Run 3", exact=True)).to_contain_text(
        "restored and verified; the game is up", timeout=20_000
    )
    assert b"holds: 5" in quick.files()["sea/1.yml"]
    phone.context.close()


def test_care_shows_drift_windows_and_what_stays(quick: Quick, page: Page) -> None:
    file = quick.game().folder / "sea/1.yml"
    file.write_text(file.read_text().replace("holds: 0", "holds: 9"))
    quick.zerrit.fetch("reef")
    page.goto(f"{quick.url}/servers/reef/maintenance")
    expect(page.get_by_label("Drift")).to_contain_text("a person, or the host's panel")
    windows = page.get_by_label("Schedule")
    windows.get_by_label("At", exact=True).fill("04:30")
    windows.get_by_label("Time zone").fill("Europe/Berlin")
    windows.get_by_role("button", name="Add").click()
    expect(windows).to_contain_text("every day at 04:30 (Europe/Berlin)")
    keeping = page.get_by_label("Retention")
    keeping.get_by_label("Announcement to players").fill("Back in {minutes}.")
    keeping.get_by_role("button", name="Save settings").click()
    wait_until(lambda: quick.zerrit.server("reef").maintenance.announcement == "Back in {minutes}.")
    keeping.get_by_role("button", name="Verify snapshots").click()
    expect(keeping).to_contain_text("all are as they were stored")
    page.get_by_role("button", name="Create a change that reverts it").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Revert what snapshot 3 found")


def test_a_rollout_and_the_grid(quick: Quick, page: Page) -> None:
    change = quick.change("sea/1.yml#holds=5")
    page.goto(f"{quick.url}/changes/{change}")
    page.get_by_role("button", name="Roll out …").click()
    page.get_by_label("Wave of reef").click()
    page.get_by_role("option", name="wave 1").click()
    page.get_by_label("Wave of shoal").click()
    page.get_by_role("option", name="wave 2").click()
    page.get_by_role("button", name="Start rollout").click()
    expect(page.get_by_text("All servers of it have the change.")).to_be_visible(timeout=30_000)
    quick.deploy("sea/2.yml#holds=7", name="shoal")
    page.get_by_label("Address or pattern").fill("sea/*.yml#holds")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_role("row").filter(has_text="sea/2.yml#holds")).to_contain_text("split")
    expect(page.get_by_text("sea/1.yml#holds")).to_have_count(0)


def test_a_server_with_another_certificate_is_accepted_knowingly(quick: Quick, page: Page) -> None:
    page.goto(quick.url)
    page.get_by_role("link", name="Add a server").click()
    page.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name="FTPS (FTP inside TLS)").click()
    for label, value in (
        ("Server id", "wreck"),
        ("Host", "127.0.0.1"),
        ("Port", str(quick.host.ftps_port)),
        ("User", "reef"),
        ("Address of the control", f"http://127.0.0.1:{quick.host.control_port}/reef"),
        ("Token of the control", "keys"),
    ):
        page.get_by_label(label, exact=True).fill(value)
    page.get_by_label("Password", exact=True).fill("keys")
    page.get_by_role("button", name="Add server").click()
    expect(page.get_by_text("no authority vouches for")).to_be_visible()
    page.get_by_role("button", name="The host says that this is right: accept it").click()
    expect(page.get_by_label("Accepted certificate or key")).to_have_value(quick.host.identity)
    page.get_by_role("button", name="Add server").click()
    expect(page.get_by_text("Its connection and its control answered.")).to_be_visible()
