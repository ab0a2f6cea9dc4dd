"""One throw-away PostgreSQL for the whole run, a database of its own for every test that wants one."""

from __future__ import annotations

import os
import shutil
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from sqlalchemy import Engine, create_engine, text

from umbrak.cli.cluster import Cluster
from umbrak.demo import seed
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


@contextmanager
def copy_of(template: str, name: str) -> Iterator[str]:
    """The address of a copy of another database of the cluster, while it is wanted."""
    server = os.environ[_URL].rsplit("/", 1)[0]
    admin = create_engine(f"{server}/postgres", isolation_level="AUTOCOMMIT")
    with admin.connect() as db:
        db.execute(text(f'CREATE DATABASE "{name}" TEMPLATE "{template}" STRATEGY file_copy'))
    yield f"{server}/{name}"
    with admin.connect() as db:
        db.execute(text(f'DROP DATABASE "{name}" WITH (FORCE)'))
    admin.dispose()


@pytest.fixture(scope="session")
def _demo_template(_cheap_passwords: None) -> Iterator[str]:
    """A database with the demo's data, seeded once for each worker."""
    name = f"demo_{uuid.uuid4().hex}"
    with copy_of("template", name) as url:
        opened = open_engine(url)
        seed.seed(opened)
        opened.dispose()
        yield name


@pytest.fixture
def seeded(database_url: str) -> str:
    """Whoever wants this has the demo's data in the test's database."""
    return database_url


@pytest.fixture
def database_url(request: pytest.FixtureRequest) -> Iterator[str]:
    """A fresh, migrated database; with the demo's data where a test wants `seeded`."""
    wants = "seeded" in request.fixturenames
    template = request.getfixturevalue("_demo_template") if wants else "template"
    with copy_of(template, f"t_{uuid.uuid4().hex}") as url:
        yield url


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
