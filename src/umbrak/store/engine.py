"""Connections, ids and migrations."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID

from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.engine import URL, make_url
from uuid_utils.compat import uuid7


def new_id() -> UUID:
    """A UUIDv7: unique, and sorted by the time at which it was made (RFC 9562, 5.7)."""
    return uuid7()


def open_engine(url: str | URL) -> Engine:
    """Connections in UTC that are tried before use, so that a restarted database costs one request at most."""
    engine = create_engine(
        url, pool_size=8, max_overflow=4, pool_pre_ping=True, pool_timeout=5, connect_args={"connect_timeout": 3}
    )

    @event.listens_for(engine, "connect")
    def _utc(connection: object, _record: object) -> None:
        with connection.cursor() as cursor:  # type: ignore[attr-defined]
            cursor.execute("SET TIME ZONE 'UTC'")
        connection.commit()  # type: ignore[attr-defined]

    return engine


def ensure_database(url: str, anew: bool = False) -> None:
    """Create the URL's database if it is not there; `anew` drops it first."""
    target = make_url(url)
    name = target.database
    admin = create_engine(target.set(database="postgres"), isolation_level="AUTOCOMMIT")
    with admin.connect() as connection:
        if anew:
            connection.execute(text(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)'))
        if not connection.execute(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": name}).scalar():
            connection.execute(text(f'CREATE DATABASE "{name}"'))
    admin.dispose()


def migrate(url: str, revision: str = "head") -> None:
    """Bring the database to this code's revision, or to an earlier one on the way there."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    command.upgrade(config, revision)
