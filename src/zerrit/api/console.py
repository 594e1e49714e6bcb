"""What the console's own areas are made of: what needs a person, and what is found."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.request_model import Number, Sent


class AttentionOut(BaseModel):
    """One thing that needs a person. `server` is empty where it is about the service itself."""

    kind: Literal[
        "run-failed",
        "run-waits",
        "identity",
        "drift",
        "findings",
        "checklist",
        "checklist-wrong",
        "schedule",
        "never-fetched",
        "disk",
    ]
    server: str
    message: str
    since: datetime | None
    change: int | None
    run: int | None


class OverviewOut(BaseModel):
    """What needs a person, over all servers, the most pressing first, and when the last run of any server ended."""

    items: list[AttentionOut]
    last_run_ended: datetime | None


class NameHitOut(BaseModel):
    """Something with a fitting name. `path`, `address` and `line` are of files and entries, `number` of the rest."""

    kind: Literal["server", "file", "entry", "change", "snapshot", "word", "finding", "absent"]
    server: str
    title: str
    detail: str
    path: str
    address: str
    line: int
    number: int | None


class NameSearchOut(BaseModel):
    """`is_complete`: every file is indexed. Where it is not, the same search finds more a moment later."""

    hits: list[NameHitOut]
    is_complete: bool


class TextSearchQuery(Sent):
    """What is searched for in files. `files` are paths with wildcards, with commas between them."""

    text: Annotated[str, Field(min_length=1, max_length=1000)]
    word: bool = False
    case: bool = False
    pattern: bool = False
    files: Annotated[str, Field(max_length=1000)] = ""
    change: Number | None = None
    replacement: Annotated[str, Field(max_length=10_000)] | None = None


class TextHitOut(BaseModel):
    """A place in a file. `before`, `match` and `after` are its line; `replaced` is what the match would become."""

    path: str
    line: int
    column: int
    before: str
    match: str
    after: str
    replaced: str | None


class TextSearchOut(BaseModel):
    """The first places, the number of places by file, and how many files were searched."""

    hits: list[TextHitOut]
    counts: dict[str, int]
    total: int
    files: int


class ReplaceIn(Sent):
    """Replace what a search finds. `skip` are places PATH:LINE:COLUMN to leave alone."""

    text: Annotated[str, Field(min_length=1, max_length=1000)]
    replacement: Annotated[str, Field(max_length=10_000)]
    word: bool = False
    case: bool = False
    pattern: bool = False
    files: Annotated[str, Field(max_length=1000)] = ""
    skip: Annotated[list[Annotated[str, Field(max_length=1200)]], Field(max_length=20_000)] = Field(
        default_factory=list
    )


class ReplacedOut(BaseModel):
    """How many places were replaced, by how many steps of the change."""

    change: int
    places: int
    steps: int
    step_ids: list[int]
