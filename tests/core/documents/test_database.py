"""Rows of a SQLite database: read, changed by address, refused by what the database itself forbids, nothing else touched."""

from __future__ import annotations

import random
import sqlite3
from contextlib import closing

import pytest

from zerrit.core import Document, read_document
from zerrit.core.compare import compare_documents
from zerrit.core.documents import Format
from zerrit.core.merge import merge_three
from zerrit.core.steps import OutcomeKind, Replay, replay, step_from_words

SCHEMA = """
PRAGMA user_version = 7;
CREATE TABLE kinds (id INTEGER PRIMARY KEY AUTOINCREMENT, title VARCHAR(20) UNIQUE NOT NULL);
CREATE TABLE berths (
  id INTEGER PRIMARY KEY, owner TEXT NOT NULL, price REAL DEFAULT 5 CHECK (price >= 0), note, kind INTEGER REFERENCES kinds (id)
);
CREATE TABLE load (berth INTEGER, thing TEXT, n INT, PRIMARY KEY (berth, thing)) WITHOUT ROWID;
CREATE TABLE log (at TEXT, what TEXT, picture BLOB);
CREATE TABLE "odd name" ("a b" TEXT PRIMARY KEY NOT NULL, twice INT GENERATED ALWAYS AS (2 * n), n INT);
CREATE INDEX by_owner ON berths (owner);
CREATE VIEW dear AS SELECT * FROM berths WHERE price > 10;
CREATE TRIGGER noted AFTER UPDATE ON berths BEGIN INSERT INTO log VALUES ('now', 'changed', NULL); END;
INSERT INTO kinds VALUES (1, 'wide'), (2, 'narrow');
INSERT INTO berths VALUES (1025, 'Ada', 40.5, 'it''s "x"', 1), (1026, 'Bo', 7, NULL, 2), (1027, 'Cy é' || char(10) || 'z', 8, x'01ff', NULL);
INSERT INTO load VALUES (1025, 'rope', 3), (1026, 'rope', 5);
INSERT INTO log VALUES ('1', 'start', zeroblob(100)), ('1', 'start', NULL);
INSERT INTO "odd name" ("a b", n) VALUES ('x/y', 3);
"""


def database(script: str = SCHEMA, *more: str) -> bytes:
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.executescript(script)
        for statement in more:
            connection.execute(statement)
            connection.commit()
        return connection.serialize()


LEDGER = database()


def made(address: str, *words: str, data: bytes = LEDGER) -> Replay:
    document = read_document(data, "ledger.db")
    return replay({"ledger.db": document}, [step_from_words(f"ledger.db#{address}", words)], read_document)


def rows(data: bytes, statement: str) -> list[tuple[object, ...]]:
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.deserialize(data)
        assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
        return connection.execute(statement).fetchall()


def told(before: bytes, after: bytes) -> list[tuple[str, str, str | None, str | None]]:
    one, other = (read_document(data, "ledger.db") for data in (before, after))
    return [(d.kind.value, d.address.partition("#")[2], d.old, d.new) for d in compare_documents(one, other)]


def test_rows_are_entries_by_what_tells_them_apart() -> None:
    document = read_document(LEDGER, "any.name")
    assert (document.format, document.findings, document.to_bytes()) == (Format.DATABASE, (), LEDGER)
    values = {
        address: [node.value for node in document.select(address)]
        for address in (
            "berths[1025]/price",
            "berths[1027]/owner",
            "berths[1026]/note",
            "load[1025/rope]/n",
            "log[1]/picture",
            '"odd name"[x/y]/n',
            "kinds/title",
        )
    }
    assert list(values.values())[:4] == [["40.5"], ["Cy é\nz"], ["null"], ["3"]]
    assert values["log[1]/picture"][0].startswith("blob:100:")  # type: ignore[union-attr]
    assert values['"odd name"[x/y]/n'] == ["3"]
    assert values["kinds/title"] == ["wide", "narrow"]
    for node in document.root.walk():
        if node.parent is not None:
            assert document.select(document.keys.address_of(node)) == [node]


