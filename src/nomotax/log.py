"""Logging to standard error, one line an event; tracebacks without local variables, which may
hold a supplier's whole file."""

from __future__ import annotations

import structlog


def quiet_log() -> None:
    """Configure logging; calling it again changes nothing."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.dev.ConsoleRenderer(
                colors=False, exception_formatter=structlog.dev.plain_traceback
            ),
        ],
        logger_factory=structlog.PrintLoggerFactory(),
    )
