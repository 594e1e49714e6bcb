"""The page on figures: each of its examples is run on the files that it shows, and gives what it shows."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest

from tests.cli.command import zerrit

PAGE = (Path(__file__).parent.parent.parent / "docs" / "figures.md").read_text()
FILES = re.findall(r"^`([\w.]+)`\n\n```\w+\n(.*?)^```", PAGE, re.MULTILINE | re.DOTALL)
EXAMPLES = [
    (command, shown)
    for block in re.findall(r"^```console\n(.*?)^```", PAGE, re.MULTILINE | re.DOTALL)
    for command, shown in re.findall(r"^\$ (.*)\n((?:(?!\$ ).*\n)*)", block, re.MULTILINE)
]


def plain(text: str) -> list[str]:
    return [re.sub(r" +", " ", line).rstrip() for line in text.strip().splitlines()]


@pytest.mark.parametrize(("command", "shown"), EXAMPLES)
def test_an_example_gives_what_the_page_shows(command: str, shown: str, tmp_path: Path) -> None:
    for name, text in FILES:
        (tmp_path / name).write_text(text)
    done = zerrit(*shlex.split(command)[1:], cwd=tmp_path)
    assert plain(done.out + done.err) == plain(shown)


def test_the_page_has_examples() -> None:
    assert len(EXAMPLES) > 12
    assert len(FILES) == 3
