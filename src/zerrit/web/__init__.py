"""The service: FastAPI routers, sign-in, event stream, and the built console."""

from zerrit.web.app import Settings, create_app

__all__ = ["Settings", "create_app"]
