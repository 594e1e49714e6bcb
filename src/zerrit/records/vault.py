"""
Secrets at rest: the passwords of connections and controls.

They are encrypted with a key that is beside the database in a file of its own, readable by its owner only, so
that a copy of the database alone gives nothing away.
"""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from zerrit.records.errors import RecordsUnusable


@dataclass(frozen=True, slots=True)
class Vault:
    _key: Fernet = field(repr=False)

    def seal(self, secret: str) -> bytes:
        return self._key.encrypt(secret.encode())

    def unseal(self, sealed: bytes) -> str:
        """The secret.

        Raises RecordsUnusable: it was sealed with another key.
        """
        try:
            return self._key.decrypt(sealed).decode()
        except InvalidToken as error:
            raise RecordsUnusable(
                "The key file does not fit the database. Put back the key file, or set the passwords again."
            ) from error


def open_vault(path: Path, *, may_make: bool = True) -> Vault:
    """Read the key at `path`, or make one.

    Raises RecordsUnusable: the file is there and holds no key; or it is not there, and `may_make` is false because
    secrets are kept that only the lost key opens.
    """
    if not may_make and not path.exists():
        raise RecordsUnusable(
            f"The key file {path} is missing, and without it the kept passwords of connections and controls cannot be "
            "read. Put it back from your backup. If it is lost, start with --new-key, then give each server its passwords "
            "again."
        )
    try:
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        try:
            path.chmod(0o600)  # a copy put back may be readable by all
            return Vault(Fernet(path.read_bytes()))
        except ValueError as error:
            raise RecordsUnusable(
                f"{path} holds no key. Put back the key file that belongs to the database."
            ) from error
    key = Fernet.generate_key()
    with os.fdopen(descriptor, "wb") as file:
        file.write(key)
    return Vault(Fernet(key))
