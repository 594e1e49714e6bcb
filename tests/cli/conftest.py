"""Fixtures: a command of a signed-in person."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.cli.command import Done, signed_in
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack


@pytest.fixture
def run(shared: tuple[DemoStack, Client], tmp_path: Path) -> Callable[..., Done]:
    """A command of a signed-in person, in a folder of its own."""
    stack, client = shared
    return signed_in(stack.url, client.token(ADMIN, PASSWORD).token, tmp_path)
