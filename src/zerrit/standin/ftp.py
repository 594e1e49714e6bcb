"""The FTP server of the stand-in host, plain and inside TLS, with its faults."""

from __future__ import annotations

import errno
import logging
import os
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, Final

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.filesystems import AbstractedFS
from pyftpdlib.handlers import DTPHandler, FTPHandler, TLS_DTPHandler, TLS_FTPHandler
from pyftpdlib.ioloop import IOLoop
from pyftpdlib.servers import ThreadedFTPServer

from zerrit.standin.faults import Misbehaviour, in_any_case

REFUSED: Final = (".exe", ".dll", ".bat")
POLL: Final = 0.1  # seconds
STALL: Final = 60.0  # seconds

Games = Mapping[str, Misbehaviour]


class _Files(AbstractedFS):  # type: ignore[misc]  # pyftpdlib ships no types
    """A folder whose disk can be full, whose clock can be off, and whose names may be found in any case."""

    @property
    def _wrong(self) -> Misbehaviour:
        wrong: Misbehaviour = self.cmd_channel.wrong
        return wrong

    def chdir(self, path: str) -> None:
        """Not as the library does it: it changes the folder of the whole process, under the feet of everything else."""
        if not Path(path).is_dir():
            raise NotADirectoryError(errno.ENOTDIR, "Not a directory", path)
        self.cwd = self.fs2ftp(path)

    def ftp2fs(self, path: str) -> str:
        real: str = super().ftp2fs(path)
        return str(in_any_case(Path(self.root), Path(real))) if self._wrong.faults.any_case else real

    def rename(self, src: str, dst: str) -> None:
        if self._wrong.faults.no_replace and Path(dst).exists():
            raise FileExistsError(errno.EEXIST, "File exists", dst)
        super().rename(src, dst)
        self._wrong.spoil(Path(dst))
        if self._wrong.fails_rename():
            raise OSError(errno.EIO, "Input/output error", dst)

    def _about(self, about: os.stat_result) -> os.stat_result:
        faults = self._wrong.faults
        fields = list(about)
        fields[6] = max(0, fields[6] + faults.size_off)
        for at in (7, 8, 9):
            fields[at] += faults.clock_off
        return os.stat_result(fields)

    def stat(self, path: str) -> os.stat_result:
        return self._about(super().stat(path))

    def lstat(self, path: str) -> os.stat_result:
        return self._about(super().lstat(path))


class _Cut:
    """A data connection that can be cut off or stall."""

    cmd_channel: Any
    close: Callable[[], None]
    _resp: tuple[str, Callable[[str], None]]
    tot_bytes_sent: int
    tot_bytes_received: int

    def send(self, data: bytes) -> int:
        passing = self._passing(self.tot_bytes_sent, len(data))
        sent: int = super().send(data[:passing] if passing is not None else data)  # type: ignore[misc]
        if passing is not None:
            self._break_off()
        return sent

    def recv(self, size: int) -> bytes:
        data: bytes = super().recv(size)  # type: ignore[misc]
        if not self.cmd_channel.wrong.takes(len(data)):
            self._resp = ("452 No space left on device.", logging.getLogger("pyftpdlib").debug)
            self.close()
            return b""
        passing = self._passing(self.tot_bytes_received, len(data))
        if passing is not None:
            self._break_off()
            return b""
        return data

    def _passing(self, sent: int, size: int) -> int | None:
        wrong: Misbehaviour = self.cmd_channel.wrong
        passing = wrong.cut(sent, size)
        if passing is not None and wrong.stalls:
            time.sleep(STALL)
        return passing

    def _break_off(self) -> None:
        channel = self.cmd_channel
        channel.close()
        self.close()


class _Dtp(_Cut, DTPHandler):  # type: ignore[misc]
    pass


class _TlsDtp(_Cut, TLS_DTPHandler):  # type: ignore[misc]
    pass


