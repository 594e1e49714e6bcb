"""Fixtures: a command of a signed-in person."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.cli.command import Done, zerrit
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack


@pytest.fixture
def run(shared: tuple[DemoStack, Client], tmp_path: Path) -> Callable[..., Done]:
    """A command of a signed-in person, in a folder of its own."""
    stack, client = shared
    signed_in = {"ZERRIT_URL": stack.url, "ZERRIT_TOKEN": client.token(ADMIN, PASSWORD).token}

    def command(*arguments: str, stdin: str = "") -> Done:
        return zerrit(*arguments, cwd=tmp_path, stdin=stdin, **signed_in)

    return command
