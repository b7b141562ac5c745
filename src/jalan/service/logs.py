"""How Jalan logs: one line an event on standard error, with ids, without secrets and without what users wrote."""

import logging
import sys

import structlog


def configure(level: int = logging.INFO, json: bool | None = None) -> None:
    """Set logging up for a process.

    level: the least that is told.
    json: lines of JSON; otherwise for people (default: where nobody watches).
    """
    as_json = not sys.stderr.isatty() if json is None else json
    shape = structlog.processors.JSONRenderer() if as_json else structlog.dev.ConsoleRenderer(colors=False)
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            shape,
        ],
        wrapper_class=structlog.make_filtering_bound_logger(level),
        logger_factory=lambda *_: structlog.PrintLogger(sys.stderr),  # as it is when something is logged
        cache_logger_on_first_use=False,
    )
