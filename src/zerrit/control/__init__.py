"""How a game is stopped, started and asked for its state. One protocol, one file for each kind of control."""

from zerrit.control.by_hand import HandControl
from zerrit.control.commands import STATE_HELP, CommandControl
from zerrit.control.console import ConsoleControl
from zerrit.control.control import Act, Control, ControlError, GameState
from zerrit.control.http_hook import HttpHook

__all__ = [
    "STATE_HELP",
    "Act",
    "CommandControl",
    "ConsoleControl",
    "Control",
    "ControlError",
    "GameState",
    "HandControl",
    "HttpHook",
]
