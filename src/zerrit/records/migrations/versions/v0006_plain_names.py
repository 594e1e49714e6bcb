"""One name for one thing: links are connections; what a person does is manual."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("servers") as servers:
        servers.alter_column("link", new_column_name="connection")
        servers.alter_column("link_secret", new_column_name="connection_secret")
        servers.alter_column("care", new_column_name="maintenance")
        servers.alter_column("said", new_column_name="reported")
    _rewrite("servers", "connection", _plain_settings)
    _rewrite("servers", "control", _plain_settings)
    with op.batch_alter_table("snapshots") as snapshots:
        snapshots.alter_column("kept", new_column_name="pinned")
    _rename_table("windows", "scheduled_tasks")
    with op.batch_alter_table("scheduled_tasks") as tasks:
        tasks.alter_column("does", new_column_name="task", type_=sa.String(20))
    _exchange("scheduled_tasks", "task", {"backup": "snapshot", "look": "drift-check"})
    _rename_table("looks", "checklist_items")
    _rename_table("waits", "pending_effects")
    with op.batch_alter_table("pending_effects") as pending:
        pending.alter_column("held_at", new_column_name="in_effect_at")
    _exchange("pending_effects", "takes_effect", {"next-chart": "map-change"})
    _exchange("steps", "kind", {"put": "put-file"})
    _exchange("changes", "state", {"proven": "confirmed"})


def _rename_table(old: str, new: str) -> None:
    """A table under another name; its index has the name of the table in it, so it is made anew."""
    column = "server_id" if old == "windows" else "change_id"
    op.drop_index(f"ix_{old}_{column}", table_name=old)
    op.rename_table(old, new)
    op.create_index(f"ix_{new}_{column}", new, [column])


def _exchange(table: str, column: str, words: dict[str, str]) -> None:
    for old, new in words.items():
        op.execute(f"UPDATE {table} SET {column} = '{new}' WHERE {column} = '{old}'")  # noqa: S608


def _plain_settings(settings: dict[str, Any]) -> dict[str, Any]:
    plain = {"parallel" if name == "connections" else name: value for name, value in settings.items()}
    return plain | {"kind": "manual"} if plain.get("kind") == "hand" else plain


def _rewrite(table: str, column: str, plain: Any) -> None:
    """Each JSON value of a column in the new words."""
    connection = op.get_bind()
    rows = connection.execute(sa.text(f"SELECT rowid, {column} FROM {table} WHERE {column} IS NOT NULL")).all()  # noqa: S608
    for number, text in rows:
        connection.execute(
            sa.text(f"UPDATE {table} SET {column} = :text WHERE rowid = :number"),  # noqa: S608
            {"text": json.dumps(plain(json.loads(text))), "number": number},
        )
