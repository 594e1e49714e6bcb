"""What is kept: one SQLite file through SQLAlchemy, with migrations by Alembic."""

from zerrit.records.contents import digest_of, load_content, store_content
from zerrit.records.database import Database, open_database
from zerrit.records.errors import RecordsUnusable
from zerrit.records.models import (
    Activity,
    Change,
    Content,
    Gamebook,
    Person,
    ReadMark,
    Run,
    RunStage,
    Server,
    Snapshot,
    SnapshotFile,
    Step,
    Token,
    Waiver,
)
from zerrit.records.vault import Vault, open_vault

__all__ = [
    "Activity",
    "Change",
    "Content",
    "Database",
    "Gamebook",
    "Person",
    "ReadMark",
    "RecordsUnusable",
    "Run",
    "RunStage",
    "Server",
    "Snapshot",
    "SnapshotFile",
    "Step",
    "Token",
    "Vault",
    "Waiver",
    "digest_of",
    "load_content",
    "open_database",
    "open_vault",
    "store_content",
]
