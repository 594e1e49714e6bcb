"""A service and a host whose games stop and start at once, so that a test of a whole deploy takes no more than a second."""

from __future__ import annotations

import atexit
import re
import shutil
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from types import MappingProxyType

from pydantic import SecretStr

from zerrit import api
from zerrit.client import Client
from zerrit.connections import Limits
from zerrit.standin import Faults, StandinHost
from zerrit.standin.host import HostedGame
from zerrit.web import Service, Settings, bound_socket, create_app
from zerrit.work.base.workspace import Workspace

ADMIN, PASSWORD = "isolde", "mind-the-tide"
SECRET = SecretStr("keys")
GAMEBOOK = """gamebook: 1
game: quick
files:
  station.ini: {rewritten_at_stop: true}
  live/*.yml: {takes_effect: reload}
  sea/*.yml: {purpose: what is there}
trouble:
  log: logs/station.log
  ready_pattern: station is open
  closed_pattern: station closed
  crash_files: [crashes/*]
  log_patterns: [ERROR]
  loaded:
    - {line: 'read (?P<name>\\S+)', list: grounds}
lists:
  grounds: {file_names: "sea/*.yml"}
checklist:
  - {after: "sea/*.yml#holds", do: "dive and count"}
ignore: [logs/**, crashes/**]
watch: ["packs/*.big", "worlds/**"]
"""
WORLD = b"\x00a world" * 5000  #: of a file that is only watched, and that deploys move


def pack_of(value: int) -> dict[str, bytes]:
    """A folder with binaries, one of them only watched, that is another one for each value."""
    return {
        "kit.pak": b"\x00kit %d" % value * 50,
        "tiles.big": b"\x00tiles %d" % value * 90,
        "deep/far.bin": b"\x00far %d" % value,
    }


class QuickGame(HostedGame):
    """Stops and starts at once, logs both, and rewrites `station.ini` when it stops.

    It goes down at its start where a file of `sea` holds too much, and leaves a crash file.
    """

    _is_up = False
    _kept = b""
    log_is = "appended"  #: or "overwritten" at each start, or in a "new file" at each
    at_stop: Mapping[str, bytes] = MappingProxyType({})  #: files that it writes when it stops
    at_start: Mapping[str, bytes] = MappingProxyType({})  #: and when it starts, before it reads
    stop_takes = 0.0  #: seconds
    _starts = 0

    @property
    def state(self) -> str:
        return "running" if self._is_up else "stopped"

    def start(self) -> None:
        with self.lock:
            if not self._is_up:
                self._kept = (self.folder / "station.ini").read_bytes()
                self._starts += 1
                if self.log_is == "overwritten":
                    (self.folder / "logs/station.log").unlink(missing_ok=True)
                self._write(self.at_start)
                self._load()

    def _load(self) -> None:
        for path in sorted((self.folder / "sea").glob("*.yml")):
            found = re.search(r"holds: (\d+)", path.read_text())
            if found is not None and int(found.group(1)) >= TOO_MUCH:
                (self.folder / "crashes").mkdir(exist_ok=True)
                (self.folder / f"crashes/{time.time_ns()}.txt").write_text(f"{path.name} holds too much\n")
                self._log(f"ERROR {path.name} holds too much")
                return
            self._log(f"read {path.stem}")
        self._is_up = True
        faults = self.wrong.faults
        if faults.dies_after is not None and self.wrong.strikes():
            threading.Timer(faults.dies_after, self._die).start()
        if not faults.silent:
            self._log("station is open")

    def _die(self) -> None:
        self._is_up = False
        self.dumps.mkdir(parents=True, exist_ok=True)
        (self.dumps / f"{time.time_ns()}.dump").write_text("a bulkhead gave way\n")

    def stop(self) -> None:
        if self.stop_takes:
            threading.Timer(self.stop_takes, self._stop).start()
        else:
            self._stop()

    def _stop(self) -> None:
        with self.lock:
            if self._is_up and not self.wrong.faults.stop_hangs:
                self._write(self.at_stop)
                starts = int(re.search(rb"Starts=(\d+)", self._kept).group(1)) + 1  # type: ignore[union-attr]
                text = re.sub(rb"Starts=\d+", f"Starts={starts}".encode(), self._kept)
                (self.folder / "station.ini").write_bytes(text)
                self._is_up = False
                self._log("station closed")

    def reload(self) -> None:
        self._log("read again")

    def _write(self, files: Mapping[str, bytes]) -> None:
        for path, data in files.items():
            (self.folder / path).parent.mkdir(parents=True, exist_ok=True)
            (self.folder / path).write_bytes(data)

    def _log(self, text: str) -> None:
        (self.folder / "logs").mkdir(exist_ok=True)
        name = f"station-{self._starts}" if self.log_is == "new file" else "station"
        with (self.folder / f"logs/{name}.log").open("a") as file:
            file.write(f"{text}\n")


