"""The tables. Times are UTC; content is named by its SHA-256 in hexadecimal."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from pydantic import TypeAdapter
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

from zerrit.records.run_facts import RolloutFacts, RunFacts, RunOptions
from zerrit.settings import AnyConnection, AnyControl, AnyDatabase, Maintenance, NoDatabase


class Moment(TypeDecorator[datetime]):
    """A point in time. SQLite keeps no zone, so it is taken off on the way in and put on again on the way out."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return value.astimezone(UTC).replace(tzinfo=None) if value is not None else None

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return value.replace(tzinfo=UTC) if value is not None else None


class JsonOf(TypeDecorator[Any]):
    """Settings of a model, kept as JSON. What an adapter cannot read was written by another version of Zerrit."""

    impl = JSON
    cache_ok = True

    def __init__(self, adapter: TypeAdapter[Any], *, is_sparse: bool = False) -> None:
        super().__init__()
        self.adapter = adapter
        self.is_sparse = is_sparse  # what was never set is not kept

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        if value is None:
            return None
        return self.adapter.dump_python(value, mode="json", exclude_unset=self.is_sparse)

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        return self.adapter.validate_python(value) if value is not None else None


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
    """`role` is admin or helper; `may_change` are the places that a helper may change on servers, as addresses."""

    __tablename__ = "people"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    password_hash: Mapped[str]
    role: Mapped[str] = mapped_column(String(20))
    may_change: Mapped[list[str]] = mapped_column(JSON, default=list)
    created_at: Mapped[datetime]


class Token(Base):
    """A session of the console or a bearer token; only its digest is kept. `name` says what it is for."""

    __tablename__ = "tokens"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    kind: Mapped[str] = mapped_column(String(10))
    name: Mapped[str] = mapped_column(String(80), default="")
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
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
    """A server. `connection`, `control` and `database` are settings without secrets; those are apart, encrypted.

    `maintenance` says how it is maintained: announcements, retention, folders with crash files, rehearsals. `reported` is what
    a person said last of a game that is stopped and started manually.
    """

    __tablename__ = "servers"
    id: Mapped[str] = mapped_column(String(63), primary_key=True)
    title: Mapped[str] = mapped_column(String(120))
    gamebook: Mapped[str | None] = mapped_column(ForeignKey("gamebooks.name"))
    connection: Mapped[AnyConnection] = mapped_column(JsonOf(TypeAdapter(AnyConnection)))
    connection_secret: Mapped[bytes | None]
    control: Mapped[AnyControl] = mapped_column(JsonOf(TypeAdapter(AnyControl)))
    control_secret: Mapped[bytes | None]
    database: Mapped[AnyDatabase] = mapped_column(JsonOf(TypeAdapter(AnyDatabase)), default=NoDatabase)
    database_secret: Mapped[bytes | None]
    maintenance: Mapped[Maintenance] = mapped_column(JsonOf(TypeAdapter(Maintenance)), default=Maintenance)
    reported: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]


