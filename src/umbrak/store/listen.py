"""Hearing of history lines as they are written, whichever process wrote them."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import psycopg
from sqlalchemy import Engine

from umbrak.store.history import CHANNEL

#: How long a silent database is waited for before `stop` is looked at again. [s]
_PATIENCE = 0.5


def listen(engine: Engine, stop: threading.Event) -> Iterator[int | None]:
    """Ids of history lines, each once its transaction is through; ends when `stop` is set.

    None says that lines may have been missed: once at the beginning, and after each time the database was away.
    """
    url = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    while not stop.is_set():
        try:
            with psycopg.connect(url, autocommit=True, connect_timeout=3) as connection:
                connection.execute(f"LISTEN {CHANNEL}")
                yield None
                while not stop.is_set():
                    for notice in connection.notifies(timeout=_PATIENCE, stop_after=1):
                        yield int(notice.payload)
        except psycopg.OperationalError:
            stop.wait(_PATIENCE)
