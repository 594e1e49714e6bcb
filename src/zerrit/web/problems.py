"""Errors as problem details (RFC 9457). Every kind of failure gets its status here and nowhere else."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, Final

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException

from zerrit.api import Problem
from zerrit.connections import ConnectionFailed, ConnectionFault
from zerrit.control import ControlError
from zerrit.core.errors import AddressNotFound, SnippetRefused, ZerritError
from zerrit.records.storage import is_full
from zerrit.work.base.errors import SignInWaits, WrongState

log = structlog.get_logger("zerrit.web")

STATUS: Final[dict[str, int]] = {
    "address-invalid": 422,
    "address-not-found": 404,
    "edit-refused": 422,
    "snippet-refused": 422,
    "merge-refused": 422,
    "figure-refused": 422,
    "path-refused": 422,
    "archive-refused": 422,
    "gamebook-invalid": 422,
    "refused": 422,
    "not-found": 404,
    "wrong-state": 409,
    "drifted": 409,
    "blocked-by-findings": 409,
    "outdated": 412,
    "not-allowed": 403,
    "sign-in-failed": 401,
    "sign-in-waits": 429,
    "control-failed": 502,
    "records-unusable": 500,
    **dict.fromkeys(ConnectionFault, 502),
}
_HTTP_KINDS: Final = {
    401: "not-signed-in",
    403: "not-allowed",
    404: "not-found",
    405: "method-not-allowed",
    413: "too-large",
    422: "refused",
}

_DOCUMENTED: Final = {
    "401": "The request has no valid session or token.",
    "403": "The person who asks may not do this.",
    "404": "What the path or the request names is not there.",
    "409": "It cannot be done in the state in which things are.",
    "413": "The request is larger than its bound.",
    "422": "The request cannot be used; `detail` says why.",
    "4XX": "Another problem with the request.",
    "5XX": "A problem of the service, or of a server that it works on.",
}


def problem(status: int, kind: str, detail: str, request: Request, **facts: Any) -> JSONResponse:
    """An answer that says what went wrong, as in RFC 9457."""
    body = Problem(
        type=f"urn:zerrit:problem:{kind}",
        title=kind.replace("-", " ").capitalize(),
        status=status,
        detail=_writable(detail),
        instance=request.url.path,
        facts=facts,
    )
    headers = {"WWW-Authenticate": "Bearer"} if status == 401 else None
    return JSONResponse(body.model_dump(mode="json"), status, headers=headers, media_type="application/problem+json")


def _writable(text: str) -> str:
    """Without half pairs of UTF-16, which no answer can hold."""
    return text.encode("utf-8", "backslashreplace").decode()


def install(app: FastAPI) -> None:
    """Turn every error of the application into a problem."""
    app.exception_handler(ZerritError)(_ours)
    app.exception_handler(ConnectionFailed)(_connection)
    app.exception_handler(ControlError)(_control)
    app.exception_handler(RequestValidationError)(_request)
    app.exception_handler(HTTPException)(_http)
    app.exception_handler(OperationalError)(_records)


async def _ours(request: Request, error: ZerritError) -> JSONResponse:
    facts: dict[str, Any] = dict(error.facts) if isinstance(error, WrongState) else {}
    if isinstance(error, AddressNotFound):
        facts = {"similar": list(error.similar), "path": error.path, "line": error.line}
    if isinstance(error, SnippetRefused):
        facts = {"places": list(error.places)}
    found = problem(STATUS.get(error.kind, 400), error.kind, str(error), request, **facts)
    if isinstance(error, SignInWaits):
        found.headers["Retry-After"] = str(math.ceil(error.seconds))
    return found


async def _connection(request: Request, error: ConnectionFailed) -> JSONResponse:
    facts = {"identity": error.identity} if error.identity else {}
    return problem(STATUS[error.fault], error.fault.value, str(error), request, **facts)


async def _control(request: Request, error: ControlError) -> JSONResponse:
    return problem(STATUS[error.kind], error.kind, str(error), request)


async def _request(request: Request, error: RequestValidationError) -> JSONResponse:
    # The rejected values are left out: one of them may be a password.
    faults = [
        {
            "field": _writable(".".join(str(p)[:200] for p in e["loc"][1:])),
            "message": _writable(str(e["msg"]).removeprefix("Value error, ")),
        }
        for e in error.errors()
    ]
    said = "; ".join(f"{fault['field']}: {fault['message']}" for fault in faults[:5])
    return problem(422, "request-invalid", f"The request cannot be used. {said}", request, faults=faults)


async def _http(request: Request, error: HTTPException) -> JSONResponse:
    kind = _HTTP_KINDS.get(error.status_code, "http-error")
    return problem(error.status_code, kind, str(error.detail), request)


async def _records(request: Request, error: OperationalError) -> JSONResponse:
    said = str(error.orig)
    log.error("records.failed", path=request.url.path, reason=said)
    if is_full(error):
        full = "The disk under Zerrit's data is full; nothing was written. Make room."
        return problem(507, "records-full", full, request)
    if "locked" in said:
        return problem(503, "records-busy", "Zerrit's data are busy; nothing was written. Try again.", request)
    return unexpected(request)


def documented(app: FastAPI, plain: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """The OpenAPI document, its errors as they come: each is a problem, those that come often under their own number."""
    if app.openapi_schema is None:
        document = plain()
        error = {"content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}}
        for operations in document["paths"].values():
            for operation in operations.values():
                answers = operation["responses"]
                for status in [status for status in answers if status[0] in "45"]:
                    del answers[status]
                answers |= {status: {"description": said} | error for status, said in _DOCUMENTED.items()}
        for name in ("HTTPValidationError", "ValidationError"):
            document["components"]["schemas"].pop(name, None)
        app.openapi_schema = document
    return app.openapi_schema


def unexpected(request: Request) -> JSONResponse:
    """The answer to a fault of Zerrit itself, whose log has the reason."""
    said = "Something went wrong inside Zerrit; its log says what. Check what was done before you repeat it."
    return problem(500, "internal", said, request)
