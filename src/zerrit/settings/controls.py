"""The kinds of controls: one model for each. A new one is a model here, and a control in `zerrit.control`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal
from urllib.parse import urlsplit

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from zerrit.settings.kind import Fills, Host, Kind, Option, Port, Secret, Words, kinds_of

#: What the command `state` has to print, and how it has to end; said in the help, the form and the error.
STATE_HELP = (
    "`state` must end with exit code 0 when the game runs, and with 1 or 3 when it does not; with 0 it may also print "
    "`stopped`. Any other exit code is an error."
)


def _web_address(text: str) -> str:
    if not text.startswith(("http://", "https://")):
        raise ValueError("write it with http:// or https:// in front, such as https://host/my-server")
    return text


class HttpControl(Kind):
    """A hook over HTTP with a bearer token."""

    kind: Literal["http"] = "http"
    url: Annotated[
        str,
        Field(
            max_length=1000,
            title="Address of the control",
            description="Answers state, stop and start, such as https://host/my-server",
        ),
        AfterValidator(_web_address),
    ]

    label: ClassVar[str] = "An HTTP control"
    option: ClassVar[Option] = Option("control", "Address of its HTTP control.", Fills.FIELD)
    secret: ClassVar[Secret | None] = Secret("Token of the control")

    @property
    def recipient(self) -> tuple[object, ...]:
        address = urlsplit(self.url)
        try:
            port = address.port or {"http": 80, "https": 443}.get(address.scheme)
        except ValueError:
            port = None
        return (type(self), address.scheme, (address.hostname or "").lower(), port)


class Commands(BaseModel):
    """Commands as lists of words; what is empty is not available."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    state: Annotated[
        Words, Field(title="Command: does it run?", description="Exit code 0: it runs; 1 or 3: it does not")
    ]
    stop: Annotated[Words, Field(title="Command: stop")]
    start: Annotated[Words, Field(title="Command: start", description="On the machine where Zerrit runs")]
    reload: Annotated[Words, Field(title="Command: read the files again")] = Field(default_factory=list)
    announce: Annotated[
        Words,
        Field(default_factory=list, title="Command: tell the players", description="{text} becomes the announcement"),
    ]
    players: Annotated[Words, Field(title="Command: count the players")] = Field(default_factory=list)


class CommandControl(Kind):
    """Commands on the machine where the service runs; through a shell only where `use_shell` asks for it."""

    kind: Literal["commands"] = "commands"
    commands: Commands
    use_shell: Annotated[bool, Field(title="Through a shell", description="Only if the commands need one")] = False

    label: ClassVar[str] = "Commands on this machine"
    option: ClassVar[Option] = Option(
        "commands",
        f"YAML or JSON with the commands: state, stop, start, reload, announce, players. {STATE_HELP}",
        Fills.FILE,
    )

    @property
    def notes(self) -> Sequence[str]:
        if not self.use_shell:
            return ()
        return ("Its commands pass through a shell; what is in them is carried out as it is written.",)


class ConsoleCommands(BaseModel):
    """What is typed into the console; `{text}` in `announce` becomes the announcement."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    stop: Annotated[
        str, Field(min_length=1, max_length=500, title="What stops it", description="Typed into the console")
    ]
    reload: Annotated[str, Field(max_length=500, title="What makes it read the files again")] = ""
    announce: Annotated[
        str, Field(max_length=500, title="What tells the players", description="{text} becomes the announcement")
    ] = ""
    players: Annotated[str, Field(max_length=500, title="What counts the players")] = ""


class ConsoleControl(Kind):
    """The console that many game servers offer over TCP. `start` is a command on the service's machine, if there is one."""

    kind: Literal["console"] = "console"
    host: Annotated[Host, Field(title="Host of the console")]
    port: Annotated[Port, Field(title="Port of the console")]
    commands: ConsoleCommands
    start: Annotated[Words, Field(title="Command: start", description="On the machine where Zerrit runs")] = Field(
        default_factory=list
    )

    label: ClassVar[str] = "Game console"
    option: ClassVar[Option] = Option("game-console", "Address of the game console that controls it.", Fills.ADDRESS)
    secret: ClassVar[Secret | None] = Secret("Password of the console")

    @property
    def recipient(self) -> tuple[object, ...]:
        return (type(self), self.host.lower(), self.port)


class ManualControl(Kind):
    """A person stops and starts the game."""

    kind: Literal["manual"] = "manual"

    label: ClassVar[str] = "Manual: you stop and start it"
    option: ClassVar[Option] = Option("manual-control", "You stop and start it yourself.", Fills.NOTHING)


AnyControl = Annotated[HttpControl | ConsoleControl | CommandControl | ManualControl, Field(discriminator="kind")]
CONTROLS = kinds_of(AnyControl)
