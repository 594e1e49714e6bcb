"""Put the service together: workspace, routers, problems, log, and the built console."""

from __future__ import annotations

import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Final

import structlog
from fastapi import FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from sqlalchemy import select
from starlette.exceptions import HTTPException

from zerrit import __version__
from zerrit.records import Database, Server, hold_data_folder, open_database, open_vault
from zerrit.web import problems
from zerrit.web.bundle_routes import router as bundle_router
from zerrit.web.content_routes import router as content_router
from zerrit.web.context import Context
from zerrit.web.events import Events
from zerrit.web.figure_routes import router as figure_router
from zerrit.web.form_routes import router as form_router
from zerrit.web.gamebook_routes import router as gamebook_router
from zerrit.web.limits import MAX_BODY, BodyLimit, KnownHosts
from zerrit.web.process_settings import collect_if_due, quick_answers
from zerrit.web.request_log import Logged
from zerrit.web.routes import router
from zerrit.web.run_routes import router as run_router
from zerrit.web.search_routes import router as search_router
from zerrit.web.shelf_routes import router as shelf_router
from zerrit.web.snapshot_routes import begin_rollout_of, begin_run
from zerrit.web.snapshot_routes import router as keeping_router
from zerrit.work.base import accounts, activity_log
from zerrit.work.base.workspace import Bounds, Publish, Workspace
from zerrit.work.browse import name_search
from zerrit.work.deploy import rollouts, run_engine, schedule
from zerrit.work.deploy.supervisor import RunSupervisor

CONSOLE: Final = Path(__file__).parent / "console"
INDEX_PAUSE: Final = 0.2  # seconds between two turns of the indexer
INDEX_SLICE: Final = 0.5  # seconds of one turn
INDEX_QUIET: Final = 3.0  # seconds without a call before it takes a turn
INDEX_REST: Final = 10.0  # seconds until it looks for new files

log = structlog.get_logger("zerrit.web")


@dataclass(frozen=True, slots=True)
class Settings:
    """Where data is, and the first admin. `settle` is how long in seconds a started game must stay up; every `tick`
    seconds it is seen what is due; `max_body` bounds a request in bytes. `new_key` makes a key where the old one is lost.
    `hosts` are names under which the service answers, beside its own; `bounds` what of this machine may be used."""

    data: Path
    admin: str = "admin"
    admin_password: str | None = None
    settle: float = 2.0
    tick: float = 1.0
    max_body: int = MAX_BODY
    new_key: bool = False
    hosts: tuple[str, ...] = ()
    bounds: Bounds = field(default_factory=Bounds)


def open_workspace(settings: Settings, publish: Publish) -> Workspace:
    """Open the data, made where there is none, and see that there is an admin.

    Raises Refused: the first admin's password is too short. RecordsUnusable, OSError, DatabaseError: the data cannot
    be used.
    """
    held = hold_data_folder(settings.data)
    try:
        is_new = not (settings.data / "zerrit.db").exists()
        database = open_database(settings.data / "zerrit.db")
        vault = open_vault(
            settings.data / "zerrit.key", may_make=is_new or settings.new_key or not _has_secrets(database)
        )
        workspace = Workspace(
            database, vault, publish, settings.data, settle=settings.settle, data=held, bounds=settings.bounds
        )
        made_up = accounts.ensure_admin(workspace, settings.admin, settings.admin_password)
    except BaseException:
        held.close()
        raise
    held.lay_down_reserve()
    if made_up:
        # Shown once on the terminal of whoever starts the service, and never written to the log.
        print(f"First start: sign in as {settings.admin} with the password {made_up}", flush=True)
    return workspace


def say_what_is_odd(settings: Settings, workspace: Workspace) -> None:
    """Say at start what whoever starts the service should know."""
    with workspace.session() as session:
        for fault in activity_log.verify(session).faults:
            print(f"The activity log was altered: {fault}", flush=True)
    if settings.admin_password and not accounts.has_password(workspace, settings.admin, settings.admin_password):
        print(
            "The option --admin-password is ignored: this data has people already, and it is not the password of "
            f"{settings.admin}. Change it with `zerrit password`.",
            flush=True,
        )


