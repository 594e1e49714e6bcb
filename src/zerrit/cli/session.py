"""Which service a command talks to, and with which token."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import TYPE_CHECKING, Final

from zerrit.cli.private import write_private

if TYPE_CHECKING:
    from zerrit.client import Client

DEFAULT_URL: Final = "http://127.0.0.1:8750"


def config_file() -> Path:
    """Where the sign-in is kept, for this user and machine."""
    import platformdirs  # noqa: PLC0415 (only commands that talk to a service need it)

    folder = os.environ.get("ZERRIT_CONFIG") or platformdirs.user_config_dir("zerrit")
    return Path(folder) / "sign-in.json"


def remember(url: str, token: str) -> Path:
    """Keep the token for later commands, readable by its owner only."""
    path = config_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_private(path, json.dumps({"url": url, "token": token}).encode())
    return path


def forget() -> None:
    """Keep no token any more."""
    config_file().unlink(missing_ok=True)


def connect() -> Client:
    """A client for the service in ZERRIT_URL and ZERRIT_TOKEN, or the one that was signed in to last.

    The kept token goes to no other service than the one that gave it.
    """
    from zerrit.client import Client  # noqa: PLC0415 (half of the time that a command takes to start)

    kept = _kept()
    url = os.environ.get("ZERRIT_URL") or kept.get("url") or DEFAULT_URL
    is_same = url.rstrip("/") == kept.get("url", "").rstrip("/")
    token = os.environ.get("ZERRIT_TOKEN") or (kept.get("token", "") if is_same else "")
    return Client(url, token)


def _kept() -> dict[str, str]:
    try:
        kept = json.loads(config_file().read_text())
    except (OSError, ValueError):
        return {}
    return {key: value for key, value in kept.items() if isinstance(value, str)} if isinstance(kept, dict) else {}
