"""Control by hand: a person stops and starts the game, and Zerrit looks whether it is so."""

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
        raise cannot(Act.STOP, "by hand", "Stop it yourself.")

    def start(self) -> None:
        raise cannot(Act.START, "by hand", "Start it yourself.")

    def reload(self) -> None:
        raise cannot(Act.RELOAD, "by hand", "Do it yourself.")

    def announce(self, text: str) -> None:
        raise cannot(Act.ANNOUNCE, "by hand", "Say it yourself.")

    def players(self) -> int:
        raise cannot(Act.PLAYERS, "by hand", "Look yourself.")
