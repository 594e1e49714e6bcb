"""Snapshots over time, drift, what is taken back, windows, rollouts and the grid."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.models import DifferenceOut
from zerrit.api.request_model import Number, Sent
from zerrit.api.runs import OptionsIn

Choice = Annotated[str, Field(max_length=100_000)]


class SnapshotIn(Sent):
    """Take a snapshot; with `pin` it is never pruned."""

    reason: Annotated[str, Field(max_length=300)] = ""
    pin: bool = False


class PinIn(Sent):
    """Why a snapshot is kept for good; empty lets it go again."""

    reason: Annotated[str, Field(max_length=300)]


class PruningOut(BaseModel):
    """Which snapshots go (or went), and which stay with the reason. `watched`: how many contents of watched files go from
    those that stay.
    """

    pruned: list[int]
    kept: dict[int, str]
    watched: int = 0


class IntegrityOut(BaseModel):
    """What hashing every kept content again gave. `damaged`: paths by snapshot."""

    contents: int
    size: int
    damaged: dict[int, list[str]]


class RestoreIn(Sent):
    """Make a folder (`configs/`), a file or an entry as it was in a snapshot."""

    snapshot: Number
    what: Annotated[str, Field(min_length=1, max_length=2000)]
    title: Annotated[str, Field(max_length=200)] = ""


class RevertIn(Sent):
    """Revert one old change. `choices` decides conflicts by address (current, previous, =VALUE), `rest` all others."""

    choices: dict[str, Choice] = Field(default_factory=dict)
    rest: Literal["", "current", "previous"] = ""
    create: bool = False
    title: Annotated[str, Field(max_length=200)] = ""


class RevertConflictOut(BaseModel):
    """A place that was changed again since: what the change made of it, what it is now, what it was before the change.

    null where it was not there.
    """

    address: str
    changed_to: str | None
    current: str | None
    previous: str | None
    reason: str


class RevertOut(BaseModel):
    """What reverting it does to the latest files; `change` is the one that was created for it."""

    change: int | None
    differences: list[DifferenceOut]
    conflicts: list[RevertConflictOut]


class DriftFileOut(BaseModel):
    """A file or an empty folder; `executable` and `not-executable` are of a file whose right to run changed."""

    path: str
    kind: Literal[
        "changed", "added", "removed", "executable", "not-executable", "empty-folder-added", "empty-folder-removed"
    ]
    writer: str


class DriftOut(BaseModel):
    """What a fetch found that Zerrit had not written, between two snapshots."""

    server: str
    before: int
    after: int
    files: list[DriftFileOut]
    differences: list[DifferenceOut]


class DriftIn(Sent):
    """Which drift: the snapshot that found it, or the newest one; `title` for the change."""

    snapshot: Number | None = None
    title: Annotated[str, Field(max_length=200)] = ""


class TaskIn(Sent):
    """A task of the schedule: `restart` (with queued changes), `snapshot`, `drift-check`."""

    task: Literal["restart", "snapshot", "drift-check"]
    times: Annotated[list[Annotated[str, Field(max_length=8)]], Field(min_length=1, max_length=48)]
    weekdays: list[Annotated[int, Field(ge=0, le=6)]] = Field(default_factory=list)
    zone: Annotated[str, Field(max_length=60)] = "UTC"
    announce: Annotated[int, Field(ge=0, le=120)] = 0


class TaskOut(BaseModel):
    """`next_at` is when it is due next; `note` what a clock change does to it; `queued` the changes that wait for it."""

    id: int
    server: str
    task: Literal["restart", "snapshot", "drift-check"]
    times: list[str]
    weekdays: list[int]
    zone: str
    announce: int
    next_at: datetime
    note: str
    queued: list[int]


class RolloutIn(Sent):
    """Bring a change to servers, wave by wave."""

    change: Number
    waves: Annotated[list[list[Annotated[str, Field(max_length=63)]]], Field(min_length=1, max_length=30)]
    options: OptionsIn = OptionsIn()


class RolloutServerOut(BaseModel):
    server: str
    wave: int
    change: int
    run: int | None
    state: str
    said: str


class RolloutOut(BaseModel):
    id: int
    change: int
    state: str
    outcome: str
    person: str
    started_at: datetime
    ended_at: datetime | None
    servers: list[RolloutServerOut]


class ServerValuesRowOut(BaseModel):
    address: str
    values: dict[str, str | None]
    odd: list[str]
    is_split: bool


class ServerValuesOut(BaseModel):
    servers: list[str]
    rows: list[ServerValuesRowOut]
