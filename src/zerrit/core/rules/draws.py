"""Draw tables: where they are, and where in them is what."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from typing import Final, Literal

from pydantic import Field

from zerrit.core.addresses import parse_node_address
from zerrit.core.documents.document import Document
from zerrit.core.documents.node import Node
from zerrit.core.documents.selection import select
from zerrit.core.documents.slots import PLACE
from zerrit.core.errors import AddressInvalid, FigureRefused
from zerrit.core.rules.base import Name, Part, Text
from zerrit.core.rules.word_uses import ValuesAt

OWN_NAME: Final = ":name"  #: instead of a place: what an entry is called, by its key or its name
OWN_VALUE: Final = ":value"  #: instead of a place: the value of the entry itself
ALL: Final = "all"  #: every prize comes
MOST_NESTED: Final = 12  # sets in sets that a gamebook describes


class RangeAt(Part):
    """Two places that hold the ends of a range; without `max` one place with a number or a range such as `1..3`."""

    min: Text
    max: str = ""


class SetRules(Part):
    """A set of prizes, and where in it is what. Places are names separated by `/`, below the table, set or prize.

    `:name` is what a prize is called, `:value` its own value.
    """

    takes: int | str | RangeAt = Field(
        1, description="how many prizes are drawn: a number, `all`, or the place that says so"
    )
    takes_all: str = Field("", description="the word at that place that means all, such as `all` or `-1`")
    repeats: bool | str = Field(
        True,
        description="may a prize be drawn twice; or the place that says so, with `!` before it where it says the opposite",
    )
    prizes: str = Field(
        "",
        description="the prizes: a list, or a pattern such as `prize[*]` or `slots/*`; all in the table where nothing is given",
    )
    parallel: bool = Field(
        False, description="the places of things, weights and so on are lists; those of one number belong together"
    )
    weight: str = Field("weight", description="the place of the weight; a prize without one has the weight 1")
    chance: str = Field("", description="the chance that a prize comes once it is drawn; without it, it is certain")
    chance_of: Decimal = Field(
        Decimal(1), gt=0, description="the number that means certain: 1, 100 for per cent, or another one"
    )
    thing: str = Field("", description="what a prize is")
    table: str = Field("", description="or the name of the table that it leads to")
    nested: str = Field("", description="how `thing` names another table, with {} for its name: `box[{}]`")
    counts: int | RangeAt = Field(1, description="how many pieces, or how many uses of that table")
    quality: RangeAt | None = Field(
        None, description="the ends of the quality of each piece, evenly spread between them"
    )
    variant: str = Field("", description="what may come in place of the thing, or beside it")
    variant_chance: str = Field("", description="the chance that it does")
    variant_beside: bool = Field(False, description="one piece of the variant comes beside the thing, not in its place")
    when: str = Field(
        "", description="the case in which a prize is there at all, such as a season; `!` before it: all others"
    )
    sets: SetRules | Literal["same"] | None = Field(
        None, description="how prizes that hold prizes themselves are read; `same`: as the set that they are in"
    )

    def places(self) -> Iterator[tuple[str, str]]:
        """The fields that hold places, with the places; values that are not places are left out."""
        for field in ("prizes", "weight", "chance", "thing", "table", "variant", "variant_chance", "when"):
            place = getattr(self, field)
            if place and place not in (OWN_NAME, OWN_VALUE):
                yield field, place
        for field in ("takes", "counts", "quality"):
            value = getattr(self, field)
            if isinstance(value, RangeAt):
                yield field, value.min
                if value.max:
                    yield field, value.max
            elif isinstance(value, str) and value != ALL:
                yield field, value
        if isinstance(self.repeats, str):
            yield "repeats", self.repeats.removeprefix("!")

    def faults(self) -> Iterator[tuple[str, str]]:
        """What is not an address, or contradicts itself, by field."""
        for field, place in self.places():
            try:
                parse_node_address(place)
            except AddressInvalid as error:
                yield field, str(error)
        if not self.thing and not self.table and self.sets is None:
            yield "thing", "A prize needs `thing`, `table` or `sets`, which say what it brings."
        if self.nested and (self.nested.count(PLACE) != 1 or self.nested == PLACE):
            yield (
                "nested",
                f"`nested` is `{self.nested}`; it is text with one {{}} for the name of the table: box[{{}}].",
            )
        if self.nested and not self.thing:
            yield "nested", "`nested` is a form of `thing`, which is not given."
        if bool(self.variant_chance) and not self.variant:
            yield "variant_chance", "`variant_chance` goes together with `variant`."
        if self.variant_beside and not self.variant:
            yield "variant_beside", "`variant_beside` goes together with `variant`."
        if self.takes_all and (isinstance(self.takes, int) or self.takes == ALL):
            yield "takes_all", "`takes_all` is a word at a place; `takes` gives none."
        if self.parallel and self.sets is not None:
            yield "parallel", "Parallel lists have no sets in them. Describe those as tables of their own."
        if self.parallel and self.prizes:
            yield "parallel", "Parallel lists are in the table itself; leave `prizes` out and name each list."
        if isinstance(self.takes, int) and self.takes < 0:
            yield "takes", "`takes` is a number from 0."

    def below(self) -> SetRules | None:
        """How the sets in this one are read."""
        return self if self.sets == "same" else self.sets


class DrawRules(SetRules):
    """Draw tables: where they are, and where in them is what. Places are names separated by `/`, below the table."""

    name: Name
    tables: Text
    called: str = Field("", description="the place of a table's name, for those that have one; without it, its key")

    def all_sets(self) -> Iterator[tuple[tuple[str, ...], SetRules]]:
        """The rules of the tables and of the sets in them, each with its place in the rule."""
        at: tuple[str, ...] = ()
        rules: SetRules = self
        for _ in range(MOST_NESTED):
            yield at, rules
            if not isinstance(rules.sets, SetRules):
                return
            at, rules = (*at, "sets"), rules.sets

    def word_uses(self) -> Iterator[ValuesAt]:
        """Where the names of the tables stand: at the tables, and in the prizes that lead to one."""
        if self.called:
            yield ValuesAt(f"{self.tables}/{self.called}")
        else:
            yield ValuesAt(self.tables, "key")
            yield ValuesAt(self.tables, "name", is_meant=lambda document, node: not document.keys.key_of(node))
        at = self.tables
        for _, rules in self.all_sets():
            prize = f"{at}/{rules.prizes}" if _is_pattern(rules.prizes) else f"{at}/{rules.prizes}/*".replace("//", "/")
            if rules.parallel:
                prize = at
            for place, form in (
                (rules.table, ""),
                (rules.thing if rules.nested.count(PLACE) == 1 else "", rules.nested),
            ):
                if place and place not in (OWN_NAME, OWN_VALUE):
                    uses = f"{prize}/{place}/*" if rules.parallel else f"{prize}/{place}"
                    yield ValuesAt(uses, form=form) if form else ValuesAt(uses)
            at = prize


def prize_nodes(document: Document, node: Node, rules: SetRules) -> list[Node]:
    """The prizes of a table or set.

    Raises FigureRefused: what should hold them is not there.
    """
    if not rules.prizes:
        return [child for child in node.children if not child.name.startswith("@")]
    place = parse_node_address(rules.prizes)
    found = select(node, document.keys, place)
    if any(segment.is_pattern for segment in place) or len(found) > 1:
        return found  # several of one name are the prizes themselves
    if not found:
        at = f"{document.path}#{document.keys.address_of(node)} (line {document.line_of(node)})"
        raise FigureRefused(f"{at} has no {rules.prizes}, where its prizes should be.")
    inside = [child for child in found[0].children if not child.name.startswith("@")]
    return inside or ([] if found[0].value is None and not found[0].children else found)


def _is_pattern(place: str) -> bool:
    return bool(place) and any(segment.is_pattern for segment in parse_node_address(place))
