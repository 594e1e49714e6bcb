"""The host around the games: FTP, HTTP control, and the processes."""

import logging
import subprocess
import sys
import threading
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any, Final

import uvicorn
from fastapi import Depends, FastAPI, HTTPException
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer
from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.handlers import FTPHandler
from pyftpdlib.servers import ThreadedFTPServer

REFUSED: Final = (".exe", ".dll", ".bat")
FTP_POLL: Final = 0.1  # seconds
STOP_PATIENCE: Final = 10.0  # seconds after which a game that does not stop is ended


@dataclass
class HostedGame:
    """One game on the host: its folder, and its process while it runs."""

    id: str
    folder: Path
    process: subprocess.Popen[bytes] | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)

    @property
    def state(self) -> str:
        if self.process is None:
            return "stopped"
        code = self.process.poll()
        if code is None:
            return "running"
        return "stopped" if code == 0 else "crashed"

    def start(self) -> None:
        with self.lock:
            if self.state != "running":
                self.process = subprocess.Popen(  # noqa: S603 (our own module)
                    [sys.executable, "-m", "zerrit.standin.game", str(self.folder)], start_new_session=True
                )

    def stop(self) -> None:
        with self.lock:
            if self.process is not None and self.process.poll() is None:
                self.process.terminate()
                try:
                    self.process.wait(STOP_PATIENCE)
                except subprocess.TimeoutExpired:
                    self.process.kill()
                    self.process.wait()


class _Handler(FTPHandler):  # type: ignore[misc]  # pyftpdlib ships no types
    """Refuses programs, as hosts do."""

    def ftp_STOR(self, file: str, mode: str = "w") -> Any:  # noqa: N802 (named by pyftpdlib)
        if file.lower().endswith(REFUSED):
            self.respond("553 Programs are refused on this host.")
            return None
        return super().ftp_STOR(file, mode)

    def ftp_RNTO(self, path: str) -> Any:  # noqa: N802
        if path.lower().endswith(REFUSED):
            self.respond("553 Programs are refused on this host.")
            return None
        return super().ftp_RNTO(path)


class StandinHost:
    """Games by id, each a folder below `root`; FTP user and control path are the game's id.

    Port 0 takes any free port; the ports in use are `ftp_port` and `control_port` once it has started.
    """

    def __init__(
        self, root: Path, games: tuple[str, ...], password: str, *, ftp_port: int = 0, control_port: int = 0
    ) -> None:
        self.games = {id_: HostedGame(id_, root / id_) for id_ in games}
        self.password = password
        self._stopping = threading.Event()
        self._ftp = self._make_ftp(ftp_port)
        self.ftp_port: int = self._ftp.address[1]
        config = uvicorn.Config(self._make_control(), host="127.0.0.1", port=control_port, log_level="warning")
        self._control = uvicorn.Server(config)
        self._socket = config.bind_socket()
        self.control_port: int = self._socket.getsockname()[1]
        self._threads: list[threading.Thread] = []

    def _make_ftp(self, port: int) -> ThreadedFTPServer:
        # Without a handler of its own the library logs every command to the terminal.
        logging.getLogger("pyftpdlib").addHandler(logging.NullHandler())
        logging.getLogger("pyftpdlib").propagate = False
        authorizer = DummyAuthorizer()
        for game in self.games.values():
            authorizer.add_user(game.id, self.password, str(game.folder), perm="elradfmwMT")
        handler = type("Handler", (_Handler,), {"authorizer": authorizer, "banner": "stand-in host"})
        server = ThreadedFTPServer(("127.0.0.1", port), handler)
        # The library keeps these on the class, so that one server that closes would end the sessions of all.
        server._exit, server._lock = threading.Event(), threading.Lock()
        return server

    def _serve_ftp(self) -> None:
        """Serve until told to stop, and close in the same thread: closed from another, the loop polls a dead socket."""
        while not self._stopping.is_set():
            self._ftp.ioloop.loop(timeout=FTP_POLL, blocking=False)
        self._ftp.close_all()

    def _make_control(self) -> FastAPI:
        app = FastAPI(title="Stand-in host", openapi_url=None)
        bearer = HTTPBearer(auto_error=False)

        def game(game_id: str, given: Annotated[HTTPAuthorizationCredentials | None, Depends(bearer)]) -> HostedGame:
            if given is None or given.credentials != self.password:
                raise HTTPException(401, "wrong token")
            if game_id not in self.games:
                raise HTTPException(404, "no such game")
            return self.games[game_id]

        chosen = Annotated[HostedGame, Depends(game)]

        @app.get("/{game_id}/state")
        def state(game: chosen) -> dict[str, str]:
            return {"state": game.state}

        @app.post("/{game_id}/stop")
        def stop(game: chosen) -> dict[str, str]:
            game.stop()
            return {"state": game.state}

        @app.post("/{game_id}/start")
        def start(game: chosen) -> dict[str, str]:
            game.start()
            return {"state": game.state}

        return app

    def start(self) -> None:
        """Serve in threads of this process, and start every game."""
        self._threads = [
            threading.Thread(target=self._serve_ftp, daemon=True),
            threading.Thread(target=self._control.run, kwargs={"sockets": [self._socket]}, daemon=True),
        ]
        for thread in self._threads:
            thread.start()
        for game in self.games.values():
            game.start()

    def stop(self) -> None:
        """Stop the games, then the servers."""
        for game in self.games.values():
            game.stop()
        self._control.should_exit = True
        self._stopping.set()
        for thread in self._threads:
            thread.join(5)
