"""The kinds of connections: one model for each. A new one is a model here, and a connection in `zerrit.connections`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from zerrit.settings.kind import Fills, Host, Kind, Option, Place, Port, Secret, kinds_of

OldNames = Literal["cp1252", "cp1250", "cp1251", "cp437", "cp850", "cp866", "gbk", "shift_jis", "euc_kr"]

GameFolder = Annotated[Place, Field(title="Folder of the game", description="Folder of the game on the host.")]


class RemoteConnection(Kind):
    """A connection to another machine."""

    host: Host
    port: Port = 21
    user: Annotated[str, Field(max_length=200, title="User", description="User of the connection.")] = ""
    folder: GameFolder = "/"
    parallel: Annotated[
        int,
        Field(ge=1, le=8, title="Most connections at the same time", description="Most connections at the same time."),
    ] = 4
    old_names: Annotated[
        OldNames,
        Field(title="Encoding of old file names", description="Encoding of file names that are not UTF-8."),
    ] = "cp1252"

    secret: ClassVar[Secret | None] = Secret("Password")

    @property
    def recipient(self) -> tuple[object, ...]:
        return (type(self), self.host.lower(), self.port, self.user)

    def is_same_host(self, other: Kind) -> bool:
        """The same kind of connection to the same host and port."""
        return self.recipient[:3] == other.recipient[:3]

    def with_folder(self, folder: str) -> Self:
        """The same way to another folder."""
        return self.model_copy(update={"folder": folder})


class IdentifiedConnection(RemoteConnection):
    """A connection whose host shows a certificate or key, which has to be the accepted one."""

    identity: Annotated[
        str,
        Field(
            max_length=100,
            title="Accepted certificate or key",
            description="Accepted certificate or host key: SHA256:… Empty accepts the key that an SFTP host shows first.",
        ),
    ] = ""

    @property
    def recipient(self) -> tuple[object, ...]:
        return (*super().recipient, self.identity)


class SftpConnection(IdentifiedConnection):
    """SFTP. The secret may be the text of a private key."""

    kind: Literal["sftp"] = "sftp"
    port: Port = 22
    folder: GameFolder = "."

    label: ClassVar[str] = "SFTP"
    option: ClassVar[Option] = Option("sftp", "Reach its files by SFTP.", Fills.ADDRESS)
    secret: ClassVar[Secret | None] = Secret("Password, or a private key as text", is_long=True)


class FtpsConnection(IdentifiedConnection):
    """FTP inside TLS."""

    kind: Literal["ftps"] = "ftps"

    label: ClassVar[str] = "FTPS (FTP inside TLS)"
    option: ClassVar[Option] = Option("ftps", "Reach its files by FTP inside TLS.", Fills.ADDRESS)


class FtpConnection(RemoteConnection):
    """FTP in clear text."""

    kind: Literal["ftp"] = "ftp"

    label: ClassVar[str] = "FTP, in clear text"
    option: ClassVar[Option] = Option("ftp", "Reach its files by FTP, in clear text.", Fills.ADDRESS)

    @property
    def notes(self) -> Sequence[str]:
        return ("FTP sends the password and all files in clear text; use FTPS or SFTP where the host offers it.",)


class FolderConnection(Kind):
    """Files in a folder of the machine where the service runs."""

    kind: Literal["folder"] = "folder"
    folder: Annotated[
        str,
        Field(
            min_length=1, max_length=1000, title="Folder of the game", description="On the machine where Zerrit runs."
        ),
    ]

    label: ClassVar[str] = "A folder on this machine"
    option: ClassVar[Option] = Option(
        "folder", "Folder of the game: on the host, or on this machine if no host is given.", Fills.FIELD
    )

    def with_folder(self, folder: str) -> Self:
        """Another folder of the same machine."""
        return self.model_copy(update={"folder": folder})


class ManualConnection(Kind):
    """A person transfers the files."""

    kind: Literal["manual"] = "manual"

    label: ClassVar[str] = "Manual: you transfer the files"
    option: ClassVar[Option] = Option(
        "manual-files",
        "You transfer its files yourself: upload them to Zerrit, follow its instructions.",
        Fills.NOTHING,
    )


AnyConnection = Annotated[
    SftpConnection | FtpsConnection | FtpConnection | FolderConnection | ManualConnection, Field(discriminator="kind")
]
CONNECTIONS = kinds_of(AnyConnection)
