"""
A made-up server of 5,000 files and 200 MB: its first snapshot beside git, a fetch beside a plain listing, what a deploy moves.
"""

from __future__ import annotations

import os
import random
import shutil
import subprocess
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from pydantic import TypeAdapter

from zerrit.connections import ftp
from zerrit.core.steps import Step, StepKind
from zerrit.records import Server, Vault, open_database, open_vault
from zerrit.settings import AnyConnection, HttpControl, Maintenance
from zerrit.standin import StandinHost
from zerrit.web import configure_log
from zerrit.work.base import run_records
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes import changes
from zerrit.work.deploy import run_engine, run_requests
from zerrit.work.snapshots import fetch

FILES: Final = 5000
SIZE: Final = 40_000  # bytes of a file, on average
SEED: Final = 17
WORDS: Final = ("anchor", "berth", "cable", "dredge", "ebb", "fathom", "gimbal", "hawser", "inlet", "jetty", "kelp")
LONG_AGO: Final = 40 * 86400  # seconds; files that were written lately have to be read to be sure of them
ROUNDS: Final = 3


@dataclass(frozen=True)
class KeepingCost:
    """Seconds and bytes; of the fastest of some rounds each."""

    megabytes: float
    snapshot: float
    git: float
    stored: int
    git_stored: int
    fetch: float
    listing: float
    sent: Counter[str]


def lay_out(folder: Path) -> int:
    """Files of configuration that are alike as such files are, and not the same. Returns their size in bytes."""
    rng = random.Random(SEED)
    total = 0
    then = time.time() - LONG_AGO
    for number in range(FILES):
        # One file is YAML, to be changed; the others are lists in plain text, since reading YAML is not measured here.
        path = folder / f"area-{number % 50}" / f"file-{number}.{'yml' if number == 1 else 'txt'}"
        path.parent.mkdir(parents=True, exist_ok=True)
        lines = [f"name: {rng.choice(WORDS)}-{number}"]
        size = rng.randrange(SIZE // 4, SIZE * 7 // 4)
        while size > 0:
            line = f"  {rng.choice(WORDS)}: {rng.randrange(100_000)}  # {rng.choice(WORDS)} {rng.choice(WORDS)}"
            lines.append(line)
            size -= len(line) + 1
        data = "\n".join(lines).encode()
        path.write_bytes(data)
        os.utime(path, (then, then))
        total += len(data)
    return total


def _server(name: str, connection: dict[str, Any], vault: Vault, url: str = "http://127.0.0.1:1") -> Server:
    return Server(
        id=name,
        title=name,
        gamebook=None,
        connection=TypeAdapter(AnyConnection).validate_python(connection),
        connection_secret=vault.seal("keys"),
        control=HttpControl(url=url),
        control_secret=vault.seal("keys"),
        maintenance=Maintenance(),
        reported={},
        created_at=datetime.now(UTC),
    )


@contextmanager
def workspace_of(
    folder: Path, connection: dict[str, Any] | None, url: str = "http://127.0.0.1:1"
) -> Iterator[Workspace]:
    """What a service works with, and a server in it; without a connection the one of an earlier time."""
    folder.mkdir(exist_ok=True)
    database, vault = open_database(folder / "zerrit.db"), open_vault(folder / "zerrit.key")
    workspace = Workspace(database, vault, lambda *_: None, folder, settle=0.1)
    if connection is not None:
        with workspace.session() as session:
            session.add(_server("reef", connection, vault, url))
    yield workspace
    database.close()


def _timed(run: Callable[[], object]) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start


def _git(game: Path, into: Path) -> None:
    """What git does with the same tree: all files added, and committed."""
    environment = os.environ | {"GIT_DIR": str(into), "GIT_WORK_TREE": str(game)}
    who = ["-c", "user.name=Isolde", "-c", "user.email=isolde@example.org", "-c", "gc.auto=0"]
    for command in (["init", "-q"], [*who, "add", "--all"], [*who, "commit", "-q", "-m", "first"]):
        subprocess.run(["git", *command], env=environment, cwd=game, check=True, capture_output=True)


def _listed(folder: str) -> int:
    """A plain recursive listing with the state of each file."""
    count = 0
    with os.scandir(folder) as entries:
        for entry in entries:
            if entry.is_dir(follow_symlinks=False):
                count += _listed(entry.path)
            else:
                entry.stat(follow_symlinks=False)
                count += 1
    return count


def _size(folder: Path) -> int:
    return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())


