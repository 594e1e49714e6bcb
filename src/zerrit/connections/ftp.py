"""A server whose files are reached by FTP (RFC 959, 3659), in clear text or inside TLS (RFC 4217)."""

from __future__ import annotations

import contextlib
import ftplib
import hashlib
import io
import re
import socket
import ssl
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import partial
from typing import Final

from zerrit.connections.connection import (
    MAX_FILES,
    MAX_LISTING,
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

#: `drwxr-xr-x 2 user group 4096 Jan 31 18:45 name`, as most servers list where they know nothing newer.
_UNIX_LINE: Final = re.compile(
    rb"(?P<type>[-a-z])(?P<rights>\S{9})\S?[+@.]?\s+\d+\s+\S+\s+\S+\s+(?P<size>\d+)\s+(?P<when>\w{3}\s+\d+\s+[\d:]+)\s(?P<name>.+)"
)
#: `01-31-26  06:45PM  <DIR>  name`
_DOS_LINE: Final = re.compile(
    rb"(?P<when>\d\d-\d\d-\d{2,4}\s+\d\d:\d\d[AP]?M?)\s+(?:(?P<folder><DIR>)|(?P<size>\d+))\s+(?P<name>.+)"
)
_FACTS: Final = ["type", "size", "modify", "unique", "unix.mode"]
_BITS: Final = (0o400, 0o200, 0o100, 0o40, 0o20, 0o10, 0o4, 0o2, 0o1)  #: of `rwxr-xr-x`, sign by sign
BLOCK: Final = 128 * 1024  # bytes that are sent or taken at a time
MAX_ANSWER: Final = 1000  # lines of one answer; the list of what a server offers has some dozens
_FULL_WORDS: Final = ("no space", "disk full", "quota", "storage", "device full")
_BUSY_WORDS: Final = ("too many", "maximum", "limit")


class FtpConnection(RemoteConnection):
    """Files below `folder` on an FTP server."""

    def __init__(
        self,
        host: str,
        port: int,
        user: str,
        password: str,
        folder: str = "/",
        *,
        parallel: int = 4,
        old_names: str = "cp1252",
        limits: Limits | None = None,
    ) -> None:
        chosen = limits or Limits()
        open_wire = partial(_FtpWire, host, port, user, password, folder, Names(old_names), chosen.timeout)
        super().__init__(open_wire, f"{host}:{port}", parallel=parallel, limits=chosen)


class FtpsConnection(RemoteConnection):
    """The same inside TLS. `identity` is the accepted certificate; without one, an authority must vouch for it.

    After the first connection `identity` is the certificate that the host showed.
    """

    def __init__(
        self,
        host: str,
        port: int,
        user: str,
        password: str,
        folder: str = "/",
        *,
        identity: str = "",
        parallel: int = 4,
        old_names: str = "cp1252",
        limits: Limits | None = None,
    ) -> None:
        chosen = limits or Limits()
        self.identity = identity
        names = Names(old_names)

        def open_wire() -> _FtpWire:
            ftp = _secured(host, port, self.identity, chosen.timeout)
            self.identity = _shown_by(ftp)
            return _FtpWire(host, port, user, password, folder, names, chosen.timeout, ftp=ftp)

        super().__init__(open_wire, f"{host}:{port}", parallel=parallel, limits=chosen)


class _Bounded(ftplib.FTP):
    """What a host sends ends somewhere: the lines of a listing, and those of an answer."""

    _type = _answer = ""  #: the last `TYPE` that was sent, and what the host said to it

    def retrlines(self, cmd: str, callback: Callable[[str], object] | None = None) -> str:
        size = count = 0

        def counted(line: str) -> None:
            nonlocal size, count
            size, count = size + len(line), count + 1
            if count > MAX_FILES or size > MAX_LISTING:
                raise too_many(self.host)
            if callback is not None:
                callback(line)

        try:
            return super().retrlines(cmd, counted)
        except ConnectionFailed:
            self.skip_answer()
            raise

    def voidcmd(self, cmd: str) -> str:
        return self._unless_said(cmd, super().voidcmd)

    def sendcmd(self, cmd: str) -> str:
        return self._unless_said(cmd, super().sendcmd)

    def _unless_said(self, cmd: str, send: Callable[[str], str]) -> str:
        """Whether bytes or lines are transferred is said when it changes and not before each file, a round trip each time."""
        if not cmd.startswith("TYPE "):
            return send(cmd)
        if cmd != self._type:
            self._type = ""
            self._answer = send(cmd)
            self._type = cmd
        return self._answer

    def skip_answer(self) -> None:
        """Read what the host says of a transfer that was broken off, so that the next answer belongs to its question."""
        with contextlib.suppress(ftplib.Error):
            self.voidresp()

    def getmultiline(self) -> str:
        first = self.getline()
        lines = [first]
        if first[3:4] == "-":
            while not (
                lines[-1].startswith(first[:3]) and lines[-1][3:4] != "-"
            ):  # some hosts end with the number alone
                if len(lines) > MAX_ANSWER:
                    raise ftplib.error_proto(f"an answer of more than {MAX_ANSWER} lines")  # noqa: S321
                lines.append(self.getline())
        return "\n".join(lines)


class _SessionKeepingTls(_Bounded, ftplib.FTP_TLS):
    """Data connections take up the TLS session of the first connection, as many servers want it."""

    def ntransfercmd(self, cmd: str, rest: int | str | None = None) -> tuple[socket.socket, int | None]:
        plain, size = ftplib.FTP.ntransfercmd(self, cmd, rest)  # noqa: S321 (the TLS is put around it here)
        session = self.sock.session if isinstance(self.sock, ssl.SSLSocket) else None
        return self.context.wrap_socket(plain, server_hostname=self.host, session=session), size


def _secured(host: str, port: int, accepted: str, timeout: float) -> _SessionKeepingTls:
    """A connection inside TLS to a host that is who it should be; nothing secret was sent yet."""
    context = ssl.create_default_context()
    if accepted:  # it is known by its certificate, whoever signed it
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    # With TLS 1.3 a session can be taken up only after the server has sent a ticket, which many do too late.
    context.maximum_version = ssl.TLSVersion.TLSv1_2
    ftp = _SessionKeepingTls(timeout=timeout, encoding="latin-1", context=context)
    _connect(ftp, host, port)
    try:
        ftp.auth()
    except ssl.SSLCertVerificationError as error:
        ftp.close()
        shown = _shown_by(_secured_blindly(host, port, timeout))
        raise ConnectionFailed(
            ConnectionFault.IDENTITY,
            f"{host}:{port} shows a certificate that no authority vouches for ({error.verify_message}). Its fingerprint "
            f"is {shown}. Ask the host whether that is right, and accept it then; nothing was sent yet.",
            identity=shown,
        ) from error
    except ftplib.error_perm as error:
        ftp.close()
        raise ConnectionFailed(
            ConnectionFault.UNREACHABLE,
            f"{host}:{port} offers no TLS ({error}). Use plain FTP only if nothing better is there.",
        ) from error
    except (OSError, EOFError, ftplib.Error) as error:
        ftp.close()
        raise ConnectionFailed(
            ConnectionFault.BROKEN, f"{host}:{port} broke off the greeting of TLS ({error})."
        ) from error
    shown = _shown_by(ftp)
    if accepted and shown != accepted:
        ftp.close()
        raise ConnectionFailed(
            ConnectionFault.IDENTITY,
            f"{host}:{port} shows another certificate than the accepted one. Accepted: {accepted}. Now: {shown}. If the "
            "host says that it has a new one, accept it; if not, someone may be between. Nothing was sent.",
            identity=shown,
        )
    return ftp


def _secured_blindly(host: str, port: int, timeout: float) -> ftplib.FTP_TLS:
    """Only to see the certificate; no password goes over such a connection."""
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    ftp = _SessionKeepingTls(timeout=timeout, encoding="latin-1", context=context)
    _connect(ftp, host, port)
    with _explained(f"{host}:{port}", "the greeting of TLS"):
        ftp.auth()
    return ftp


def _shown_by(ftp: ftplib.FTP_TLS) -> str:
    """The fingerprint of the certificate that a host shows."""
    assert isinstance(ftp.sock, ssl.SSLSocket)  # noqa: S101 (after `auth` it is one)
    certificate = ftp.sock.getpeercert(binary_form=True) or b""
    return f"SHA256:{hashlib.sha256(certificate).hexdigest()}"


def _connect(ftp: ftplib.FTP, host: str, port: int) -> None:
    try:
        ftp.connect(host, port)
    except ftplib.Error as error:
        ftp.close()
        fault = ConnectionFault.BUSY if str(error).startswith("421") else ConnectionFault.UNREACHABLE
        raise ConnectionFailed(
            fault, f"The FTP server at {host}:{port} lets no one in now ({error}). Try again later."
        ) from error
    except (OSError, EOFError, UnicodeError) as error:
        ftp.close()
        raise ConnectionFailed(
            ConnectionFault.UNREACHABLE,
            f"No FTP server answers at {host}:{port}. Is the host up, and are address and port right?",
        ) from error


class _FtpWire:
    """One connection. Text of the protocol is kept as bytes (Latin-1), since names may be in any encoding."""

    def __init__(
        self,
        host: str,
        port: int,
        user: str,
        password: str,
        folder: str,
        names: Names,
        timeout: float,
        ftp: _SessionKeepingTls | None = None,
    ) -> None:
        self._where = f"{host}:{port}"
        self._names = names
        self._ftp: _Bounded = ftp or _Bounded(
            timeout=timeout, encoding="latin-1"
        )  # many hosts offer nothing else; it is said to the admin
        if ftp is None:
            _connect(self._ftp, host, port)
        try:
            self._sign_in(user, password, folder)
        except BaseException:
            self._ftp.close()
            raise

    def _sign_in(self, user: str, password: str, folder: str) -> None:
        try:
            self._ftp.login(_bytes_as_text(user.encode()), _bytes_as_text(password.encode()))
            if isinstance(self._ftp, ftplib.FTP_TLS):
                self._ftp.prot_p()
        except ftplib.error_perm as error:
            if _has(error, _BUSY_WORDS):
                raise ConnectionFailed(
                    ConnectionFault.BUSY, f"{self._where} lets no more connections in ({error})."
                ) from error
            raise ConnectionFailed(
                ConnectionFault.SIGN_IN,
                f"The FTP server at {self._where} refuses the user `{user}` or its password. Correct the connection's password.",
            ) from error
        except ftplib.error_temp as error:
            raise ConnectionFailed(
                ConnectionFault.BUSY, f"{self._where} lets no more connections in ({error})."
            ) from error
        except (OSError, ftplib.Error, EOFError) as error:
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{self._where} dropped the connection while signing in."
            ) from error
        try:
            self._ftp.cwd(_bytes_as_text(folder.encode()))
            self._root = self._ftp.pwd().rstrip("/")
        except ftplib.error_perm as error:
            raise ConnectionFailed(ConnectionFault.MISSING, f"The folder {folder} is not on {self._where}.") from error
        except (OSError, ftplib.Error, EOFError, ValueError) as error:
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{self._where} dropped the connection while signing in."
            ) from error
        self._lists_facts = self._offers(b"MLST")

    def _offers(self, what: bytes) -> bool:
        try:
            return what in self._ftp.sendcmd("FEAT").encode("latin-1").upper()
        except ftplib.Error:
            return False
        except (OSError, EOFError) as error:
            raise ConnectionFailed(
                ConnectionFault.BROKEN, f"{self._where} dropped the connection while signing in."
            ) from error

    def _at(self, path: str) -> str:
        """A path as it is sent."""
        raw = self._names.raw(path)
        return self._root + ("/" + _bytes_as_text(raw) if raw else "") or "/"

    def folder(self, path: str) -> list[Entry]:
        with _explained(self._where, path or "the list of files"):
            if self._lists_facts:
                try:
                    return list(self._by_facts(path))
                except ftplib.error_perm as error:
                    if not str(error).startswith(("500", "502", "504")):
                        raise
                    self._lists_facts = False  # it said that it could, and cannot
            return list(self._by_lines(path))

    def _by_facts(self, path: str) -> Iterator[Entry]:
        for name, facts in list(self._ftp.mlsd(self._at(path), facts=_FACTS)):
            kind = {"dir": "folder", "file": "file", "cdir": "", "pdir": ""}.get(facts.get("type", ""), "symlink")
            if kind:
                text = self._names.text(path, name.encode("latin-1"))
                size, when = int(facts.get("size", 0)), facts.get("modify", "")
                unique = facts.get("unique", "")
                mode = _mode(facts.get("unix.mode", ""))
                yield Entry(text, kind, size, _seconds(when), f"{when} {unique}".strip(), unique, mode)

    def _by_lines(self, path: str) -> Iterator[Entry]:
        """The older way: a listing made for people. `-a` also shows names that begin with a dot."""
        self._ftp.cwd(self._at(path))
        lines: list[str] = []
        try:
            self._ftp.retrlines("LIST -a", lines.append)
        except ftplib.error_perm:
            lines.clear()
            self._ftp.retrlines("LIST", lines.append)
        for line in lines:
            entry = self._of_line(path, line.encode("latin-1"))
            if entry is not None and entry.name not in (".", ".."):
                yield entry

    def _of_line(self, path: str, line: bytes) -> Entry | None:
        found = _UNIX_LINE.match(line)
        if found is not None:
            kind = {b"d": "folder", b"-": "file"}.get(found["type"], "symlink")
            name = found["name"].partition(b" -> ")[0] if kind == "symlink" else found["name"]
            mode = sum(
                bit for bit, sign in zip(_BITS, found["rights"].decode("latin-1"), strict=True) if sign not in "-ST"
            )
            return Entry(self._names.text(path, name), kind, int(found["size"]), *_listed(found["when"]), mode=mode)
        found = _DOS_LINE.match(line)
        if found is not None:
            kind = "folder" if found["folder"] else "file"
            return Entry(self._names.text(path, found["name"]), kind, int(found["size"] or 0), *_listed(found["when"]))
        if line.startswith(b"total ") or not line.strip():
            return None
        raise ValueError(f"the line `{line[:80].decode('latin-1')}` of its listing")

    def read(self, path: str, most: int, start: int = 0) -> bytes:
        buffer = io.BytesIO()

        def take(block: bytes) -> None:
            if buffer.tell() + len(block) > most:
                raise too_large(path, most)
            buffer.write(block)

        try:
            with _explained(self._where, path):
                try:
                    self._ftp.retrbinary(f"RETR {self._at(path)}", take, blocksize=BLOCK, rest=start or None)
                except ConnectionFailed:
                    self._ftp.skip_answer()
                    raise
        except ConnectionFailed as error:
            if error.fault is ConnectionFault.DENIED and "too large" not in str(error) and self._is_missing(path):
                raise missing(path) from error
            raise
        return buffer.getvalue()

    def _is_missing(self, path: str) -> bool:
        folder, _, name = path.rpartition("/")
        try:
            return all(entry.name != name for entry in self.folder(folder))
        except ConnectionFailed:
            return False

    def store(self, path: str, data: bytes, *, is_read_back: bool = False) -> None:
        with _explained(self._where, path):
            try:
                self._ftp.storbinary(f"STOR {self._at(path)}", io.BytesIO(data), blocksize=BLOCK)
            except ConnectionError:
                # The host closed while bytes were on their way, and says why on the other connection.
                self._ftp.voidresp()
                raise
            if is_read_back:
                return
            try:
                stored = self._ftp.size(self._at(path))
            except ftplib.error_perm:
                stored = None  # a server that does not tell sizes; the read-back will show it
        # A host may tell a wrong size; what is there decides.
        if (
            stored is not None
            and stored != len(data)
            and self.read(path, min(max(stored, len(data)), MAX_BYTES) + 1) != data
        ):
            raise ConnectionFailed(
                ConnectionFault.BROKEN,
                f"{path}: {stored:,} of {len(data):,} bytes arrived at {self._where}. Is its disk full? Try again.",
            )

    def rename(self, old: str, new: str) -> None:
        with _explained(self._where, new):
            self._ftp.rename(self._at(old), self._at(new))

    def set_mode(self, path: str, mode: int) -> bool:
        try:
            with _explained(self._where, path):
                self._ftp.sendcmd(f"SITE CHMOD {mode:o} {self._at(path)}")
        except ConnectionFailed as error:
            if error.fault in PASSING:
                raise
            return False
        return True

    def remove(self, path: str) -> None:
        with _explained(self._where, path):
            self._ftp.delete(self._at(path))

    def make_folder(self, path: str) -> None:
        with _explained(self._where, path), contextlib.suppress(ftplib.error_perm):  # it is there already
            self._ftp.mkd(self._at(path))

    def remove_folder(self, path: str) -> None:
        with _explained(self._where, path):
            self._ftp.rmd(self._at(path))

    def close(self) -> None:
        # Not QUIT: a host that hangs would be waited for once more, and one that does not needs no farewell.
        self._ftp.close()


