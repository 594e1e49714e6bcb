"""Trades of a game: buying, selling, recipes, exchanges and boxes that are opened; for loops that gain."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from pydantic import Field

from zerrit.core.addresses import parse_node_address
from zerrit.core.errors import AddressInvalid
from zerrit.core.rules.base import Name, Part, Rule, Sources, Text
from zerrit.core.rules.draws import OWN_NAME, OWN_VALUE, RangeAt


class AmountRules(Part):
    """What one side of a trade gives: pieces of a thing, money, or what a draw table brings on average.

    Places are below the entry of the trade, or below each of `list`. `=word` is that word itself, `:name` what the entry is called.
    """

    list_at: str = Field("", alias="list", description="where several things are, as a pattern: `needs/*`")
    thing: str = Field("", description="the place of the thing, `=word` or `:name`")
    money: Sources = Field(
        (), description="or money: a number, a place or an address; of several the first that there is"
    )
    price: str = Field("", description="or money by the derived value of this name")
    stock: Decimal | None = Field(None, description="the amount at which that value is taken")
    table: str = Field("", description="or a draw table, of which one use comes: the place of its name, or `=word`")
    count: Decimal | str | RangeAt = Field(Decimal(1), description="how many; of a range the middle")
    chance: str = Field("", description="the place of the chance that it comes")
    chance_of: Decimal = Field(Decimal(1), gt=0, description="the number that means certain: 1, or 100 for per cent")

    def kinds(self) -> list[str]:
        """Which of the four it says that it is."""
        return [name for name in ("thing", "money", "price", "table") if getattr(self, name)]


class TradeRules(Part):
    """One kind of trade: for each entry what is given and what is got for it."""

    name: Name
    each: Text = Field(description="the address of the entries")
    gives: tuple[AmountRules, ...] = Field(min_length=1)
    gets: tuple[AmountRules, ...] = Field(min_length=1)

    def faults(self) -> Iterator[tuple[tuple[str | int, ...], str]]:
        """What contradicts itself, by place."""
        for side in ("gives", "gets"):
            for number, amount in enumerate(getattr(self, side)):
                at = (side, number)
                kinds = amount.kinds()
                if len(kinds) != 1:
                    said = " and ".join(kinds) or "nothing"
                    yield at, f"Say one of `thing`, `money`, `price` and `table`; this says {said}."
                if side == "gives" and amount.table:
                    yield (*at, "table"), "What a draw brings can be got, not given."
                if amount.stock is not None and not amount.price:
                    yield (*at, "stock"), "`stock` goes together with `price`."
                for place in (amount.list_at, amount.chance, amount.thing, amount.table):
                    if place and not place.startswith("=") and place not in (OWN_NAME, OWN_VALUE):
                        try:
                            parse_node_address(place)
                        except AddressInvalid as error:
                            yield at, str(error)


class LoopRules(Rule):
    """Trades that should not gain in a circle: no one may get more out of them than was put in."""

    name: Name
    trades: tuple[TradeRules, ...] = Field(min_length=1)
    least_gain: Decimal = Field(
        Decimal(0), ge=0, description="loops that gain no more than this in a round are not told"
    )
