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
    _rewrite("servers", "connection", _plain_settings)
    _rewrite("servers", "control", _plain_settings)


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
