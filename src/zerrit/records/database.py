"""Open the one file in which everything is kept, and bring its tables up to date."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.orm import Session

from zerrit.records.errors import RecordsUnusable


@dataclass(frozen=True, slots=True)
class Database:
    engine: Engine

    @contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction: committed at the end, rolled back on any error."""
        with Session(self.engine, expire_on_commit=False) as session, session.begin():
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A transaction that holds the write lock from its beginning: what it reads cannot change before it writes."""
        with Session(self.engine, expire_on_commit=False) as session, session.begin():
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            yield session

    def close(self) -> None:
        self.engine.dispose()


def open_database(path: Path) -> Database:
    """Open or make the database at `path`, migrated to the newest form.

    Raises RecordsUnusable: a newer version of Zerrit made it.
    """
    path.touch(0o600)
    path.chmod(0o600)
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})
    event.listen(engine, "connect", _prepare)
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    with engine.connect() as connection:
        # A table that is made anew is dropped first, and with foreign keys on that would empty those that refer to it.
        connection.exec_driver_sql("PRAGMA foreign_keys=OFF")
        connection.commit()
        config.attributes["connection"] = connection
        _require_known(connection, config, path)
        with connection.begin():
            command.upgrade(config, "head")
        connection.exec_driver_sql("PRAGMA foreign_keys=ON")
        connection.commit()
    return Database(engine)


def _require_known(connection: Connection, config: Config, path: Path) -> None:
    """The tables are of a form that this version knows."""
    revision = MigrationContext.configure(connection).get_current_revision()
    connection.rollback()
    known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
    if revision is not None and revision not in known:
        raise RecordsUnusable(
            f"{path} was made by a newer version of Zerrit (its tables are of form {revision}). Install that version again; "
            "nothing was changed."
        )


def _prepare(connection: Any, _record: object) -> None:
    """WAL lets the console read while a deploy writes; foreign keys are off in SQLite unless asked for."""
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.execute("PRAGMA synchronous=FULL")  # a journal that a power cut can lose is none
    cursor.close()
