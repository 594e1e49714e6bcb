"""Steps of more kinds, with longer names"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("steps") as batch_op:
        batch_op.alter_column("kind", existing_type=sa.String(10), type_=sa.String(20), existing_nullable=False)


def downgrade() -> None:
    with op.batch_alter_table("steps") as batch_op:
        batch_op.alter_column("kind", existing_type=sa.String(20), type_=sa.String(10), existing_nullable=False)
