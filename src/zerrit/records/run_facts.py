"""What a run keeps: what people asked of it, and what was seen on the way. It is kept as JSON on the run."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, model_validator

#: An earlier version of Zerrit wrote an empty text where there was no time.
_Until = Annotated[datetime | None, BeforeValidator(lambda given: given or None)]


class RunOptions(BaseModel):
    """How a run goes about it.

    `announce`: minutes for which players are told before the stop; `wait`: until no one plays, `until` a time at most;
    `rehearse`: a copy is started first. `given_up`: who had it end on its way back, where it waited for a person.
    """

    model_config = ConfigDict(frozen=True)

    announce: int = 0
    wait: Literal["", "empty"] = ""
    until: _Until = None
    rehearse: bool = False
    given_up: str = ""


class FileMark(NamedTuple):
    """A log file at one moment. `identity` is empty where the connection does not tell it; times in seconds."""

    size: int
    modified: int
    identity: str
    edge: str  #: digest of the bytes before its end
    head: str = ""  #: its first line, where that is without numbers, so that each start may begin with it


class BeforeStart(BaseModel):
    """What was there before a start: an old crash file, or an old line of the log, must not be taken for a new one."""

    model_config = ConfigDict(frozen=True)

    crash_files: frozenset[tuple[str, str, int, int]] = frozenset()  #: place, path, size, time
    log: dict[str, FileMark] = {}  #: the files that fit the log's pattern


class StartFacts(BaseModel):
    """What was seen of a start. `crash_files` are the texts of those that came with it, by path."""

    log: str = ""
    crash_files: dict[str, str] = {}
    crash_times: dict[str, datetime] = {}
    old_crash_files: int = 0
    newest_old_crash: str = ""
    doubts: list[str] = []


class KeptLogText(BaseModel):
    """What a log said of one start, and what it said just before, shortened."""

    model_config = ConfigDict(frozen=True)

    text: str
    before: str = ""


class RehearsalFacts(BaseModel):
    """What a copy of the server did before the run."""

    log: str = ""
    doubts: list[str] = []


class BroughtFacts(BaseModel):
    """What one change of the run brings: when its parts take effect, and what to verify in the game."""

    change: int
    effects: list[tuple[str, list[str]]] = []
    looks: list[str] = []


class RunFacts(StartFacts):
    """What was seen on the way of a run; what is not set was not come to.

    `reason`, `failed_at`: why and at which stage it turned back; `failed_back`: why the way back failed; `lacks`: what
    the game did not load after it; `is_back`: the files are those of the snapshot again; `runs_now`: whether the game
    runs at the end, None where that is not known. `changed_before_stop`: files that were not as Zerrit last saw them
    while the game still ran. `lines`: what the log says, without times and numbers; `kept_logs`: files that look like logs,
    whether the gamebook knows them or not. `told`: the minutes ahead of which
    players were told. `back`: what was seen of the start on the way back. `folders_made`: those that were not there
    before; `folders_new` and `folders_gone`: empty ones that it makes, and those that steps took away. `moves`: files that only
    get another path, by the one that they have; `marked`: files of which only that changes whether they are executable.
    `refused`: files that the host does not take and that the change may leave out, with the host's words.
    """

    was_running: bool = False
    in_place: bool = False
    told_to_stop: bool = False
    resumed: int = 0
    stop_at: datetime | None = None
    told: list[int] = []
    rehearsal: RehearsalFacts | None = None
    changed_before_stop: list[str] | None = None
    drifted: list[str] = []
    written_at_stop: list[str] = []
    written_at_start: list[str] = []
    left_out: dict[str, str] = {}
    folders_made: list[str] | None = None
    folders_new: list[str] = []
    folders_gone: list[str] = []
    moves: dict[str, str] = {}
    marked: dict[str, bool] = {}
    refused: dict[str, str] = {}
    expected: dict[str, list[str]] = {}
    expected_back: dict[str, list[str]] = {}
    brings: list[BroughtFacts] = []
    before_start: BeforeStart | None = None
    before_start_again: BeforeStart | None = None
    outside_before: list[tuple[str, int, int]] = []
    lines: list[str] = []
    kept_logs: dict[str, KeptLogText] = {}
    log_new: list[str] = []
    log_gone: list[str] = []
    log_against: int | None = None
    back: StartFacts | None = None
    reason: str | None = None
    failed_at: str = ""
    failed_back: str | None = None
    lacks: str = ""
    is_back: bool = False
    runs_now: bool | None = None
    culprit: str = ""

    def with_more(self, more: StartFacts) -> Self:
        """The same with all that is set in others."""
        return self.model_copy(update={name: getattr(more, name) for name in more.model_fields_set})

    def take_over(self, more: StartFacts) -> None:
        """Set all that is set in others."""
        for name in more.model_fields_set:
            setattr(self, name, getattr(more, name))


class RolloutPart(BaseModel):
    """What became of one server of a rollout: its change, its run, and how it ended."""

    model_config = ConfigDict(frozen=True)

    change: int
    run: int | None = None
    state: str = "waits"
    said: str = ""


class RolloutFacts(BaseModel):
    """What a rollout keeps, by server, and how its runs go about it."""

    model_config = ConfigDict(frozen=True)

    parts: dict[str, RolloutPart]
    options: RunOptions = RunOptions()

    @model_validator(mode="before")
    @classmethod
    def _of_old_form(cls, given: Any) -> Any:
        """An earlier version of Zerrit kept the options among the servers, under an empty name."""
        if isinstance(given, dict) and "" in given:
            return {"parts": {name: part for name, part in given.items() if name}, "options": given[""]}
        return given

    def with_part(self, server_id: str, **more: Any) -> Self:
        """The same with other facts of one server."""
        return self.model_copy(
            update={"parts": self.parts | {server_id: self.parts[server_id].model_copy(update=more)}}
        )
