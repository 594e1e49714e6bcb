"""How a server is reached: the settings of connections and controls."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, SecretStr

from zerrit.api.request_model import Sent

Host = Annotated[str, Field(min_length=1, max_length=255)]
Port = Annotated[int, Field(ge=1, le=65535)]
Secret = Annotated[SecretStr, Field(max_length=20_000)]
Place = Annotated[str, Field(max_length=1000)]
Words = Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=40)]


def _web_address(text: str) -> str:
    if not text.startswith(("http://", "https://")):
        raise ValueError("write it with http:// or https:// in front, such as https://host/my-server")
    return text


class FolderConnection(Sent):
    """Files in a folder of the machine where the service runs."""

    kind: Literal["folder"] = "folder"
    folder: Annotated[str, Field(min_length=1, max_length=1000)]


class RemoteSettings(Sent):
    """`parallel` is how many there may be at once; `old_names` the encoding of file names that are no UTF-8."""

    host: Host
    user: Annotated[str, Field(max_length=200)]
    parallel: Annotated[int, Field(ge=1, le=8)] = 4
    old_names: Literal["cp1252", "cp1250", "cp1251", "cp437", "cp850", "cp866", "gbk", "shift_jis", "euc_kr"] = "cp1252"


class FtpConnection(RemoteSettings):
    """FTP in clear text."""

    kind: Literal["ftp"] = "ftp"
    port: Port = 21
    password: Secret
    folder: Place = "/"


class FtpsConnection(RemoteSettings):
    """FTP inside TLS. `identity` is the accepted certificate, where no authority vouches for it: SHA256:…"""

    kind: Literal["ftps"] = "ftps"
    port: Port = 21
    password: Secret
    folder: Place = "/"
    identity: Annotated[str, Field(max_length=100)] = ""


class SftpConnection(RemoteSettings):
    """SFTP. `password` may be the text of a private key. `identity` is the accepted key of the host: SHA256:…"""

    kind: Literal["sftp"] = "sftp"
    port: Port = 22
    password: Secret
    folder: Place = "."
    identity: Annotated[str, Field(max_length=100)] = ""


class ManualConnection(Sent):
    """A person carries the files: takes them in and puts them there."""

    kind: Literal["manual"] = "manual"


AnyConnection = Annotated[
    FolderConnection | FtpConnection | FtpsConnection | SftpConnection | ManualConnection, Field(discriminator="kind")
]


class Retention(Sent):
    """How many snapshots stay: the last ones, and one for each of so many days, weeks and months."""

    last: Annotated[int, Field(ge=1, le=10_000)] = 20
    daily: Annotated[int, Field(ge=0, le=1000)] = 14
    weekly: Annotated[int, Field(ge=0, le=1000)] = 8
    monthly: Annotated[int, Field(ge=0, le=1000)] = 12


class Maintenance(Sent):
    """How a server is looked after.

    `announcement` is what players are told, `{minutes}` in it the time that is left. `crash_places` are folders outside
    of the game's own where crash files come to lie, reached by the same connection. `settle` is how many seconds a started game
    must stay up, `patience` how many it has to stop, to start and to say that it is ready; zero for the service's own.
    `may_rehearse`: the gamebook's command for a rehearsal may be run on the machine of the service; `must_rehearse`: no
    deploy without one.
    """

    announcement: Annotated[str, Field(max_length=300)] = ""
    crash_places: Annotated[list[Place], Field(max_length=10)] = Field(default_factory=list)
    settle: Annotated[float, Field(ge=0, le=3600)] = 0
    patience: Annotated[float, Field(ge=0, le=7200)] = 0
    retention: Retention = Retention()
    may_rehearse: bool = False
    must_rehearse: bool = False


class HttpControl(Sent):
    """A hook over HTTP with a bearer token."""

    kind: Literal["http"] = "http"
    url: Annotated[str, Field(max_length=1000), AfterValidator(_web_address)]
    token: Secret


class Commands(Sent):
    """Commands as lists of words; what is empty is not to be had."""

    state: Words
    stop: Words
    start: Words
    reload: Words = Field(default_factory=list)
    announce: Words = Field(default_factory=list)
    players: Words = Field(default_factory=list)


class CommandControl(Sent):
    """Commands on the machine where the service runs; through a shell only where `use_shell` asks for it."""

    kind: Literal["commands"] = "commands"
    commands: Commands
    use_shell: bool = False


class ConsoleCommands(Sent):
    """What is typed into the console; `{text}` in `announce` becomes the announcement."""

    stop: Annotated[str, Field(min_length=1, max_length=500)]
    reload: Annotated[str, Field(max_length=500)] = ""
    announce: Annotated[str, Field(max_length=500)] = ""
    players: Annotated[str, Field(max_length=500)] = ""


class ConsoleControl(Sent):
    """The console that many game servers offer over TCP. `start` is a command on the service's machine, if there is one."""

    kind: Literal["console"] = "console"
    host: Host
    port: Port
    password: Secret
    commands: ConsoleCommands
    start: Words = Field(default_factory=list)


class ManualControl(Sent):
    """A person stops and starts the game."""

    kind: Literal["manual"] = "manual"


AnyControl = Annotated[HttpControl | CommandControl | ConsoleControl | ManualControl, Field(discriminator="kind")]
