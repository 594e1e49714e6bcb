"""Where words and pairs come from: the lists of a gamebook, and its tables."""

from __future__ import annotations

import re
from typing import Final, Literal

from pydantic import Field, field_validator, model_validator

from zerrit.core.rules.base import Condition, Name, Part, Text, Texts

OWN: Final = "."  #: the place of an entry's own value


class CsvColumn(Part):
    """A column of a CSV file with a line of headings."""

    file: Name
    column: Name


class SqlQuery(Part):
    """A SELECT on a database file that the game uses; the words are its first column."""

    database: Name = Field(description="the path of the SQLite file")
    query: Text = Field(description="one SELECT")

    @field_validator("query")
    @classmethod
    def _selects(cls, query: str) -> str:
        if not re.match(r"\s*(?:select|with)\b", query, re.IGNORECASE):
            raise ValueError("a query begins with SELECT; nothing else is run on a game's database")
        return query


class ListSource(Part):
    """Where the words of a list come from; several sources add up."""

    source: Texts = Field((), description="addresses whose values are the words")
    take: Literal["value", "name", "key"] = Field(
        "value", description="what of `source` is the word: its value, its name, or the key of the entry"
    )
    only_if: Condition | None = Field(None, description="of `source` only entries whose fields fulfil this")
    file_names: str = Field("", description="a path pattern; the words are the file names without their ending")
    folders: str = Field("", description="a path pattern such as `maps/*`; the words are the names of folders")
    words: tuple[str, ...] = Field((), description="fixed words")
    csv: CsvColumn | None = Field(None, description="a column of a CSV file")
    sql: SqlQuery | None = Field(None, description="a query on a database file that the game uses")
    note: str = Field("", description="what the words are")


class Table(Part):
    """Pairs of a key and a value, out of files or of a database."""

    each: str = Field("", description="the address of the entries")
    key: str = Field("", description="the place of the key below an entry")
    take: Literal["value", "name"] = Field(
        "value", description="`name`: the key is the name of the entry itself, as in a map; without `key` then"
    )
    value: str = Field("", description="the place of the value below an entry; `.` is the value of the entry itself")
    sql: SqlQuery | None = Field(None, description="or a SELECT of two columns: key and value")

    @model_validator(mode="after")
    def _is_one(self) -> Table:
        has_key = bool(self.key) is not (self.take == "name")
        if (self.sql is None) is not (bool(self.each and self.value) and has_key):
            raise ValueError("give `each`, `value`, and `key` or `take: name`; or `sql`")
        return self

    @property
    def key_address(self) -> str:
        """The address of the keys; where they are names, of the entries that have them."""
        return f"{self.each}/{self.key}" if self.key else self.each

    @property
    def value_address(self) -> str:
        return self.each if self.value == OWN else f"{self.each}/{self.value}"
