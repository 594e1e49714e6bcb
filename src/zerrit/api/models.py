"""Pydantic models of the HTTP API, version 1."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, SecretStr

from zerrit.api.request_model import Number, Patience, Sent
from zerrit.api.runs import RunOut
from zerrit.core.documents.format import Format
from zerrit.core.states import ChangeState
from zerrit.settings import AnyConnection, AnyControl, AnyDatabase, Maintenance


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
    """Someone who may sign in. `may_change`: places on servers that a helper may change; an admin may change all."""

    name: str
    role: str
    may_change: list[str] = []


Place = Annotated[str, Field(max_length=1000)]


class PersonIn(Credentials):
    """`role` is admin or helper; a helper prepares any change, and deploys what stays at the places in `may_change`."""

    role: Literal["admin", "helper"] = "helper"
    may_change: Annotated[list[Place], Field(max_length=100, default_factory=list)]


class PersonEdit(Sent):
    """Other places for a helper, or another password; what is not given stays."""

    may_change: Annotated[list[Place], Field(max_length=100)] | None = None
    password: Annotated[SecretStr, Field(max_length=200)] | None = None


class GamebookIn(Sent):
    text: Annotated[str, Field(max_length=4_000_000)]


class GamebookOut(BaseModel):
    name: str
    updated_at: datetime


ServerSecret = Annotated[SecretStr, Field(max_length=20_000)]


class ServerIn(Sent):
    """A server with the settings that it gets. A secret (password, key, token) that is empty stays as it is stored.

    So does `database` where it is left out.
    """

    id: Annotated[str, Field(max_length=63)]
    title: Annotated[str, Field(max_length=120)] = ""
    gamebook: str | None = None
    connection: AnyConnection
    connection_secret: ServerSecret = SecretStr("")
    control: AnyControl
    control_secret: ServerSecret = SecretStr("")
    database: AnyDatabase | None = None
    database_secret: ServerSecret = SecretStr("")
    maintenance: Maintenance = Maintenance()


class ConnectionTestIn(Sent):
    """A way to files that is tried before a server is added; with `try_write` a small file is written and removed."""

    connection: AnyConnection
    connection_secret: ServerSecret = SecretStr("")
    try_write: bool = False


class ListedOut(BaseModel):
    """A file in a folder, or a folder with size 0."""

    name: str
    is_folder: bool
    size: int


class ConnectionTestOut(BaseModel):
    """What a connection leads to. Nothing of it is kept.

    `here` is what is directly in the folder; `settings`, `scripts`, `logs`, `crashes` and `databases` are files further down,
    by what they look like, a few of each, and `counts` says how many of each there are. `roots` are folders that may be the
    game's own; the empty one is the folder itself. `is_complete` is false where there was more than was looked at. Times are
    milliseconds, `read_speed` bytes for each second. `can_write` is null where it was not tried.
    """

    identity: str
    here: list[ListedOut]
    files: int
    folders: int
    is_complete: bool
    listing_ms: float
    read_speed: float | None
    can_write: bool | None
    write_problem: str
    notes: list[str]
    counts: dict[str, int]
    settings: list[str]
    scripts: list[str]
    logs: list[str]
    crashes: list[str]
    databases: list[str]
    log_folders: list[str]
    crash_folders: list[str]
    roots: list[str]


class ControlTestIn(Sent):
    """A control that is asked for the state of its game before a server is added."""

    control: AnyControl
    control_secret: ServerSecret = SecretStr("")


class ControlTestOut(BaseModel):
    """What a control said: whether the game runs, in its words, and after how many milliseconds."""

    is_running: bool
    state: str
    milliseconds: float


class GameStateOut(BaseModel):
    """What a control says of its game, in its own words; `players` is null where it runs not, or does not count them."""

    state: str
    players: int | None


class ServerOut(BaseModel):
    """A server with what one looks for first. `connection`, `control`, `database` and `maintenance` contain no secrets; `last_run` may be under way.

    `notes` are what one should know of it, such as a connection in clear text. `pending` counts values that were deployed
    and wait for something before they take effect.
    """

    id: str
    title: str
    gamebook: str | None
    connection: AnyConnection
    control: AnyControl
    database: AnyDatabase
    maintenance: Maintenance
    notes: list[str]
    files: int
    last_snapshot: SnapshotOut | None
    defaults: list[str]
    open_changes: int
    pending: int
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
    """What a fetch found. `errors` and `warnings` are those in the files that are neither waived nor the vendor's own; None
    where the check takes longer than one should wait.
    """

    snapshot: SnapshotOut
    is_new: bool
    changed: list[str]
    added: list[str]
    removed: list[str]
    read: int
    left_out: dict[str, str]
    errors: int | None
    warnings: int | None


class FileStateOut(BaseModel):
    """A file of a server. `errors` and `warnings` are None while it is being checked and one did not want to wait for that.

    `is_executable`: it may be run as a program; None where the host does not tell.
    """

    path: str
    format: str
    size: int
    state: Literal["as-shipped", "changed", "own", "unknown", "watched"]
    errors: int | None
    warnings: int | None
    purpose: str
    is_executable: bool | None = None


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


class FindingsOut(BaseModel):
    """The first findings; `total` counts all of them."""

    findings: list[FindingOut]
    total: int


class PieceOut(BaseModel):
    """One edit for an editor. Lines and columns are 1-based; columns count UTF-16 units."""

    from_line: int
    from_column: int
    to_line: int
    to_column: int
    text: str


class OfferedFixOut(BaseModel):
    """The safe fixes of a file as one edit, and how many findings they remove."""

    piece: PieceOut
    findings: int


class FileOut(BaseModel):
    """A text file. `digest` is that of its text, which an editor sends back with what was typed."""

    path: str
    format: str
    read_as: str  #: the format in words, and that it is guessed
    text: str
    encoding: str
    digest: str
    findings: list[FindingOut]
    safe_fix: OfferedFixOut | None


class FileFormatOut(BaseModel):
    """How a file is read, and who says so: its `name`, the `gamebook`, or its `content`, which is a guess."""

    path: str
    format: Format
    said_by: Literal["name", "gamebook", "content"]
    labels: dict[Format, str]  #: what people call each format


class FileFormatIn(Sent):
    """How a file is to be read; without `format` by its name and its content. It is written into the gamebook."""

    path: Annotated[str, Field(min_length=1, max_length=1000)]
    format: Format | None = None
    dry_run: bool = False


class PieceIn(Sent):
    """One edit of an editor. Lines and columns are 1-based; columns count UTF-16 units."""

    from_line: Number
    from_column: Number
    to_line: Number
    to_column: Number
    text: Annotated[str, Field(max_length=64_000_000)] = ""


class TypedIn(Sent):
    """What was typed into a file: its complete `text`, or the `pieces` by which it differs from the text before.

    `digest` is that of the text before, as the file came with it; empty for a file that is new. `base` is that text
    itself: with it, what was typed can be saved even if another person has edited the file since.
    """

    path: Annotated[str, Field(min_length=1, max_length=1000)]
    digest: Annotated[str, Field(max_length=64)] = ""
    text: Annotated[str, Field(max_length=64_000_000)] | None = None
    pieces: Annotated[list[PieceIn], Field(max_length=100_000)] = Field(default_factory=list)
    base: Annotated[str, Field(max_length=64_000_000)] | None = None


class TypedCheckOut(BaseModel):
    """The findings of a file with the typed text, and the new ones `elsewhere`; `digest` is that of the typed text."""

    findings: list[FindingOut]
    elsewhere: list[FindingOut]
    digest: str
    safe_fix: OfferedFixOut | None


class ColumnOut(BaseModel):
    """A field of entries. `kind` is that of its values, `least` and `most` the ends of their range, as texts."""

    field: str
    kind: str
    least: str
    most: str
    note: str
    allowed: str
    words: list[str]


class AddressOut(BaseModel):
    """What a place in the text of a file belongs to. `known` is what the gamebook knows of the field there."""

    address: str
    kind: str
    value: str | None
    line: int
    last_line: int
    known: ColumnOut | None


class RowOut(BaseModel):
    """One entry. `changed` are the fields that the open change has changed; `findings` what is wrong, by field.

    `parts` are the entries inside of it, by kind. `known` is what the gamebook knows of a setting, which has no column.
    """

    address: str
    trail: str
    line: int
    comment: str
    cells: dict[str, str]
    parts: dict[str, list[str]]
    changed: list[str]
    findings: dict[str, str]
    known: ColumnOut | None = None


class EntriesQuery(Sent):
    """Which entries of a file are asked for. Without a `kind`, they are of the main one of the file.

    `search`: words that all are in the entry. `where`: conditions FIELD:CONDITION, with `>10`, `<=4`, `=cloth`, `!=cloth` or
    a part of the value. `below`: what is at or below an address. `address`: an entry or field whose page is wanted.
    `patience`: the seconds after which a first page may be incomplete; without it, it never is.
    """

    path: Annotated[str, Field(max_length=1000)]
    kind: Annotated[str, Field(max_length=500)] = ""
    change: Number | None = None
    search: Annotated[str, Field(max_length=500)] = ""
    where: Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=30)] = Field(default_factory=list)
    sort: Annotated[str, Field(max_length=500)] = ""
    descending: bool = False
    only: Literal["", "changed", "findings"] = ""
    below: Annotated[str, Field(max_length=2000)] = ""
    address: Annotated[str, Field(max_length=2000)] = ""
    offset: Number = 0
    limit: Annotated[int, Field(ge=1, le=1000)] = 200
    patience: Patience | None = None


class EntriesOut(BaseModel):
    """One page of the entries of a file. `kinds` counts all of each kind.

    `total` are the entries of the kind, `matching` those that the query fits, `offset` the place of the first row.
    Where it is not complete, the rows are right, but there can be more kinds, columns and findings than it shows.
    """

    kinds: dict[str, int]
    kind: str
    columns: list[ColumnOut]
    parts: list[str]
    rows: list[RowOut]
    total: int
    matching: int
    offset: int
    is_complete: bool = True
    absent: list[AbsentOut] = []  #: known settings that the file does not have


class GroupsQuery(Sent):
    """Which entries are grouped by the value of the field `by`, and of which field `sum` the sum is wanted."""

    path: Annotated[str, Field(min_length=1, max_length=2000)]
    by: Annotated[str, Field(min_length=1, max_length=400)]
    sum: Annotated[str, Field(max_length=400)] = ""
    kind: Annotated[str, Field(max_length=400)] = ""
    search: Annotated[str, Field(max_length=300)] = ""
    where: Annotated[list[Annotated[str, Field(max_length=500)]], Field(max_length=20)] = Field(default_factory=list)
    below: Annotated[str, Field(max_length=2000)] = ""
    change: Number | None = None


class GroupSideOut(BaseModel):
    """One group in one state. `total` is the exact sum as text; `without` are entries with no number in that field."""

    entries: int
    total: str
    without: int


class GroupOut(BaseModel):
    """The entries with one value, as they are and as the change leaves them; `is_absent` where the field is not there."""

    value: str
    is_absent: bool
    before: GroupSideOut
    after: GroupSideOut


class GroupsOut(BaseModel):
    """All groups, the one with the most entries first, and all of them together. `has_change`: before and after may differ."""

    groups: list[GroupOut]
    all: GroupOut
    has_change: bool


class AbsentOut(BaseModel):
    """A setting that the gamebook knows and that is not there.

    It would be `name` below `parent`, an address with its file. `default` is what the game takes instead; empty where
    that is not known. `is_below_nothing`: the parent is not there either.
    """

    parent: str
    name: str
    default: str
    note: str
    is_below_nothing: bool


class ShownOut(BaseModel):
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
    read_as: str = ""  #: the format of the file, in words
    absent: list[AbsentOut] = []  #: of an entry, a group or a file: known settings that it does not have


class ChangeIn(Sent):
    title: Annotated[str, Field(min_length=1, max_length=200)]


#: A SHA-256 in hexadecimal.
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


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
        "comment",
        "text",
        "merge",
        "merge-version",
        "put-file",
        "put-folder",
        "move-file",
        "remove-file",
        "add-folder",
        "set-executable",
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
    take: Annotated[list[Annotated[str, Field(max_length=2000)]], Field(max_length=2000)] = Field(default_factory=list)
    existing: Literal["", "combine", "replace", "skip"] = ""
    choices: dict[str, Annotated[str, Field(max_length=100_000)]] = Field(default_factory=dict)
    names: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list)
    base: Annotated[str, Field(max_length=64_000_000)] = ""
    content: Annotated[str, Field(max_length=64_000_000)] = ""
    replacements: list[tuple[str, str]] = Field(default_factory=list)
    digest: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")] = ""
    files: Annotated[dict[Annotated[str, Field(max_length=2000)], Digest], Field(max_length=20_000)] = Field(
        default_factory=dict
    )
    folders: Annotated[list[Annotated[str, Field(max_length=2000)]], Field(max_length=20_000)] = Field(
        default_factory=list
    )
    executable: bool | None = None
    executables: Annotated[list[Annotated[str, Field(max_length=2000)]], Field(max_length=20_000)] = Field(
        default_factory=list
    )
    replace_all: bool = False
    throughout: bool = False
    leave: list[Annotated[str, Field(max_length=2000)]] = Field(default_factory=list)
    keep: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list, max_length=20)
    keep_ratio: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list, max_length=20)
    alone: bool = False
    if_refused: Literal["", "fail", "leave-out"] = ""


class DigestsIn(Sent):
    """Contents by their SHA-256."""

    digests: Annotated[list[Digest], Field(max_length=20_000)]


class ContentOut(BaseModel):
    """A stored content: its SHA-256, and how many bytes it has."""

    digest: str
    size: int


class ValueChangeOut(BaseModel):
    address: str
    old: str | None
    new: str | None


class OutcomeOut(BaseModel):
    """What a step does. `places` is how many places change; of very many, `changes` are 20,000, from `offset` on."""

    kind: Literal["done", "same", "impossible"]
    message: str
    notes: list[str]
    changes: list[ValueChangeOut]
    places: int = 0
    offset: int = 0


class StepsIn(Sent):
    """Several steps, in their order."""

    steps: Annotated[list[StepIn], Field(min_length=1, max_length=2000)]


class StepsOut(BaseModel):
    """Steps of a change as they were sent."""

    change: int
    steps: list[StepIn]


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
    `effects` is what it waits for once it is written, `checklist_preview` what to check in the game then. `beyond_rights`
    are places that it changes and that its author may not, so that only an admin can deploy it.
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
    beyond_rights: list[str] = []


class SavedTextOut(BaseModel):
    """Typed text that is stored as the steps `positions` of a change.

    `text` is given where the file is not exactly as typed, because another person edited it as well.
    """

    change: int
    version: int
    positions: list[int]
    digest: str
    text: str | None
    findings: list[FindingOut]


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
    take: Annotated[list[Annotated[str, Field(max_length=2000)]], Field(max_length=2000)] = Field(default_factory=list)
    existing: Literal["", "combine", "replace", "skip"] = ""


class MergeActionOut(BaseModel):
    """What happens to one entry of a snippet. `result` is the line that results, of an entry of one line.

    `is_taken` is false for those of a large pack that are not chosen. `older` names the earlier state of this server in which
    the entry was as the snippet has it: to merge it goes back.
    """

    kind: str
    address: str
    line: int
    reason: str
    result: str
    changes: list[ValueChangeOut]
    is_taken: bool = True
    older: str = ""


class MergePlanOut(BaseModel):
    """`words` says in one sentence what is added, overridden, replaced and left."""

    actions: list[MergeActionOut]
    notes: list[str]
    words: str


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


class SidesOut(BaseModel):
    """One file in both states, complete; null where a state has no text file at the path."""

    path: str
    old: str | None
    new: str | None


class ComparisonOut(BaseModel):
    """What differs between `old` and `new`; `notes` say what else one should know, such as files that drifted.

    `texts` are the lines that differ and `sides` one complete file, where they were asked for.
    """

    old: str
    new: str
    notes: list[str]
    differences: list[DifferenceOut]
    texts: list[TextDifferenceOut]
    sides: SidesOut | None = None


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
    state: Literal["updated", "added", "moved", "merged", "conflict"]
    vendor: list[DifferenceOut]
    own: list[DifferenceOut]
    applied: list[ValueChangeOut]
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


class ActivityOut(BaseModel):
    at: datetime
    person: str
    action: str
    detail: str


ServerOut.model_rebuild()
ChangeDetail.model_rebuild()
