"""
The settings of a server: how its files are reached, how its game is controlled, which tables of a database
server belong to it, how it is maintained.

They are shared by the API, the database, the connections and controls, the commands and the console's form. A kind of
connection or control is one model here. Its labels, help texts, limits and its option are part of the model, and everything
that shows or asks for settings is made from them. Secrets are not among the settings: they are stored apart, encrypted.
"""

from zerrit.settings.connections import (
    CONNECTIONS,
    AnyConnection,
    FolderConnection,
    FtpConnection,
    FtpsConnection,
    IdentifiedConnection,
    ManualConnection,
    RemoteConnection,
    SftpConnection,
)
from zerrit.settings.controls import (
    CONTROLS,
    STATE_HELP,
    AnyControl,
    CommandControl,
    Commands,
    ConsoleCommands,
    ConsoleControl,
    HttpControl,
    ManualControl,
)
from zerrit.settings.databases import DATABASES, AnyDatabase, NoDatabase, TablesDatabase
from zerrit.settings.kind import Fills, Kind, Option, Secret
from zerrit.settings.maintenance import Maintenance, Retention

__all__ = [
    "CONNECTIONS",
    "CONTROLS",
    "DATABASES",
    "STATE_HELP",
    "AnyConnection",
    "AnyControl",
    "AnyDatabase",
    "CommandControl",
    "Commands",
    "ConsoleCommands",
    "ConsoleControl",
    "Fills",
    "FolderConnection",
    "FtpConnection",
    "FtpsConnection",
    "HttpControl",
    "IdentifiedConnection",
    "Kind",
    "Maintenance",
    "ManualConnection",
    "ManualControl",
    "NoDatabase",
    "Option",
    "RemoteConnection",
    "Retention",
    "Secret",
    "SftpConnection",
    "TablesDatabase",
]
