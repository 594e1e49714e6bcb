"""A server whose files are reached by FTP."""

from __future__ import annotations

import contextlib
import ftplib
import io
from collections.abc import Iterator
from datetime import UTC, datetime
from types import TracebackType
from typing import Final, Self

from zerrit.core.documents import MAX_BYTES
from zerrit.core.paths import safe_path
from zerrit.links.link import MAX_FILES, PART_PREFIX, LinkError, LinkFault, RemoteFile, part_name

TIMEOUT: Final = 20.0  # seconds without a byte, after which a connection counts as dropped


class FtpLink:
    """Files below `folder` on an FTP server. The connection is made at once."""

    def __init__(self, host: str, port: int, user: str, password: str, folder: str = "/") -> None:
        self._where = f"{host}:{port}"
        self._ftp = ftplib.FTP(timeout=TIMEOUT, encoding="utf-8")  # noqa: S321 (many hosts offer nothing else; it is said to the admin)
        try:
            self._ftp.connect(host, port)
        except OSError as error:
            raise LinkError(
                LinkFault.UNREACHABLE,
                f"No FTP server answers at {self._where}. Is the host up, and are address and port right?",
            ) from error
        try:
            self._ftp.login(user, password)
            self._ftp.cwd(folder)
        except ftplib.error_perm as error:
            self._ftp.close()
            if str(error).startswith("530"):
                raise LinkError(
                    LinkFault.SIGN_IN,
                    f"The FTP server at {self._where} refuses the user `{user}` or its password. Correct the link's password.",
                ) from error
            raise LinkError(LinkFault.MISSING, f"The folder {folder} is not on {self._where}.") from error
        except (OSError, ftplib.Error, EOFError) as error:
            self._ftp.close()
            raise LinkError(LinkFault.BROKEN, f"{self._where} dropped the connection while signing in.") from error

    def list(self) -> list[RemoteFile]:
        with self._explained("the list of files"):
            found = [file for file, name in self._walk("") if not name.startswith(PART_PREFIX)]
        return sorted(found, key=lambda file: file.path)

    def _walk(self, folder: str) -> Iterator[tuple[RemoteFile, str]]:
        pending = [folder]
        count = 0
        while pending:
            here = pending.pop()
            for name, facts in list(self._ftp.mlsd(here, facts=["type", "size", "modify"])):
                if name in (".", "..") or "/" in name:
                    continue
                path = f"{here}/{name}" if here else name
                if facts.get("type") == "dir":
                    pending.append(path)
                elif facts.get("type") == "file":
                    count += 1
                    if count > MAX_FILES:
                        raise LinkError(LinkFault.BROKEN, f"More than {MAX_FILES:,} files lie on {self._where}.")
                    yield RemoteFile(path, int(facts.get("size", 0)), _seconds(facts.get("modify", ""))), name

    def read(self, path: str) -> bytes:
        buffer = io.BytesIO()

        def take(block: bytes) -> None:
            if buffer.tell() + len(block) > MAX_BYTES:
                raise LinkError(
                    LinkFault.BROKEN, f"{path} is larger than {MAX_BYTES:,} bytes; leave it out of the tracked files."
                )
            buffer.write(block)

        with self._explained(path):
            self._ftp.retrbinary(f"RETR {safe_path(path)}", take)
        return buffer.getvalue()

    def write(self, path: str, data: bytes) -> None:
        part = part_name(safe_path(path))
        try:
            with self._explained(path):
                self._make_folders(path)
                self._ftp.storbinary(f"STOR {part}", io.BytesIO(data))
                self._ftp.rename(part, path)
        except LinkError:
            with contextlib.suppress(ftplib.Error, OSError, EOFError):
                self._ftp.delete(part)
            raise

    def _make_folders(self, path: str) -> None:
        parts = path.split("/")[:-1]
        for depth in range(1, len(parts) + 1):
            with contextlib.suppress(ftplib.error_perm):  # it is there already
                self._ftp.mkd("/".join(parts[:depth]))

    def remove(self, path: str) -> None:
        with self._explained(path):
            try:
                self._ftp.delete(safe_path(path))
            except ftplib.error_perm as error:
                if not str(error).startswith("550"):
                    raise

    def sweep(self) -> int:
        with self._explained("the list of files"):
            parts = [file.path for file, name in self._walk("") if name.startswith(PART_PREFIX)]
            for path in parts:
                self._ftp.delete(path)
        return len(parts)

    def close(self) -> None:
        with contextlib.suppress(ftplib.Error, OSError, EOFError):
            self._ftp.quit()
        self._ftp.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    @contextlib.contextmanager
    def _explained(self, what: str) -> Iterator[None]:
        try:
            yield
        except ftplib.error_perm as error:
            answer = str(error)
            missing = answer.startswith("550") and "permission" not in answer.lower()
            fault = LinkFault.MISSING if missing else LinkFault.DENIED
            raise LinkError(fault, f"{what}: the FTP server at {self._where} refuses it ({answer}).") from error
        except ValueError as error:  # names in another encoding, sizes that are no numbers
            raise LinkError(
                LinkFault.BROKEN,
                f"{what}: the FTP server at {self._where} answers in a way that cannot be understood ({error}).",
            ) from error
        except (OSError, EOFError, ftplib.Error) as error:
            raise LinkError(
                LinkFault.BROKEN,
                f"{what}: the connection to {self._where} broke ({error or type(error).__name__}). Try again.",
            ) from error


def _seconds(stamp: str) -> int:
    """Seconds since 1970 of an MLSD time such as 20260131184502 (RFC 3659, section 2.3: always UTC)."""
    try:
        return int(datetime.strptime(stamp[:14], "%Y%m%d%H%M%S").replace(tzinfo=UTC).timestamp())
    except ValueError:
        return 0