class Snapshot(Base):
    """All files of a server at one moment (`kind` server), or as shipped under a version `label` (`kind` defaults).

    `is_good`: the game came up with these files. `kept`, where it is not empty, says why it is never pruned. `empty_folders`
    are those in which nothing was; None where they were not looked for.
    """

    __tablename__ = "snapshots"
    __table_args__ = (UniqueConstraint("server_id", "kind", "label"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    label: Mapped[str | None] = mapped_column(String(80))
    reason: Mapped[str] = mapped_column(Text)
    pinned: Mapped[str] = mapped_column(Text, default="")
    is_good: Mapped[bool] = mapped_column(default=False)
    taken_at: Mapped[datetime]
    empty_folders: Mapped[list[Any] | None] = mapped_column(default=None)
    files: Mapped[list[SnapshotFile]] = relationship(
        order_by="SnapshotFile.path", cascade="all, delete-orphan", passive_deletes=True
    )


class SnapshotFile(Base):
    """One file of a snapshot. A watched file has no content (`digest` empty), only size and time.

    `content` is that of a watched file which a change wrote or was about to replace: it is kept so that a rollback can
    bring it back. As long as size and time are the same, it is taken to be the same. `is_executable` is empty where the
    server does not tell. `hash` is the SHA-256 of a content that was pruned.

    `stamp` is that of the connection (`zerrit.connections.RemoteFile`): as long as it is the same, the file need not be read.
    """

    __tablename__ = "snapshot_files"
    snapshot_id: Mapped[int] = mapped_column(ForeignKey("snapshots.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    digest: Mapped[str | None] = mapped_column(ForeignKey("contents.digest"))
    size: Mapped[int]
    modified: Mapped[int]
    stamp: Mapped[str] = mapped_column(Text, default="")
    content: Mapped[str | None] = mapped_column(ForeignKey("contents.digest"))
    is_executable: Mapped[bool | None]
    hash: Mapped[str | None] = mapped_column(String(64))


class Change(Base):
    """A change. `queue_place` is its turn among those that wait for the next scheduled restart.

    `adopted_id`: it was found on the server with that snapshot, written by another person.
    """

    __tablename__ = "changes"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    title: Mapped[str] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(20))
    base_id: Mapped[int] = mapped_column(ForeignKey("snapshots.id"))
    author: Mapped[str] = mapped_column(String(80))
    version: Mapped[int] = mapped_column(default=1)
    queue_place: Mapped[int | None]
    adopted_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    created_at: Mapped[datetime]
    updated_at: Mapped[datetime]
    steps: Mapped[list[Step]] = relationship(
        order_by="Step.position", cascade="all, delete-orphan", passive_deletes=True
    )
    checklist: Mapped[list[ChecklistItem]] = relationship(
        order_by="ChecklistItem.id", cascade="all, delete-orphan", passive_deletes=True
    )
    pending: Mapped[list[PendingEffect]] = relationship(
        order_by="PendingEffect.id", cascade="all, delete-orphan", passive_deletes=True
    )


class Step(Base):
    __tablename__ = "steps"
    __table_args__ = (UniqueConstraint("change_id", "position"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    change_id: Mapped[int] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    address: Mapped[str] = mapped_column(Text)
    data: Mapped[dict[str, Any]]
    author: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime]


class ChecklistItem(Base):
    """What to look at in the game once a change is in it; ticked off, it says who saw what."""

    __tablename__ = "checklist_items"
    id: Mapped[int] = mapped_column(primary_key=True)
    change_id: Mapped[int] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), index=True)
    text: Mapped[str] = mapped_column(Text)
    is_right: Mapped[bool | None]
    note: Mapped[str] = mapped_column(Text, default="")
    person: Mapped[str] = mapped_column(String(80), default="")
    at: Mapped[datetime | None]


class PendingEffect(Base):
    """Values that were written and what they wait for before they hold; `in_effect_at` is empty as long as they wait."""

    __tablename__ = "pending_effects"
    id: Mapped[int] = mapped_column(primary_key=True)
    change_id: Mapped[int] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), index=True)
    takes_effect: Mapped[str] = mapped_column(String(20))
    addresses: Mapped[list[Any]]
    in_effect_at: Mapped[datetime | None]
    person: Mapped[str] = mapped_column(String(80), default="")


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


class PlaceNote(Base):
    """What a person wrote beside a place: why a value is as it is, or, in a change, a comment for whoever reads it."""

    __tablename__ = "place_notes"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    change_id: Mapped[int | None] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), index=True)
    address: Mapped[str] = mapped_column(Text)
    text: Mapped[str] = mapped_column(Text)
    author: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime]


