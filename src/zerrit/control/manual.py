"""Control manually: a person stops and starts the game, and Zerrit looks whether it is so."""

from __future__ import annotations

from collections.abc import Callable

from zerrit.control.control import Act, GameState, cannot


class ManualControl:
    """`look` tells from what the game leaves behind, its log above all, whether it runs."""

    is_manual = frozenset((Act.STOP, Act.START, Act.RELOAD))
    can: frozenset[Act] = frozenset()

    def __init__(self, look: Callable[[], GameState]) -> None:
        self._look = look

    def state(self) -> GameState:
        return self._look()

    def stop(self) -> None:
        raise cannot(Act.STOP, "manually", "Stop it yourself.")

    def start(self) -> None:
        raise cannot(Act.START, "manually", "Start it yourself.")

    def reload(self) -> None:
        raise cannot(Act.RELOAD, "manually", "Do it yourself.")

    def announce(self, text: str) -> None:
        raise cannot(Act.ANNOUNCE, "manually", "Say it yourself.")

    def players(self) -> int:
        raise cannot(Act.PLAYERS, "manually", "Look yourself.")
