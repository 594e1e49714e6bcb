"""Debian's Chromium, headless, driven by Playwright."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Literal

from playwright.sync_api import Browser, Locator, Page, expect, sync_playwright

ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@contextmanager
def chromium() -> Iterator[Browser]:
    path = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    if path is None:
        raise RuntimeError("Chromium is not installed; scripts/setup-chromium installs it")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=ARGUMENTS)
        yield browser
        browser.close()


def new_page(
    browser: Browser, *, dark: bool = False, width: int = 1280, height: int = 800, is_still: bool = True
) -> Page:
    """A page; a still one is as a person sees it who asked for less motion, so that no test waits for what fades in."""
    scheme: Literal["dark", "light"] = "dark" if dark else "light"
    context = browser.new_context(
        viewport={"width": width, "height": height},
        color_scheme=scheme,
        reduced_motion="reduce" if is_still else "no-preference",
        timezone_id="UTC",
        locale="en-GB",
    )
    return context.new_page()


def sign_in(page: Page, url: str, name: str, password: str) -> None:
    page.goto(url)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Servers").wait_for()


def search_entries(within: Page | Locator, words: str) -> None:
    """Wait for what the service finds: the rows before it are those of the complete file."""
    within.get_by_label("Search entries").fill(words)
    expect(within.get_by_text(re.compile(r"^1–\d of \d$"))).to_be_visible()
