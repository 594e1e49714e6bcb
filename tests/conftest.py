"""Fixtures: the demo stack, real in every part, on free ports of loopback."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from argon2 import PasswordHasher
from hypothesis import settings

from zerrit.client import Client
from zerrit.demo.stack import DemoStack
from zerrit.web import configure_log
from zerrit.work.base import accounts

# Machines that run tests are shared: how long one example takes says nothing about the code.
settings.register_profile("shared", deadline=None)
settings.load_profile("shared")


# A password is hashed so that it takes long on purpose, and each test of a page signs in.
accounts._hasher = PasswordHasher(time_cost=1, memory_cost=1024, parallelism=1)
accounts._NOBODY = accounts._hasher.hash("nobody")  # type: ignore[misc]

#: Folders whose tests take long, the longest first: begun first, so that no worker is left alone with them at the end.
LONG = ("cli/test_demo.py", "cli/test_maintenance.py", "console", "cli", "service")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    def place(item: pytest.Item) -> int:
        path = item.path.as_posix()
        return next((number for number, part in enumerate(LONG) if f"/tests/{part}" in path), len(LONG))

    items.sort(key=place)


@pytest.fixture(scope="session", autouse=True)
def _quiet() -> None:
    configure_log(as_json=True, least="error")


@pytest.fixture(scope="session")
def seeded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What a service keeps that has the demo's data. It is copied, since to seed takes longer than most tests."""
    folder = tmp_path_factory.mktemp("seeded") / "demo"
    with DemoStack(folder, settle=0.3) as running:
        running.seed()
    return folder / "data"


@pytest.fixture(scope="session")
def empty(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What a service keeps that knows nothing yet. It is copied, since to make the database takes half a second."""
    folder = tmp_path_factory.mktemp("empty") / "demo"
    with DemoStack(folder, settle=0.3):
        return folder / "data"


@pytest.fixture
def stack(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[DemoStack]:
    """A fresh host with two running games, and a service that knows nothing yet, unless the test wants it seeded."""
    is_seeded = "zerrit" in request.fixturenames
    shutil.copytree(request.getfixturevalue("seeded" if is_seeded else "empty"), tmp_path / "demo/data")
    with DemoStack(tmp_path / "demo", settle=0.3) as running:
        yield running


@pytest.fixture
def zerrit(stack: DemoStack) -> Iterator[Client]:
    """A signed-in client of a service that has both servers, their files and the defaults, and one draft change."""
    stack.seed()  # the servers are on other ports, and in another folder
    with stack.client() as client:
        yield client


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory, seeded: Path) -> Iterator[tuple[DemoStack, Client]]:
    """A seeded stack for tests that only look, or only touch changes of their own."""
    folder = tmp_path_factory.mktemp("shared") / "demo"
    shutil.copytree(seeded, folder / "data")
    with DemoStack(folder, settle=0.3) as running:
        running.seed()
        with running.client() as client:
            yield running, client
