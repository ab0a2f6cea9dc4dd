"""Connections, ids and migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

from sqlalchemy import Column, Connection, DateTime, Engine, Insert, Table, create_engine, event, text
from sqlalchemy.engine import URL, make_url
from uuid_utils.compat import uuid7


def new_id() -> UUID:
    """A UUIDv7: unique, and sorted by the time at which it was made (RFC 9562, 5.7)."""
    return uuid7()


#: How long one statement may take, and a transaction do nothing: a request that hangs holds no connection and no lock for
#: good. The longest that is asked here, of ten thousand machines, takes under a second. [s]
STATEMENT_S, IDLE_S = 60, 300


def open_engine(url: str | URL, patience: float = 5) -> Engine:
    """Connections in UTC that are tried before use, so that a restarted database costs one request at most; who wants one
    while all are in use waits so long. [s]"""
    engine = create_engine(
        url,
        pool_size=8,
        max_overflow=4,
        pool_pre_ping=True,
        pool_timeout=patience,
        connect_args={
            "connect_timeout": 3,
            "options": f"-c statement_timeout={STATEMENT_S}s -c idle_in_transaction_session_timeout={IDLE_S}s",
        },
        hide_parameters=True,  # values may be secrets, and an error's words are logged
    )

    @event.listens_for(engine, "connect")
    def _utc(connection: object, _record: object) -> None:
        with connection.cursor() as cursor:  # type: ignore[attr-defined]
            cursor.execute("SET TIME ZONE 'UTC'")
        connection.commit()  # type: ignore[attr-defined]

    return engine


def at_once(engine: Engine) -> Connection:
    """A connection for a single query, which needs no transaction: two round trips fewer."""
    return engine.connect().execution_options(isolation_level="AUTOCOMMIT")


def snapshot_of(engine: Engine) -> str:
    """What a query that begins now sees, in words: where they are the same twice, nothing was written in between."""
    with at_once(engine) as db:
        return str(db.execute(text("SELECT pg_current_snapshot()")).scalar_one())


def at_moment(engine: Engine, at: datetime) -> Engine:
    """The same database, where what is written happened at `at`: how records of the past come in."""
    past = engine.execution_options()

    @event.listens_for(past, "before_execute", retval=True)
    def _stamp(_db: object, statement: Any, many: Any, parameters: Any, _options: object) -> Any:
        if isinstance(statement, Insert) and isinstance(statement.table, Table):
            stamped = [c.name for c in statement.table.columns if c.server_default is not None and _is_moment(c)]
            statement = statement.values(dict.fromkeys(stamped, at)) if stamped else statement
        return statement, many, parameters

    return past


def _is_moment(column: Column[Any]) -> bool:
    return isinstance(column.type, DateTime)


_MIGRATIONS = Path(__file__).parent / "migrations"


def beat(db: Connection) -> None:
    """Write a little: whether the database can is not known by reading. At most every ten seconds, whoever asks."""
    db.execute(
        text(
            "INSERT INTO heartbeat (id, at) VALUES (1, now()) ON CONFLICT (id) DO UPDATE SET at = now() "
            "WHERE heartbeat.at < now() - interval '10 seconds'"
        )
    )


#: Of an advisory lock: whoever sets something up that is set up once.
_SETTING_UP = 0x756D6272


@contextmanager
def setting_up(engine: Engine) -> Iterator[None]:
    """Alone among all processes that set something up on this server's database: several may start at once."""
    with engine.connect() as db:
        db.execute(text("SELECT pg_advisory_lock(:key)"), {"key": _SETTING_UP})
        db.commit()
        try:
            yield
        finally:
            db.rollback()
            db.execute(text("SELECT pg_advisory_unlock(:key)"), {"key": _SETTING_UP})
            db.commit()


class NewerSchemaError(Exception):
    """The database was written by a later version than this one."""


def ensure_database(url: str, anew: bool = False) -> None:
    """Create the URL's database if it is not there; `anew` drops it first."""
    target = make_url(url)
    name = target.database
    admin = create_engine(target.set(database="postgres"), isolation_level="AUTOCOMMIT")
    with setting_up(admin), admin.connect() as connection:
        if anew:
            connection.execute(text(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)'))
        if not connection.execute(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": name}).scalar():
            connection.execute(text(f'CREATE DATABASE "{name}"'))
    admin.dispose()


def known_revision(revision: str) -> bool:
    """Whether this code knows a revision of the schema: its own, or an earlier one."""
    from alembic.script import ScriptDirectory

    return any(r.revision == revision for r in ScriptDirectory(str(_MIGRATIONS)).walk_revisions())


def migrate(url: str, revision: str = "head") -> None:
    """Bring the database to this code's revision, or to an earlier one on the way there.

    Raises NewerSchemaError where a later version than this one has written it.
    """
    from alembic import command
    from alembic.config import Config
    from alembic.script.revision import ResolutionError
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["url"] = url
    engine = create_engine(url)
    try:
        with setting_up(engine):
            command.upgrade(config, revision)
    except CommandError as error:
        if isinstance(error.__cause__, ResolutionError):
            raise NewerSchemaError(str(error)) from error
        raise
    finally:
        engine.dispose()
