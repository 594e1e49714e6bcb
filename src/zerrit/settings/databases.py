"""The database server of a game: none, or tables of one. A new kind is a model here."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal
from urllib.parse import urlsplit

from pydantic import AfterValidator, Field

from zerrit.settings.kind import Fills, Kind, Option, Secret, kinds_of

MOST_TABLES = 100


def _without_password(text: str) -> str:
    try:
        address = urlsplit(text)
        has_password = address.password is not None
    except ValueError as error:
        raise ValueError("write it as postgresql://USER@HOST:PORT/DATABASE") from error
    if has_password:
        raise ValueError("leave the password out of the address; it is kept apart, encrypted")
    if not address.scheme or not address.hostname:
        raise ValueError("write it as postgresql://USER@HOST:PORT/DATABASE")
    return text


class NoDatabase(Kind):
    """The game has no database server, or Zerrit leaves it alone."""

    kind: Literal["none"] = "none"

    label: ClassVar[str] = "No database server"
    option: ClassVar[Option] = Option("no-database", "The game has no database server any more.", Fills.NOTHING)


class TablesDatabase(Kind):
    """Some tables of a database server, whose rows are one more file of the server."""

    kind: Literal["tables"] = "tables"
    database: Annotated[
        str,
        Field(
            max_length=1000,
            title="Address of the database",
            description="Without the password, such as postgresql://user@host:5432/game",
        ),
        AfterValidator(_without_password),
    ]
    tables: Annotated[
        list[Annotated[str, Field(min_length=1, max_length=120)]],
        Field(
            min_length=1,
            max_length=MOST_TABLES,
            title="Allowed tables",
            description="The tables that may be read and written.",
        ),
    ]
    shown_as: Annotated[
        str,
        Field(
            min_length=1,
            max_length=200,
            title="Shown as the file",
            description="Path under which the rows are shown among the files.",
        ),
    ] = "database.rows"

    label: ClassVar[str] = "Tables of a database server"
    option: ClassVar[Option] = Option("database", "Address of its database, without the password.", Fills.FIELD)
    secret: ClassVar[Secret | None] = Secret("Password of the database")

    @property
    def recipient(self) -> tuple[object, ...]:
        address = urlsplit(self.database)
        return (type(self), address.scheme, address.hostname, address.port, address.username)


AnyDatabase = Annotated[NoDatabase | TablesDatabase, Field(discriminator="kind")]
DATABASES = kinds_of(AnyDatabase)
