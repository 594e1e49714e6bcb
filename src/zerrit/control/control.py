"""What every control can do, and how it fails."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol


class ControlError(Exception):
    """The control did not answer, or refused. The message says what, where and what to do.

    `is_passing`: it may answer at the next try.
    """

    kind = "control-failed"

    def __init__(self, message: str, *, is_passing: bool = False) -> None:
        super().__init__(message)
        self.is_passing = is_passing


class Act(StrEnum):
    """What can be asked of a control besides the state."""

    STOP = "stop"
    START = "start"
    RELOAD = "reload"
    ANNOUNCE = "announce"
    PLAYERS = "players"


@dataclass(frozen=True, slots=True)
class GameState:
    """Whether the game runs, and the word for it: the control's own, or what speaks for it."""

    is_running: bool
    word: str


class Control(Protocol):
    """Stop, start and reload ask for it and return at once; whether it happened is seen from `state`.

    Every method raises ControlError.
    """

    @property
    def is_manual(self) -> frozenset[Act]:
        """What a person has to do; Zerrit asks for it, and then looks whether it is so."""
        ...

    @property
    def can(self) -> frozenset[Act]:
        """What it can do. Of RELOAD, ANNOUNCE and PLAYERS not all controls know."""
        ...

    def state(self) -> GameState: ...

    def stop(self) -> None: ...

    def start(self) -> None: ...

    def reload(self) -> None:
        """Make the game read again what it can read while it runs."""
        ...

    def announce(self, text: str) -> None:
        """Say something to everybody who plays."""
        ...

    def players(self) -> int:
        """How many play."""
        ...


def cannot(act: Act, where: str, fix: str) -> ControlError:
    """The error for an act that a control does not have; `fix` says what to do instead."""
    return ControlError(f"The control {where} does not know how to {_WORDS[act]}. {fix}")


_WORDS = {
    Act.STOP: "stop the game",
    Act.START: "start the game",
    Act.RELOAD: "make the game read its files again",
    Act.ANNOUNCE: "announce something",
    Act.PLAYERS: "count the players",
}