TOO_MUCH = 5_000_000


def lay_out(folder: Path) -> None:
    """A small server: one file that the game rewrites, some that it reads."""
    (folder / "sea").mkdir(parents=True)
    (folder / "live").mkdir()
    (folder / "station.ini").write_text("[World]\nStarts=0\nDayLength=96\n")
    for number in range(12):
        (folder / f"sea/{number}.yml").write_text(f"number: {number}\nholds: 0\n" + "# tide\n" * 200)
    (folder / "live/bell.yml").write_text("volume: 0\n")


def connection_to(kind: str, host: StandinHost, name: str) -> api.AnyConnection:
    """A connection of a kind to a game of the host."""
    where = {"host": "127.0.0.1", "user": name}
    match kind:
        case "folder":
            return api.FolderConnection(folder=str(host.games[name].folder))
        case "ftp":
            return api.FtpConnection(port=host.ftp_port, **where)  # type: ignore[arg-type]
        case "ftps":
            return api.FtpsConnection(port=host.ftps_port, identity=host.identity, **where)  # type: ignore[arg-type]
        case "sftp":
            return api.SftpConnection(port=host.sftp_port, **where)  # type: ignore[arg-type]
    return api.ManualConnection()


@dataclass
class Quick:
    """The host, the service over it, and a signed-in client."""

    host: StandinHost
    zerrit: Client
    workspace: Workspace
    folder: Path
    url: str
    shown: set[str] = field(default_factory=set)

    def game(self, name: str = "reef") -> QuickGame:
        found = self.host.games[name]
        assert isinstance(found, QuickGame)
        return found

    def add(self, name: str = "reef", kind: str = "folder", **maintenance: object) -> None:
        """A server by a kind of connection, fetched."""
        self.zerrit.add_server(
            api.ServerIn(
                id=name,
                gamebook="quick",
                connection=connection_to(kind, self.host, name),
                connection_secret=SECRET,
                control=self._control(name),
                control_secret=SECRET,
                maintenance=api.Maintenance.model_validate(maintenance),
            )
        )
        self.zerrit.fetch(name)

    def add_with(self, files: Mapping[str, bytes]) -> None:
        """A server by a folder that holds these files, too, fetched."""
        for path, data in files.items():
            (self.game().folder / path).parent.mkdir(parents=True, exist_ok=True)
            (self.game().folder / path).write_bytes(data)
        self.add()

    def carry(self, name: str) -> None:
        """A server whose files a person carries, while a program stops and starts it; all is shown once."""
        self.zerrit.add_server(
            api.ServerIn(
                id=name,
                gamebook="quick",
                connection=api.ManualConnection(),
                control=self._control(name),
                control_secret=SECRET,
            )
        )
        self.show(name)
        self.zerrit.fetch(name)

    def show(self, name: str) -> None:
        """Show what is on a server now."""
        shown = self.files(name)
        log = self.game(name).folder / "logs/station.log"
        shown |= {"logs/station.log": log.read_bytes()} if log.exists() else {}
        gone = self.shown - shown.keys()
        self.zerrit.upload(name, shown, sorted(gone))
        self.shown = set(shown)

    def _control(self, name: str) -> api.HttpControl:
        return api.HttpControl(url=f"http://127.0.0.1:{self.host.control_port}/{name}")

    def change(self, *settings: str, name: str = "reef", title: str = "A try") -> int:
        """A change of values, each as ADDRESS=VALUE."""
        change = self.zerrit.create_change(name, title).id
        for text in settings:
            address, _, value = text.rpartition("=")
            self.zerrit.add_step(change, api.StepIn(kind="set", address=address, operation=f"={value}"))
        return change

    def end_of(self, run: api.RunOut) -> api.RunOut:
        *_, last = self.zerrit.follow(run.id)
        return last

    def deploy(self, *settings: str, name: str = "reef") -> api.RunOut:
        return self.end_of(self.zerrit.deploy(self.change(*settings, name=name)))

    def misbehave(self, name: str = "reef", **faults: object) -> None:
        self.host.games[name].wrong.set(Faults.model_validate(faults))

    def stop_service(self) -> None:
        """Stop the service before its time, so that another one can take its data."""
        _stops[id(self.workspace)]()

    def files(self, name: str = "reef") -> dict[str, bytes]:
        folder = self.game(name).folder
        return {
            str(path.relative_to(folder)): path.read_bytes()
            for path in sorted(folder.rglob("*"))
            if path.is_file() and path.parent.name not in ("logs", "crashes")
        }


