"""Migrations and durability, on real clusters."""

from __future__ import annotations

import json
import os
import signal
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from sqlalchemy import Connection, Engine, event, inspect, text

from tests.conftest import copy_of
from umbrak import store
from umbrak.cli.cluster import Cluster
from umbrak.core.plan.sizing import Sizing
from umbrak.core.platform.machine import Layout
from umbrak.demo import seed
from umbrak.formats.about import About
from umbrak.formats.entries import DoneDoc
from umbrak.services.bench.entering import enter
from umbrak.services.bench.making import preview, start_run
from umbrak.services.bench.view import see_run
from umbrak.services.desk.view import see_desk
from umbrak.services.errors import Refused
from umbrak.services.evidence.trials import list_trials
from umbrak.services.known.summaries import refresh_stale
from umbrak.services.machines.exports import As, What, export
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.making import MachineChanges, NewMachine, change_machine, make_machine
from umbrak.services.machines.newer import Rejudged, changed_verdicts
from umbrak.services.machines.page import see_machine
from umbrak.services.machines.table import see_fleet
from umbrak.services.plans.editing import edit_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.routes.sizing import see_sizing, set_sizing
from umbrak.services.shelf.view import see_shelf
from umbrak.store.accounts import Account, find_credentials
from umbrak.store.columns import metadata
from umbrak.store.engine import ensure_database, migrate, open_engine
from umbrak.store.history import newest_of, record
from umbrak.store.plans import plans_of


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


#: In the order in which rows may be put in.
COPIED = ("account", "site", "sheet", "intake", "machine", "survey", "plan", "plan_command", "statement", "trial", "stock", "offer", "plan_need", "sizing", "setting", "run", "run_entry")  # fmt: skip
REVISIONS = sorted(p.name[:4] for p in (Path(store.__file__).parent / "migrations" / "versions").glob("0*.py"))


@pytest.mark.usefixtures("seeded")
def test_a_database_of_every_revision_keeps_its_data(engine: Engine, database_url: str, technician: Account) -> None:
    """A database as each revision had it, with the demo's rows as far as it has columns for them, comes up to date."""
    with engine.connect() as db:
        key = next(p for p in plans_of(db, machine_of(db, "hall-03")) if p.state == "draft").id
    run = start_run(engine, technician, key)
    now = datetime.now(UTC)
    enter(engine, technician, run.id, uuid4(), DoneDoc(kind="done", step=run.steps[0].key), now, now)
    before, runs = list_machines(engine).machines, see_run(engine, run.id)
    # One empty database grows from revision to revision; what is filled and brought up to date is a copy of it.
    grown = f"{database_url}_grown"
    ensure_database(grown)
    for revision in REVISIONS[:-1]:
        migrate(grown, revision)
        template = grown.rsplit("/", 1)[1]
        with copy_of(template, f"{template}_{revision}") as url, closing_engine(url) as old:
            with engine.connect() as source, old.begin() as target:
                tables = set(inspect(old).get_table_names())
                for name in [t for t in COPIED if t in tables]:
                    copy(source, target, name, [c["name"] for c in inspect(target).get_columns(name)])
                if revision < "0011":
                    # Two names of one machine were possible.
                    target.execute(text("UPDATE machine SET name = 'GAUGE-01' WHERE name = 'desk-05'"))
            migrate(url)
            refresh_stale(old)
            after = {m.name: m for m in list_machines(old).machines}
            was = {m.name: m for m in before}
            if revision < "0011":
                assert after.pop("GAUGE-01 (2)").summary == was.pop("desk-05").summary
            # What a proof found before there were runs, or a machine was retired before that was kept, is not there.
            lost = {"gauge-01"} if "run" not in tables else set()
            assert {n: (m.plan, m.summary) for n, m in after.items() if n not in {*lost, "radar-01"}} == {
                n: (m.plan, m.summary) for n, m in was.items() if n not in lost
            }
            if "run" in tables:
                assert see_run(old, run.id) == runs


@contextmanager
def closing_engine(url: str) -> Iterator[Engine]:
    opened = open_engine(url)
    try:
        yield opened
    finally:
        opened.dispose()


def machine_of(db: Connection, name: str) -> UUID:
    return UUID(str(db.execute(text("SELECT id FROM machine WHERE name = :n"), {"n": name}).scalar_one()))


def copy(source: Connection, target: Connection, table: str, columns: list[str]) -> None:
    """Rows of a table, as far as the target has columns for them."""
    there = set(source.execute(text(f"SELECT * FROM {table} LIMIT 0")).keys())
    kept = [c for c in columns if c in there]
    names = ", ".join(kept)
    for row in source.execute(text(f"SELECT {names} FROM {table}")):
        values = {c: json.dumps(v) if isinstance(v, dict | list) else v for c, v in row._mapping.items()}
        over = " OVERRIDING SYSTEM VALUE" if table == "run_entry" else ""
        target.execute(text(f"INSERT INTO {table} ({names}){over} VALUES ({', '.join(f':{c}' for c in kept)})"), values)


