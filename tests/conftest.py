"""One throw-away PostgreSQL for the whole run, a database of its own for every test that wants one."""

from __future__ import annotations

import os
import shutil
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from sqlalchemy import Engine, create_engine, text

from umbrak.cli.cluster import Cluster
from umbrak.store.engine import ensure_database, migrate, open_engine

settings.register_profile("umbrak", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("umbrak")

_URL = "UMBRAK_TEST_TEMPLATE_URL"
_stack = ExitStack()


def pytest_configure(config: pytest.Config) -> None:
    """Start the cluster once, before any worker; its address reaches them through the environment."""
    if hasattr(config, "workerinput") or config.option.collectonly:
        return
    folder = Path(tempfile.mkdtemp(prefix="umbrak-test-", dir="/var/tmp"))
    folder.chmod(0o755)  # the user that runs PostgreSQL must reach it
    _stack.callback(shutil.rmtree, folder, ignore_errors=True)
    cluster = _stack.enter_context(Cluster(folder, durable=False).running())
    url = cluster.url("template")
    ensure_database(url)
    migrate(url)
    os.environ[_URL] = url


def pytest_unconfigure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        _stack.close()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Iterator[None]:
    """A skipped test is a failed one: what is not run is not known to work."""
    report = yield
    if report.skipped and not hasattr(report, "wasxfail"):
        report.outcome = "failed"
        report.longrepr = f"{item.nodeid} was skipped; a test runs or is deleted"
    return report


@pytest.fixture
def database_url() -> Iterator[str]:
    """A fresh, migrated database."""
    template = os.environ[_URL]
    name = f"t_{uuid.uuid4().hex}"
    admin = create_engine(template.rsplit("/", 1)[0] + "/postgres", isolation_level="AUTOCOMMIT")
    with admin.connect() as db:
        db.execute(text(f'CREATE DATABASE "{name}" TEMPLATE template STRATEGY file_copy'))
    yield template.rsplit("/", 1)[0] + "/" + name
    with admin.connect() as db:
        db.execute(text(f'DROP DATABASE "{name}" WITH (FORCE)'))
    admin.dispose()


@pytest.fixture
def engine(database_url: str) -> Iterator[Engine]:
    opened = open_engine(database_url)
    yield opened
    opened.dispose()


@pytest.fixture(autouse=True, scope="session")
def _cheap_passwords() -> Iterator[None]:
    """Argon2 with its least cost: tests hash dozens of passwords that guard nothing."""
    from pwdlib import PasswordHash
    from pwdlib.hashers.argon2 import Argon2Hasher

    from umbrak.services.people import accounts

    kept, accounts._hasher = accounts._hasher, PasswordHash((Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1),))
    yield
    accounts._hasher = kept
