"""The shapes of figures. Exact numbers are texts, so that nothing is rounded on the way; those to draw and sort by are floats."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel


class TallyRowOut(BaseModel):
    """Sums are decimal numbers as text. `share_before` and `share_after` are shares of the sum of all, in per cent.

    `target` is the share that is wanted, `off` by how much the sum is above it, or below.
    """

    group: str
    count_before: int
    count_after: int
    sum_before: str
    sum_after: str
    delta: str
    share_before: float | None = None
    share_after: float | None = None
    target: float | None = None
    off: str = ""


class TallyOut(BaseModel):
    before: str
    after: str
    rows: list[TallyRowOut]
    total: TallyRowOut
    skipped: list[str]


class LoweredOut(BaseModel):
    """A number that is to become smaller, and why this one."""

    address: str
    old: str
    new: str
    reason: str


class RoomOut(BaseModel):
    """What to lower so that a sum stays within a limit. `missing` is what is still too much then."""

    words: str
    total: str
    limit: str
    after: str
    missing: str
    lowered: list[LoweredOut]
    spared: int
    skipped: list[str]


class QualityOut(BaseModel):
    least: float
    most: float
    mean: float


class ChanceOut(BaseModel):
    """Of one thing, before and after: the chance of at least one, and the average number. `exact` is a fraction."""

    thing: str
    before: float
    after: float
    exact: str
    expected_before: float
    expected_after: float
    quality: QualityOut | None = None


class WorthOut(BaseModel):
    """The average worth of a use of a table; a range where things have several prices. `without` have none."""

    least: float
    most: float
    without: list[str]


class OddsOut(BaseModel):
    """`case` is the one in which a conditional table is, null where nothing depends on one. `notes`: numbers without effect."""

    table: str
    before: str
    after: str
    chances: list[ChanceOut]
    case: str | None = None
    notes: list[str] = []
    worth_before: WorthOut | None = None
    worth_after: WorthOut | None = None


class SeenOut(BaseModel):
    """How likely it is to see a thing as often as it was seen, or more extreme. `chance` is a decimal number as text."""

    words: str
    chance: str
    once_in: str
    expected: float
    verdict: Literal["usual", "rare", "unlikely", "impossible"]
    state: str


class ApartOut(BaseModel):
    """How many draws tell the chance before from the one after. With `least` or more that bring it, the larger chance is the right one."""

    words: str
    draws: int
    least: int
    before: float
    after: float


class WantedOut(BaseModel):
    number: str
    result: float


class WeightOut(BaseModel):
    """Which weight, or chance, gives what is wanted: the numbers next below and above it."""

    words: str
    address: str
    what: Literal["weight", "chance"]
    now: str
    result_now: float
    below: WantedOut
    above: WantedOut


class InputOut(BaseModel):
    """A number that a value is made with, and where it came from."""

    name: str
    number: float
    source: str


class AtAmountOut(BaseModel):
    """A derived value for an amount, such as the stock of a store."""

    amount: str
    value: float | None
    before: float | None


class DerivedOut(BaseModel):
    """A derived value; `low` and `high` are pairs of a threshold and the value at it. `before` is the value before the change.

    `thing` is what it is of, `place` where it holds. `rule` says in words what it is made of, `line` where that stands in the
    gamebook.
    """

    name: str
    address: str
    thing: str
    place: str
    source: str
    value: float | None
    before: float | None
    low: tuple[float, float] | None
    high: tuple[float, float] | None
    amounts: list[AtAmountOut]
    inputs: list[InputOut]
    rule: str
    line: int
    fault: str


class FreeNumberOut(BaseModel):
    family: str
    taken: int
    following: str
    gap: str


class DistanceOut(BaseModel):
    """`nearest` is the address of the other entry that it was measured to; `floor` and `turned` are null where not asked for."""

    address: str
    point: list[str]
    distance: str | None
    is_inside: bool | None
    fault: str
    nearest: str = ""
    floor: int | None = None
    turned: str | None = None


class LoopStepOut(BaseModel):
    """A trade, and how often it is made in a round."""

    trade: str
    address: str
    times: str
    gives: str
    gets: str


class FixOut(BaseModel):
    """The smallest change of one price that ends a loop."""

    address: str
    trade: str
    old: str
    new: str
    is_paid: bool
    words: str


class LoopOut(BaseModel):
    """Trades that gain together. `is_new`: they did not before the change."""

    words: str
    steps: list[LoopStepOut]
    gain: str
    things: dict[str, str]
    fix: FixOut | None
    is_new: bool


class LoopsOut(BaseModel):
    """The loops of a game's trades, and in `verdict` what is certain of all others.

    `ended` are loops of the state before that gain no more. `gifts` are trades that take nothing; `left_out` entries that have
    no trade, with the reason.
    """

    name: str
    before: str
    after: str
    loops: list[LoopOut]
    ended: list[str]
    verdict: str
    trades: int
    gifts: list[str]
    left_out: list[str]