@contextlib.contextmanager
def _explained(where: str, what: str) -> Iterator[None]:
    """Say each failure of the library in words, and which kind it is."""
    try:
        yield
    except ftplib.error_perm as error:
        if str(error).startswith("552") or _has(error, _FULL_WORDS):
            raise _full(where, what, error) from error
        is_missing = str(error).startswith("550") and _has(
            error, ("no such", "not found", "does not exist", "cannot find")
        )
        fault = ConnectionFault.MISSING if is_missing else ConnectionFault.DENIED
        raise ConnectionFailed(
            fault, f"{what}: the FTP server at {where} refuses it ({error}). Does this user have the right to it?"
        ) from error
    except ftplib.error_temp as error:
        if str(error).startswith("452") or _has(error, _FULL_WORDS):
            raise _full(where, what, error) from error
        raise ConnectionFailed(ConnectionFault.BROKEN, f"{what}: {where} broke it off ({error}). Try again.") from error
    except ValueError as error:  # sizes that are no numbers, listings that no one can read
        raise ConnectionFailed(
            ConnectionFault.BROKEN,
            f"{what}: the FTP server at {where} answers in a way that cannot be understood ({error}).",
        ) from error
    except TimeoutError as error:
        raise ConnectionFailed(ConnectionFault.BROKEN, f"{what}: {where} stopped sending. Try again.") from error
    except (OSError, EOFError, ftplib.Error) as error:
        raise ConnectionFailed(
            ConnectionFault.BROKEN,
            f"{what}: the connection to {where} broke ({str(error) or type(error).__name__}). Try again.",
        ) from error


