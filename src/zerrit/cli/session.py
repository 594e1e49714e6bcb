"""Which service a command talks to, and with which token."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Final

import platformdirs

from zerrit.client import Client

DEFAULT_URL: Final = "http://127.0.0.1:8750"


def config_file() -> Path:
    folder = os.environ.get("ZERRIT_CONFIG") or platformdirs.user_config_dir("zerrit")
    return Path(folder) / "sign-in.json"


def remember(url: str, token: str) -> Path:
    """Keep the token for later commands, readable by its owner only."""
    path = config_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        json.dump({"url": url, "token": token}, file)
    return path


def connect() -> Client:
    """A client for the service in ZERRIT_URL and ZERRIT_TOKEN, or the one that was signed in to last."""
    kept: dict[str, str] = {}
    path = config_file()
    if path.is_file():
        try:
            kept = json.loads(path.read_text())
        except ValueError:
            kept = {}
    url = os.environ.get("ZERRIT_URL") or kept.get("url") or DEFAULT_URL
    token = os.environ.get("ZERRIT_TOKEN") or kept.get("token") or ""
    return Client(url, token)
