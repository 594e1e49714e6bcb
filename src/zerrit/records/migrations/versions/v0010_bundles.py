"""Bundles: plugins, mods, maps and packs as they were downloaded."""

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
    UniqueConstraint,
)

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "bundles",
        Column("id", Integer(), nullable=False),
        Column("file_name", String(300), nullable=False),
        Column("name", String(200), nullable=False),
        Column("version", String(100), nullable=False),
        Column("origin", String(500), nullable=False),
        Column("digest", String(64), nullable=False),
        Column("size", Integer(), nullable=False),
        Column("placement", JSON(), nullable=False),
        Column("person", String(80), nullable=False),
        Column("kept_at", DateTime(), nullable=False),
        PrimaryKeyConstraint("id", name="pk_bundles"),
        UniqueConstraint("digest", name="uq_bundles_digest"),
    )
    op.create_table(
        "bundle_files",
        Column("bundle_id", Integer(), nullable=False),
        Column("path", Text(), nullable=False),
        Column("position", Integer(), nullable=False),
        Column("digest", String(64), nullable=False),
        Column("size", Integer(), nullable=False),
        Column("is_program", Boolean(), nullable=False),
        ForeignKeyConstraint(["bundle_id"], ["bundles.id"], name="fk_bundle_files_bundle_id", ondelete="CASCADE"),
        ForeignKeyConstraint(["digest"], ["contents.digest"], name="fk_bundle_files_digest"),
        PrimaryKeyConstraint("bundle_id", "path", name="pk_bundle_files"),
    )
    op.create_index("ix_bundle_files_digest", "bundle_files", ["digest"])
