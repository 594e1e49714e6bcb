"""How a game is stopped, started and asked for its state. One protocol, one file for each kind of control."""

from zerrit.control.commands import CommandControl
from zerrit.control.control import Act, Control, ControlError, GameState
from zerrit.control.game_console import ConsoleControl
from zerrit.control.http import HttpHook
from zerrit.control.manual import ManualControl

__all__ = [
    "Act",
    "CommandControl",
    "ConsoleControl",
    "Control",
    "ControlError",
    "GameState",
    "HttpHook",
    "ManualControl",
]