@pytest.mark.parametrize(
    ("address", "words", "expected"),
    [
        ("berths[1025]/price", ("+10",), [("changed", "berths[1025]/price", "40.5", "50.5")]),
        ("berths[1025]/owner", ('=Zoe "Q"',), [("changed", "berths[1025]/owner", "Ada", 'Zoe "Q"')]),
        ("berths[1027]/note", ("=null",), [("changed", "berths[1027]/note", "x'01ff'", "null")]),
        ("berths[1026]/note", ("=5 apples",), [("changed", "berths[1026]/note", "null", "5 apples")]),
        ("load[1025/rope]/n", ("=4",), [("changed", "load[1025/rope]/n", "3", "4")]),
        ("log[2]/what", ("=end",), [("changed", "log[2]/what", "start", "end")]),
        ('"odd name"[x/y]/n', ("*2",), [("changed", '"odd name"[x/y]/n', "3", "6")]),
        ("berths[1025]", ("rename", "2000"), [("renamed", "berths[2000]", "1025", "2000")]),
    ],
)  # fmt: skip
def test_a_step_changes_its_row_and_no_other(
    address: str, words: tuple[str, ...], expected: list[tuple[str, str, str, str]]
) -> None:
    done = made(address, *words)
    assert done.is_whole, done.outcomes
    after = done.documents["ledger.db"].to_bytes()
    assert told(LEDGER, after) == expected
    assert rows(after, "SELECT count(*) FROM log") == [(2,)], "no trigger ran"
    assert rows(after, "SELECT count(*) FROM sqlite_schema WHERE type IN ('trigger', 'view', 'index')")[0][0] >= 3
    assert rows(after, "PRAGMA user_version") == [(7,)]
    assert rows(after, 'SELECT twice = 2 * n FROM "odd name"') == [(1,)]
    again = replay(done.documents, [step_from_words(f"ledger.db#{address}", ("=null",))], read_document)
    assert again is not None


def test_rows_come_and_go() -> None:
    new = made("", "add", "berths", "owner=Di", "kind=2")
    assert [change.address for change in new.outcomes[0].changes] == ["ledger.db#berths[1028]"]
    assert told(LEDGER, new.documents["ledger.db"].to_bytes())[0][3] == (
        'berths: id=1028, owner="Di", price=5.0, note=null, kind=2'
    )
    first = made("", "add", "berths", "id=1", "owner=Di").documents["ledger.db"]
    assert next(node.field("id") for node in first.root.children if node.name == "berths") == "1"
    copied = made("berths[1026]", "copy", "1030").documents["ledger.db"].to_bytes()
    assert rows(copied, "SELECT owner, price FROM berths WHERE id = 1030") == [("Bo", 7.0)]
    gone = made("berths[1026]", "remove").documents["ledger.db"].to_bytes()
    assert [one[:2] for one in told(LEDGER, gone)] == [("removed", "berths[1026]")]
    empty = database("CREATE TABLE a (k TEXT PRIMARY KEY, n INT); CREATE TABLE b (k TEXT PRIMARY KEY);")
    added = made("", "add", "a", "k=x", "n=1", data=empty).documents["ledger.db"].to_bytes()
    assert rows(added, "SELECT * FROM a") == [("x", 1)]


@pytest.mark.parametrize(
    ("address", "words", "message"),
    [
        ("berths[1025]/price", ("=cheap",), "`cheap` is no number, and price is REAL."),
        ("berths[1025]/price", ("=-1",), "The database refuses it: CHECK constraint failed: price >= 0."),
        ("berths[1025]/kind", ("=1.5",), "`1.5` is no whole number, and kind is INTEGER."),
        ("berths[1025]/kind", ("=9",), "A row of berths would refer to one of kinds that is not there."),
        ("kinds[1]", ("remove",), "A row of berths would refer to one of kinds that is not there."),
        ("kinds[2]/title", ("=wide",), "The database refuses it: UNIQUE constraint failed: kinds.title."),
        ("berths[1025]/owner", ("=null",), "owner cannot be null."),
        ("berths[1025]", ("copy", "1026"), "ledger.db has an entry [1026] already."),
        ("", ("add", "berths", "id=1"), "A row of berths needs owner."),
        ("", ("add", "berths", "id=1", "ownr=x"), "The table berths has no column ownr. Is owner meant?"),
        ("", ("add", "berth", "id=1"), "ledger.db has no table berth. Is berths meant?"),
        ("log[1]/picture", ("=x",), "picture holds binary data that is not shown; it cannot be set."),
        ("log[1]/@row", ("=5",), "This is the number of the row, and no column of the table."),
        ("berths[1025]/owner", ("remove",), "A row has all the columns of its table. Set owner to null instead."),
        ("berths[1025]", ("comment-out",), "database has no comments."),
        ("berths[1025]", ("move", "after", "berths[1026]"), "The rows of ledger.db have no order."),
        ("berths[1025]/price", ("rename", "cost"), "A table and its columns keep their names."),
    ],
)
def test_what_the_database_forbids_is_refused_when_the_step_is_made(
    address: str, words: tuple[str, ...], message: str
) -> None:
    done = made(address, *words)
    (outcome,) = done.outcomes
    assert outcome.kind is OutcomeKind.IMPOSSIBLE
    assert message in outcome.message
    assert done.documents["ledger.db"].to_bytes() == LEDGER


