"""Bundles: kept as they were downloaded, looked into beside a server, installed, switched and removed by changes."""

from zerrit.work.changes.bundles.install import Choice, Installation, install
from zerrit.work.changes.bundles.kept import (
    GivenFile,
    forget_bundle,
    get_bundle,
    keep_archive,
    keep_bundle,
    list_bundles,
)
from zerrit.work.changes.bundles.on_server import ServerBundle, server_bundles
from zerrit.work.changes.bundles.switch import Switching, remove, same_as, switch
from zerrit.work.changes.bundles.view import look

__all__ = [
    "Choice",
    "GivenFile",
    "Installation",
    "ServerBundle",
    "Switching",
    "forget_bundle",
    "get_bundle",
    "install",
    "keep_archive",
    "keep_bundle",
    "list_bundles",
    "look",
    "remove",
    "same_as",
    "server_bundles",
    "switch",
]