def _has_secrets(database: Database) -> bool:
    """Passwords of connections or controls are kept, which only the key file of their time opens."""
    with database.session() as session:
        query = select(Server.id).where(
            Server.connection_secret.is_not(None)
            | Server.control_secret.is_not(None)
            | Server.database_secret.is_not(None)
        )
        return session.scalar(query.limit(1)) is not None


def create_app(settings: Settings) -> FastAPI:
    """The application: routes, errors as problems, limits, and the console. Nothing is opened before it starts."""
    app = FastAPI(
        title="Zerrit",
        version=__version__,
        lifespan=partial(_lifespan, settings),
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
    )
    problems.install(app)
    app.add_middleware(BodyLimit, most=settings.max_body)
    app.add_middleware(KnownHosts, names=settings.hosts)
    app.add_middleware(Logged)
    for one in (
        router,
        bundle_router,
        content_router,
        figure_router,
        form_router,
        gamebook_router,
        run_router,
        search_router,
        shelf_router,
        keeping_router,
    ):
        app.include_router(one)
    _serve_console(app)
    app.openapi = partial(problems.documented, app, app.openapi)  # type: ignore[method-assign]  # as FastAPI has it done
    return app


@asynccontextmanager
async def _lifespan(settings: Settings, app: FastAPI) -> AsyncIterator[None]:
    """Open everything, take up what a service left open, and close it all at the end."""
    events = Events()
    workspace = open_workspace(settings, events.publish)
    say_what_is_odd(settings, workspace)
    here = Context(workspace, events, RunSupervisor(workspace, run_engine.carry_out))
    app.state.context = here
    for run_id in run_engine.open_runs(workspace):
        here.runs.start(run_id)
    for rollout_id in rollouts.open_rollouts(workspace):
        begin_rollout_of(here, rollout_id)
    clock = threading.Thread(target=_keep_time, args=(here, settings.tick), name="zerrit-clock")
    clock.start()
    indexer = threading.Thread(target=_keep_indexed, args=(here,), name="zerrit-indexer")
    indexer.start()
    log.info("service.started", data=str(settings.data))
    with quick_answers():
        yield
    _close(here, clock, indexer)
    log.info("service.stopped")


def _close(here: Context, clock: threading.Thread, indexer: threading.Thread) -> None:
    """A deploy under way is finished rather than cut, unless it waits for something: that goes on at the next start."""
    here.events.close()
    here.workspace.stopping.set()
    clock.join()
    indexer.join()
    here.workspace.ahead.close()
    here.jobs.shutdown(wait=True)
    here.runs.close()
    here.workspace.database.close()
    if here.workspace.data is not None:
        here.workspace.data.close()


def _keep_time(here: Context, tick: float) -> None:
    """Do what is due, until the service stops."""
    while not here.workspace.stopping.wait(tick):
        try:
            here.runs.tick()
            schedule.tick(here.workspace, partial(begin_run, here))
        except Exception:
            # One moment that went wrong must not stop the clock.
            log.exception("clock.failed")


def _keep_indexed(here: Context) -> None:
    """Read new files for the search, and collect garbage, while no one waits for the service, a short while at a time."""
    indexer = name_search.Indexer(here.workspace)
    pause = INDEX_REST
    while not here.workspace.stopping.wait(pause):
        pause = INDEX_PAUSE
        is_quiet = here.is_quiet(INDEX_QUIET)
        collect_if_due(is_quiet=is_quiet)
        if not is_quiet:
            continue
        try:
            if indexer.turn(INDEX_SLICE):
                pause = INDEX_REST
        except Exception:
            log.exception("index.failed")
            pause = INDEX_REST


def _serve_console(app: FastAPI) -> None:
    if (CONSOLE / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=CONSOLE / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def console(path: str) -> FileResponse:
        """The console routes its own pages, so every other path is answered with its one page."""
        if path.startswith("api/"):
            raise HTTPException(404, f"There is no /{path}.")
        page = CONSOLE / "index.html"
        if not page.is_file():
            raise HTTPException(404, "The console is not built. Run `make console`.")
        return FileResponse(page, headers={"Cache-Control": "no-cache"})
