"""The SFTP server of the stand-in host, with its faults."""

from __future__ import annotations

import contextlib
import errno
import os
import socket
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Final

import paramiko
from paramiko.common import (
    AUTH_FAILED,
    AUTH_SUCCESSFUL,
    OPEN_FAILED_ADMINISTRATIVELY_PROHIBITED,
    OPEN_SUCCEEDED,
)
from paramiko.sftp import SFTP_FAILURE, SFTP_OK, SFTP_PERMISSION_DENIED
from typing_extensions import Buffer

from zerrit.standin.faults import Misbehaviour, in_any_case

STALL: Final = 60.0  # seconds


class _SignIn(paramiko.ServerInterface):
    def __init__(self, server: SftpServer) -> None:
        self._server = server
        self.user = ""

    def get_allowed_auths(self, username: str) -> str:
        return "password,publickey"

    def check_auth_password(self, username: str, password: str) -> int:
        return self._let_in(username, password == self._server.password)

    def check_auth_publickey(self, username: str, key: paramiko.PKey) -> int:
        return self._let_in(username, key.asbytes() in self._server.accepted_keys)

    def _let_in(self, user: str, is_right: bool) -> int:
        wrong = self._server.games.get(user)
        if wrong is None or not is_right or wrong.refuses("sign-in"):
            return AUTH_FAILED
        self.user = user
        return AUTH_SUCCESSFUL

    def check_channel_request(self, kind: str, chanid: int) -> int:
        return OPEN_SUCCEEDED if kind == "session" else OPEN_FAILED_ADMINISTRATIVELY_PROHIBITED


class _File(paramiko.SFTPHandle):
    def __init__(self, descriptor: int, flags: int, files: _Files) -> None:
        super().__init__(flags)
        self._descriptor = descriptor
        self._files = files
        self._moved = 0

    def read(self, offset: int, length: int) -> bytes | int:
        data = os.pread(self._descriptor, length, offset)
        return data if self._files.passes(self._moved_by(len(data)), len(data)) else SFTP_FAILURE

    def write(self, offset: int, data: Buffer) -> int:
        data = bytes(data)
        if not self._files.wrong.takes(len(data)):
            return SFTP_FAILURE  # the protocol has no word for a full disk
        if not self._files.passes(self._moved_by(len(data)), len(data)):
            return SFTP_FAILURE
        os.pwrite(self._descriptor, data, offset)
        return SFTP_OK

    def _moved_by(self, size: int) -> int:
        before, self._moved = self._moved, self._moved + size
        return before

    def stat(self) -> paramiko.SFTPAttributes | int:
        return self._files.about(os.fstat(self._descriptor))

    def close(self) -> None:
        with contextlib.suppress(OSError):
            os.close(self._descriptor)


