"""The step that merges another version of a file has that for its name; when a value takes effect is said with spaces."""

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("UPDATE steps SET kind = 'merge-version' WHERE kind = 'carry'")
    op.execute("UPDATE pending_effects SET takes_effect = 'map change' WHERE takes_effect = 'map-change'")
    op.execute("UPDATE pending_effects SET takes_effect = 'new world' WHERE takes_effect = 'new-world'")
