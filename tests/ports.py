"""A port for a server that is started later, or started again."""

from __future__ import annotations

import random
import socket
from contextlib import suppress


def free_port() -> int:
    """One below those that systems give out for outgoing connections, so that no other test takes it in between."""
    while True:
        port = random.randrange(20_000, 32_000)
        with suppress(OSError), socket.create_server(("127.0.0.1", port)):
            return port
