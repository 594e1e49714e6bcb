"""A server is given the tables of its database in the console, with a real PostgreSQL."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.quick import ADMIN, PASSWORD, Quick, quick_stack
from tests.real_servers import DatabaseServer, postgresql


@pytest.fixture
def database() -> Iterator[DatabaseServer]:
    with postgresql() as started:
        started.run(
            "CREATE TABLE barrels (id serial PRIMARY KEY, owner text NOT NULL, price numeric(6,2))",
            "INSERT INTO barrels (owner, price) VALUES ('Ada', 5)",
        )
        yield started


@pytest.fixture
def quick(tmp_path: Path) -> Iterator[Quick]:
    with quick_stack(tmp_path) as stack:
        stack.add()
        yield stack


def test_tables_are_allowed_and_their_rows_shown(page: Page, quick: Quick, database: DatabaseServer) -> None:
    sign_in(page, quick.url, ADMIN, PASSWORD)
    page.goto(f"{quick.url}/servers/reef")
    page.get_by_role("button", name="Settings").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Database", exact=True).click()
    page.get_by_role("option", name="Tables of a database server").click()
    dialog.get_by_label("Address of the database").fill(database.url)
    dialog.get_by_label("Allowed tables").fill("barrel")
    dialog.get_by_label("Password of the database").fill(database.secret)
    dialog.get_by_role("button", name="Save").click()
    expect(dialog.get_by_role("alert")).to_contain_text("There is no table barrel in the database")
    dialog.get_by_label("Allowed tables").fill("barrels")
    dialog.get_by_role("button", name="Save").click()
    expect(dialog).to_have_count(0)
    settings = quick.zerrit.server("reef").database
    assert (settings.kind, getattr(settings, "tables", None)) == ("tables", ["barrels"])
    quick.zerrit.fetch("reef")
    page.goto(f"{quick.url}/servers/reef/files/database.rows")
    expect(page.get_by_text("Ada").first).to_be_visible()
