"""A waiver may end on a day; a person marks settings as read."""

from alembic import op
from sqlalchemy import Column, DateTime, ForeignKeyConstraint, PrimaryKeyConstraint, String, Text

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("waivers", Column("until", DateTime(), nullable=True))
    op.create_table(
        "read_marks",
        Column("server_id", String(63), nullable=False),
        Column("address", Text(), nullable=False),
        Column("default_digest", String(64), nullable=False),
        Column("person", String(80), nullable=False),
        Column("at", DateTime(), nullable=False),
        ForeignKeyConstraint(["server_id"], ["servers.id"], name="fk_read_marks_server_id", ondelete="CASCADE"),
        PrimaryKeyConstraint("server_id", "address", name="pk_read_marks"),
    )
