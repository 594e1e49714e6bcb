"""Tables of a game's database server, with the password for it."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("servers") as table:
        table.add_column(sa.Column("database", sa.JSON(), nullable=False, server_default='{"kind": "none"}'))
        table.add_column(sa.Column("database_secret", sa.LargeBinary(), nullable=True))
