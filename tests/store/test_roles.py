"""The server's own role does all that the server does, and cannot touch what guards the history."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ProgrammingError

from umbrak.cli.backup import backup
from umbrak.demo import seed
from umbrak.jobs.queue import Queue
from umbrak.services.machines.in_bulk import GivenFile, run_job, see_job, start_reading
from umbrak.services.reach import Outside
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import beat, open_engine
from umbrak.store.roles import grant


@pytest.fixture
def restricted(database_url: str) -> Iterator[str]:
    """The database's URL as a role of this test's own."""
    role = f"r_{uuid.uuid4().hex}"
    grant(database_url, role=role, password="a-password")
    grant(database_url, role=role, password="not this one")  # again, as after each migration: it stays as it is
    grant(database_url, role=role, password="another", anew=True)
    yield make_url(database_url).set(username=role, password="another").render_as_string(hide_password=False)
    owner = create_engine(database_url, isolation_level="AUTOCOMMIT")
    with owner.connect() as db:
        db.execute(text(f"DROP OWNED BY {role}"))
        db.execute(text(f"DROP ROLE {role}"))
    owner.dispose()


@pytest.fixture
def as_server(restricted: str) -> Iterator[Engine]:
    opened = open_engine(restricted)
    yield opened
    opened.dispose()


def test_it_does_all_that_the_server_does(as_server: Engine, restricted: str, tmp_path: Path) -> None:
    seed.seed(as_server)
    with as_server.begin() as db:
        beat(db)
        known = find_credentials(db, seed.ACCOUNT)
    assert known
    key = start_reading(as_server, known.account, [GivenFile("a.txt", b"A1: 16GB DDR4\n")], make=False)
    queue = Queue(as_server, Outside())
    queue.put(key)
    queue.start()
    queue.stop()
    run_job(as_server, Outside(), key)
    assert see_job(as_server, key)[0].done == 1
    assert backup(restricted, tmp_path / "b", None, "").rows["machine"] > 10


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE history SET action = 'nothing'", "DELETE FROM history", "TRUNCATE history", "ALTER TABLE history DISABLE TRIGGER ALL",
        "DROP TRIGGER history_append_only ON history", "DROP TABLE history", "SET session_replication_role = replica",
        "CREATE OR REPLACE FUNCTION history_is_append_only() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'",
        "UPDATE alembic_version SET version_num = '0001'", "CREATE TABLE mine (id int)", "ALTER TABLE account ADD COLUMN odd int",
        "CREATE ROLE another SUPERUSER", "TRUNCATE machine CASCADE",
    ],
)  # fmt: skip
def test_it_cannot_touch_what_is_the_owners(as_server: Engine, statement: str) -> None:
    with (
        as_server.connect() as db,
        pytest.raises(ProgrammingError, match=r"permission denied|must be (?:owner|superuser)"),
    ):
        db.execute(text(statement))
