"""What a large table of a script and a large database cost, beside a plain pass over the same bytes and SQLite's own copy."""

from __future__ import annotations

import re
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from benchmarks.keeping import workspace_of
from zerrit.core import read_document
from zerrit.core.compare import compare_documents
from zerrit.records import Server
from zerrit.web.logs import configure_log
from zerrit.work.servers.stored_gamebooks import save_gamebook
from zerrit.work.snapshots import fetch

ENTRIES: Final = 5_000
ROWS: Final = 150_000
MANY_ROWS: Final = 500_000
ROUNDS: Final = 3
KEEPING: Final = "gamebook: 1\ngame: things\nfiles:\n  things.db: {keep_large: true}\n"
CHANGED: Final = 50
_TOKEN: Final = re.compile(r'--[^\n]*|"(?:[^"\\\n]|\\.)*"|[A-Za-z_]\w*|\d+(?:\.\d+)?|[{}\[\]=,;().+-]|\s+')


@dataclass(frozen=True, slots=True)
class ScriptCost:
    """Seconds: a table of `size` bytes read with every node, a pass over its tokens, and the same things in YAML."""

    size: int
    read: float
    tokens: float
    yaml_size: int
    yaml: float


@dataclass(frozen=True, slots=True)
class RowsCost:
    """Seconds of a database of `size` bytes: read by rows, copied by SQLite, and two versions compared."""

    size: int
    read: float
    backup: float
    compared: float


@dataclass(frozen=True, slots=True)
class LargeCost:
    """Seconds by the clock, of two database files of `size` bytes: the command that compares them, the first snapshot of one, and
    SQLite's copy of it.
    """

    size: int
    compared: float
    snapshot: float
    backup: float


def _best(run: Callable[[], object], rounds: int = 3) -> float:
    times = []
    for _ in range(rounds):
        start = time.process_time()
        run()
        times.append(time.process_time() - start)
    return min(times)


def _walked(data: bytes, path: str) -> int:
    return sum(1 for _ in read_document(data, path).root.walk())


def script_cost() -> ScriptCost:
    """Measure the reading of a Lua table with 5,000 entries."""
    parts = [
        f'  ["thing-{n}"] = {{\n    price = {n % 97}, owner = "Ada {n}", weight = {n % 13}.5,\n'
        f'    tags = {{ "a{n}", "b", "c" }}, -- note {n}\n    open = {{ from = 6, to = 18 }},\n'
        '    note = "some longer text about it that fills the line",\n  },\n'
        for n in range(ENTRIES)
    ]
    lua = "Things = {\n" + "".join(parts) + "}\n"
    yaml = "things:\n" + "".join(
        f'  thing-{n}:\n    price: {n % 97}\n    owner: "Ada {n}"\n    weight: {n % 13}.5\n'
        f"    tags: [a{n}, b, c] # note {n}\n    open: {{from: 6, to: 18}}\n"
        '    note: "some longer text about it that fills the line"\n'
        for n in range(ENTRIES)
    )

    def tokens() -> int:
        return len([(match.lastindex, match.group()) for match in _TOKEN.finditer(lua)])

    return ScriptCost(
        len(lua),
        _best(lambda: _walked(lua.encode(), "things.lua")),
        _best(tokens),
        len(yaml),
        _best(lambda: _walked(yaml.encode(), "things.yml")),
    )


def _database(changed: int) -> bytes:
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.execute("CREATE TABLE things (id INTEGER PRIMARY KEY, owner TEXT NOT NULL, price REAL, note TEXT)")
        rows = ((n, f"owner {n % 999}", n / 4, "some longer text about it") for n in range(ROWS))
        connection.executemany("INSERT INTO things VALUES (?, ?, ?, ?)", rows)
        connection.execute("UPDATE things SET price = -1 WHERE id < ?", (changed,))
        connection.commit()
        return connection.serialize()


def rows_cost() -> RowsCost:
    """Measure the reading and the comparison of a database with 150,000 rows."""
    old, new = _database(0), _database(CHANGED)

    def backup() -> None:
        with closing(sqlite3.connect(":memory:")) as one, closing(sqlite3.connect(":memory:")) as other:
            one.deserialize(old)
            one.backup(other)

    documents = [read_document(data, "things.db") for data in (old, new)]
    return RowsCost(
        len(old),
        _best(lambda: read_document(old, "things.db")),
        _best(backup),
        _best(lambda: compare_documents(*documents)),
    )


def large_cost() -> LargeCost:
    """Measure two databases with 500,000 rows, of which 50 differ: the first snapshot of one, and their comparison."""
    configure_log(as_json=True, least="error")
    with tempfile.TemporaryDirectory() as made:
        root = Path(made)
        game = root / "game"
        game.mkdir()
        old, new, copy = game / "things.db", root / "new.db", root / "copy.db"
        with closing(sqlite3.connect(old)) as connection:
            connection.execute(
                "CREATE TABLE things (id INTEGER PRIMARY KEY, owner TEXT NOT NULL, price REAL, note TEXT)"
            )
            rows = ((n, f"owner {n % 999}", n / 4, "some longer text about it " * 15) for n in range(MANY_ROWS))
            connection.executemany("INSERT INTO things VALUES (?, ?, ?, ?)", rows)
            connection.commit()

        def backup(target: Path) -> None:
            target.unlink(missing_ok=True)
            with closing(sqlite3.connect(old)) as one, closing(sqlite3.connect(target)) as other:
                one.backup(other)

        backup(new)
        with closing(sqlite3.connect(new)) as connection:
            connection.execute("UPDATE things SET price = -1 WHERE id % ? = 7", (MANY_ROWS // CHANGED,))
            connection.commit()
        command = [sys.executable, "-m", "zerrit", "compare", str(old), str(new), "--output", "json"]
        compared = _clocked(lambda: subprocess.run(command, check=False, capture_output=True))
        snapshots, backups = [], []
        for round_ in range(ROUNDS):
            with workspace_of(root / f"data-{round_}", {"kind": "folder", "folder": str(game)}) as workspace:
                save_gamebook(workspace, "isolde", "things", KEEPING)
                with workspace.session() as session:
                    session.get_one(Server, "reef").gamebook = "things"
                snapshots.append(_clocked(lambda: fetch.fetch(workspace, "isolde", "reef"), 1))
            backups.append(_clocked(lambda: backup(copy), 1))
            shutil.rmtree(root / f"data-{round_}")
        return LargeCost(old.stat().st_size, compared, min(snapshots), min(backups))


def _clocked(run: Callable[[], object], rounds: int = 3) -> float:
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        run()
        times.append(time.perf_counter() - start)
    return min(times)
