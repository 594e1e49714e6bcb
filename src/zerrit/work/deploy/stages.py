"""
The stages of a run as a state machine.

    preflight -> rehearse -> announce -> stop -> read -> snapshot -> write -> verify -> start -> watch -> end

A change that the game takes up at a reload goes from announce to read, and from verify to reload, and the game runs on.
What fails before the first written byte goes to `release`, where the game is let run again; what fails after it goes
back:

    stop-again -> restore -> verify-again -> start-again -> watch-again -> end

The row of a run says where it is. A service that was killed takes it up there; every stage can be done twice.
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import Final


class StageName(StrEnum):
    PREFLIGHT = "preflight"  #: connection and control answer; what runs; what has to be stopped
    REHEARSE = "rehearse"  #: a copy of the server starts with the change
    ANNOUNCE = "announce"  #: players are told; it is waited until they are gone, or for a time
    STOP = "stop"
    READ = "read"  #: what the server holds now, and so what has to be written
    SNAPSHOT = "snapshot"
    WRITE = "write"
    VERIFY = "verify"
    START = "start"
    RELOAD = "reload"
    WATCH = "watch"
    RELEASE = "release"
    STOP_AGAIN = "stop-again"
    RESTORE = "restore"
    VERIFY_AGAIN = "verify-again"
    START_AGAIN = "start-again"
    WATCH_AGAIN = "watch-again"
    END = "end"


_S = StageName
_FORWARD: Final = (
    _S.PREFLIGHT,
    _S.REHEARSE,
    _S.ANNOUNCE,
    _S.STOP,
    _S.READ,
    _S.SNAPSHOT,
    _S.WRITE,
    _S.VERIFY,
    _S.START,
    _S.WATCH,
    _S.END,
)
_IN_PLACE: Final = (
    _S.PREFLIGHT,
    _S.REHEARSE,
    _S.READ,
    _S.SNAPSHOT,
    _S.WRITE,
    _S.VERIFY,
    _S.RELOAD,
    _S.WATCH,
    _S.END,
)
_BACK: Final = (_S.STOP_AGAIN, _S.RESTORE, _S.VERIFY_AGAIN, _S.START_AGAIN, _S.WATCH_AGAIN, _S.END)
_LETTING_GO: Final = (_S.RELEASE, _S.END)

#: Before these nothing is written; what fails there leaves the files as they are.
BEFORE_WRITING: Final = frozenset(_FORWARD[: _FORWARD.index(_S.WRITE)])
GOING_BACK: Final = frozenset(_BACK[:-1])

#: What a stage worked out and only the next one writes down has to be worked out again.
RESUMED_AT: Final[Mapping[StageName, StageName]] = {_S.SNAPSHOT: _S.READ}


def after(stage: StageName, *, in_place: bool) -> StageName:
    """The stage that follows one that was done. `in_place`: the game runs on, and reloads."""
    for line in (_IN_PLACE if in_place else _FORWARD, _BACK, _LETTING_GO):
        if stage in line:
            return line[line.index(stage) + 1]
    raise ValueError(f"nothing follows {stage}")


def after_failure(stage: StageName) -> StageName:
    """The stage that follows one that failed."""
    if stage in BEFORE_WRITING:
        return _S.RELEASE
    return _S.END if stage in GOING_BACK or stage is _S.RELEASE else _S.STOP_AGAIN