class _Files(paramiko.SFTPServerInterface):
    def __init__(self, server: _SignIn, host: SftpServer, transport: list[paramiko.Transport]) -> None:
        super().__init__(server)
        self._root = host.folders[server.user]
        self.wrong = host.games[server.user]
        self._transport = transport

    def passes(self, moved: int, size: int) -> bool:
        """Whether a block passes; where not, the connection stalls or is cut off."""
        if moved == 0:
            self.wrong.wait()
        if self.wrong.cut(moved, size) is None:
            return True
        if self.wrong.stalls:
            time.sleep(STALL)
        self._transport[0].close()
        return False

    def about(self, stat: os.stat_result, name: str = "") -> paramiko.SFTPAttributes:
        found = paramiko.SFTPAttributes.from_stat(stat)
        found.filename = name
        faults = self.wrong.faults
        found.st_size = max(0, (found.st_size or 0) + faults.size_off)
        found.st_mtime = int(found.st_mtime or 0) + faults.clock_off
        return found

    def _real(self, path: str) -> Path:
        real = self._root / self.canonicalize(path).lstrip("/")
        return in_any_case(self._root, real) if self.wrong.faults.any_case else real

    def list_folder(self, path: str) -> list[paramiko.SFTPAttributes] | int:
        try:
            return [self.about(one.lstat(), one.name) for one in self._real(path).iterdir()]
        except OSError as error:
            return _code(error)

    def stat(self, path: str) -> paramiko.SFTPAttributes | int:
        try:
            return self.about(self._real(path).stat())
        except OSError as error:
            return _code(error)

    lstat = stat

    def open(self, path: str, flags: int, attr: paramiko.SFTPAttributes) -> paramiko.SFTPHandle | int:
        if flags & (os.O_WRONLY | os.O_RDWR) and self.wrong.refuses("writes"):
            return SFTP_PERMISSION_DENIED
        try:
            return _File(os.open(self._real(path), flags, 0o644), flags, self)
        except OSError as error:
            return _code(error)

    def chattr(self, path: str, attr: paramiko.SFTPAttributes) -> int:
        mode = attr.st_mode
        return SFTP_OK if mode is None else self._done(lambda: self._real(path).chmod(mode))

    def remove(self, path: str) -> int:
        return self._done(lambda: self._real(path).unlink())

    def rename(self, oldpath: str, newpath: str) -> int:
        if self._real(newpath).exists():
            return SFTP_FAILURE
        return self.posix_rename(oldpath, newpath)

    def posix_rename(self, oldpath: str, newpath: str) -> int:
        if self.wrong.faults.no_replace and self._real(newpath).exists():
            return SFTP_FAILURE
        done = self._done(lambda: self._real(oldpath).replace(self._real(newpath)))
        if done == SFTP_OK:
            self.wrong.spoil(self._real(newpath))
        return SFTP_FAILURE if done == SFTP_OK and self.wrong.fails_rename() else done

    def mkdir(self, path: str, attr: paramiko.SFTPAttributes) -> int:
        return self._done(lambda: self._real(path).mkdir())

    def rmdir(self, path: str) -> int:
        return self._done(lambda: self._real(path).rmdir())

    def _done(self, work: Callable[[], object]) -> int:
        try:
            work()
        except OSError as error:
            return _code(error)
        return SFTP_OK


def _code(error: OSError) -> int:
    return paramiko.SFTPServer.convert_errno(error.errno or errno.EIO)


class SftpServer:
    """Serves every game's folder to a user of its name."""

    def __init__(
        self, folders: Mapping[str, Path], games: Mapping[str, Misbehaviour], password: str, port: int
    ) -> None:
        self.folders, self.games, self.password = folders, games, password
        self.accepted_keys: set[bytes] = set()  #: public keys that may sign in, as SSH writes them
        self._first_key: paramiko.PKey = paramiko.ECDSAKey.generate()
        self._key: paramiko.PKey = self._first_key
        self._listening = socket.create_server(("127.0.0.1", port))
        self.port: int = self._listening.getsockname()[1]
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._open: list[paramiko.Transport] = []

    def change_key(self) -> None:
        """The host was set up anew, or someone is between."""
        self._key = paramiko.ECDSAKey.generate()

    def restore_key(self) -> None:
        self._key = self._first_key

    def drop_connections(self) -> None:
        open_now, self._open = self._open, []
        for transport in open_now:
            transport.close()

    def start(self) -> None:
        self._thread.start()

    def _serve(self) -> None:
        while True:
            try:
                sock, _ = self._listening.accept()
            except OSError:
                return
            threading.Thread(target=self._serve_one, args=(sock,), daemon=True).start()

    def _serve_one(self, sock: socket.socket) -> None:
        if any(wrong.refuses("connections") for wrong in self.games.values()):
            sock.close()
            return
        # The connection counts against the game whose limit is the tightest; it is not known yet who comes.
        limited = [wrong for wrong in self.games.values() if wrong.faults.connections is not None]
        entered = limited[0] if limited else None
        if entered is not None and not entered.enter():
            sock.close()
            return
        transport = paramiko.Transport(sock)
        self._open.append(transport)
        try:
            transport.add_server_key(self._key)
            transport.set_subsystem_handler("sftp", paramiko.SFTPServer, _Files, self, [transport])
            with contextlib.suppress(paramiko.SSHException, EOFError, OSError):
                transport.start_server(server=_SignIn(self))
                while transport.is_active():
                    transport.join(0.5)
        finally:
            if entered is not None:
                entered.leave()

    def stop(self) -> None:
        with contextlib.suppress(OSError):
            self._listening.shutdown(socket.SHUT_RDWR)
        self._listening.close()
        self.drop_connections()
