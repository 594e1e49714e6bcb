"""Fixtures: the demo stack, real in every part, on free ports of loopback."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from zerrit.client import Client
from zerrit.demo.stack import DemoStack
from zerrit.web import configure_log

# Machines that run tests are shared: how long one example takes says nothing about the code.
settings.register_profile("shared", deadline=None)
settings.load_profile("shared")


@pytest.fixture(scope="session", autouse=True)
def _quiet() -> None:
    configure_log(as_json=True, least="error")


@pytest.fixture
def stack(tmp_path: Path) -> Iterator[DemoStack]:
    """A fresh host with two running games, and a service that knows nothing yet."""
    with DemoStack(tmp_path / "demo", settle=0.3) as running:
        yield running


@pytest.fixture
def zerrit(stack: DemoStack) -> Iterator[Client]:
    """A signed-in client of a service that has both servers, their files and the defaults, and one draft change."""
    stack.seed()
    with stack.client() as client:
        yield client


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[DemoStack, Client]]:
    """A seeded stack for tests that only look, or only touch changes of their own."""
    with DemoStack(tmp_path_factory.mktemp("shared") / "demo", settle=0.3) as running:
        running.seed()
        with running.client() as client:
            yield running, client