class _Faulty:
    """Refuses programs, as hosts do, and whatever else it is told to."""

    games: Games
    _entered: Misbehaviour | None = None
    respond: Callable[[str], None]
    close_when_done: Callable[[], None]
    close: Callable[[], None]
    username: str

    @property
    def wrong(self) -> Misbehaviour:
        return self.games.get(self.username) or _NO_GAME

    def on_connect(self) -> None:
        if any(wrong.refuses("connections") for wrong in self.games.values()):
            self.respond("421 No more connections now.")
            self.close()  # what is not listened to yet cannot be closed later

    def ftp_PASS(self, line: str) -> None:  # noqa: N802 (named by pyftpdlib)
        wrong = self.games.get(self.username)
        if wrong is not None and wrong.refuses("sign-in"):
            self.respond("530 Not now.")
            return
        if wrong is not None and self._entered is None:
            if not wrong.enter():
                self.respond("530 Too many connections for this user.")
                self.close_when_done()
                return
            self._entered = wrong
        super().ftp_PASS(line)  # type: ignore[misc]

    def on_disconnect(self) -> None:
        if self._entered is not None:
            self._entered.leave()
            self._entered = None

    def ftp_FEAT(self, line: str) -> None:  # noqa: N802
        if self.wrong.faults.no_facts:
            self.respond("211 No features.")
        else:
            super().ftp_FEAT(line)  # type: ignore[misc]

    def ftp_MLSD(self, path: str) -> Any:  # noqa: N802
        if self.wrong.faults.no_facts:
            self.respond("500 Not understood.")
            return None
        return super().ftp_MLSD(path)  # type: ignore[misc]

    def ftp_RETR(self, file: str) -> Any:  # noqa: N802
        self.wrong.wait()
        return super().ftp_RETR(file)  # type: ignore[misc]

    def ftp_STOR(self, file: str, mode: str = "w") -> Any:  # noqa: N802
        if file.lower().endswith(REFUSED):
            self.respond("553 Programs are refused on this host.")
            return None
        if self.wrong.refuses("writes"):
            self.respond("550 Permission denied.")
            return None
        self.wrong.wait()
        return super().ftp_STOR(file, mode)  # type: ignore[misc]

    def ftp_RNTO(self, path: str) -> Any:  # noqa: N802
        if path.lower().endswith(REFUSED):
            self.respond("553 Programs are refused on this host.")
            return None
        return super().ftp_RNTO(path)  # type: ignore[misc]


_NO_GAME: Final = Misbehaviour()


class _Handler(_Faulty, FTPHandler):  # type: ignore[misc]
    dtp_handler = _Dtp


class _TlsHandler(_Faulty, TLS_FTPHandler):  # type: ignore[misc]
    dtp_handler = _TlsDtp
    tls_control_required = True
    tls_data_required = True


def _fingerprint(certificate: Path) -> str:
    found = x509.load_pem_x509_certificate(certificate.read_bytes())
    return f"SHA256:{found.fingerprint(hashes.SHA256()).hex()}"


class FtpServer:
    """Serves every game's folder to a user of its name. With a `certificate` (a PEM file with its key) inside TLS."""

    def __init__(
        self, folders: Mapping[str, Path], games: Games, password: str, port: int, certificate: Path | None = None
    ) -> None:
        # Without a handler of its own the library logs every command to the terminal.
        logging.getLogger("pyftpdlib").addHandler(logging.NullHandler())
        logging.getLogger("pyftpdlib").propagate = False
        authorizer = DummyAuthorizer()
        for name, folder in folders.items():
            authorizer.add_user(name, password, str(folder), perm="elradfmwMT")
        about = {"authorizer": authorizer, "banner": "stand-in host", "games": games, "abstracted_fs": _Files}
        about |= {"auth_failed_timeout": 0.1}
        if certificate is not None:
            about |= {"certfile": str(certificate), "ssl_context": None}
        handler = type("Handler", (_TlsHandler if certificate else _Handler,), about)
        # By default every server of a process would be served by one loop, and so by the threads of all.
        self._server = ThreadedFTPServer(("127.0.0.1", port), handler, ioloop=IOLoop())
        # The library keeps these on the class, so that one server that closes would end the sessions of all.
        self._server._exit, self._server._lock = threading.Event(), threading.Lock()
        self.port: int = self._server.address[1]
        self.identity = _fingerprint(certificate) if certificate is not None else ""
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def _serve(self) -> None:
        """Serve until told to stop, and close in the same thread: closed from another, the loop polls a dead socket."""
        while not self._stopping.is_set():
            self._server.ioloop.loop(timeout=POLL, blocking=False)
        self._server.close_all()

    def stop(self) -> None:
        self._stopping.set()
        if self._thread.is_alive():
            self._thread.join(5)
