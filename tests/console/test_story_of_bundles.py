"""The evening of an admin with bundles, in the console: the same as by client, plain HTTP and commands."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from pathlib import Path

import pytest
from playwright.sync_api import FilePayload, Page, expect

from tests.browser import sign_in
from tests.console.test_workspace import drop_folder
from tests.quick import ADMIN, PASSWORD, Quick
from tests.service.test_story_of_bundles import PROGRAMS, quick_with_bundles, tell
from tests.zips import zipped


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    yield from quick_with_bundles(tmp_path)


class ByConsole:
    def __init__(self, quick: Quick, page: Page) -> None:
        self._quick, self._page = quick, page
        sign_in(page, quick.url, ADMIN, PASSWORD)

    def _change(self) -> int:
        expect(self._page).to_have_url(re.compile(r"/changes/\d+$"))
        return int(self._page.url.rpartition("/")[2])

    def install(self, file_name: str, files: Mapping[str, bytes], **more: str) -> int:
        page = self._page
        page.goto(f"{self._quick.url}/servers/reef/bundles")
        archive: FilePayload = {"name": file_name, "mimeType": "application/zip", "buffer": zipped(files)}
        page.get_by_label("Archive").set_input_files(archive)
        expect(page.get_by_role("heading", name=file_name)).to_be_visible()
        if more.get("if_refused") == "leave-out":
            page.get_by_label("Files that the host refuses").click()
            page.get_by_role("option", name="Leave them out").click()
        if more.get("rest") == "mine":
            page.get_by_role("button", name="All as here").click()
        page.get_by_role("button", name="Create change").click()
        return self._change()

    def switch_on(self, name: str) -> int:
        page = self._page
        page.goto(f"{self._quick.url}/servers/reef/bundles")
        page.get_by_role("button", name=f"Switch on {name}").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Also switch on what it needs").click()
        dialog.get_by_role("button", name="Create change").click()
        return self._change()

    def replace_folder(self, path: str, files: Mapping[str, bytes]) -> int:
        page = self._page
        change = self._quick.zerrit.create_change("reef", f"Another {path}").id
        page.goto(f"{self._quick.url}/servers/reef/files?change={change}")
        page.get_by_role("treeitem", name="sea").wait_for()
        given = {inside: data.decode("latin-1") for inside, data in files.items()}
        drop_folder(page, "[data-folder='sea/']", path, given)
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Folder on the server").fill("")
        dialog.get_by_label("Remove what else is in it on the server").check()
        dialog.get_by_role("button", name="Put", exact=True).click()
        expect(dialog).to_be_hidden()
        return change

    def deploy(self, change: int) -> str:
        self._page.goto(f"{self._quick.url}/changes/{change}")
        self._page.get_by_role("button", name="Deploy").click()
        self._page.get_by_role("button", name="Stop, write and start").click()
        return self._ended(f"/changes/{change}")

    def roll_back(self, snapshot: int) -> str:
        page = self._page
        page.goto(f"{self._quick.url}/servers/reef/timeline")
        page.get_by_role("button", name=f"Roll back to snapshot {snapshot}", exact=True).click()
        page.get_by_role("button", name="Roll back", exact=True).click()
        return self._ended("timeline")

    def _ended(self, _where: str) -> str:
        """The state that the page says of the run at its end."""
        run = self._page.get_by_label(re.compile(r"^Run \d+$")).first
        expect(run).to_be_visible()
        (newest,) = self._quick.zerrit.runs("reef")[:1]
        return self._quick.end_of(newest).state


def test_in_the_console(quick: Quick, page: Page) -> None:
    quick.add("reef", "ftp")
    tell(quick, ByConsole(quick, page), refused=PROGRAMS)
