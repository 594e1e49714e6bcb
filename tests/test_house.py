"""What holds for the project as a whole: made files are current, the console's types too, the database migrates."""

from __future__ import annotations

import json
import re
import tomllib
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import event

from zerrit.client import AsyncClient, Client
from zerrit.records import Person, load_content, open_database, open_vault, store_content
from zerrit.records.models import Base
from zerrit.web import Settings, create_app

ROOT = Path(__file__).parent.parent


def test_the_consoles_types_are_made_from_the_api_as_it_is(tmp_path: Path) -> None:
    kept = json.loads((ROOT / "console/src/api/openapi.json").read_text())
    assert create_app(Settings(tmp_path)).openapi() == kept, "run `make types`"


def test_both_clients_have_the_same_calls() -> None:
    own = {name for name in vars(Client) if not name.startswith("_")}
    other = {name for name in vars(AsyncClient) if not name.startswith("_")}
    assert own == other


def test_every_dependency_is_explained() -> None:
    text = (ROOT / "docs/dependencies.md").read_text()
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    listed = [*project["dependencies"], *project["optional-dependencies"]["dev"]]
    package = json.loads((ROOT / "console/package.json").read_text())
    names = [re.split("[<>=]", line)[0] for line in listed]
    for name in [*names, *package["dependencies"], *package["devDependencies"]]:
        assert f"`{name}`" in text, name


def test_the_migrations_give_the_tables_of_the_models(tmp_path: Path) -> None:
    database = open_database(tmp_path / "a.db")
    with database.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": False})
        assert compare_metadata(context, Base.metadata) == []
        assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
        assert connection.exec_driver_sql("PRAGMA foreign_keys").scalar() == 1
    database.close()


def test_content_is_kept_once_and_damage_is_noticed(tmp_path: Path) -> None:
    database = open_database(tmp_path / "a.db")
    with database.session() as session:
        digest = store_content(session, b"tide " * 1000)
        assert store_content(session, b"tide " * 1000) == digest
        assert load_content(session, digest) == b"tide " * 1000
    with database.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE contents SET packed = (SELECT x'789c4b04000062006200')")
    with database.session() as session, pytest.raises(ValueError, match="damaged"):
        load_content(session, digest)
    database.close()


def test_an_error_leaves_nothing_half_written(tmp_path: Path) -> None:
    database = open_database(tmp_path / "a.db")

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
    database.close()


def test_a_secret_needs_its_key(tmp_path: Path) -> None:
    vault = open_vault(tmp_path / "one.key")
    sealed = vault.seal("shelf-keys")
    assert b"shelf" not in sealed
    assert open_vault(tmp_path / "one.key").unseal(sealed) == "shelf-keys"
    assert (tmp_path / "one.key").stat().st_mode & 0o077 == 0
    with pytest.raises(ValueError, match="key file does not fit"):
        open_vault(tmp_path / "two.key").unseal(sealed)
