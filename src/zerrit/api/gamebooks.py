"""The shapes of checks, waivers, gamebooks and the review of settings."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.models import FindingOut, PlaceOut
from zerrit.api.request_model import Sent


class CheckOut(BaseModel):
    """What is found in the latest files of a server. `blocking` counts errors that no one waived and no one shipped."""

    server: str
    snapshot: int
    files: int
    findings: list[FindingOut]
    blocking: int


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


class AboutOut(BaseModel):
    """Everything that is known of one place."""

    place: PlaceOut
    takes_effect: str
    refers_to: list[ReferenceOut]
    referred_by: list[ReferenceOut]
    history: list[PastOut]


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
    places: int | None
    violations: int
    unmeasured: str


class GamebookOverview(BaseModel):
    """The gamebook of a server beside its files. `drafted` says from what, while it is a draft."""

    name: str
    text: str
    drafted: str
    files: list[KnownFileOut]
    unknown: list[str]
    lists: list[KnownListOut]
    rules: list[RuleOut]
    findings: int


class GamebookTextOut(BaseModel):
    text: str


class GamebookTrial(BaseModel):
    """What an edited gamebook would find in the files, beside what the kept one finds. `faults` keep it from use."""

    faults: list[FindingOut]
    appeared: list[FindingOut]
    gone: list[FindingOut]
    rules: list[RuleOut]


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
