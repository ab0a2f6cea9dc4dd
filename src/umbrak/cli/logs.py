"""The log: one event a line on standard error, as JSON for programs or as words for a terminal."""

from __future__ import annotations

import logging
import os
import sys
from typing import TextIO

import structlog

from umbrak.cli.trouble import Trouble

#: Members that could hold a secret, wherever they come from: their values are in no log.
_SECRET = ("password", "passphrase", "token", "secret", "authorization", "cookie", "community", "key")


def start_logs(into: TextIO | None = None) -> None:
    """Everything that is logged, by whichever library, in one form, to standard error if nothing else is said: UMBRAK_LOG = json or text (text on a terminal, else
    json), from UMBRAK_LOG_LEVEL (info) on. Raises Trouble."""
    into = into or sys.stderr
    form = os.environ.get("UMBRAK_LOG", "text" if into.isatty() else "json")
    level = os.environ.get("UMBRAK_LOG_LEVEL", "info").upper()
    if form not in ("json", "text"):
        raise Trouble(f"UMBRAK_LOG is json or text, not {form}")
    if level not in ("DEBUG", "INFO", "WARNING", "ERROR"):
        raise Trouble(f"UMBRAK_LOG_LEVEL is debug, info, warning or error, not {level.lower()}")
    shared: list[structlog.typing.Processor] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.ExtraAdder(),
        structlog.stdlib.add_logger_name,
        structlog.stdlib.add_log_level,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        structlog.processors.format_exc_info,
        _without_secrets,
    ]
    last = (
        structlog.processors.JSONRenderer() if form == "json" else structlog.dev.ConsoleRenderer(colors=into.isatty())
    )
    handler = logging.StreamHandler(into)
    handler.setFormatter(
        structlog.stdlib.ProcessorFormatter(
            foreign_pre_chain=shared, processors=[structlog.stdlib.ProcessorFormatter.remove_processors_meta, last]
        )
    )
    root = logging.getLogger()
    root.handlers = [handler]
    root.setLevel("WARNING")  # of libraries
    logging.getLogger("umbrak").setLevel(level)


def _without_secrets(_: object, __: str, event: structlog.typing.EventDict) -> structlog.typing.EventDict:
    for name in event:
        if any(word in name.lower() for word in _SECRET):
            event[name] = "not shown"
    return event
