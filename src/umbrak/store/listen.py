"""Hearing of history lines as they are written, and of sessions that end, whichever process does it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from enum import Enum

import psycopg
from sqlalchemy import Engine

from umbrak.store.accounts import SESSIONS
from umbrak.store.history import CHANNEL

#: How long a silent database is waited for before `stop` is looked at again. [s]
PATIENCE = 0.5


class Heard(Enum):
    """What is heard beside ids of lines."""

    #: Notices may have been missed: once at the beginning, and after each time the database was away.
    MISSED = "missed"
    #: Sessions have ended.
    SESSIONS = "sessions"
    #: The database cannot be listened to.
    AWAY = "away"


def listen(engine: Engine, stop: threading.Event) -> Iterator[int | Heard]:
    """Ids of history lines, each once its transaction is through, and what else is heard; ends when `stop` is set."""
    url = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    while not stop.is_set():
        try:
            with psycopg.connect(url, autocommit=True, connect_timeout=3) as connection:
                connection.execute(f"LISTEN {CHANNEL}")
                connection.execute(f"LISTEN {SESSIONS}")
                yield Heard.MISSED
                while not stop.is_set():
                    for notice in connection.notifies(timeout=PATIENCE, stop_after=1):
                        if notice.channel == SESSIONS:
                            yield Heard.SESSIONS
                        elif notice.payload.isascii() and notice.payload.isdigit():
                            yield int(notice.payload)
        except psycopg.Error:
            yield Heard.AWAY
            stop.wait(PATIENCE)
