"""The service's log: structured lines on standard error."""

from __future__ import annotations

import contextlib
import logging
import sys

import structlog
from structlog.typing import EventDict, WrappedLogger

from zerrit.core.visible import visible


class _StandardError(logging.Handler):
    """Writes to whatever standard error is at the moment.

    A terminal that was closed, or a full disk under the log, must not end a deploy half-way: such a line is lost.
    """

    def emit(self, record: logging.LogRecord) -> None:
        with contextlib.suppress(OSError, ValueError):
            sys.stderr.write(f"{record.getMessage()}\n")
            sys.stderr.flush()


def configure_log(*, as_json: bool, least: str = "info") -> None:
    """JSON lines for machines, aligned words for people; nothing below the level `least`."""
    logger = logging.getLogger("zerrit")
    logger.handlers = [_StandardError()]
    logger.setLevel(least.upper())
    logger.propagate = False
    renderer: structlog.typing.Processor = (
        structlog.processors.JSONRenderer() if as_json else structlog.dev.ConsoleRenderer(colors=False)
    )

    def shown(logger: WrappedLogger, name: str, event: EventDict) -> str:
        """A line that cannot steer the terminal which it is read on; the lines of a traceback stay lines."""
        return visible(str(renderer(logger, name, event)))

    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            shown,
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.getLevelNamesMapping()[least.upper()]),
        logger_factory=structlog.stdlib.LoggerFactory(),
    )
