"""The whole demo in one process: the stand-in host with its games, and the service on loopback."""

from __future__ import annotations

import io
import shutil
import threading
import time
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Final, Self

from pydantic import SecretStr

from zerrit import api
from zerrit.client import Client
from zerrit.demo import world_files
from zerrit.demo.downloads import downloads
from zerrit.standin import StandinHost
from zerrit.web import MAX_BODY, Service, Settings, bound_socket, create_app
from zerrit.work.base.workspace import Bounds

GAMES: Final = ("coral-gate", "lantern-shelf")
ADMIN: Final = "isolde"
PASSWORD: Final = "mind-the-tide"  # noqa: S105 (printed at every start of the demo)
HOST_PASSWORD: Final = "shelf-keys"  # noqa: S105 (of the stand-in host)


class PortTaken(Exception):
    """A port of the demo is in use."""


@dataclass(frozen=True, slots=True)
class Ports:
    """0 takes any free port."""

    web: int = 0
    ftp: int = 0
    control: int = 0


class DemoStack:
    """Host and service over a folder that is made when it is not there. Use as a context manager."""

    def __init__(
        self,
        folder: Path,
        ports: Ports | None = None,
        *,
        settle: float = 2.0,
        max_body: int = MAX_BODY,
        bounds: Bounds | None = None,
    ) -> None:
        chosen = ports or Ports()
        self.folder = folder
        self.host_folder = folder / "host"
        for what, port, option in (
            ("console", chosen.web, "PORT"),
            ("FTP", chosen.ftp, "FTP_PORT"),
            ("control", chosen.control, "CONTROL_PORT"),
        ):
            _require_free(what, port, option)
        self._lay_out()
        self.host = StandinHost(
            self.host_folder, GAMES, HOST_PASSWORD, ftp_port=chosen.ftp, control_port=chosen.control
        )
        app = create_app(
            Settings(folder / "data", ADMIN, PASSWORD, settle=settle, max_body=max_body, bounds=bounds or Bounds())
        )
        self._socket = bound_socket("127.0.0.1", chosen.web)
        self.url = f"http://127.0.0.1:{self._socket.getsockname()[1]}"
        self._server = Service(app)
        self._thread = threading.Thread(target=self._server.run, kwargs={"sockets": [self._socket]}, daemon=True)

    def _lay_out(self) -> None:
        for game in GAMES:
            if not (self.host_folder / game).is_dir():
                write_files(self.host_folder / game, world_files.server_files(game))
        for version in (world_files.VERSION, world_files.NEXT_VERSION):
            (self.folder / f"fathomline-{version}-defaults.zip").write_bytes(defaults_zip(version))
        for name, archive in downloads().items():
            file = self.folder / "downloads" / name
            file.parent.mkdir(exist_ok=True)
            if not file.exists():
                file.write_bytes(archive)

    def __enter__(self) -> Self:
        self.host.start()
        self._thread.start()
        deadline = time.monotonic() + 30
        while not self._server.started:
            if time.monotonic() > deadline or not self._thread.is_alive():
                raise RuntimeError("the service did not start")
            time.sleep(0.05)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._server.should_exit = True
        self._thread.join(20)
        self.host.stop()

    def client(self) -> Client:
        """A client that is signed in as the demo's admin."""
        with Client(self.url) as anonymous:
            token = anonymous.token(ADMIN, PASSWORD).token
        return Client(self.url, token)

    def server_in(self, server_id: str) -> api.ServerIn:
        """How a demo server is added: coral-gate by FTP, lantern-shelf by its folder on this machine."""
        control = api.HttpControl(url=f"http://127.0.0.1:{self.host.control_port}/{server_id}")
        connection: api.FtpConnection | api.FolderConnection
        if server_id == "coral-gate":
            connection = api.FtpConnection(host="127.0.0.1", port=self.host.ftp_port, user=server_id)
        else:
            connection = api.FolderConnection(folder=str((self.host_folder / server_id).resolve()))
        title = server_id.replace("-", " ").title()
        return api.ServerIn(
            id=server_id,
            title=title,
            gamebook="fathomline",
            connection=connection,
            connection_secret=SecretStr(HOST_PASSWORD),
            control=control,
            control_secret=SecretStr(HOST_PASSWORD),
        )

    def seed(self) -> None:
        """Put the demo's data into an empty service: both servers, their files, the defaults, one change begun."""
        with self.client() as zerrit:
            known = {server.id: server for server in zerrit.servers()}
            for server_id in known.keys() & set(GAMES):
                self._follow_ports(zerrit, known[server_id])
            if known:
                return
            zerrit.save_gamebook("fathomline", world_files.gamebook().decode())
            for server_id in GAMES:
                zerrit.add_server(self.server_in(server_id))
                zerrit.fetch(server_id)
                zerrit.import_defaults(server_id, world_files.VERSION, defaults_zip(world_files.VERSION))
            change = zerrit.create_change("coral-gate", "Wet evenings: fewer gimbals, two pump circuits")
            for step in story_steps():
                zerrit.add_step(change.id, step)

    def _follow_ports(self, zerrit: Client, known: api.ServerOut) -> None:
        """The ports of the host, or the folder of the demo, may be others than the last time."""
        given = self.server_in(known.id)
        if (known.connection, known.control) != (given.connection, given.control):
            zerrit.change_server(given.model_copy(update={"title": known.title, "gamebook": known.gamebook}))


def story_steps(ground: str = "Ribbonwed Flats") -> list[api.StepIn]:
    """The first change of the story; by default with a slip in the name of a ground."""
    finds = "sea/finds.xml#shelf"
    return [
        api.StepIn(kind="set", address=f"{finds}[brass]/find[Copper Gimbal]/@holds", operation="-10"),
        api.StepIn(kind="set", address=f"{finds}[brass]/find[Copper Gimbal]/@returns", operation="*2"),
        api.StepIn(kind="set", address=f"{finds}[float]/find[*Cork Float]/@holds", operation="+5"),
        api.StepIn(
            kind="add",
            address=f"{finds}[brass]",
            name="find",
            fields={
                "name": "Slate Gimbal",
                "ground": ground,
                "holds": "2..8",
                "returns": "6 tides",
                "heft": "1.9 kg",
                "worth": "60",
            },
        ),
        api.StepIn(kind="set", address="sea/happenings/icewater.xml#happening[Lantern Fall]/@runs", operation="on"),
        api.StepIn(kind="merge", address="station.ini", snippet=world_files.snippet("pump-circuits.txt")),
    ]


def crashing_step() -> api.StepIn:
    """A step that no check objects to and that trips the station's breaker at its start."""
    return api.StepIn(kind="set", address="station.ini#Circuit */Rating", operation="+6")


def write_files(folder: Path, files: Mapping[str, bytes]) -> None:
    """Write files below a folder by their paths."""
    part = folder.with_name(f"{folder.name}.part")
    shutil.rmtree(part, ignore_errors=True)
    for path, data in files.items():
        target = part / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    part.rename(folder)


def defaults_zip(version: str) -> bytes:
    """The shipped defaults of a version as a ZIP, the same bytes every time."""
    is_next = version == world_files.NEXT_VERSION
    shipped = world_files.next_default_files() if is_next else world_files.default_files()
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for path, data in sorted(shipped.items()):
            packed.writestr(zipfile.ZipInfo(path), data, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def _require_free(what: str, port: int, option: str) -> None:
    try:
        bound_socket("127.0.0.1", port).close()
    except OSError as error:
        raise PortTaken(
            f"Port {port} for the {what} is in use on this machine. Choose another: make demo {option}={port + 100}"
        ) from error
