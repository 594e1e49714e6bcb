"""Two databases compared by the rows that differ: the same as by reading both whole, and quick where few do."""

from __future__ import annotations

import random
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from tests.cli.command import zerrit
from tests.core.documents.test_database import LEDGER
from zerrit.core import read_document
from zerrit.core.compare import compare_documents
from zerrit.core.documents.database import large
from zerrit.core.documents.database.large import RowsNotCompared, rows_that_differ
from zerrit.core.documents.document import read_rows

STATEMENTS = (
    "UPDATE berths SET price = price + 1 WHERE id = {berth}",
    "UPDATE berths SET note = NULL WHERE id = {berth}",
    "UPDATE berths SET note = x'0102' WHERE id = {berth}",
    "DELETE FROM berths WHERE id = {berth}",
    "INSERT OR IGNORE INTO berths VALUES ({berth} + 10, 'Di', 3, 'new', NULL)",
    "UPDATE load SET n = n + 1 WHERE berth = {berth}",
    "INSERT OR IGNORE INTO load VALUES ({berth}, 'tar', 1)",
    "INSERT INTO log VALUES ('2', 'went on', NULL)",
    "DELETE FROM log WHERE rowid = 1",
    'UPDATE "odd name" SET n = n + 1',
    "ALTER TABLE kinds ADD COLUMN width REAL DEFAULT 2.5",
    "DROP TABLE load",
    "CREATE TABLE IF NOT EXISTS more (id INTEGER PRIMARY KEY, x)",
)


def changed(statements: list[str]) -> bytes:
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.deserialize(LEDGER)
        for statement in statements:
            try:
                connection.execute(statement)
            except sqlite3.OperationalError:  # of a table that is gone
                continue
        connection.commit()
        return connection.serialize()


@pytest.mark.parametrize("seed", range(40))
def test_it_tells_what_a_comparison_of_all_rows_tells(tmp_path: Path, seed: int) -> None:
    chance = random.Random(seed)
    pair = []
    for name in ("old.db", "new.db"):
        statements = [one.format(berth=chance.choice((1025, 1026, 1027))) for one in chance.sample(STATEMENTS, 3)]
        (tmp_path / name).write_bytes(changed(statements))
        pair.append(read_document(changed(statements), "a.db"))
    rows = rows_that_differ(tmp_path / "old.db", tmp_path / "new.db")
    few = compare_documents(*(read_rows(one, "a.db") for one in rows))
    assert {(one.kind, one.address, one.old, one.new) for one in few} == {
        (one.kind, one.address, one.old, one.new) for one in compare_documents(*pair)
    }


def test_of_equal_files_no_row_is_read(tmp_path: Path) -> None:
    path = tmp_path / "a.db"
    path.write_bytes(LEDGER)
    before, after = rows_that_differ(path, path)
    assert all(line.startswith("#") for line in before.text.splitlines() + after.text.splitlines())


def test_what_cannot_be_compared_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "a.db").write_bytes(LEDGER)
    (tmp_path / "cut.db").write_bytes(LEDGER[:9000])
    with pytest.raises(RowsNotCompared, match="cannot be compared"):
        rows_that_differ(tmp_path / "a.db", tmp_path / "cut.db")
    monkeypatch.setattr(large, "MOST_DIFFERING", 2)
    (tmp_path / "b.db").write_bytes(changed(["UPDATE berths SET price = 1"]))
    with pytest.raises(RowsNotCompared, match="More than 2 rows differ"):
        rows_that_differ(tmp_path / "a.db", tmp_path / "b.db")


def test_large_files_are_compared_by_the_command(tmp_path: Path) -> None:
    with closing(sqlite3.connect(tmp_path / "old.db")) as connection:
        connection.execute("CREATE TABLE crates (id INTEGER PRIMARY KEY, owner TEXT, seal BLOB)")
        connection.executemany("INSERT INTO crates VALUES (?, 'Ada', zeroblob(100000))", ((n,) for n in range(900)))
        connection.commit()
    (tmp_path / "new.db").write_bytes((tmp_path / "old.db").read_bytes())
    with closing(sqlite3.connect(tmp_path / "new.db")) as connection:
        connection.execute("UPDATE crates SET owner = 'Bo' WHERE id = 7")
        connection.commit()
    assert (tmp_path / "new.db").stat().st_size > 64 << 20
    (tmp_path / "new.db-wal").write_bytes(b"rows")
    done = zerrit("compare", "old.db", "new.db", cwd=tmp_path)
    assert (done.code, "new.db#crates[7]/owner" in done.out) == (1, True)
    assert "new.db-wal is beside its database; the rows in it were left out." in done.out + done.err
    assert zerrit("compare", "old.db", "old.db", cwd=tmp_path).code == 0
    only = zerrit("compare", "old.db", "new.db", "--only", "crates[8]", cwd=tmp_path)
    assert (only.code, only.out.strip().endswith("No difference.")) == (0, True)
