"""The service: FastAPI routers, sign-in, event stream, and the built console."""

from zerrit.web.app import Settings, create_app
from zerrit.web.logs import configure_log
from zerrit.web.serving import Service, bound_socket

__all__ = ["Service", "Settings", "bound_socket", "configure_log", "create_app"]
