"""
The client library: sync and async, typed, errors as exceptions that carry the problem.

    from zerrit.client import Client
    with Client("http://127.0.0.1:8750", token) as zerrit:
        change = zerrit.create_change("my-server", "Higher prices")
"""

from zerrit.client.asynchronous import AsyncClient
from zerrit.client.errors import ClientError, ProblemError, ServiceUnreachable
from zerrit.client.sync import Client

__all__ = ["AsyncClient", "Client", "ClientError", "ProblemError", "ServiceUnreachable"]
