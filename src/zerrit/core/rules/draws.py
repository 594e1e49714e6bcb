"""Draw tables: where they are, and where in them is what."""

from __future__ import annotations

from pydantic import Field

from zerrit.core.rules.base import Name, Part, Text


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
