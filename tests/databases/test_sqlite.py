"""Queries of gamebooks on database files: they read, and nothing else."""

from __future__ import annotations

import resource
import sqlite3
from pathlib import Path

import pytest

from zerrit.core.checks import QueryRefused
from zerrit.databases import query
from zerrit.demo.world_files import default_files

LEDGER = default_files()["ledger.db"]


def test_rows_are_text_and_null_is_empty() -> None:
    rows = query(LEDGER, "SELECT code, draught, NULL, 1.5, x'0aff' FROM berths WHERE code = 'CG-01'")
    assert list(rows) == [("CG-01", "6", "", "1.5", "0aff")]


def test_a_colon_in_a_query_is_no_parameter() -> None:
    assert list(query(LEDGER, "SELECT ':code' FROM berths LIMIT 1")) == [(":code",)]


def test_a_file_with_a_write_ahead_log_is_read(tmp_path: Path) -> None:
    path = tmp_path / "ledger.db"
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("CREATE TABLE berths (code TEXT)")
    connection.execute("INSERT INTO berths VALUES ('CG-01')")
    connection.commit()
    connection.close()
    assert list(query(path.read_bytes(), "SELECT code FROM berths")) == [("CG-01",)]


@pytest.mark.parametrize(
    ("database", "statement", "said"),
    [
        (b"PK\x03\x04", "SELECT 1", "no SQLite database"),
        (LEDGER, "SELECT * FROM nowhere", "no such table: nowhere"),
        (LEDGER, "SELEC 1", "syntax error"),
        (LEDGER, "DELETE FROM berths", "does more than read"),
        (LEDGER, "WITH gone AS (SELECT 1) DELETE FROM berths", "does more than read"),
        (LEDGER, "SELECT 1; DROP TABLE berths", "one statement at a time"),
        (LEDGER, "ATTACH DATABASE '/tmp/x.db' AS x", "does more than read"),
        (LEDGER, "SELECT load_extension('x')", "not authorized|does more|no such function"),
        (LEDGER[:4096] + b"\xff" * 64, "SELECT code FROM berths", "."),
        (
            LEDGER,
            "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n",
            "longer than 3 seconds",
        ),
        (
            LEDGER,
            "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n LIMIT 200000) SELECT i FROM n",
            "more than 100,000 rows",
        ),
    ],
)
def test_what_is_no_plain_question_is_refused(database: bytes, statement: str, said: str) -> None:
    with pytest.raises(QueryRefused, match=said):
        query(database, statement)


@pytest.mark.parametrize(
    ("statement", "said"),
    [
        ("select zeroblob(1000000000)", "a value of more than 4,194,304 bytes"),
        (
            "with recursive n(i) as (select 1 union all select i + 1 from n) select printf('%.*c', 100000, 'x') from n",
            "its rows have more than 33,554,432 characters",
        ),
        (
            "with recursive n(i) as (select 1 union all select i + 1 from n limit 20000) "
            "select group_concat(printf('%.*c', 100000, i)) from n",
            "of more than 4,194,304 bytes|more than 268,435,456 bytes of memory|longer than 3 seconds",
        ),
    ],
)
def test_a_query_takes_no_more_memory_than_it_may(statement: str, said: str) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(QueryRefused, match=said):
        query(LEDGER, statement)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 600_000  # kilobytes; it was gigabytes
