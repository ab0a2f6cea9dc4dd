"""Migrations and durability, on real clusters."""

from __future__ import annotations

import os
import signal
import tempfile
from pathlib import Path

from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from sqlalchemy import Engine, text

from umbrak.cli.cluster import Cluster
from umbrak.core.platform.machine import Layout
from umbrak.demo import seed
from umbrak.services.machine_list import list_machines
from umbrak.services.plans import edit_plan, see_plan
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import ensure_database, migrate, open_engine
from umbrak.store.plans import plans_of
from umbrak.store.tables import metadata


def test_migrations_lead_to_just_the_tables_of_the_code(engine: Engine) -> None:
    with engine.connect() as db:
        assert compare_metadata(MigrationContext.configure(db, opts={"compare_type": True}), metadata) == []


def test_migrating_and_seeding_again_change_nothing(engine: Engine, database_url: str) -> None:
    seed.seed(engine)
    before = list_machines(engine)
    migrate(database_url)
    seed.seed(engine)
    assert list_machines(engine) == before


def test_an_acknowledged_edit_survives_a_killed_database() -> None:
    with tempfile.TemporaryDirectory(prefix="umbrak-durable-", dir="/var/tmp") as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder)
        with cluster.running():
            url = cluster.url("kept")
            ensure_database(url)
            migrate(url)
            engine = open_engine(url)
            seed.seed(engine)
            with engine.connect() as db:
                account = find_credentials(db, seed.ACCOUNT)
                (machine,) = db.execute(text("SELECT id FROM machine WHERE name = 'hall-03'")).one()
                key = plans_of(db, machine)[0].id
            assert account
            plan = see_plan(engine, key)
            acknowledged = edit_plan(engine, account.account, key, plan.version, Layout(), ["CPU2.F2"])
            postmaster = int((cluster.data / "postmaster.pid").read_text().splitlines()[0])
            os.kill(postmaster, signal.SIGKILL)
            engine.dispose()
        with cluster.running():
            engine = open_engine(cluster.url("kept"))
            assert see_plan(engine, key) == acknowledged
            engine.dispose()
