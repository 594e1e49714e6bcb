"""
Which runs are being carried out, which wait, and which have to be taken up again.

A run that waits for a person or a time costs no thread: it is put down and taken up when it is due. A run whose thread
died, for instance because the disk was full, is taken up again after a while, for as long as it is open.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Final

import structlog
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from zerrit.core.states import RunState
from zerrit.records import Run
from zerrit.work.base.workspace import Workspace

AT_ONCE: Final = 32  # runs that do something at one time; more take turns
FIRST_PAUSE: Final = 1.0  # seconds before a run whose thread died is taken up again; doubled up to the longest
LONGEST_PAUSE: Final = 60.0

log = structlog.get_logger("zerrit.deploys")

#: Carries a run out; returns the seconds after which it has to be taken up again, or None when it has ended.
CarryOut = Callable[[Workspace, int], float | None]


@dataclass
class RunSupervisor:
    workspace: Workspace
    carry_out: CarryOut
    _pool: ThreadPoolExecutor = field(default_factory=lambda: ThreadPoolExecutor(AT_ONCE, "zerrit-run"))
    _lock: threading.Lock = field(default_factory=threading.Lock)
    _active: set[int] = field(default_factory=set)
    _due: dict[int, float] = field(default_factory=dict)  #: when a run that waits is taken up, by the monotonic clock
    _failures: dict[int, int] = field(default_factory=dict)

    def start(self, run_id: int) -> None:
        """Carry a run out in a thread, unless one does already."""
        with self._lock:
            if run_id in self._active or self.workspace.stopping.is_set():
                return
            self._active.add(run_id)
            self._due.pop(run_id, None)
        self._pool.submit(self._carry, run_id)

    def _carry(self, run_id: int) -> None:
        pause: float | None
        try:
            pause = self.carry_out(self.workspace, run_id)
            self._failures.pop(run_id, None)
        except Exception:
            # Whatever it was, the run is still open, and its game may be down: it must not be left so.
            number = self._failures[run_id] = self._failures.get(run_id, 0) + 1
            pause = min(FIRST_PAUSE * 2.0 ** (number - 1), LONGEST_PAUSE)
            log.exception("run.thread-died", run=run_id, again_in=pause)
        with self._lock:
            self._active.discard(run_id)
            if pause is not None:
                self._due[run_id] = time.monotonic() + pause

    def tick(self) -> None:
        """Take up what is due, and open runs that no one carries out."""
        now = time.monotonic()
        with self._lock:
            due = [run_id for run_id, at in self._due.items() if at <= now]
            known = self._active | self._due.keys()
        for run_id in due:
            self.start(run_id)
        try:
            with self.workspace.session() as session:
                opened = list(session.scalars(select(Run.id).where(Run.state == RunState.RUNNING)))
        except SQLAlchemyError as error:
            log.warning("run.unknown", error=str(error))
            return
        for run_id in opened:
            if run_id not in known:
                self.start(run_id)

    def close(self) -> None:
        """Wait until every run has ended or was put down; `stopping` is set by then."""
        self._pool.shutdown(wait=True)
