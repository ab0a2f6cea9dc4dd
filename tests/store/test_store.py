"""Migrations and durability, on real clusters."""

from __future__ import annotations

import json
import os
import signal
import tempfile
from pathlib import Path

from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from sqlalchemy import Engine, inspect, text

from umbrak.cli.cluster import Cluster
from umbrak.core.platform.machine import Layout
from umbrak.demo import seed
from umbrak.services.machines.listing import list_machines
from umbrak.services.plans.editing import edit_plan
from umbrak.services.plans.view import see_plan
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import ensure_database, migrate, open_engine
from umbrak.store.plans import plans_of
from umbrak.store.tables import metadata


def test_migrations_lead_to_just_the_tables_of_the_code(engine: Engine) -> None:
    with engine.connect() as db:
        # The queue's tables are its library's own.
        ours = {
            "compare_type": True,
            "include_name": lambda name, kind, _: not (name or "").startswith("procrastinate_"),
        }
        assert compare_metadata(MigrationContext.configure(db, opts=ours), metadata) == []


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


def test_a_database_of_the_first_revision_keeps_its_data(engine: Engine, database_url: str) -> None:
    seed.seed(engine)
    # As the first revision had it: without what later ones added. Its own tables, with the demo's rows in them.
    first = f"{database_url}_first"
    ensure_database(first)
    migrate(first, "0001")
    old = open_engine(first)
    tables = ["account", "site", "sheet", "machine", "survey", "plan", "plan_command"]
    with engine.connect() as source, old.begin() as target:
        for name in tables:
            kept = [c["name"] for c in inspect(old).get_columns(name)]
            columns = ", ".join(kept)
            for row in source.execute(text(f"SELECT {columns} FROM {name}")):
                values = {c: json.dumps(v) if isinstance(v, dict) else v for c, v in row._mapping.items()}
                target.execute(
                    text(f"INSERT INTO {name} ({columns}) VALUES ({', '.join(f':{c}' for c in kept)})"), values
                )
        target.execute(
            text(
                "INSERT INTO machine_summary (machine_id, key, installed_gib, document) SELECT id, 'old', 1, '{}' FROM machine"
            )
        )
    migrate(first)
    try:
        before, after = list_machines(engine).machines, list_machines(old).machines
        assert [(m.name, m.plan, m.summary) for m in after] == [(m.name, m.plan, m.summary) for m in before]
    finally:
        old.dispose()
