"""The page on drafts: the files of each section lead to the rules that it shows, and a draft finds nothing in them."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.cli.command import zerrit

PAGE = (Path(__file__).parent.parent.parent / "docs" / "drafts.md").read_text()
SECTIONS = {
    title: (
        re.findall(r"^`([\w.]+)`\n\n```\w+\n(.*?)^```", text, re.MULTILINE | re.DOTALL),
        "".join(re.findall(r"^```draft\n(.*?)^```", text, re.MULTILINE | re.DOTALL)).splitlines(),
    )
    for title, _, text in (part.partition("\n") for part in PAGE.split("\n## ")[1:])
    if "```draft" in text
}


@pytest.mark.parametrize("title", SECTIONS)
def test_files_lead_to_the_rules_that_are_shown(title: str, tmp_path: Path) -> None:
    files, rules = SECTIONS[title]
    folder = tmp_path / "defaults"
    folder.mkdir()
    logs = []
    for name, text in files:
        is_log = name.endswith(".log")
        ((tmp_path if is_log else folder) / name).write_text(text)
        logs += [f"--{name.removesuffix('.log')}-log", name] if is_log else []
    drafted = zerrit("gamebook", "draft", "defaults", "--save-to", "book.yml", *logs, cwd=tmp_path)
    assert drafted.code == 0, drafted.err
    text = (tmp_path / "book.yml").read_text()
    assert [rule for rule in rules if rule not in text] == []
    checked = zerrit("check", "defaults", "--gamebook", "book.yml", cwd=tmp_path)
    assert " 0 findings" in checked.out or "no findings" in checked.out.lower()


def test_the_page_has_examples() -> None:
    assert len(SECTIONS) == 7
    assert all(files and rules for files, rules in SECTIONS.values())
