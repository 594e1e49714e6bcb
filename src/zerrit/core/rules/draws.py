"""Draw tables: where they are, and where in them is what."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import Field

from zerrit.core.documents.slots import PLACE
from zerrit.core.rules.base import Name, Part, Text
from zerrit.core.rules.word_uses import ValuesAt


class RangeAt(Part):
    """Two places that hold the ends of a range; without `max` one place with a number or a range such as `1..3`."""

    min: Text
    max: str = ""


class DrawRules(Part):
    """Draw tables: where they are, and where in them is what. Places are names separated by `/`, below the table."""

    name: Name
    tables: Text
    takes: int | RangeAt = Field(1, description="how many prizes are drawn")
    repeats: bool | str = Field(True, description="may a prize be drawn twice; or the place that says so")
    prizes: str = Field("", description="the list of what is drawn; the table itself where nothing is given")
    weight: Text = "weight"
    thing: str = Field("", description="what a prize is")
    table: str = Field("", description="or the name of the table that it leads to")
    nested: str = Field("", description="how `thing` names another table, with {} for its name: `box[{}]`")
    counts: int | RangeAt = Field(1, description="how many pieces, or how many uses of that table")
    variant: str = Field("", description="what may come in place of the thing")
    variant_chance: str = ""

    def word_uses(self) -> Iterator[ValuesAt]:
        """Where the names of the tables stand: at the tables, and in the prizes that lead to one."""
        yield ValuesAt(self.tables, "key")
        yield ValuesAt(self.tables, "name", is_meant=lambda document, node: not document.keys.key_of(node))
        prize = f"{self.tables}/{self.prizes}/*" if self.prizes else f"{self.tables}/*"
        if self.table:
            yield ValuesAt(f"{prize}/{self.table}")
        if self.nested and self.thing and self.nested.count(PLACE) == 1:
            yield ValuesAt(f"{prize}/{self.thing}", form=self.nested)
