"""The service: FastAPI routers, sign-in, event stream, and the built console."""

from zerrit.web.app import Settings, create_app, open_workspace
from zerrit.web.http_server import Service, Tls, bound_socket
from zerrit.web.limits import MAX_BODY
from zerrit.web.logs import configure_log

__all__ = ["MAX_BODY", "Service", "Settings", "Tls", "bound_socket", "configure_log", "create_app", "open_workspace"]