class ShelfSnippet(Base):
    """A snippet that is kept, with where it is from, for which file, and its parameters with their usual values."""

    __tablename__ = "shelf_snippets"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    title: Mapped[str] = mapped_column(String(200))
    origin: Mapped[str] = mapped_column(String(500))
    path: Mapped[str] = mapped_column(Text)
    into: Mapped[str] = mapped_column(Text)
    text: Mapped[str] = mapped_column(Text)
    parameters: Mapped[dict[str, Any]]
    person: Mapped[str] = mapped_column(String(80))
    kept_at: Mapped[datetime]
    changed_at: Mapped[datetime]


class ShelfUse(Base):
    """Where a kept snippet was put: into which file of a server, with which values. `text` is what was put there."""

    __tablename__ = "shelf_uses"
    id: Mapped[int] = mapped_column(primary_key=True)
    snippet_id: Mapped[int] = mapped_column(ForeignKey("shelf_snippets.id", ondelete="CASCADE"), index=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    change_id: Mapped[int | None] = mapped_column(ForeignKey("changes.id", ondelete="SET NULL"))
    path: Mapped[str] = mapped_column(Text)
    into: Mapped[str] = mapped_column(Text)
    values: Mapped[dict[str, Any]]
    text: Mapped[str] = mapped_column(Text)
    person: Mapped[str] = mapped_column(String(80))
    used_at: Mapped[datetime]


class ReadMark(Base):
    """A person has looked at a setting. `default_digest` is that of its default then; another one asks again."""

    __tablename__ = "read_marks"
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), primary_key=True)
    address: Mapped[str] = mapped_column(Text, primary_key=True)
    default_digest: Mapped[str] = mapped_column(String(64))
    person: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime]


class Bundle(Base):
    """A plugin, mod, map or pack as it was downloaded. `digest` is that of the archive, `origin` where it is from.

    `placement` is how a person placed it, where the gamebook did not say: it is proposed for the next version.
    """

    __tablename__ = "bundles"
    id: Mapped[int] = mapped_column(primary_key=True)
    file_name: Mapped[str] = mapped_column(String(300))
    name: Mapped[str] = mapped_column(String(200))
    version: Mapped[str] = mapped_column(String(100), default="")
    origin: Mapped[str] = mapped_column(String(500), default="")
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    size: Mapped[int]
    placement: Mapped[dict[str, Any]] = mapped_column(default=dict)
    person: Mapped[str] = mapped_column(String(80))
    kept_at: Mapped[datetime]
    files: Mapped[list[BundleFile]] = relationship(
        order_by="BundleFile.position", cascade="all, delete-orphan", passive_deletes=True
    )


