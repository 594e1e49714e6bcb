"""Errors as problem details (RFC 9457). Every kind of failure gets its status here and nowhere else."""

from __future__ import annotations

from typing import Any, Final

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from zerrit.api import Problem
from zerrit.control import ControlError
from zerrit.core.errors import AddressNotFound, SnippetRefused, ZerritError
from zerrit.links import LinkError, LinkFault
from zerrit.work.errors import Conflict

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
    "conflict": 409,
    "drifted": 409,
    "blocked-by-findings": 409,
    "outdated": 412,
    "sign-in-failed": 401,
    "control-failed": 502,
    "records-unusable": 500,
    **dict.fromkeys(LinkFault, 502),
}
_HTTP_KINDS: Final = {
    401: "not-signed-in",
    403: "not-allowed",
    404: "not-found",
    405: "method-not-allowed",
    413: "too-large",
    422: "refused",
}


def problem(status: int, kind: str, detail: str, request: Request, **facts: Any) -> JSONResponse:
    body = Problem(
        type=f"urn:zerrit:problem:{kind}",
        title=kind.replace("-", " ").capitalize(),
        status=status,
        detail=detail,
        instance=request.url.path,
        facts=facts,
    )
    headers = {"WWW-Authenticate": "Bearer"} if status == 401 else None
    return JSONResponse(body.model_dump(mode="json"), status, headers=headers, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Turn every error of the application into a problem."""

    @app.exception_handler(ZerritError)
    async def _ours(request: Request, error: ZerritError) -> JSONResponse:
        facts: dict[str, Any] = dict(error.facts) if isinstance(error, Conflict) else {}
        if isinstance(error, AddressNotFound):
            facts = {"similar": list(error.similar), "path": error.path, "line": error.line}
        if isinstance(error, SnippetRefused):
            facts = {"places": list(error.places)}
        return problem(STATUS.get(error.kind, 400), error.kind, str(error), request, **facts)

    @app.exception_handler(LinkError)
    async def _link(request: Request, error: LinkError) -> JSONResponse:
        facts = {"identity": error.identity} if error.identity else {}
        return problem(STATUS[error.fault], error.fault.value, str(error), request, **facts)

    @app.exception_handler(ControlError)
    async def _control(request: Request, error: ControlError) -> JSONResponse:
        return problem(STATUS[error.kind], error.kind, str(error), request)

    @app.exception_handler(RequestValidationError)
    async def _request(request: Request, error: RequestValidationError) -> JSONResponse:
        # The rejected values are left out: one of them may be a password.
        faults = [
            {"field": ".".join(str(p) for p in e["loc"][1:]), "message": str(e["msg"]).removeprefix("Value error, ")}
            for e in error.errors()
        ]
        said = "; ".join(f"{fault['field']}: {fault['message']}" for fault in faults[:5])
        return problem(422, "request-invalid", f"The request cannot be used. {said}", request, faults=faults)

    @app.exception_handler(HTTPException)
    async def _http(request: Request, error: HTTPException) -> JSONResponse:
        kind = _HTTP_KINDS.get(error.status_code, "http-error")
        return problem(error.status_code, kind, str(error.detail), request)

    @app.exception_handler(Exception)
    async def _unexpected(request: Request, error: Exception) -> JSONResponse:
        log.exception("request.failed", path=request.url.path, exc_info=error)
        return problem(
            500, "internal", "Something went wrong inside Zerrit; its log says what. Nothing was lost.", request
        )
