"""What is kept: content once, nothing half, secrets sealed, the activity log unbroken."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, event, select

from zerrit.records import (
    Activity,
    BeforeStart,
    Database,
    FileMark,
    Person,
    RecordsUnusable,
    Rollout,
    Run,
    RunOptions,
    load_content,
    migrations,
    open_database,
    open_vault,
    store_content,
)
from zerrit.records.models import Base, Change, ScheduledTask, Server, Snapshot
from zerrit.settings import FtpConnection, Maintenance, ManualControl
from zerrit.work.base.activity_log import note
from zerrit.work.base.workspace import Workspace


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    opened = open_database(tmp_path / "a.db")
    yield opened
    opened.close()


def test_the_migrations_give_the_tables_of_the_models(database: Database) -> None:
    with database.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": False})
        assert compare_metadata(context, Base.metadata) == []
        assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
        assert connection.exec_driver_sql("PRAGMA foreign_keys").scalar() == 1


def test_content_is_kept_once_and_damage_is_noticed(database: Database) -> None:
    with database.session() as session:
        digest = store_content(session, b"tide " * 1000)
        assert store_content(session, b"tide " * 1000) == digest
        assert load_content(session, digest) == b"tide " * 1000
    with database.engine.begin() as connection:
        assert connection.exec_driver_sql("SELECT length(packed) < 100 FROM contents").scalar() == 1
        connection.exec_driver_sql("UPDATE contents SET packed = (SELECT x'789c4b04000062006200')")
    with database.session() as session, pytest.raises(RecordsUnusable, match="damaged"):
        load_content(session, digest)


def test_an_error_leaves_nothing_half_written(database: Database) -> None:
    def fail(*_: object) -> None:
        raise RuntimeError("the disk is full")

    event.listen(Person, "before_insert", fail)
    try:
        with pytest.raises(RuntimeError), database.session() as session:
            store_content(session, b"x")
            session.add(Person(name="a", password_hash="b", role="admin"))
    finally:
        event.remove(Person, "before_insert", fail)
    with database.engine.connect() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM contents").scalar() == 0


def test_a_secret_needs_its_key(tmp_path: Path) -> None:
    vault = open_vault(tmp_path / "one.key")
    sealed = vault.seal("shelf-keys")
    assert b"shelf" not in sealed
    assert open_vault(tmp_path / "one.key").unseal(sealed) == "shelf-keys"
    assert (tmp_path / "one.key").stat().st_mode & 0o077 == 0
    with pytest.raises(RecordsUnusable, match="key file does not fit"):
        open_vault(tmp_path / "two.key").unseal(sealed)
    (tmp_path / "three.key").write_text("no key")
    with pytest.raises(RecordsUnusable, match=r"three\.key holds no key"):
        open_vault(tmp_path / "three.key")


def test_the_activity_log_is_one_chain_however_many_write_at_once(database: Database, tmp_path: Path) -> None:
    workspace = Workspace(database, open_vault(tmp_path / "one.key"), lambda *_: None, tmp_path)

    def write(number: int) -> None:
        with workspace.session() as session:
            note(workspace, session, "isolde", "tested", None, str(number))

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(write, range(60)))
    with database.session() as session:
        rows = list(session.scalars(select(Activity).order_by(Activity.id)))
    assert sorted(int(row.detail) for row in rows) == list(range(60))
    assert [row.before_hash for row in rows] == ["", *(row.hash for row in rows[:-1])]


def test_records_of_the_form_before_get_the_new_names(tmp_path: Path) -> None:
    path = tmp_path / "a.db"
    config = Config()
    config.set_main_option("script_location", str(Path(migrations.__file__).parent))
    engine = create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0005")
        run = connection.exec_driver_sql
        run(
            "INSERT INTO servers (id, title, link, control, care, said, created_at) VALUES ('reef', 'Reef', "
            """'{"kind": "ftp", "host": "h", "connections": 3}', '{"kind": "hand"}', '{"settle": 2.0}', '{}', """
            "'2026-01-01 00:00:00')"
        )
        run(
            "INSERT INTO snapshots (id, server_id, kind, reason, kept, is_good, taken_at) "
            "VALUES (1, 'reef', 'fetched', 'first', 'dear', 1, '2026-01-01 00:00:00')"
        )
        run(
            "INSERT INTO changes (id, server_id, title, state, base_id, author, version, created_at, updated_at) "
            "VALUES (1, 'reef', 'x', 'proven', 1, 'a', 1, '2026-01-01 00:00:00', '2026-01-01 00:00:00')"
        )
        run(
            "INSERT INTO steps (change_id, position, kind, address, data, author, created_at) "
            "VALUES (1, 1, 'put', 'a.xml', '{}', 'a', '2026-01-01 00:00:00'), "
            "(1, 2, 'carry', 'a.xml', '{}', 'a', '2026-01-01 00:00:00')"
        )
        run(
            "INSERT INTO runs (id, server_id, kind, state, stage, asks, cancelled_by, person, started_at, outcome, options, evidence) "
            "VALUES (1, 'reef', 'deploy', 'rolled-back', 'end', '', '', 'a', '2026-01-01 00:00:00', '', "
            """'{"announce": 5, "wait": "", "until": "", "rehearse": false}', '{"reason": "it broke", "failed_at": "watch", """
            """"before_start": {"crash_files": [["", "a.txt", 3, 9]], "log": {"game.log": [4, 9, "", "abc", ""]}}, """
            """"brings": [{"change": 1, "effects": [["restart", ["a.xml#b"]]], "looks": ["x"]}]}')"""
        )
        run(
            "INSERT INTO rollouts (id, change_id, waves, state, results, outcome, person, started_at) "
            """VALUES (1, 1, '[["reef"]]', 'done', '{"": {"announce": 5, "wait": "", "until": "", "rehearse": true}, """
            """"reef": {"change": 1, "run": 1, "state": "deployed", "said": "x"}}', '', 'a', '2026-01-01 00:00:00')"""
        )
        run(
            "INSERT INTO waits (change_id, takes_effect, addresses, held_at, person) "
            "VALUES (1, 'next-chart', '[]', NULL, '')"
        )
        run(
            "INSERT INTO windows (server_id, does, times, weekdays, zone, announce, next_at, person, created_at) "
            "VALUES ('reef', 'backup', '[]', '[]', 'UTC', 0, '2026-01-01 00:00:00', 'a', '2026-01-01 00:00:00')"
        )
    engine.dispose()
    opened = open_database(path)
    with opened.session() as session:
        server = session.get_one(Server, "reef")
        assert (server.connection, server.control) == (FtpConnection(host="h", parallel=3), ManualControl())
        assert (server.maintenance, session.get_one(Snapshot, 1).pinned) == (Maintenance(settle=2), "dear")
        change = session.get_one(Change, 1)
        assert (change.state, [step.kind for step in change.steps]) == ("confirmed", ["put-file", "merge-version"])
        seen = session.get_one(Run, 1).evidence
        assert seen.before_start == BeforeStart(
            crash_files=frozenset({("", "a.txt", 3, 9)}), log={"game.log": FileMark(4, 9, "", "abc")}
        )
        assert (seen.reason, seen.failed_back, seen.brings[0].effects) == ("it broke", None, [("restart", ["a.xml#b"])])
        assert session.get_one(Run, 1).options == RunOptions(announce=5)
        rollout = session.get_one(Rollout, 1).results
        assert (rollout.options.rehearse, rollout.parts["reef"].state) == (True, "deployed")
        assert [one.takes_effect for one in change.pending] == ["map change"]
        assert session.scalars(select(ScheduledTask.task)).all() == ["snapshot"]
    opened.close()