@contextmanager
def counted(engine: Engine) -> Iterator[list[str]]:
    """Statements that are put to the database meanwhile."""
    asked: list[str] = []

    def note(_: Any, __: Any, statement: str, *___: Any) -> None:
        asked.append(statement)

    event.listen(engine, "before_cursor_execute", note)
    try:
        yield asked
    finally:
        event.remove(engine, "before_cursor_execute", note)


@pytest.mark.usefixtures("seeded")
def test_no_view_asks_more_of_the_database_where_there_is_more(engine: Engine, technician: Account) -> None:
    """Sizing with its group, a run sheet, the table of machines, the list, changed verdicts: as many queries for many rows as
    for few."""
    with engine.connect() as db:
        one = machine_of(db, "hall-03")
        plan = plans_of(db, one)[0].id
        sheet = see_machine(engine, one).sheet_hash

    def asked() -> dict[str, int]:
        table = b"name;model\n" + b"".join(b"row-%d;nothing like it\n" % i for i in range(rows))
        looks: dict[str, Callable[[], object]] = {
            "sizing": lambda: see_sizing(engine, one),
            "run sheet": lambda: preview(engine, plan),
            "list": lambda: list_machines(engine),
            "changed verdicts": lambda: changed_verdicts(engine, 30),
            "shelf": lambda: see_shelf(engine),
            "trials": lambda: list_trials(engine),
            "desk": lambda: see_desk(engine, technician),
            **{f"export of {what}": partial(export, engine, what, As.JSON) for what in What},
        }
        counts = {}
        for name, look in looks.items():
            with counted(engine) as statements:
                look()
            counts[name] = len(statements)
        with counted(engine) as statements:
            see_fleet(engine, table)
        counts["table"] = sum(1 for s in statements if "SAVEPOINT" not in s)
        return counts

    rows = 2
    group = see_machine(engine, one).about.duty_group
    few = asked()
    for i in range(6):
        made = make_machine(
            engine, technician, NewMachine(name=f"more-{i}", sheet_hash=sheet, about=About(duty_group=group))
        )
        set_sizing(engine, technician, made, 0, Sizing(base_gib=1.0))
        with engine.begin() as db:
            for _ in range(20):
                told = {"was": "go", "verdict": "at-risk", "because": "because", "name": "what is fitted"}
                record(db, "verdict changed", None, made, None, **told)
    rows = 30
    assert asked() == few


@pytest.mark.usefixtures("seeded")
def test_changed_verdicts_come_a_page_at_a_time(engine: Engine) -> None:
    with engine.begin() as db:
        one, gone = machine_of(db, "hall-03"), machine_of(db, "desk-04")
        already = newest_of(db, "verdict changed", datetime(2020, 1, 1, tzinfo=UTC))[1]
        for i in range(200):
            told = {"was": "go", "verdict": "at-risk", "because": str(i), "name": "what is fitted"}
            record(db, "verdict changed", None, gone if i % 10 == 0 else one, None, **told)
        db.execute(text("UPDATE machine SET retired_at = now() WHERE id = :i"), {"i": gone})
    seen: list[Rejudged] = []
    while True:
        page = changed_verdicts(engine, 30, seen[-1].id if seen else None)
        assert page.total >= 180 and page.total <= 180 + already
        seen += page.changes
        if not page.changes:
            break
    assert len(seen) == page.total and [c.because for c in seen[:3]] == ["199", "198", "197"]
    assert {c.machine for c in seen if c.because.isdigit()} == {"hall-03"}


@pytest.mark.usefixtures("seeded")
def test_a_name_is_one_however_it_is_written(engine: Engine, technician: Account) -> None:
    with engine.connect() as db:
        sheet = see_machine(engine, machine_of(db, "hall-03")).sheet_hash
    for name in ("HALL-03", "Hall-03", "hall-03"):
        with pytest.raises(Refused, match="already"):
            make_machine(engine, technician, NewMachine(name=name, sheet_hash=sheet))
    key = make_machine(engine, technician, NewMachine(name="ÅRE-1", sheet_hash=sheet))
    with pytest.raises(Refused, match="already"):
        make_machine(engine, technician, NewMachine(name="åre-1", sheet_hash=sheet))
    with pytest.raises(Refused, match="already"):
        change_machine(engine, technician, key, 1, MachineChanges(name="Hall-03"))
    change_machine(engine, technician, key, 1, MachineChanges(name="åre-1"))


def test_a_database_that_ended_its_connections_costs_no_request_that_begins_then(engine: Engine) -> None:
    ours = open_engine(engine.url)
    held = [ours.connect() for _ in range(3)]
    for connection in held:
        connection.execute(text("SELECT 1"))
        connection.close()
    with engine.connect() as db:
        others = "FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        db.execute(text(f"SELECT pg_terminate_backend(pid, 10000) {others}"))
    for _ in range(6):
        with ours.connect() as db:
            assert db.execute(text("SELECT 1")).scalar() == 1
    ours.dispose()
