"""What every control can do, and how it fails."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol


class ControlError(Exception):
    """The control did not answer, or refused. The message says what, where and what to do."""

    kind = "control-failed"


@dataclass(frozen=True, slots=True)
class GameState:
    """Whether the game runs, and the control's own word for its state."""

    is_running: bool
    word: str


class Control(Protocol):
    """Stop and start ask for it and return at once; whether it happened is seen from `state`."""

    def state(self) -> GameState: ...

    def stop(self) -> None: ...

    def start(self) -> None: ...
