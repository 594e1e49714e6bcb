"""What every kind of connection and control tells about its settings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, Any, ClassVar, get_args

from pydantic import BaseModel, ConfigDict, Field

Host = Annotated[str, Field(min_length=1, max_length=255, title="Host")]
Port = Annotated[int, Field(ge=1, le=65535, title="Port")]
Place = Annotated[str, Field(max_length=1000)]
Words = Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=40)]


class Fills(StrEnum):
    """What the value of a kind's own option says."""

    ADDRESS = "HOST:PORT"
    NOTHING = ""  #: the option alone chooses the kind
    FIELD = "TEXT"  #: the first field
    FILE = "FILE"  #: a file with the fields `commands` and, where the kind has it, `start`


@dataclass(frozen=True, slots=True)
class Option:
    """The option of a command that chooses the kind, such as `--sftp HOST:PORT`."""

    name: str
    help: str
    fills: Fills


@dataclass(frozen=True, slots=True)
class Secret:
    """What the secret of a kind is called in a form. `is_long`: it may have several lines."""

    label: str
    is_long: bool = False


class Kind(BaseModel):
    """The settings of one kind of connection or control. Each has a field `kind` with its name."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    label: ClassVar[str]  #: in the console's list of kinds
    option: ClassVar[Option]
    secret: ClassVar[Secret | None] = None

    @property
    def recipient(self) -> tuple[object, ...]:
        """To whom the secret goes. A stored secret is not used for settings with another recipient."""
        return ()

    @property
    def notes(self) -> Sequence[str]:
        """What one should know of a server with these settings."""
        return ()


def kinds_of(union: Any) -> tuple[type[Kind], ...]:
    """The models of an annotated union of kinds, in the order in which a form lists them."""
    return tuple(get_args(get_args(union)[0]))
