"""Every page in light, dark and narrow: nothing that the accessibility rules of axe find, and nothing that runs over."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import pytest
from playwright.sync_api import Browser, Page

from tests.browser import new_page, sign_in
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

AXE = Path(__file__).parents[2] / "console/node_modules/axe-core/axe.min.js"
SERVER = "/servers/coral-gate"
#: Each page with what is on it once it is complete.
PAGES = {
    "/": "heading:Servers",
    "/servers": "heading:All servers",
    "/add-server": "button:Add server",
    "/account": "button:Sign out",
    "/changes/1": "tab:Steps (6)",
    f"{SERVER}/files": "treeitem:station.ini",
    f"{SERVER}/files/sea/finds.xml?change=1": "gridcell:float / Small Amber Float",
    f"{SERVER}/files/sea/finds.xml?view=text&line=79&change=1": "textbox:Text of sea/finds.xml",
    f"{SERVER}/files/sea/finds.xml?address=shelf[brass]": "region:Inspector",
    f"{SERVER}/findings": "tab:Findings",
    f"{SERVER}/changes": "button:Open a change",
    f"{SERVER}/compare": "combobox:From",
    f"{SERVER}/figures": "tab:Figures",
    f"{SERVER}/bundles": "button:Switch off tidebell",
    f"{SERVER}/upgrade": "tab:Upgrade",
    f"{SERVER}/gamebook": "tab:Gamebook",
    f"{SERVER}/gamebook?view=suggested": "button:Accept",
    f"{SERVER}/review": "tab:Review",
    f"{SERVER}/timeline": "button:Restart the game …",
    f"{SERVER}/maintenance": "tab:Maintenance",
    "/nowhere": "link:Back to the servers",
}
LOOKS = {"wide": {}, "narrow": {"width": 390, "height": 844}}
SCHEMES: tuple[Literal["light", "dark"], ...] = ("light", "dark")


@pytest.fixture(scope="module", params=list(LOOKS))
def looked_at(request: pytest.FixtureRequest, browser: Browser, shared: tuple[DemoStack, Client]) -> Iterator[Page]:
    page = new_page(browser, **LOOKS[request.param])
    page.set_default_timeout(30_000)
    sign_in(page, shared[0].url, ADMIN, PASSWORD)
    yield page
    page.context.close()


@pytest.mark.parametrize("path", PAGES)
def test_a_page_has_no_fault(looked_at: Page, shared: tuple[DemoStack, Client], path: str) -> None:
    looked_at.goto(shared[0].url + path)
    role, _, name = PAGES[path].partition(":")
    looked_at.get_by_role(role, name=name).first.wait_for(state="attached")  # type: ignore[arg-type]
    looked_at.evaluate(AXE.read_text())
    for scheme in SCHEMES:
        looked_at.emulate_media(color_scheme=scheme, reduced_motion="reduce")
        looked_at.wait_for_timeout(300)  # what fades in is complete: axe measures the contrast of what it sees
        found = looked_at.evaluate("axe.run(document, {resultTypes: ['violations']})")
        faults = [
            (one["id"], one["help"], [node["html"][:160] for node in one["nodes"][:3]]) for one in found["violations"]
        ]
        assert faults == [], scheme
    assert looked_at.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
