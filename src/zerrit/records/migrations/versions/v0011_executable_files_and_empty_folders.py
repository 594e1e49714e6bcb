"""Which files of a server are executable, which of its folders are empty, and what of both a run brings about; contents of
watched files that are pruned, and then known by their hash only.
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("snapshots") as table:
        table.add_column(sa.Column("empty_folders", sa.JSON(), nullable=True))
    with op.batch_alter_table("snapshot_files") as table:
        table.add_column(sa.Column("is_executable", sa.Boolean(), nullable=True))
        table.add_column(sa.Column("hash", sa.String(64), nullable=True))
    with op.batch_alter_table("run_files") as table:
        table.add_column(sa.Column("is_executable", sa.Boolean(), nullable=True))
        table.drop_constraint("fk_run_files_old", type_="foreignkey")
        table.drop_constraint("fk_run_files_new", type_="foreignkey")
