"""What the routers share: the workspace, the events, the threads for long work, and who is asking."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Annotated, Final, TypeVar
from urllib.parse import urlsplit

import anyio
import structlog
from fastapi import Depends, HTTPException, Request

from zerrit.records import Person
from zerrit.web.events import Events
from zerrit.web.helper_rights import require_may_ask
from zerrit.work.base import accounts
from zerrit.work.base.errors import SignInWaits
from zerrit.work.base.workspace import Workspace
from zerrit.work.deploy.supervisor import RunSupervisor

JOBS_AT_ONCE: Final = 16  # rollouts, which wait for the runs of a wave
MAX_SIGN_INS: Final = 40  # that wait for their turn
T = TypeVar("T")
_SIGN_IN_SLOTS: Final = anyio.CapacityLimiter(2)
COOKIE: Final = "zerrit_session"
_SAFE_METHODS: Final = ("GET", "HEAD", "OPTIONS")

log = structlog.get_logger("zerrit.web")


@dataclass
class Context:
    workspace: Workspace
    events: Events
    runs: RunSupervisor
    jobs: ThreadPoolExecutor = field(default_factory=lambda: ThreadPoolExecutor(JOBS_AT_ONCE, "zerrit-job"))
    calls: int = 0  #: of the API that are being answered
    last_call: float = 0.0  #: when one began or ended, in monotonic seconds

    def is_quiet(self, since: float) -> bool:
        """Whether no call of the API began, ended or ran in the last `since` seconds."""
        return self.calls == 0 and time.monotonic() - self.last_call > since

    def later(self, work: Callable[[], object]) -> None:
        """Do long work in a thread; what goes wrong in it is logged."""

        def guarded() -> None:
            try:
                work()
            except Exception:
                log.exception("job.failed")

        self.jobs.submit(guarded)


async def context(request: Request) -> Context:
    """What the running service has."""
    found: Context = request.app.state.context
    return found


ContextDep = Annotated[Context, Depends(context)]


async def workspace(here: ContextDep) -> Workspace:
    """The workspace of the running service."""
    return here.workspace


WorkspaceDep = Annotated[Workspace, Depends(workspace)]


def token_of(request: Request) -> str:
    """The bearer token, or the session cookie of the console."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    if scheme.lower() == "bearer" and token:
        return token
    cookie = request.cookies.get(COOKIE, "")
    if cookie and request.method not in _SAFE_METHODS:
        _same_origin(request)
    return cookie


def _same_origin(request: Request) -> None:
    """A page of another site must not act with the console's cookie."""
    origin = request.headers.get("Origin")
    if origin and urlsplit(origin).netloc != request.headers.get("Host"):
        raise HTTPException(403, "This request comes from a page of another site and is refused.")


def person(request: Request, here: WorkspaceDep) -> Person:
    """Who sends a request. Raises HTTPException 401: no one who is signed in; 403: they may not ask for this."""
    token = token_of(request)
    if token:
        found = accounts.who_uses(here, token)
        if found is not None:
            require_may_ask(request, here, found)
            return found
    raise HTTPException(401, "Sign in first: in the console, or with `zerrit sign-in`.")


def address_of(request: Request) -> str:
    """Where a request comes from, as far as the connection tells."""
    return request.client.host if request.client else ""


async def sign_in_slot(work: Callable[[], T]) -> T:
    """Check a password, a few at a time: it takes a processor and some memory on purpose, and others must not wait
    for it. What waits costs no thread.
    """
    if _SIGN_IN_SLOTS.statistics().tasks_waiting >= MAX_SIGN_INS:
        raise SignInWaits("Many sign in just now. Try again in a few seconds.", 5)
    return await anyio.to_thread.run_sync(work, limiter=_SIGN_IN_SLOTS)


PersonDep = Annotated[Person, Depends(person)]
