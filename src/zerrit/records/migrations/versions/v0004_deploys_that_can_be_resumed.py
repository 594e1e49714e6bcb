"""Runs that are resumed, look lists, what written values wait for, windows, rollouts, stamps of files."""

from alembic import op
from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    DateTime,
    ForeignKeyConstraint,
    Integer,
    PrimaryKeyConstraint,
    String,
    Text,
)

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("servers", Column("care", JSON(), nullable=False, server_default="{}"))
    op.add_column("servers", Column("said", JSON(), nullable=False, server_default="{}"))
    op.add_column("snapshots", Column("kept", Text(), nullable=False, server_default=""))
    op.add_column("snapshots", Column("is_good", Boolean(), nullable=False, server_default="0"))
    op.add_column("snapshot_files", Column("stamp", Text(), nullable=False, server_default=""))
    with op.batch_alter_table("changes") as changes:
        changes.add_column(Column("queue_place", Integer(), nullable=True))
        changes.add_column(Column("adopted_id", Integer(), nullable=True))
        changes.create_foreign_key("fk_changes_adopted_id", "snapshots", ["adopted_id"], ["id"])
    _changes_of_runs()
    op.create_table(
        "run_files",
        Column("run_id", Integer(), nullable=False),
        Column("path", Text(), nullable=False),
        Column("old", String(64), nullable=True),
        Column("new", String(64), nullable=True),
        ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_run_files_run_id", ondelete="CASCADE"),
        ForeignKeyConstraint(["old"], ["contents.digest"], name="fk_run_files_old"),
        ForeignKeyConstraint(["new"], ["contents.digest"], name="fk_run_files_new"),
        PrimaryKeyConstraint("run_id", "path", name="pk_run_files"),
    )
    _of_change(
        "looks",
        Column("text", Text(), nullable=False),
        Column("is_right", Boolean(), nullable=True),
        Column("note", Text(), nullable=False),
        Column("person", String(80), nullable=False),
        Column("at", DateTime(), nullable=True),
    )
    _of_change(
        "waits",
        Column("takes_effect", String(20), nullable=False),
        Column("addresses", JSON(), nullable=False),
        Column("held_at", DateTime(), nullable=True),
        Column("person", String(80), nullable=False),
    )
    op.create_table(
        "windows",
        Column("id", Integer(), nullable=False),
        Column("server_id", String(63), nullable=False),
        Column("does", String(10), nullable=False),
        Column("times", JSON(), nullable=False),
        Column("weekdays", JSON(), nullable=False),
        Column("zone", String(60), nullable=False),
        Column("announce", Integer(), nullable=False),
        Column("next_at", DateTime(), nullable=False),
        Column("person", String(80), nullable=False),
        Column("created_at", DateTime(), nullable=False),
        ForeignKeyConstraint(["server_id"], ["servers.id"], name="fk_windows_server_id", ondelete="CASCADE"),
        PrimaryKeyConstraint("id", name="pk_windows"),
    )
    op.create_index("ix_windows_server_id", "windows", ["server_id"])
    _of_change(
        "rollouts",
        Column("waves", JSON(), nullable=False),
        Column("state", String(20), nullable=False),
        Column("results", JSON(), nullable=False),
        Column("outcome", Text(), nullable=False),
        Column("person", String(80), nullable=False),
        Column("started_at", DateTime(), nullable=False),
        Column("ended_at", DateTime(), nullable=True),
    )


def _changes_of_runs() -> None:
    """A run deploys several changes; where it is and what it was asked for stands in its row."""
    op.create_table(
        "run_changes",
        Column("run_id", Integer(), nullable=False),
        Column("change_id", Integer(), nullable=False),
        Column("position", Integer(), nullable=False),
        ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_run_changes_run_id", ondelete="CASCADE"),
        ForeignKeyConstraint(["change_id"], ["changes.id"], name="fk_run_changes_change_id", ondelete="CASCADE"),
        PrimaryKeyConstraint("run_id", "change_id", name="pk_run_changes"),
    )
    op.create_index("ix_run_changes_change_id", "run_changes", ["change_id"])
    op.execute(
        "INSERT INTO run_changes (run_id, change_id, position) "
        "SELECT id, change_id, 1 FROM runs WHERE change_id IS NOT NULL"
    )
    with op.batch_alter_table("runs") as runs:
        runs.drop_constraint("fk_runs_change_id", type_="foreignkey")
        runs.drop_column("change_id")
        # A run that is open here was begun by a service that knew no other way than back.
        runs.add_column(Column("stage", String(20), nullable=False, server_default="stop-again"))
        runs.add_column(Column("asks", Text(), nullable=False, server_default=""))
        runs.add_column(Column("cancelled_by", String(80), nullable=False, server_default=""))
        runs.add_column(Column("options", JSON(), nullable=False, server_default="{}"))


def _of_change(table: str, *columns: Column) -> None:  # type: ignore[type-arg]
    op.create_table(
        table,
        Column("id", Integer(), nullable=False),
        Column("change_id", Integer(), nullable=False),
        *columns,
        ForeignKeyConstraint(["change_id"], ["changes.id"], name=f"fk_{table}_change_id", ondelete="CASCADE"),
        PrimaryKeyConstraint("id", name=f"pk_{table}"),
    )
    op.create_index(f"ix_{table}_change_id", table, ["change_id"])