class BundleFile(Base):
    """One file of a bundle, in the order of its archive."""

    __tablename__ = "bundle_files"
    bundle_id: Mapped[int] = mapped_column(ForeignKey("bundles.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    position: Mapped[int]
    digest: Mapped[str] = mapped_column(ForeignKey("contents.digest"), index=True)
    size: Mapped[int]
    is_program: Mapped[bool] = mapped_column(default=False)


class Run(Base):
    """A deploy or a rollback. `before_id` is the snapshot taken on the way, to which a failure goes back.

    `stage` is where it is, `asks` what a person is asked to do just now, `cancelled_by` who wants it to end. `options`
    is what people asked of it, `evidence` what was seen on the way.
    """

    __tablename__ = "runs"
    # At most one run of a server is under way, whoever asks at the same moment.
    __table_args__ = (Index("uq_runs_running", "server_id", unique=True, sqlite_where=text("state = 'running'")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    target_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    before_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    after_id: Mapped[int | None] = mapped_column(ForeignKey("snapshots.id"))
    kind: Mapped[str] = mapped_column(String(10))
    state: Mapped[str] = mapped_column(String(20))
    stage: Mapped[str] = mapped_column(String(20))
    asks: Mapped[str] = mapped_column(Text, default="")
    cancelled_by: Mapped[str] = mapped_column(String(80), default="")
    person: Mapped[str] = mapped_column(String(80))
    started_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    outcome: Mapped[str] = mapped_column(Text, default="")
    options: Mapped[RunOptions] = mapped_column(JsonOf(TypeAdapter(RunOptions)), default=RunOptions)
    evidence: Mapped[RunFacts] = mapped_column(JsonOf(TypeAdapter(RunFacts), is_sparse=True), default=RunFacts)
    stages: Mapped[list[RunStage]] = relationship(
        order_by="RunStage.position", cascade="all, delete-orphan", passive_deletes=True
    )
    files: Mapped[list[RunFile]] = relationship(
        order_by="RunFile.path", cascade="all, delete-orphan", passive_deletes=True
    )
    written_by_start: Mapped[list[RunEvidence]] = relationship(
        order_by="RunEvidence.path", cascade="all, delete-orphan", passive_deletes=True
    )
    parts: Mapped[list[RunChange]] = relationship(
        order_by="RunChange.position", cascade="all, delete-orphan", passive_deletes=True
    )

    @property
    def change_ids(self) -> list[int]:
        """The changes that it deploys, in order; none where it is a rollback."""
        return [part.change_id for part in self.parts]


class RunChange(Base):
    __tablename__ = "run_changes"
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    change_id: Mapped[int] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), primary_key=True, index=True)
    position: Mapped[int]


class RunFile(Base):
    """A file that a run makes different, with its content before and after; empty where there is no such file. Those of
    watched files may be pruned some time after the run.

    `is_written`: it is as it will be, also where the run is taken up later. `may_be_left_out`: where the host refuses it,
    the run goes on without it. `is_executable` is empty where that stays as it is.
    """

    __tablename__ = "run_files"
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    old: Mapped[str | None] = mapped_column(String(64))
    new: Mapped[str | None] = mapped_column(String(64))
    is_written: Mapped[bool] = mapped_column(default=False)
    may_be_left_out: Mapped[bool] = mapped_column(default=False)
    is_executable: Mapped[bool | None]


class RunEvidence(Base):
    """A file that a failed start wrote (`kind` added or changed), kept before going back removed it.

    `digest` is empty where only its size is kept; `note` says why, or which part is kept.
    """

    __tablename__ = "run_evidence"
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    kind: Mapped[str] = mapped_column(String(10))
    size: Mapped[int]
    modified: Mapped[int]
    digest: Mapped[str | None] = mapped_column(ForeignKey("contents.digest"))
    note: Mapped[str] = mapped_column(Text, default="")


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


class ScheduledTask(Base):
    """A task of a server's schedule: `task` is restart, snapshot or drift-check.

    `times` are times of day such as 05:30, `weekdays` 0 (Monday) to 6, in the time zone `zone`. `next_at` is the next
    moment; a service that finds it in the past was down then, and reports it.
    """

    __tablename__ = "scheduled_tasks"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[str] = mapped_column(ForeignKey("servers.id", ondelete="CASCADE"), index=True)
    task: Mapped[str] = mapped_column(String(20))
    times: Mapped[list[Any]]
    weekdays: Mapped[list[Any]]
    zone: Mapped[str] = mapped_column(String(60))
    announce: Mapped[int]
    next_at: Mapped[datetime]
    person: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime]


class Rollout(Base):
    """The same change on several servers, wave by wave. `waves` are lists of server ids, `results` what became of each."""

    __tablename__ = "rollouts"
    id: Mapped[int] = mapped_column(primary_key=True)
    change_id: Mapped[int] = mapped_column(ForeignKey("changes.id", ondelete="CASCADE"), index=True)
    waves: Mapped[list[Any]]
    state: Mapped[str] = mapped_column(String(20))
    results: Mapped[RolloutFacts] = mapped_column(JsonOf(TypeAdapter(RolloutFacts)))
    outcome: Mapped[str] = mapped_column(Text, default="")
    person: Mapped[str] = mapped_column(String(80))
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
