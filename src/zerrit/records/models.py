"""The tables. Times are UTC; content is named by its SHA-256 in hexadecimal."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import (
    JSON,
    DateTime,
    Dialect,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    String,
    Text,
    TypeDecorator,
    UniqueConstraint,
    text,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Moment(TypeDecorator[datetime]):
    """A point in time. SQLite keeps no zone, so it is taken off on the way in and put on again on the way out."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return value.astimezone(UTC).replace(tzinfo=None) if value is not None else None

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return value.replace(tzinfo=UTC) if value is not None else None


class Base(DeclarativeBase):
    # Named constraints, so that a later migration can alter them in SQLite.
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {datetime: Moment, dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012 (read by SQLAlchemy)


class Person(Base):
    __tablename__ = "people"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    password_hash: Mapped[str]
    role: Mapped[str] = mapped_column(String(20))
    created_at: Mapped[datetime]


class Token(Base):
    """A session of the console or a bearer token; only its digest is kept."""

    __tablename__ = "tokens"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    kind: Mapped[str] = mapped_column(String(10))
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    person: Mapped[Person] = relationship(lazy="joined")


class Content(Base):
    """The bytes of a file, compressed with zlib; `size` is that of the plain bytes."""

    __tablename__ = "contents"
    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    size: Mapped[int]
    packed: Mapped[bytes] = mapped_column(LargeBinary)


class Gamebook(Base):
    __tablename__ = "gamebooks"
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    digest: Mapped[str] = mapped_column(ForeignKey("contents.digest"))
    updated_at: Mapped[datetime]


class Server(Base):
    """A server. `link` and `control` are settings without secrets; those are apart, encrypted."""

    __tablename__ = "servers"
    id: Mapped[str] = mapped_column(String(63), primary_key=True)
    title: Mapped[str] = mapped_column(String(120))
    gamebook: Mapped[str | None] = mapped_column(ForeignKey("gamebooks.name"))
    link: Mapped[dict[str, Any]]
    link_secret: Mapped[bytes | None]
    control: Mapped[dict[str, Any]]
    control_secret: Mapped[bytes | None]
    created_at: Mapped[datetime]


class Snapshot(Base):
    """All files of a server at one moment (`kind` server), or as shipped under a version `label` (`kind` defaults)."""

    __tablename__ = "snapshots"
    __table_args__ = (UniqueConstraint("server_id", "kind", "label"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    label: Mapped[str | None] = mapped_column(String(80))
    reason: Mapped[str] = mapped_column(Text)
    taken_at: Mapped[datetime]
    files: Mapped[list[SnapshotFile]] = relationship(
        order_by="SnapshotFile.path", cascade="all, delete-orphan", passive_deletes=True
    )


class SnapshotFile(Base):
    """One file of a snapshot. A watched file has no content (`digest` empty), only size and time."""

    __tablename__ = "snapshot_files"
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshots.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    digest: Mapped[str | None] = mapped_column(ForeignKey("contents.digest"))
    size: Mapped[int]
    modified: Mapped[int]


class Change(Base):
    __tablename__ = "changes"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    title: Mapped[str] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(20))
    base_id: Mapped[int] = mapped_column(ForeignKey("snapshots.id"))
    author: Mapped[str] = mapped_column(String(80))
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime]
    updated_at: Mapped[datetime]
    steps: Mapped[list[Step]] = relationship(
        order_by="Step.position", cascade="all, delete-orphan", passive_deletes=True
    )


class Step(Base):
    __tablename__ = "steps"
    id: Mapped[int] = mapped_column(primary_key=True)
    change_id: Mapped[int] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    address: Mapped[str] = mapped_column(Text)
    data: Mapped[dict[str, Any]]
    author: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime]


class Waiver(Base):
    __tablename__ = "waivers"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    code: Mapped[str] = mapped_column(String(60))
    address: Mapped[str] = mapped_column(Text)
    reason: Mapped[str] = mapped_column(Text)
    author: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime]
    until: Mapped[datetime | None]


class ReadMark(Base):
    """A person has looked at a setting. `default_digest` is that of its default then; another one asks again."""

    __tablename__ = "read_marks"
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), primary_key=True)
    address: Mapped[str] = mapped_column(Text, primary_key=True)
    default_digest: Mapped[str] = mapped_column(String(64))
    person: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime]


class Run(Base):
    """A deploy or a rollback. `before_id` is the snapshot taken on the way, to which a failure goes back."""

    __tablename__ = "runs"
    # At most one run of a server is under way, whoever asks at the same moment.
    __table_args__ = (Index("uq_runs_running", "server_id", unique=True, sqlite_where=text("state = 'running'")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    change_id: Mapped[int | None] = mapped_column(ForeignKey("changes.id"))
    target_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    before_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    after_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    kind: Mapped[str] = mapped_column(String(10))
    state: Mapped[str] = mapped_column(String(20))
    person: Mapped[str] = mapped_column(String(80))
    started_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    outcome: Mapped[str] = mapped_column(Text, default="")
    evidence: Mapped[dict[str, Any]] = mapped_column(default=dict)
    stages: Mapped[list[RunStage]] = relationship(
        order_by="RunStage.position", cascade="all, delete-orphan", passive_deletes=True
    )


class RunStage(Base):
    """The journal: a row is written before a stage begins and again after it ended."""

    __tablename__ = "run_stages"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str] = mapped_column(String(20))
    state: Mapped[str] = mapped_column(String(10))
    detail: Mapped[str] = mapped_column(Text, default="")
    started_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class Activity(Base):
    """What was done, by whom. Each row carries the hash of the one before, so that a row taken out is noticed."""

    __tablename__ = "activity"
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    person: Mapped[str] = mapped_column(String(80))
    action: Mapped[str] = mapped_column(String(40))
    server_id: Mapped[str | None] = mapped_column(String(63), index=True)
    detail: Mapped[str] = mapped_column(Text)
    before_hash: Mapped[str] = mapped_column(String(64), unique=True)
    hash: Mapped[str] = mapped_column(String(64), unique=True)