QUICK_LIMITS = Limits(timeout=0.8, tries=3, pause=0.05)


@contextmanager
def quick_stack(folder: Path, games: tuple[str, ...] = ("reef",), patience: float = 3.0) -> Iterator[Quick]:
    for name in games:
        if not (folder / "host" / name).is_dir():
            lay_out(folder / "host" / name)
    host = StandinHost(folder / "host", games, "keys")
    for name, game in host.games.items():
        host.games[name] = QuickGame(game.id, game.folder, game.dumps, wrong=game.wrong)
    begun, token = begun_data()
    if not (folder / "data").is_dir():
        shutil.copytree(begun, folder / "data")
    host.start()
    with running_service(folder / "data", patience) as (url, workspace), Client(url, token) as zerrit:
        yield Quick(host, zerrit, workspace, folder, url)
    host.stop()


@cache
def begun_data() -> tuple[Path, str]:
    """What a service keeps that knows its admin and a gamebook, to be copied, and a token of that admin."""
    folder = Path(tempfile.mkdtemp(prefix="zerrit-begun-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    with running_service(folder / "data") as (url, _):
        with Client(url) as anonymous:
            token = anonymous.token(ADMIN, PASSWORD).token
        with Client(url, token) as zerrit:
            zerrit.save_gamebook("quick", GAMEBOOK)
    return folder / "data", token


@contextmanager
def running_service(data: Path, patience: float = 3.0) -> Iterator[tuple[str, Workspace]]:
    """The service in a thread, and its workspace, which a test may reach into to make it hurry."""
    app = create_app(Settings(data, ADMIN, PASSWORD, settle=0.1, tick=0.1))
    socket = bound_socket("127.0.0.1", 0)
    server = Service(app)
    thread = threading.Thread(target=server.run, kwargs={"sockets": [socket]}, daemon=True)
    thread.start()
    wait_until(lambda: server.started)
    workspace: Workspace = app.state.context.workspace
    workspace.patience = patience
    workspace.limits = QUICK_LIMITS

    def stop() -> None:
        server.should_exit = True
        thread.join(30)
        assert not thread.is_alive(), "the service does not stop"

    _stops[id(workspace)] = stop
    try:
        yield f"http://127.0.0.1:{socket.getsockname()[1]}", workspace
    finally:
        _stops.pop(id(workspace))()


_stops: dict[int, Callable[[], None]] = {}  #: how the service of a workspace is stopped


def wait_until(is_so: Callable[[], object], seconds: float = 20) -> None:
    deadline = time.monotonic() + seconds
    while not is_so():
        assert time.monotonic() < deadline, "it never came to be"
        time.sleep(0.03)
