"""A server whose files are reached by SFTP, the file transfer of SSH (version 3 of its draft, as all servers speak it)."""

from __future__ import annotations

import base64
import contextlib
import hashlib
import io
import socket
import stat
from collections.abc import Iterator
from typing import Final

import paramiko
from paramiko.sftp import CMD_CLOSE, CMD_HANDLE, CMD_NAME, CMD_OPENDIR, CMD_READDIR
from paramiko.sftp_attr import SFTPAttributes
from paramiko.sftp_client import SFTPClient

from zerrit.connections.connection import (
    MAX_FILES,
    PASSING,
    ConnectionFailed,
    ConnectionFault,
    Limits,
    missing,
    too_large,
    too_many,
)
from zerrit.connections.remote import RemoteConnection
from zerrit.connections.wire import Entry, Names
from zerrit.core.documents import MAX_BYTES

KEY_TYPES: Final = (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey)
_LOST_WORDS: Final = ("timeout", "shut down", "eof")  #: of a sign-in that no one refused
_FULL_WORDS: Final = ("no space", "disk full", "quota")


class SftpConnection(RemoteConnection):
    """Files below `folder`. `secret` is a password, or the text of a private key where it begins like one.

    `identity` is the accepted key of the host. Without one the first key is taken, and is in `identity` afterwards.
    """

    def __init__(
        self,
        host: str,
        port: int,
        user: str,
        secret: str,
        folder: str = ".",
        *,
        identity: str = "",
        parallel: int = 4,
        old_names: str = "cp1252",
        limits: Limits | None = None,
    ) -> None:
        chosen = limits or Limits()
        self.identity = identity
        names = Names(old_names)
        key = private_key(secret) if is_private_key(secret) else None

        def open_wire() -> _SftpWire:
            transport = _connected(host, port, self.identity, chosen.timeout)
            self.identity = _shown_by(transport)
            return _SftpWire(transport, f"{host}:{port}", user, key or secret, folder, names, chosen.timeout)

        super().__init__(open_wire, f"{host}:{port}", parallel=parallel, limits=chosen)


def is_private_key(secret: str) -> bool:
    """Whether a secret is the text of a private key rather than a password."""
    return secret.lstrip().startswith("-----BEGIN ")


def private_key(text: str) -> paramiko.PKey:
    """A private key from its text.

    Raises ConnectionFailed SIGN_IN: it is none that can be used.
    """
    for kind in KEY_TYPES:
        try:
            return kind.from_private_key(io.StringIO(text.strip() + "\n"))
        except paramiko.PasswordRequiredException as error:
            raise ConnectionFailed(
                ConnectionFault.SIGN_IN,
                "The private key is locked by a passphrase. Give a key without one, made for this server alone; Zerrit "
                "keeps it encrypted.",
            ) from error
        except (paramiko.SSHException, ValueError, IndexError):
            continue
    raise ConnectionFailed(
        ConnectionFault.SIGN_IN,
        "This is not a private key that can be read (Ed25519, ECDSA or RSA, in OpenSSH or PEM form).",
    )


def _connected(host: str, port: int, accepted: str, timeout: float) -> paramiko.Transport:
    """A connection to a host that is who it should be; nothing secret was sent yet."""
    try:
        sock = socket.create_connection((host, port), timeout)
    except (OSError, UnicodeError) as error:
        raise ConnectionFailed(
            ConnectionFault.UNREACHABLE,
            f"No SSH server answers at {host}:{port}. Is the host up, and are address and port right?",
        ) from error
    transport = paramiko.Transport(sock)
    transport.banner_timeout = transport.auth_timeout = transport.handshake_timeout = timeout
    try:
        transport.start_client(timeout=timeout)
        shown = _shown_by(transport)  # a greeting that took too long ends here
    except (paramiko.SSHException, OSError, EOFError) as error:
        transport.close()
        raise ConnectionFailed(
            ConnectionFault.BUSY,
            f"{host}:{port} broke off the greeting ({str(error) or type(error).__name__}). Try again in a while.",
        ) from error
    if accepted and shown != accepted:
        transport.close()
        raise ConnectionFailed(
            ConnectionFault.IDENTITY,
            f"{host}:{port} shows another key than the accepted one. Accepted: {accepted}. Now: {shown}. If the host says "
            "that it was set up anew, accept it; if not, someone may be between. Nothing was sent.",
            identity=shown,
        )
    return transport


