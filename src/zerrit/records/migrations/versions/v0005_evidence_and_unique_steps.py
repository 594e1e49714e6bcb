"""Files that a failed start wrote, positions of steps that are unique, tokens with a name."""

from alembic import op
from sqlalchemy import Column, DateTime, ForeignKeyConstraint, Integer, PrimaryKeyConstraint, String, Text

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "run_evidence",
        Column("run_id", Integer(), nullable=False),
        Column("path", Text(), nullable=False),
        Column("kind", String(10), nullable=False),
        Column("size", Integer(), nullable=False),
        Column("modified", Integer(), nullable=False),
        Column("digest", String(64), nullable=True),
        Column("note", Text(), nullable=False),
        ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_run_evidence_run_id", ondelete="CASCADE"),
        ForeignKeyConstraint(["digest"], ["contents.digest"], name="fk_run_evidence_digest"),
        PrimaryKeyConstraint("run_id", "path", name="pk_run_evidence"),
    )
    # Two edits at the same moment could give two steps one position.
    op.execute(
        "UPDATE steps SET position = (SELECT count(*) FROM steps AS other WHERE other.change_id = steps.change_id "
        "AND (other.position < steps.position OR (other.position = steps.position AND other.id <= steps.id)))"
    )
    with op.batch_alter_table("steps") as steps:
        steps.create_unique_constraint("uq_steps_change_id", ["change_id", "position"])
    with op.batch_alter_table("tokens") as tokens:
        tokens.add_column(Column("name", String(80), nullable=False, server_default=""))
        tokens.add_column(Column("used_at", DateTime(), nullable=True))
