"""The host around the games: FTP, FTPS and SFTP over their folders, an HTTP control, consoles, and the processes."""

import signal
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, Final

import uvicorn
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from fastapi import Body, Depends, FastAPI, HTTPException
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer

from zerrit.standin.faults import Faults, Misbehaviour
from zerrit.standin.ftp import FtpServer
from zerrit.standin.game_console import ConsoleServer
from zerrit.standin.sftp import SftpServer

#: It is started as a file, without the package around it: a game is up in a tenth of a second then.
GAME: Final = Path(__file__).with_name("game.py")
STOP_PATIENCE: Final = 10.0  # seconds after which a game that does not stop is ended


@dataclass
class HostedGame:
    """One game on the host: its folder, its process while it runs, who is on it, and what is wrong with it."""

    id: str
    folder: Path
    dumps: Path  #: where the host itself puts a file when a process goes down, outside of the game's folder
    process: subprocess.Popen[bytes] | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)
    wrong: Misbehaviour = field(default_factory=Misbehaviour)
    players: int = 0
    announced: list[str] = field(default_factory=list)

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
            if self.state == "running":
                return
            faults = self.wrong.faults
            given = [f"--noise={faults.noise}"]
            given += ["--silent"] if faults.silent else []
            given += [f"--dies-after={faults.dies_after}"] if faults.dies_after is not None else []
            self.process = subprocess.Popen(  # noqa: S603 (our own module)
                [sys.executable, "-I", str(GAME), str(self.folder), *given], start_new_session=True
            )
            threading.Thread(target=self._see_it_end, args=(self.process,), daemon=True).start()

    def _see_it_end(self, process: subprocess.Popen[bytes]) -> None:
        if process.wait() > 0:
            self.dumps.mkdir(parents=True, exist_ok=True)
            (self.dumps / f"{time.time_ns()}.dump").write_text(f"{self.id} ended with {process.returncode}\n")

    def stop(self) -> None:
        with self.lock:
            if self.process is not None and self.process.poll() is None and not self.wrong.faults.stop_hangs:
                self.process.terminate()
                try:
                    self.process.wait(STOP_PATIENCE)
                except subprocess.TimeoutExpired:
                    self.process.kill()
                    self.process.wait()

    def reload(self) -> None:
        with self.lock:
            if self.process is not None and self.process.poll() is None:
                self.process.send_signal(signal.SIGHUP)

    def announce(self, text: str) -> None:
        self.announced.append(text)

    def obey(self, command: str) -> str:
        """A command of the game's console."""
        word, _, rest = command.strip().partition(" ")
        match word:
            case "status":
                return f"{self.state}, {self.players} aboard"
            case "aboard":
                return "\n".join(f"diver {number}" for number in range(1, self.players + 1)) or "no one"
            case "surface":
                threading.Thread(target=self.stop, daemon=True).start()
                return "surfacing"
            case "reread":
                self.reload()
                return "reading again"
            case "tell":
                self.announce(rest)
                return "told"
        return f"unknown command {word}"


