"""Which files of a run are written already, and which may be left out; contents of watched files that changes touch."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("run_files") as table:
        table.add_column(sa.Column("is_written", sa.Boolean(), nullable=False, server_default=sa.false()))
        table.add_column(sa.Column("may_be_left_out", sa.Boolean(), nullable=False, server_default=sa.false()))
    with op.batch_alter_table("snapshot_files") as table:
        table.add_column(sa.Column("content", sa.String(64), nullable=True))
        table.create_foreign_key("fk_snapshot_files_content", "contents", ["content"], ["digest"])