def measure() -> KeepingCost:
    configure_log(as_json=True, least="error")
    with tempfile.TemporaryDirectory(prefix="zerrit-bench-") as name:
        root = Path(name)
        game = root / "host" / "reef"
        total = lay_out(game)
        connection = {"kind": "folder", "folder": str(game)}
        snapshots, gits = [], []
        for round_ in range(ROUNDS):
            with workspace_of(root / f"data-{round_}", connection) as workspace:
                snapshots.append(_timed(lambda: fetch.fetch(workspace, "isolde", "reef")))
            gits.append(_timed(lambda: _git(game, root / f"git-{round_}")))  # noqa: B023
        stored, git_stored = _size(root / "data-0"), _size(root / "git-0" / "objects")
        with workspace_of(root / "data", connection) as workspace:
            fetch.fetch(workspace, "isolde", "reef")
            fetches, listings = [], []
            for _ in range(7):
                fetches.append(_timed(lambda: fetch.fetch(workspace, "isolde", "reef")))
                listings.append(_timed(lambda: _listed(str(game))))
        sent = _deploy_one(root)
        shutil.rmtree(game)
    return KeepingCost(total / 1e6, min(snapshots), min(gits), stored, git_stored, min(fetches), min(listings), sent)


def _deploy_one(root: Path) -> Counter[str]:
    """What a deploy of one changed file moves over FTP, as the wire sees it."""
    host = StandinHost(root / "host", ("reef",), "keys")
    game = host.games["reef"]
    running = [True]
    type(game).state = property(lambda _: "running" if running[0] else "stopped")  # type: ignore[assignment]
    game.start = lambda: running.__setitem__(0, True)  # type: ignore[method-assign]
    game.stop = lambda: running.__setitem__(0, False)  # type: ignore[method-assign]
    host.start()
    connection = {"kind": "ftp", "host": "127.0.0.1", "port": host.ftp_port, "user": "reef", "folder": "/"}
    sent: Counter[str] = Counter()
    real_read, real_store = ftp._FtpWire.read, ftp._FtpWire.store

    def read(wire: ftp._FtpWire, path: str, most: int, start: int = 0) -> bytes:
        data = real_read(wire, path, most, start)
        sent["files read"] += 1
        sent["bytes read"] += len(data)
        return data

    def store(wire: ftp._FtpWire, path: str, data: bytes, *, is_read_back: bool = False) -> None:
        sent["files sent"] += 1
        sent["bytes sent"] += len(data)
        real_store(wire, path, data, is_read_back=is_read_back)

    with workspace_of(root / "data-ftp", connection, f"http://127.0.0.1:{host.control_port}/reef") as workspace:
        fetch.fetch(workspace, "isolde", "reef")
        change = changes.create_change(workspace, "isolde", "reef", "one of many")
        changes.add_step(workspace, "isolde", change.id, Step(StepKind.SET, "area-1/file-1.yml#name", "=pier"))
        run = run_requests.begin_deploy(workspace, "isolde", [change.id])
        ftp._FtpWire.read, ftp._FtpWire.store = read, store  # type: ignore[method-assign, assignment]
        run_engine.carry_out(workspace, run.id)
        ftp._FtpWire.read, ftp._FtpWire.store = real_read, real_store  # type: ignore[method-assign]
        with workspace.session() as session:
            ended = run_records.get_run(session, run.id)
            assert ended.state == "deployed", ended.outcome  # noqa: S101
    host.stop()
    return sent
