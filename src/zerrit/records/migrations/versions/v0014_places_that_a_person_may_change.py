"""What a person who is not an admin may bring to servers."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("people") as table:
        table.add_column(sa.Column("may_change", sa.JSON(), nullable=False, server_default="[]"))
