"""How a game says that something went wrong, and how a copy of a server is started to see whether it does."""

from __future__ import annotations

from pydantic import Field

from zerrit.core.rules.base import Name, Part, Pattern


class Rehearsal(Part):
    """How a copy of a server is started beside it. A server's admin has to allow it: it is run where the service runs."""

    command: tuple[Name, ...] = Field(
        description="words, with {folder} for the copy, {port} for a free port and {python} for the service's own Python"
    )
    port_at: str = Field("", description="the address in the copy's files that gets that port")
    without: tuple[Name, ...] = Field((), description="path patterns of files that the copy does not need")


class LoadedRules(Part):
    """What the game says that it loaded, held against a list: the switch is on, but did the game take it?"""

    line: Pattern = Field(description="a regular expression with a group `name`; each line that fits names one thing")
    list_name: Name = Field(alias="list", description="the list whose words should all be named")
    required: bool = Field(False, description="a start at which one is missing has failed; else it is only said")


class Trouble(Part):
    """How a game says that something went wrong."""

    crash_files: tuple[Name, ...] = Field((), description="path patterns of the files that a crash leaves")
    log: str = Field("", description="the path of the log file")
    log_patterns: tuple[Pattern, ...] = Field((), description="regular expressions; a line that fits one means trouble")
    ready_pattern: Pattern = Field("", description="a line that fits says that the game has started")
    closed_pattern: Pattern = Field("", description="a line that fits says that the game has stopped")
    noise: tuple[Pattern, ...] = Field((), description="lines that fit say nothing, and are left out of what is shown")
    loaded: tuple[LoadedRules, ...] = Field((), description="what the log says was loaded")
