"""How a game is stopped, started and asked for its state. One protocol, one file for each kind of control."""

from zerrit.control.control import Control, ControlError, GameState
from zerrit.control.http_hook import HttpHook

__all__ = ["Control", "ControlError", "GameState", "HttpHook"]
