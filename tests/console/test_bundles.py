"""The page of bundles: an archive is looked into, installed, switched, and the same set chosen."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import FilePayload, Page, expect

from tests.browser import sign_in
from zerrit.client import Client
from zerrit.demo.downloads import downloads
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack


@pytest.fixture
def at(page: Page, shared: tuple[DemoStack, Client]) -> Iterator[Page]:
    sign_in(page, shared[0].url, ADMIN, PASSWORD)
    page.goto(f"{shared[0].url}/servers/coral-gate/bundles")
    expect(page.get_by_role("row", name=re.compile("Tide Bell"))).to_be_visible()
    yield page


def _drop(at: Page, name: str) -> None:
    archive: FilePayload = {"name": name, "mimeType": "application/zip", "buffer": downloads()[name]}
    at.get_by_label("Archive").set_input_files(archive)
    expect(at.get_by_role("heading", name=name)).to_be_visible()


def test_an_upgrade_shows_its_conflict_and_becomes_a_change(at: Page, shared: tuple[DemoStack, Client]) -> None:
    zerrit = shared[1]
    zerrit.save_archive("tidebell-1.4.2.zip", downloads()["tidebell-1.4.2.zip"])
    at.get_by_label("Downloaded from").fill("its page")
    _drop(at, "tidebell-1.5.0.zip")
    expect(at.get_by_role("heading", name="Upgrade on Coral Gate: 1.4.2 → 1.5.0")).to_be_visible()
    expect(at.get_by_text("Rings twice when the water is at its lowest.")).to_be_visible()
    create = at.get_by_role("button", name="Create change")
    expect(create).to_be_disabled()
    at.get_by_role("button", name="All as here").click()
    create.click()
    expect(at).to_have_url(re.compile(r"/changes/\d+$"))
    change = zerrit.change(int(at.url.rpartition("/")[2]))
    assert {step.kind for step in change.step_list} == {"put-folder", "merge-version"}
    assert zerrit.bundles()[0].origin == "its page"


def test_a_bundle_is_switched_on_with_what_it_needs(at: Page, shared: tuple[DemoStack, Client]) -> None:
    at.get_by_role("button", name="Switch on nightbell").click()
    dialog = at.get_by_role("dialog")
    expect(dialog.get_by_text("It needs fogsignal, which is off.")).to_be_visible()
    dialog.get_by_label("Also switch on what it needs").click()
    expect(dialog.get_by_text("shelved/fogsignal")).to_be_visible()
    dialog.get_by_role("button", name="Create change").click()
    expect(at).to_have_url(re.compile(r"/changes/\d+$"))
    change = shared[1].change(int(at.url.rpartition("/")[2]))
    assert [one.address for one in change.step_list] == ["shelved/fogsignal", "shelved/nightbell"]


def test_refused_programs_are_said_and_a_kept_bundle_is_forgotten(at: Page, shared: tuple[DemoStack, Client]) -> None:
    _drop(at, "wreck-atlas-3.0.0.zip")
    expect(at.get_by_text("Programs in it (2)")).to_be_visible()
    expect(at.get_by_text("New files (800)")).to_be_visible()
    expect(at.get_by_text("Put the folder wreck-atlas into addins.")).to_be_visible()
    at.get_by_role("button", name="All bundles").click()
    at.get_by_role("button", name="Forget wreck-atlas-3.0.0.zip").click()
    expect(at.get_by_role("button", name="Forget wreck-atlas-3.0.0.zip")).to_have_count(0)
    assert "wreck-atlas" not in {one.name for one in shared[1].bundles()}


def test_a_hostile_archive_is_refused_with_its_reason(at: Page) -> None:
    archive: FilePayload = {
        "name": "slipway-1.0.zip", "mimeType": "application/zip", "buffer": downloads()["slipway-1.0.zip"],
    }  # fmt: skip
    at.get_by_label("Archive").set_input_files(archive)
    expect(at.get_by_role("alert")).to_contain_text("leaves the server's folder")