def _shown_by(transport: paramiko.Transport) -> str:
    """The fingerprint of the host's key, in the form that SSH programs print."""
    digest = hashlib.sha256(transport.get_remote_server_key().asbytes()).digest()
    return f"SHA256:{base64.b64encode(digest).decode().rstrip('=')}"


class _RawNames(SFTPClient):
    """The library reads names as UTF-8 and fails at others; here they stay bytes."""

    def _ask(self, kind: int, *given: bytes) -> tuple[int, paramiko.Message]:
        answer: tuple[int, paramiko.Message] = self._request(kind, *given)  # type: ignore[attr-defined]  # not in its types
        return answer

    def entries(self, path: bytes) -> Iterator[tuple[bytes, SFTPAttributes]]:
        kind, message = self._ask(CMD_OPENDIR, path)
        if kind != CMD_HANDLE:
            raise paramiko.SFTPError("no handle came back")
        handle = message.get_binary()
        seen = 0
        try:
            while True:
                try:
                    kind, message = self._ask(CMD_READDIR, handle)
                except EOFError:
                    return
                if kind != CMD_NAME:
                    raise paramiko.SFTPError("no names came back")
                count = message.get_int()
                seen += count
                if not count or seen > MAX_FILES:  # an answer without a name would go on for ever
                    raise too_many("the host")
                for _ in range(count):
                    name, _long = message.get_string(), message.get_string()
                    yield name, SFTPAttributes._from_msg(message)  # type: ignore[attr-defined]
        finally:
            with contextlib.suppress(OSError, EOFError, paramiko.SSHException):
                self._ask(CMD_CLOSE, handle)


