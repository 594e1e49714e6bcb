"""Numbers of an entry that move together."""

from __future__ import annotations

from pydantic import Field

from zerrit.core.coupled_numbers import Coupling, order_in
from zerrit.core.rules.base import Part, Text


class KeepRules(Part):
    """Numbers of each entry that move together when one of them is set: in an order that holds, or in their proportion."""

    each: Text = Field(description="the address of the entries")
    keep: str = Field("", max_length=500, description="the order that holds, such as `floor <= want <= top`")
    keep_ratio: tuple[Text, ...] = Field((), description="numbers that keep their proportion, such as `[floor, want]`")

    @property
    def fault(self) -> str:
        """What is wrong with it; empty where nothing is."""
        if bool(self.keep) is bool(self.keep_ratio):
            return "Give `keep` or `keep_ratio`, one of the two."
        if self.keep and len(order_in(self.keep)) < 2:
            return f"`{self.keep}` is not an order. Write it such as `floor <= want`."
        if self.keep_ratio and len(self.keep_ratio) < 2:
            return "`keep_ratio` needs two numbers or more."
        return ""

    def coupling(self) -> Coupling:
        return Coupling(order_in(self.keep), self.keep_ratio, self.each)
