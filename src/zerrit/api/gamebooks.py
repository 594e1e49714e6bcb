"""The shapes of checks, waivers, gamebooks and the review of settings."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, Field

from zerrit.api.models import FindingOut, ShownOut
from zerrit.api.request_model import Number, Sent


class CheckOut(BaseModel):
    """What is found in the latest files of a server, or the first of it.

    `total` counts all findings, `shipped` those that the defaults have too, `blocking` errors that no one waived and no one
    shipped; `by_severity` those of each severity that no one waived and no one shipped.
    """

    server: str
    snapshot: int
    files: int
    findings: list[FindingOut]
    total: int
    shipped: int
    blocking: int
    by_severity: dict[str, int]


class WaiverOut(BaseModel):
    """A waiver and what it does now: `in-use` waives a finding, `unused` waives nothing, `ended` is over."""

    id: int
    code: str
    address: str
    reason: str
    author: str
    created_at: datetime
    until: datetime | None
    state: Literal["in-use", "unused", "ended"]
    message: str


class ReferenceOut(BaseModel):
    """A place that another is linked with, and how."""

    address: str
    line: int
    what: str


class PastOut(BaseModel):
    """A value that a place had from a moment on; `person` is empty where no one of us wrote it."""

    at: datetime
    value: str | None
    snapshot: int
    reason: str
    person: str
    change: int | None


class RuleOfPlaceOut(BaseModel):
    """A rule that a place takes part in, in words, and where it stands in the gamebook."""

    id: str
    part: str
    text: str
    reason: str
    line: int
    location: list[int | str]
    data: dict[str, Any]


class NoteOut(BaseModel):
    """What a person wrote beside a place: a note of the server, or a comment in a change."""

    id: int
    change: int | None
    address: str
    text: str
    author: str
    created_at: datetime


class NoteIn(Sent):
    """A note beside a place. In a change the address may be empty: a comment on the change as a whole."""

    address: Annotated[str, Field(max_length=2000)]
    text: Annotated[str, Field(min_length=1, max_length=5000)]


class NoteDecisionIn(Sent):
    """A note that is put into the gamebook; with `dry_run` it is only shown what that would be."""

    dry_run: bool = False


class PlayerNotesOut(BaseModel):
    text: str


class RulePlaceOut(BaseModel):
    """Where the rule of a field stands in the gamebook, or would stand; `data` is empty where there is none yet."""

    location: list[int | str]
    data: dict[str, Any]


class PlaceOddsOut(BaseModel):
    """What one use of a draw table brings of a thing: the chance of at least one, and the average number.

    `before` is that chance before the change, where the change moves it.
    """

    table: str
    thing: str
    chance: float
    expected: float
    before: float | None


class AboutOut(BaseModel):
    """Everything that is known of one place."""

    shown: ShownOut
    takes_effect: str
    refers_to: list[ReferenceOut]
    referred_by: list[ReferenceOut]
    history: list[PastOut]
    rules: list[RuleOfPlaceOut]
    odds: list[PlaceOddsOut]
    notes: list[NoteOut]
    default_of_game: str


class KnownFileOut(BaseModel):
    pattern: str
    purpose: str
    takes_effect: str
    files: int
    rules: int
    line: int


class KnownListOut(BaseModel):
    """A list with its words; null where a file that it comes from is broken."""

    name: str
    source: str
    note: str
    words: list[str] | None
    line: int


class RuleOut(BaseModel):
    """A rule in words, how many places it speaks of, and at how many of them it does not hold.

    `unmeasured` says why nothing, or not everything, could be measured; such a rule is not satisfied.
    """

    id: str
    part: str
    text: str
    message: str
    reason: str
    approved: bool
    severity: Literal["error", "warning", "notice"] | None
    line: int
    location: list[int | str]
    data: dict[str, Any]
    places: int | None
    violations: int
    unmeasured: str


class SampleOut(BaseModel):
    """A value at a place, and how many places have the same one."""

    address: str
    line: int
    value: str
    count: int


class SuggestionOut(BaseModel):
    """A rule that was seen in files and that no one has decided about.

    `evidence` says what was counted in the defaults; `samples` are values in the latest files; `exceptions` are places
    there that break it, a few of them, `elsewhere` how many places on other servers do. `origin`: it stands in the drafted `gamebook`, or only in a new `draft`.
    """

    id: str
    rule: RuleOut
    evidence: str
    samples: list[SampleOut]
    exceptions: list[FindingOut]
    elsewhere: int
    origin: Literal["gamebook", "draft"]


MOST_VALUES = 2000
DEEPEST = 6


def _bounded(data: dict[str, Any]) -> dict[str, Any]:
    """A rule is a small thing; what is not is no rule."""
    count = 0
    level: list[Any] = [data]
    for _ in range(DEEPEST):
        below: list[Any] = []
        for one in level:
            items = one.values() if isinstance(one, dict) else one if isinstance(one, list) else ()
            below.extend(items)
        count += len(below)
        if count > MOST_VALUES:
            raise ValueError(f"a rule holds at most {MOST_VALUES} values")
        level = [one for one in below if isinstance(one, dict | list)]
    if level:
        raise ValueError(f"a rule is at most {DEEPEST} levels deep")
    return data


RuleData = Annotated[dict[str, Any], AfterValidator(_bounded)]
RuleLocation = Annotated[
    list[Annotated[int, Field(ge=0, le=10_000)] | Annotated[str, Field(max_length=400)]],
    Field(min_length=1, max_length=8),
]


class DecisionIn(Sent):
    """What is decided about suggested rules; `data` is a single one as it is accepted, where it was changed."""

    suggestions: Annotated[list[Annotated[str, Field(max_length=100)]], Field(min_length=1, max_length=500)]
    accept: bool
    data: RuleData | None = None
    dry_run: bool = False


class RuleIn(Sent):
    """A rule at its place in the gamebook, such as `["refers", 2]`; without `data` the one that is there is removed.

    A number behind the last one of a part adds a rule.
    """

    location: RuleLocation
    data: RuleData | None = None
    dry_run: bool = False


class RelationIn(Sent):
    """A rule between two fields, given by their addresses: the first is `equal` to, `at-most`, or a word of the second."""

    relation: Literal["equal", "at-most", "refers-to"]
    first: Annotated[str, Field(min_length=1, max_length=2000)]
    second: Annotated[str, Field(min_length=1, max_length=2000)]
    dry_run: bool = False


class AdjustmentIn(Sent):
    """A change of the rule behind a finding: `allow` its value, `skip-file`, or another severity.

    `change` is the change in which it is found; without it, the latest files.
    """

    code: Annotated[str, Field(min_length=1, max_length=100)]
    address: Annotated[str, Field(min_length=1, max_length=2000)]
    how: Literal["allow", "skip-file", "error", "warning", "notice"]
    change: Number | None = None
    dry_run: bool = False


class GamebookOverview(BaseModel):
    """The gamebook of a server beside its files. `drafted` says from what, while it is a draft.

    `trouble` is its part on logs and crash files, as it is written.
    """

    name: str
    text: str
    drafted: str
    trouble: dict[str, Any]
    files: list[KnownFileOut]
    unknown: list[str]
    lists: list[KnownListOut]
    rules: list[RuleOut]
    findings: int


class GamebookTextOut(BaseModel):
    text: str


class CaseOut(BaseModel):
    """A case of a gamebook that is not as it should be, and how."""

    name: str
    line: int
    words: str


class GamebookTrial(BaseModel):
    """What an edited gamebook would find in the files, beside what the kept one finds. `faults` keep it from use."""

    faults: list[FindingOut]
    appeared: list[FindingOut]
    gone: list[FindingOut]
    rules: list[RuleOut]
    failed_cases: list[CaseOut] = []


class GamebookLineOut(BaseModel):
    kind: Literal["same", "added", "removed", "gap"]
    text: str


class GamebookEditOut(BaseModel):
    """An edit of a gamebook: the lines that differ and some around them, what it finds in the latest files beside what was
    found before, and the rule that it is about. `is_saved` is false for a dry run."""

    name: str
    lines: list[GamebookLineOut]
    appeared: list[FindingOut]
    gone: list[FindingOut]
    rule: RuleOut | None
    is_saved: bool


class GamebookNameOut(BaseModel):
    name: str


class FileReviewOut(BaseModel):
    path: str
    settings: int
    unread: int
    purpose: str


class SettingOut(BaseModel):
    """One setting: `unread`, `read` by a person, or `own` where someone gave it another value than the default."""

    address: str
    line: int
    value: str
    default: str
    comment: str
    note: str
    state: Literal["unread", "read", "own"]
    person: str
    at: datetime | None


class ReadIn(Sent):
    """Settings to mark as read: some of a file, or all of it where `addresses` is null."""

    path: Annotated[str, Field(min_length=1, max_length=2000)]
    addresses: list[Annotated[str, Field(max_length=2000)]] | None = None


class ReadOut(BaseModel):
    marked: int