class StandinHost:
    """Games by id, each a folder below `root`; the user of FTP and SFTP and the control's path are the game's id.

    Port 0 takes any free port; the ports in use are known once it is made.
    """

    def __init__(
        self, root: Path, games: tuple[str, ...], password: str, *, ftp_port: int = 0, control_port: int = 0
    ) -> None:
        self.games = {id_: HostedGame(id_, root / id_, root / "dumps" / id_) for id_ in games}
        self.password = password
        folders = {game.id: game.folder for game in self.games.values()}
        wrong = {game.id: game.wrong for game in self.games.values()}
        self._secrets = tempfile.TemporaryDirectory()
        self._folders, self._wrong = folders, wrong
        self._ftp = FtpServer(folders, wrong, password, ftp_port)
        self._certificate = make_certificate(Path(self._secrets.name))
        self._ftps = FtpServer(folders, wrong, password, 0, self._certificate)
        self.sftp = SftpServer(folders, wrong, password, 0)
        self._consoles = ConsoleServer({game.id: game.obey for game in self.games.values()}, password)
        self.ftp_port, self.ftps_port, self.sftp_port = self._ftp.port, self._ftps.port, self.sftp.port
        self.console_ports = self._consoles.ports
        config = uvicorn.Config(self._make_control(), host="127.0.0.1", port=control_port, log_level="warning")
        self._control = uvicorn.Server(config)
        self._socket = config.bind_socket()
        self._socket.listen(100)  # who asks before the server is up waits, and is not refused
        self.control_port: int = self._socket.getsockname()[1]
        self._thread = threading.Thread(target=self._control.run, kwargs={"sockets": [self._socket]}, daemon=True)

    @property
    def identity(self) -> str:
        """The fingerprint of the certificate that FTPS shows."""
        return self._ftps.identity

    def change_identity(self) -> None:
        """The host shows another certificate and another key from now on."""
        self.sftp.change_key()
        self._serve_ftps_with(make_certificate(Path(self._secrets.name)))

    def restore_identity(self) -> None:
        """The host shows its first certificate and key again."""
        self.sftp.restore_key()
        self._serve_ftps_with(self._certificate)

    def _serve_ftps_with(self, certificate: Path) -> None:
        self._ftps.stop()
        self._ftps = FtpServer(self._folders, self._wrong, self.password, self.ftps_port, certificate)
        self._ftps.start()

    def drop_connections(self) -> None:
        """Every open connection of SFTP ends; those of FTPS end with its server."""
        self.sftp.drop_connections()

    def _make_control(self) -> FastAPI:
        app = FastAPI(title="Stand-in host", openapi_url=None)
        bearer = HTTPBearer(auto_error=False)

        def any_game(
            game_id: str, given: Annotated[HTTPAuthorizationCredentials | None, Depends(bearer)]
        ) -> HostedGame:
            if given is None or given.credentials != self.password:
                raise HTTPException(401, "wrong token")
            if game_id not in self.games:
                raise HTTPException(404, "no such game")
            return self.games[game_id]

        def well(game: Annotated[HostedGame, Depends(any_game)]) -> HostedGame:
            if game.wrong.faults.control_down:
                raise HTTPException(503, "the control is down")
            return game

        chosen = Annotated[HostedGame, Depends(well)]

        @app.get("/{game_id}/state")
        def state(game: chosen) -> dict[str, str]:
            return {"state": game.state}

        @app.post("/{game_id}/stop")
        def stop(game: chosen) -> dict[str, str]:
            game.stop()
            return {"state": game.state}

        @app.post("/{game_id}/start")
        def start(game: chosen) -> dict[str, str]:
            if game.wrong.faults.start_refused:
                raise HTTPException(500, "the panel cannot start it")
            game.start()
            return {"state": game.state}

        @app.post("/{game_id}/reload")
        def reload(game: chosen) -> dict[str, str]:
            game.reload()
            return {"state": game.state}

        @app.post("/{game_id}/announce")
        def announce(game: chosen, text: Annotated[str, Body(embed=True)]) -> dict[str, str]:
            game.announce(text)
            return {"state": game.state}

        @app.get("/{game_id}/players")
        def players(game: chosen) -> dict[str, int]:
            return {"players": game.players}

        @app.put("/{game_id}/players")
        def set_players(game: chosen, players: Annotated[int, Body(embed=True, ge=0)]) -> dict[str, int]:
            game.players = players
            return {"players": game.players}

        @app.put("/{game_id}/faults")
        def set_faults(game: Annotated[HostedGame, Depends(any_game)], faults: Faults) -> Faults:
            game.wrong.set(faults)
            return faults

        return app

    def start(self) -> None:
        """Serve in threads of this process, and start every game."""
        self._ftp.start()
        self._ftps.start()
        self.sftp.start()
        self._consoles.start()
        self._thread.start()
        for game in self.games.values():
            game.start()

    def stop(self) -> None:
        """Stop the games, then the servers."""
        for game in self.games.values():
            game.wrong.set(Faults())
            game.stop()
        self._control.should_exit = True
        self._ftp.stop()
        self._ftps.stop()
        self.sftp.stop()
        self._consoles.stop()
        if self._thread.is_alive():
            self._thread.join(5)
        self._secrets.cleanup()


def make_certificate(folder: Path) -> Path:
    """A certificate that no one but itself vouches for, with its key, in a PEM file of the folder."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "stand-in host")])
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=365))
        .sign(key, hashes.SHA256())
    )
    path = folder / f"certificate-{time.time_ns()}.pem"
    path.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
        + certificate.public_bytes(serialization.Encoding.PEM)
    )
    return path
