"""Runs: deploys, rollbacks and restarts, and what goes on around them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from zerrit.api.request_model import Number, Sent
from zerrit.core.states import RunResult, RunState, StageState


class OptionsIn(Sent):
    """How a run goes about it.

    `announce`: minutes of warning to the players. `wait`: `empty` waits until no one plays, until `until` at most.
    `rehearse`: a copy of the server must start with it first.
    """

    announce: Annotated[int, Field(ge=0, le=120)] = 0
    wait: Literal["", "empty"] = ""
    until: datetime | None = None
    rehearse: bool = False


class DeployIn(Sent):
    """Several changes of one server, in order, in one run."""

    changes: Annotated[list[Number], Field(min_length=1, max_length=50)]
    options: OptionsIn = OptionsIn()


class RollbackIn(Sent):
    snapshot: Number
    options: OptionsIn = OptionsIn()


class StageOut(BaseModel):
    name: str
    state: StageState
    detail: str
    started_at: datetime
    ended_at: datetime | None


class RunFileOut(BaseModel):
    path: str
    kind: Literal["changed", "added", "removed"]


class EvidenceFileOut(BaseModel):
    """A file that a failed start wrote. `is_kept`: its bytes can be had, as far as `note` does not say otherwise."""

    path: str
    kind: Literal["changed", "added"]
    size: int
    modified: datetime
    is_kept: bool
    note: str


class RehearsalOut(BaseModel):
    """What a copy of the server logged that was started with the new files, and what is doubted of it."""

    log: str = ""
    doubts: list[str] = []


class EvidenceOut(BaseModel):
    """What was seen on the way.

    `log` is the excerpt of the game's log since its start, `log_new` and `log_gone` what it says that the last good start
    (run `log_against`) did not, and the other way round. `crash_files` came with the start: their text, and in
    `crash_times` when they were written by their host's clock; one that does not begin with a path of the game is
    elsewhere. `old_crash_files` lay there before; `newest_old_crash` is the newest of them with its age. `drifted` are files that
    were not as Zerrit last saw them, `written_at_stop` and `written_at_start` those that the game or its host wrote while
    it stopped and started, `left_out` those that could not be read, `refused` those
    of the change that the host does not take and that were left out. `in_place`: the game ran on. `resumed`: so
    often the service was started again in the meantime. `rehearsal` is what a copy did before, where one was started.
    """

    log: str = ""
    crash_files: dict[str, str] = {}
    crash_times: dict[str, datetime] = {}
    old_crash_files: int = 0
    newest_old_crash: str = ""
    doubts: list[str] = []
    drifted: list[str] = []
    written_at_stop: list[str] = []
    written_at_start: list[str] = []
    left_out: dict[str, str] = {}
    refused: dict[str, str] = {}
    log_new: list[str] = []
    log_gone: list[str] = []
    log_against: int | None = None
    in_place: bool = False
    resumed: int = 0
    culprit: str = ""
    rehearsal: RehearsalOut | None = None


class RunOut(BaseModel):
    """A deploy, rollback or restart. `result` is its state in the words that people read. `asks` is what a person is asked to do just now; `stage` where it is.

    `on_cancel` is what cancelling it does now: it reverts what was written; or, where it waits for a person on its way
    back, it is abandoned and leaves the server as it is. `live_log` are the last lines of the log of a game that starts just
    now; afterwards the excerpt is part of the evidence.
    """

    id: int
    server: str
    kind: Literal["deploy", "rollback", "restart"]
    state: RunState
    result: RunResult
    stage: str
    asks: str
    cancelled_by: str
    on_cancel: Literal["revert", "abandon", "nothing"]
    changes: list[int]
    target: int | None
    before: int | None
    after: int | None
    person: str
    started_at: datetime
    ended_at: datetime | None
    outcome: str
    stages: list[StageOut]
    files: list[RunFileOut]
    evidence: EvidenceOut
    live_log: str
    evidence_files: list[EvidenceFileOut]


class ReportIn(Sent):
    """What a person says of a game that is stopped and started manually."""

    is_running: bool
    is_sure: bool = False


class UploadOut(BaseModel):
    """Files that a person uploaded, and those that are no longer on the server."""

    stored: list[str]
    gone: list[str]


class ConfirmIn(Sent):
    """What was seen, in a person's words."""

    note: Annotated[str, Field(min_length=1, max_length=1000)]


class IdentityIn(Sent):
    """The certificate or key of a host that is accepted from now on."""

    identity: Annotated[str, Field(min_length=1, max_length=100)]
