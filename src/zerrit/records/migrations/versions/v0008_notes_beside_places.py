"""Notes beside places: why a value is as it is, and comments in a change."""

from alembic import op
from sqlalchemy import Column, DateTime, ForeignKeyConstraint, Integer, PrimaryKeyConstraint, String, Text

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "place_notes",
        Column("id", Integer(), nullable=False),
        Column("server_id", String(64), nullable=False),
        Column("change_id", Integer(), nullable=True),
        Column("address", Text(), nullable=False),
        Column("text", Text(), nullable=False),
        Column("author", String(80), nullable=False),
        Column("created_at", DateTime(), nullable=False),
        ForeignKeyConstraint(["server_id"], ["servers.id"], name="fk_place_notes_server_id", ondelete="CASCADE"),
        ForeignKeyConstraint(["change_id"], ["changes.id"], name="fk_place_notes_change_id", ondelete="CASCADE"),
        PrimaryKeyConstraint("id", name="pk_place_notes"),
    )
    op.create_index("ix_place_notes_server_id", "place_notes", ["server_id"])
    op.create_index("ix_place_notes_change_id", "place_notes", ["change_id"])
