"""From nothing to a first report, on a game that no one has seen before."""

from __future__ import annotations

import shutil
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser import sign_in
from tests.files import files_of
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

WORLD = Path(__file__).parents[1] / "worlds" / "apiary"


def test_a_new_game_is_led_to_a_first_report(page: Page, stack: DemoStack, tmp_path: Path) -> None:
    game = tmp_path / "host" / "hives"
    shutil.copytree(WORLD / "1", game)
    (game / "start-hives.sh").write_text("#!/bin/sh\n")
    (game / "logs").mkdir()
    (game / "logs" / "hives.log").write_text("buzz\n")
    archive = shutil.make_archive(str(tmp_path / "defaults"), "zip", WORLD / "1")
    before = files_of(game)
    sign_in(page, stack.url, ADMIN, PASSWORD)

    page.get_by_role("link", name="Add a server").click()
    page.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name="A folder on this machine").click()
    page.get_by_label("Folder of the game").fill(str(tmp_path / "nowhere"))
    page.get_by_role("button", name="Test the connection").click()
    expect(page.get_by_text("nowhere is not there. Check the path")).to_be_visible()
    page.get_by_label("Folder of the game").fill(str(tmp_path / "host"))
    page.get_by_label("Also write a small file").check()
    page.get_by_role("button", name="Test the connection").click()
    expect(page.get_by_text("A small file was written, read back and removed.")).to_be_visible()
    page.get_by_role("list", name="What is in the folder").get_by_role("button", name="hives").click()
    expect(page.get_by_label("Folder of the game")).to_have_value(str(game))
    expect(page.get_by_role("region", name="Reach the files")).to_contain_text(
        "Scripts that may start it (1)start-hives.sh"
    )

    page.get_by_label("Control", exact=True).click()
    page.get_by_role("option", name="Manual").click()
    page.get_by_label("Server id").fill("Hives")
    page.get_by_role("button", name="Add server").click()
    expect(page.get_by_text("`Hives` is not a server id")).to_be_visible()
    page.get_by_label("Server id").fill("hives")
    page.get_by_label("Title").fill("The hives")
    page.get_by_role("button", name="Add server").click()
    expect(page.get_by_text("Snapshot 1 with 5 files.")).to_be_visible()
    page.get_by_label("Version").fill("1")
    page.get_by_label("ZIP of the defaults").set_input_files(archive)
    page.get_by_role("button", name="Import", exact=True).click()
    page.get_by_role("button", name="Draft a gamebook from the defaults").click()
    expect(page.get_by_text("The gamebook hives says what the files may hold.")).to_be_visible()
    expect(page.get_by_role("region", name="First report")).to_contain_text("5 files were checked: 0 errors")
    assert files_of(game) == before

    page.get_by_role("link", name="suggested rules to decide about").click()
    waiting = page.get_by_role("status").filter(has_text=" to decide")
    count = int(waiting.inner_text().split()[0])
    page.get_by_role("button", name="Accept", exact=True).first.click()
    expect(waiting).to_contain_text(f"{count - 1} to decide")
    with stack.client() as zerrit:
        book = zerrit.gamebook_overview("hives")
    assert [rule.severity for rule in book.rules if rule.approved] == ["error"]
    assert 'ignore: ["logs/**"]' in book.text
