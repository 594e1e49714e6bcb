"""Fixtures: Chromium, and a fresh page for each test."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, Request, expect

from tests.browser import chromium, new_page

# Generous: machines that run tests are shared, and a page that is slow is not wrong.
expect.set_options(timeout=30_000)


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    """One Chromium for a module; it must have ended before other modules use an event loop of their own."""
    with chromium() as running:
        yield running


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A page that fails its test when a script breaks in it, or when anything is loaded from elsewhere."""
    opened = new_page(browser)
    opened.set_default_timeout(30_000)
    broken: list[str] = []
    elsewhere: list[str] = []

    def note(request: Request) -> None:
        if not request.url.startswith(("http://127.0.0.1:", "data:")):
            elsewhere.append(request.url)

    opened.on("pageerror", lambda error: broken.append(str(error)))
    opened.on("request", note)
    yield opened
    opened.context.close()
    assert broken == []
    assert elsewhere == []