def _full(where: str, what: str, error: Exception) -> ConnectionFailed:
    return ConnectionFailed(
        ConnectionFault.FULL, f"{what}: the disk of {where} is full ({error}). Make room there, then try again."
    )


def _has(error: Exception, words: tuple[str, ...]) -> bool:
    said = str(error).lower()
    return any(word in said for word in words)


def _bytes_as_text(raw: bytes) -> str:
    """Bytes as the library takes them, which it sends as they are."""
    return raw.decode("latin-1")


def _seconds(stamp: str) -> int:
    """Seconds since 1970 of an MLSD time such as 20260131184502 (RFC 3659, section 2.3: always UTC)."""
    try:
        return int(datetime.strptime(stamp[:14], "%Y%m%d%H%M%S").replace(tzinfo=UTC).timestamp())
    except ValueError:
        return 0


def _mode(text: str) -> int | None:
    """Permission bits as MLSD tells them: octal, such as 0755."""
    try:
        return int(text, 8) & 0o777
    except ValueError:
        return None


def _listed(when: bytes) -> tuple[int, str]:
    """Time and stamp of a line made for people: `Jan 31 18:45`, `Jan 31 2025`, `01-31-26 06:45PM`; in UTC, perhaps."""
    text = " ".join(when.decode("latin-1").split())
    this_year = datetime.now(UTC).year
    for form, said in (
        ("%b %d %Y", text),
        ("%Y %b %d %H:%M", f"{this_year} {text}"),
        ("%m-%d-%y %I:%M%p", text),
        ("%m-%d-%Y %I:%M%p", text),
        ("%m-%d-%y %H:%M", text),
        ("%m-%d-%Y %H:%M", text),
    ):
        try:
            found = datetime.strptime(said, form).replace(tzinfo=UTC)
        except ValueError:
            continue
        if found.timestamp() > datetime.now(UTC).timestamp() + 2 * 86400:  # no year was said, and it was the last one
            found = found.replace(year=this_year - 1)
        return int(found.timestamp()), text
    return 0, text