class _SftpWire:
    def __init__(
        self,
        transport: paramiko.Transport,
        where: str,
        user: str,
        secret: str | paramiko.PKey,
        folder: str,
        names: Names,
        timeout: float,
    ) -> None:
        self._transport = transport
        self._where = where
        self._names = names
        try:
            self._sftp = self._opened(user, secret, timeout)
            self._root = self._found(folder)
        except BaseException:
            transport.close()
            raise

    def _opened(self, user: str, secret: str | paramiko.PKey, timeout: float) -> _RawNames:
        try:
            if isinstance(secret, paramiko.PKey):
                self._transport.auth_publickey(user, secret)
            else:
                self._transport.auth_password(user, secret)
            channel = self._transport.open_session(timeout=timeout)
            channel.settimeout(timeout)
            channel.invoke_subsystem("sftp")
            return _RawNames(channel)
        except paramiko.AuthenticationException as error:
            if any(word in str(error).lower() for word in _LOST_WORDS):
                raise self._broken("the sign-in", error) from error
            what = "key" if isinstance(secret, paramiko.PKey) else "password"
            raise ConnectionFailed(
                ConnectionFault.SIGN_IN,
                f"The SSH server at {self._where} refuses the user `{user}` or its {what}. Correct the connection's {what}.",
            ) from error
        except (paramiko.SSHException, OSError, EOFError) as error:
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{self._where} dropped the connection while signing in ({error})."
            ) from error

    def _found(self, folder: str) -> bytes:
        try:
            # A path from the root that is none where the server locks users into their folder is meant from there.
            root = (self._sftp.normalize(folder or ".")).encode()
            is_folder = stat.S_ISDIR(self._sftp.stat(root).st_mode or 0)
        except FileNotFoundError:
            is_folder = False
        except (paramiko.SSHException, OSError, EOFError) as error:
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{self._where} dropped the connection while signing in ({error})."
            ) from error
        if not is_folder:
            raise ConnectionFailed(ConnectionFault.MISSING, f"The folder {folder} is not on {self._where}.")
        return root.rstrip(b"/")

    def _at(self, path: str) -> bytes:
        raw = self._names.raw(path)
        return (self._root + b"/" + raw if raw else self._root) or b"/"

    def folder(self, path: str) -> list[Entry]:
        with self._explained(path or "the list of files"):
            return [
                Entry(
                    self._names.text(path, name),
                    _kind(about.st_mode or 0),
                    about.st_size or 0,
                    int(about.st_mtime or 0),
                    str(int(about.st_mtime or 0)),
                    mode=stat.S_IMODE(about.st_mode) if about.st_mode else None,
                )
                for name, about in self._sftp.entries(self._at(path))
                if name not in (b".", b"..")
            ]

    def read(self, path: str, most: int, start: int = 0) -> bytes:
        with self._explained(path), self._sftp.open(self._at(path), "rb") as file:
            size = file.stat().st_size or 0
            if size - start > most:
                raise too_large(path, most)
            if start:
                file.seek(start)
            else:
                file.prefetch(size)
            return file.read(most)

    def store(self, path: str, data: bytes, *, is_read_back: bool = False) -> None:
        with self._explained(path):
            with self._sftp.open(self._at(path), "wb") as file:
                file.set_pipelined(True)
                file.write(data)
            if is_read_back:
                return
            stored = self._sftp.stat(self._at(path)).st_size
        # A host may tell a wrong size; what is there decides.
        if stored != len(data) and self.read(path, min(max(stored or 0, len(data)), MAX_BYTES) + 1) != data:
            raise ConnectionFailed(
                ConnectionFault.BROKEN,
                f"{path}: {stored:,} of {len(data):,} bytes arrived at {self._where}. Is its disk full? Try again.",
            )

    def rename(self, old: str, new: str) -> None:
        with self._explained(new):
            try:
                self._sftp.posix_rename(self._at(old), self._at(new))
            except OSError as error:
                # Servers without that extension of OpenSSH have the plain rename only, which replaces nothing.
                if not _is_plain_failure(error):
                    raise
                self._sftp.rename(self._at(old), self._at(new))

    def set_mode(self, path: str, mode: int) -> bool:
        try:
            with self._explained(path):
                self._sftp.chmod(self._at(path), mode)
        except ConnectionFailed as error:
            if error.fault in PASSING:
                raise
            return False
        return True

    def remove(self, path: str) -> None:
        with self._explained(path):
            self._sftp.remove(self._at(path))

    def make_folder(self, path: str) -> None:
        with self._explained(path):
            try:
                self._sftp.mkdir(self._at(path))
            except OSError:
                self._sftp.stat(self._at(path))  # it is there already, or it is an error

    def remove_folder(self, path: str) -> None:
        with self._explained(path):
            self._sftp.rmdir(self._at(path))

    def close(self) -> None:
        self._transport.close()

    @contextlib.contextmanager
    def _explained(self, what: str) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as error:
            raise missing(what) from error
        except PermissionError as error:
            raise ConnectionFailed(
                ConnectionFault.DENIED, f"{what}: {self._where} refuses it. Does this user have the right to it?"
            ) from error
        except TimeoutError as error:
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{what}: {self._where} stopped sending. Try again."
            ) from error
        except OSError as error:
            said = str(error)
            if any(word in said.lower() for word in _FULL_WORDS):
                raise ConnectionFailed(
                    ConnectionFault.FULL,
                    f"{what}: the disk of {self._where} is full ({said}). Make room there, then try again.",
                ) from error
            # A refusal without a reason has no number; a broken connection has one or says that it is closed.
            if _is_plain_failure(error) and self._transport.is_active():
                raise ConnectionFailed(
                    ConnectionFault.DENIED,
                    f"{what}: {self._where} refuses it without a reason ({said or 'failure'}). Is there room, is it the right folder?",
                ) from error
            raise self._broken(what, error) from error
        except (EOFError, paramiko.SSHException) as error:
            raise self._broken(what, error) from error

    def _broken(self, what: str, error: Exception) -> ConnectionFailed:
        return ConnectionFailed(
            ConnectionFault.BROKEN,
            f"{what}: the connection to {self._where} broke ({str(error) or type(error).__name__}). Try again.",
        )


def _is_plain_failure(error: OSError) -> bool:
    return error.errno is None and "closed" not in str(error).lower()


def _kind(mode: int) -> str:
    if stat.S_ISDIR(mode):
        return "folder"
    return "file" if stat.S_ISREG(mode) else "symlink"
