"""Pydantic models of the HTTP API, version 1."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, SecretStr

from zerrit.api.request_model import Sent
from zerrit.api.runs import RunOut
from zerrit.core.states import ChangeState
from zerrit.settings import AnyConnection, AnyControl, Maintenance


class Problem(BaseModel):
    """An error as RFC 9457 describes it. `type` ends in a stable short name; `facts` hold more where there is more."""

    type: str
    title: str
    status: int
    detail: str
    instance: str = ""
    facts: dict[str, Any] = {}


class Credentials(Sent):
    name: Annotated[str, Field(max_length=80)]
    password: Annotated[SecretStr, Field(max_length=200)]


class TokenIn(Credentials):
    """`label` says what the token is for."""

    label: Annotated[str, Field(max_length=80)] = ""


class TokenOut(BaseModel):
    token: str


class KeptTokenOut(BaseModel):
    """A session of the console or a bearer token. `used_at` is to the hour; `is_this` marks the one that asks."""

    id: int
    kind: str
    label: str
    created_at: datetime
    expires_at: datetime
    used_at: datetime | None
    is_this: bool


class ChainOut(BaseModel):
    """Whether the activity log is as it was written: how many rows it has, and what is wrong with which."""

    rows: int
    faults: list[str]


class PasswordIn(Sent):
    old: Annotated[SecretStr, Field(max_length=200)]
    new: Annotated[SecretStr, Field(max_length=200)]


class PersonOut(BaseModel):
    name: str
    role: str


class GamebookIn(Sent):
    text: Annotated[str, Field(max_length=4_000_000)]


class GamebookOut(BaseModel):
    name: str
    updated_at: datetime


ServerSecret = Annotated[SecretStr, Field(max_length=20_000)]


class ServerIn(Sent):
    """A server with the settings that it gets. A secret (password, key, token) that is empty stays as it is stored."""

    id: Annotated[str, Field(max_length=63)]
    title: Annotated[str, Field(max_length=120)] = ""
    gamebook: str | None = None
    connection: AnyConnection
    connection_secret: ServerSecret = SecretStr("")
    control: AnyControl
    control_secret: ServerSecret = SecretStr("")
    maintenance: Maintenance = Maintenance()


class ServerOut(BaseModel):
    """A server with what one looks for first. `connection`, `control` and `maintenance` contain no secrets; `last_run` may be under way.

    `notes` are what one should know of it, such as a connection in clear text.
    """

    id: str
    title: str
    gamebook: str | None
    connection: AnyConnection
    control: AnyControl
    maintenance: Maintenance
    notes: list[str]
    files: int
    last_snapshot: SnapshotOut | None
    defaults: list[str]
    open_changes: int
    last_run: RunOut | None


class SnapshotOut(BaseModel):
    """A snapshot. `is_good`: the game came up with these files; `kept` says why it is never pruned."""

    id: int
    server: str
    kind: Literal["server", "defaults", "imported"]
    label: str | None
    reason: str
    pinned: str
    is_good: bool
    taken_at: datetime
    files: int


class FetchOut(BaseModel):
    snapshot: SnapshotOut
    is_new: bool
    changed: list[str]
    added: list[str]
    removed: list[str]
    read: int
    left_out: dict[str, str]


class FileStateOut(BaseModel):
    path: str
    format: str
    size: int
    state: Literal["as-shipped", "changed", "own", "unknown", "watched"]
    errors: int
    warnings: int
    purpose: str


class FindingOut(BaseModel):
    code: str
    severity: Literal["error", "warning", "notice"]
    message: str
    path: str
    line: int
    column: int
    address: str
    hint: str
    waiver_address: str = ""
    is_new: bool = True
    blocks: bool = False
    waived: str | None = None
    is_shipped: bool = False
    rule: str = ""
    reason: str = ""


class FileOut(BaseModel):
    path: str
    format: str
    text: str
    encoding: str
    findings: list[FindingOut]


class ColumnOut(BaseModel):
    """A field of entries. `kind` is that of its values, `least` and `most` the ends of their range, as texts."""

    field: str
    kind: str
    least: str
    most: str
    note: str
    allowed: str
    words: list[str]


class RowOut(BaseModel):
    """One entry. `changed` are the fields that the open change has changed; `findings` what is wrong, by field.

    `known` is what the gamebook knows of a setting, which has no column of its own.
    """

    address: str
    trail: str
    line: int
    comment: str
    cells: dict[str, str]
    changed: list[str]
    findings: dict[str, str]
    known: ColumnOut | None = None


class EntriesOut(BaseModel):
    kinds: dict[str, int]
    kind: str
    columns: list[ColumnOut]
    rows: list[RowOut]


class PlaceOut(BaseModel):
    address: str
    kind: str
    value: str | None
    source: str
    comment: str
    note: str
    line: int
    default: str | None
    allowed: str
    findings: list[FindingOut]


class ChangeIn(Sent):
    title: Annotated[str, Field(min_length=1, max_length=200)]


class StepIn(Sent):
    """One step. Which fields it needs depends on `kind`; see `zerrit.core.steps`."""

    kind: Literal[
        "set",
        "add",
        "copy",
        "copy-fields",
        "remove",
        "rename",
        "move",
        "comment-out",
        "comment-in",
        "merge",
        "carry",
        "put-file",
        "remove-file",
    ]
    address: Annotated[str, Field(min_length=1, max_length=2000)]
    operation: Annotated[str, Field(max_length=100_000)] = ""
    name: Annotated[str, Field(max_length=500)] = ""
    value: Annotated[str, Field(max_length=100_000)] | None = None
    fields: dict[str, str] = Field(default_factory=dict)
    key: Annotated[str, Field(max_length=500)] = ""
    where: Literal["", "before", "after", "into"] = ""
    target: Annotated[str, Field(max_length=2000)] = ""
    snippet: Annotated[str, Field(max_length=4_000_000)] = ""
    origin: Annotated[str, Field(max_length=500)] = ""
    into: Annotated[str, Field(max_length=2000)] = ""
    choices: dict[str, Annotated[str, Field(max_length=100_000)]] = Field(default_factory=dict)
    names: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list)
    base: Annotated[str, Field(max_length=64_000_000)] = ""
    content: Annotated[str, Field(max_length=64_000_000)] = ""


class ValueChangeOut(BaseModel):
    address: str
    old: str | None
    new: str | None


class OutcomeOut(BaseModel):
    kind: Literal["done", "same", "impossible"]
    message: str
    notes: list[str]
    changes: list[ValueChangeOut]


class StepOut(BaseModel):
    id: int
    position: int
    kind: str
    address: str
    summary: str
    author: str
    outcome: OutcomeOut


class ChangeOut(BaseModel):
    id: int
    server: str
    title: str
    state: ChangeState
    base: int
    author: str
    version: int
    steps: int
    created_at: datetime
    updated_at: datetime


class EffectOut(BaseModel):
    """What written values wait for before they hold, and which they are."""

    takes_effect: str
    addresses: list[str]


class ChangeDetail(ChangeOut):
    """A change worked out on its base. `blocking` says why it may not be deployed, one sentence each.

    `findings` are those that it brings in, `fixed` those that it takes away; `old_findings` counts the rest.
    `effects` is what it waits for once it is written, `checklist_preview` what to check in the game then.
    """

    step_list: list[StepOut]
    findings: list[FindingOut]
    old_findings: int
    fixed: list[FindingOut]
    touched: list[str]
    blocking: list[str]
    effects: list[EffectOut]
    checklist_preview: list[str]
    is_outdated: bool
    runs: list[RunOut]
    checklist: list[ChecklistItemOut]
    pending: list[PendingOut]


class ChecklistItemOut(BaseModel):
    """Something to look at in the game. `is_right` is empty until someone has looked."""

    id: int
    text: str
    is_right: bool | None
    note: str
    person: str
    at: datetime | None


class ChecklistIn(Sent):
    is_right: bool
    note: Annotated[str, Field(max_length=1000)] = ""


class PendingOut(BaseModel):
    """Written values and what they wait for; `in_effect_at` is when it came."""

    id: int
    takes_effect: str
    addresses: list[str]
    in_effect_at: datetime | None
    person: str


class WaiverIn(Sent):
    code: Annotated[str, Field(max_length=60)]
    address: Annotated[str, Field(max_length=2000)]
    reason: Annotated[str, Field(min_length=1, max_length=1000)]
    until: datetime | None = None


class MergeIn(Sent):
    path: Annotated[str, Field(min_length=1, max_length=2000)]
    snippet: Annotated[str, Field(max_length=4_000_000)]
    into: Annotated[str, Field(max_length=2000)] = ""


class MergeActionOut(BaseModel):
    """What happens to one entry of a snippet. `result` is the line that results, of an entry of one line."""

    kind: str
    address: str
    line: int
    reason: str
    result: str
    changes: list[ValueChangeOut]


class MergePlanOut(BaseModel):
    actions: list[MergeActionOut]
    notes: list[str]


class DifferenceOut(BaseModel):
    kind: str
    address: str
    old: str | None
    new: str | None
    delta: str
    entry: str


class TextDifferenceOut(BaseModel):
    path: str
    text: str


class StateIn(Sent):
    """A state of a server, and the SHA-256 by path of the files that are known already."""

    state: Annotated[str, Field(min_length=1, max_length=200)]
    known: Annotated[dict[str, str], Field(default_factory=dict)]


class ComparisonOut(BaseModel):
    """What differs between `old` and `new`; `notes` say what else one should know, such as files that drifted.

    `texts` are the lines that differ, where they were asked for.
    """

    old: str
    new: str
    notes: list[str]
    differences: list[DifferenceOut]
    texts: list[TextDifferenceOut]


class ConflictOut(BaseModel):
    """A place that both sides changed differently; null where a side does not have it."""

    address: str
    base: str | None
    mine: str | None
    theirs: str | None
    reason: str


class KeyNoteOut(BaseModel):
    address: str
    value: str
    comment: str


class UpgradeIn(Sent):
    """An upgrade from one version of the defaults to another.

    `choices` decides conflicts by address (mine, theirs, or =VALUE), `rest` all others; `title` is that of the change.
    """

    old: Annotated[str, Field(min_length=1, max_length=40)]
    new: Annotated[str, Field(min_length=1, max_length=40)]
    title: Annotated[str, Field(max_length=200)] = ""
    choices: dict[str, Annotated[str, Field(max_length=100_000)]] = Field(default_factory=dict)
    rest: Literal["", "mine", "theirs"] = ""


class UpgradeFileOut(BaseModel):
    """One file: what the vendor changed, what was changed here, and what becomes of it."""

    path: str
    state: Literal["taken", "added", "moved", "merged", "conflict"]
    vendor: list[DifferenceOut]
    own: list[DifferenceOut]
    taken: list[ValueChangeOut]
    left: list[str]
    conflicts: int
    added: list[KeyNoteOut]
    dropped: list[KeyNoteOut]


class UpgradeOut(BaseModel):
    server: str
    old: str
    new: str
    files: list[UpgradeFileOut]
    conflicts: list[ConflictOut]
    remaining: list[str]


class ReplayIn(Sent):
    """Replay a change on another server; with `open` as a change there, of the steps that do something."""

    server: Annotated[str, Field(max_length=63)]
    title: Annotated[str, Field(max_length=200)] = ""
    create: bool = False


class ReplayedStepOut(BaseModel):
    position: int
    kind: str
    address: str
    outcome: OutcomeOut


class ReplayOut(BaseModel):
    """What each step did on the other server; `findings` are those that are new there."""

    server: str
    steps: list[ReplayedStepOut]
    findings: list[FindingOut]
    change: int | None


class TallyRowOut(BaseModel):
    """Sums are decimal numbers as text, so that nothing is rounded on the way."""

    group: str
    count_before: int
    count_after: int
    sum_before: str
    sum_after: str
    delta: str


class TallyOut(BaseModel):
    before: str
    after: str
    rows: list[TallyRowOut]
    total: TallyRowOut
    skipped: list[str]


class ChanceOut(BaseModel):
    """Of one thing, before and after: the chance of at least one, and the average number. `exact` is a fraction."""

    thing: str
    before: float
    after: float
    exact: str
    expected_before: float
    expected_after: float


class OddsOut(BaseModel):
    table: str
    before: str
    after: str
    chances: list[ChanceOut]


class DerivedOut(BaseModel):
    """A derived value; `low` and `high` are pairs of a threshold and the value at it."""

    address: str
    source: str
    value: float | None
    low: tuple[float, float] | None
    high: tuple[float, float] | None
    at_amount: float | None
    fault: str


class FreeNumberOut(BaseModel):
    family: str
    taken: int
    following: str
    gap: str


class DistanceOut(BaseModel):
    address: str
    point: list[str]
    distance: str | None
    is_inside: bool | None
    fault: str


class ActivityOut(BaseModel):
    at: datetime
    person: str
    action: str
    detail: str


ServerOut.model_rebuild()
ChangeDetail.model_rebuild()