def test_a_fault_that_was_there_before_hinders_no_step() -> None:
    odd = database(SCHEMA, "PRAGMA foreign_keys = OFF", "UPDATE berths SET kind = 77 WHERE id = 1026")
    done = made("berths[1025]/price", "=1", data=odd)
    assert done.is_whole


def test_steps_are_made_on_a_database_that_the_game_went_on_writing() -> None:
    later = database(
        SCHEMA, "INSERT INTO berths VALUES (1, 'New', 3, NULL, NULL)", "UPDATE berths SET price = 99 WHERE id = 1026"
    )
    done = made("berths[1025]/price", "+10", data=later).documents["ledger.db"].to_bytes()
    assert rows(done, "SELECT id, price FROM berths ORDER BY id") == [(1, 3.0), (1025, 50.5), (1026, 99.0), (1027, 8.0)]


def test_versions_are_merged_by_row() -> None:
    mine = database(SCHEMA, "UPDATE berths SET price = 1 WHERE id = 1025", "DELETE FROM log")
    theirs = database(
        SCHEMA,
        "UPDATE berths SET owner = 'Eve' WHERE id = 1025",
        "DELETE FROM berths WHERE id = 1027",
        "INSERT INTO kinds VALUES (3, 'new')",
    )
    base, own, other = (read_document(data, "ledger.db") for data in (LEDGER, mine, theirs))
    merged = merge_three(base, own, other)
    assert merged.conflicts == ()
    data = merged.document.to_bytes()
    assert rows(data, "SELECT id, owner, price FROM berths") == [(1025, "Eve", 1.0), (1026, "Bo", 7.0)]
    assert rows(data, "SELECT max(id) FROM kinds") == [(3,)]
    twice = database(SCHEMA, "UPDATE berths SET price = 2 WHERE id = 1025")
    (conflict,) = merge_three(base, own, read_document(twice, "ledger.db")).conflicts
    assert (conflict.address, conflict.mine, conflict.theirs) == ("berths[1025]/price", "1.0", "2.0")


def test_random_rows_are_read_and_written_as_they_are() -> None:
    for seed in range(60):
        chance = random.Random(seed)
        texts = ("", "a", "null", "5", 'q"u', "é\n\r\t", "x, y=z", "\u2028\x00\x7f", "🐟", "# a", "blob:1:00")
        values: list[object] = [*texts, None, 0, -5, 2**62, 1.5, -1e300, float("inf"), b"", b"\x00\xff", bytes(300)]
        with closing(sqlite3.connect(":memory:")) as connection:
            connection.execute("CREATE TABLE t (k TEXT PRIMARY KEY NOT NULL, v, w)")
            for number in range(12):
                row = (f"{chance.choice(texts)}{number}", chance.choice(values), chance.choice(values))
                connection.execute("INSERT INTO t VALUES (?, ?, ?)", row)
            connection.commit()
            data = connection.serialize()
        document = read_document(data, "t.db")
        assert document.findings == ()
        node = chance.choice(
            [one for one in document.root.children if not (one.field("v") or "").startswith("blob:300")]
        )
        step = step_from_words(f"t.db#{document.keys.address_of(node)}/v", ["=17"])
        after = replay({"t.db": document}, [step], read_document)
        assert after.is_whole, after.outcomes
        now = after.documents["t.db"].to_bytes()
        key = node.field("k")
        kept = rows(data, "SELECT * FROM t ORDER BY k")
        assert [row for row in rows(now, "SELECT * FROM t ORDER BY k") if row[0] != key] == [
            r for r in kept if r[0] != key
        ]
        assert [row[1] for row in rows(now, "SELECT * FROM t") if row[0] == key] in ([17], ["17"])


@pytest.mark.parametrize("length", [100, 1000, 5000, 9000])
def test_a_damaged_database_is_a_finding_and_keeps_its_bytes(length: int) -> None:
    document = read_document(LEDGER[:length], "ledger.db")
    assert [one.code for one in document.findings] == ["database.damaged"]
    assert document.to_bytes() == LEDGER[:length]


def test_mutated_databases_never_raise() -> None:
    for seed in range(400):
        chance = random.Random(seed)
        data = bytearray(LEDGER)
        for _ in range(chance.randrange(1, 30)):
            data[chance.randrange(16, len(data))] = chance.randrange(256)
        document: Document = read_document(bytes(data), "ledger.db")
        assert document.to_bytes() == bytes(data)
        for node in list(document.root.children)[:20]:
            list(node.children)


def test_the_journal_mode_of_the_file_stays() -> None:
    log = LEDGER[:18] + b"\x02\x02" + LEDGER[20:]
    done = made("berths[1025]/price", "=1", data=log)
    assert done.documents["ledger.db"].to_bytes()[18:20] == b"\x02\x02"
