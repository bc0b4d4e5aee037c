"""How every process of Epistem writes its log."""

from __future__ import annotations

import sys

import structlog


def set_up_logs() -> None:
    """One line an event, with plain tracebacks: those with local variables could show a key."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.dev.ConsoleRenderer(
                colors=False, exception_formatter=structlog.dev.plain_traceback
            ),
        ],
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
