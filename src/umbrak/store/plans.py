"""Plans and the commands that made them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, union, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.documents import MachineDoc
from umbrak.formats.kept import COMMAND, GOAL, RUNS_WITH, STAGES, Change
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import history, plan, plan_command


@dataclass(frozen=True, slots=True)
class PlanRow:
    id: UUID
    machine_id: UUID
    name: str
    state: str
    sheet_hash: SheetHash
    survey_id: UUID
    version: int
    updated_at: datetime
    discarded_at: datetime | None
    _goal: dict[str, Any]
    _stages: dict[str, Any] | None
    _runs_with: dict[str, Any] | None

    @property
    def ended(self) -> bool:
        """It has come to its end: the machine is as it is."""
        return self.state in ("proved", "waived", "backed out")

    # What follows is read when it is asked for, so that a plan that cannot be read costs nothing but itself: each raises Unreadable.

    @property
    def goal(self) -> Layout:
        return GOAL.read(self._goal)

    @property
    def stages(self) -> tuple[Layout, ...]:
        """What is fitted after each stage but the last; empty = all at once."""
        return STAGES.read(self._stages) if self._stages else ()

    @property
    def runs_with(self) -> MachineDoc | None:
        """Facts of the machine that it will run with; those that are not set in it stay as they are."""
        return RUNS_WITH.read(self._runs_with) if self._runs_with else None


@dataclass(frozen=True, slots=True)
class CommandRow:
    version: int
    kind: str
    changes: Mapping[str, Change]
    by: str | None
    at: datetime


def add_plan(
    db: Connection, machine_id: UUID, name: str, sheet_hash: SheetHash, survey_id: UUID, goal: Layout
) -> UUID | None:
    """The new plan's id, or None when the machine has a plan of that name."""
    values = {
        "id": new_id(), "machine_id": machine_id, "name": name, "sheet_hash": sheet_hash, "survey_id": survey_id,
        "goal": GOAL.write(goal),
    }  # fmt: skip
    return db.execute(upsert(plan).values(values).on_conflict_do_nothing().returning(plan.c.id)).scalar()


def plan_row(row: Any, prefix: str = "") -> PlanRow:
    """A plan from a row whose plan columns have names that begin with `prefix`."""

    def of(name: str) -> Any:
        return getattr(row, prefix + name)

    return PlanRow(
        id=of("id"), machine_id=of("machine_id"), name=of("name"), state=of("state"), sheet_hash=of("sheet_hash"),
        survey_id=of("survey_id"), version=of("version"), updated_at=of("updated_at"), discarded_at=of("discarded_at"),
        _goal=of("goal"), _stages=of("stages"), _runs_with=of("runs_with"),
    )  # fmt: skip


def set_stages(db: Connection, key: UUID, stages: Sequence[Layout]) -> None:
    """What is fitted after each stage but the last."""
    document = STAGES.write(tuple(stages)) if stages else None
    db.execute(update(plan).where(plan.c.id == key).values(stages=document))


def set_runs_with(db: Connection, key: UUID, facts: MachineDoc | None, version: int) -> None:
    """What the machine will run with under this plan; None = what it runs with."""
    document = RUNS_WITH.write(facts) if facts else None
    values = {"runs_with": document, "version": version, "updated_at": func.clock_timestamp()}
    db.execute(update(plan).where(plan.c.id == key).values(values))


def set_sheet(db: Connection, key: UUID, sheet_hash: SheetHash) -> None:
    """By which revision of its sheet a plan is judged."""
    db.execute(update(plan).where(plan.c.id == key).values(sheet_hash=sheet_hash))


def set_state(db: Connection, key: UUID, state: str, survey_id: UUID | None = None) -> None:
    """How far a plan is; with a survey, what it starts from now."""
    values = {"state": state, **({"survey_id": survey_id} if survey_id else {})}
    db.execute(update(plan).where(plan.c.id == key).values(**values))


def find_plan(db: Connection, key: UUID, lock: bool = False) -> PlanRow | None:
    """A plan; `lock` keeps others from changing it until the transaction ends."""
    query = select(plan).where(plan.c.id == key)
    row = db.execute(query.with_for_update() if lock else query).one_or_none()
    return plan_row(row) if row else None


def plans_of(db: Connection, machine_id: UUID) -> list[PlanRow]:
    """The machine's plans but the discarded ones, the one changed last first."""
    return plans_by_machine(db, [machine_id]).get(machine_id, [])


def plans_by_machine(db: Connection, machines: Sequence[UUID]) -> dict[UUID, list[PlanRow]]:
    """Machine -> its plans as `plans_of` tells them, in one query."""
    theirs = (plan.c.machine_id.in_(machines), plan.c.discarded_at.is_(None))
    found: dict[UUID, list[PlanRow]] = {}
    for row in db.execute(select(plan).where(*theirs).order_by(plan.c.updated_at.desc(), plan.c.id.desc())):
        found.setdefault(row.machine_id, []).append(plan_row(row))
    return found


def standing_plans(db: Connection) -> list[PlanRow]:
    """Of all machines, but the discarded ones, the oldest first."""
    query = select(plan).where(plan.c.discarded_at.is_(None)).order_by(plan.c.id)
    return [plan_row(r) for r in db.execute(query)]


def writers_of(db: Connection, key: UUID) -> set[UUID]:
    """Accounts that began a plan or changed what it is to be."""
    began = select(history.c.account_id).where(history.c.plan_id == key, history.c.action == "plan started")
    changed = select(plan_command.c.account_id).where(plan_command.c.plan_id == key, plan_command.c.changes != {})
    return {x for x in db.execute(union(began, changed)).scalars() if x}


def plan_named(db: Connection, machine_id: UUID, name: str) -> bool:
    kept = (plan.c.machine_id == machine_id, plan.c.name == name, plan.c.discarded_at.is_(None))
    return bool(db.execute(select(plan.c.id).where(*kept)).scalar())


def discard_plan(db: Connection, key: UUID, version: int, discarded: bool) -> None:
    """Take a plan from sight, or bring it back. Its commands stay."""
    at = func.clock_timestamp() if discarded else None
    values = {"discarded_at": at, "version": version, "updated_at": func.clock_timestamp()}
    db.execute(update(plan).where(plan.c.id == key).values(values))


def rename_plan(db: Connection, key: UUID, name: str, version: int) -> None:
    db.execute(
        update(plan).where(plan.c.id == key).values(name=name, version=version, updated_at=func.clock_timestamp())
    )


def add_command(
    db: Connection, key: UUID, version: int, kind: str, changes: Mapping[str, Change], goal: Layout, account_id: UUID
) -> None:
    """Append a command and set the goal that it leads to."""
    values = {
        "plan_id": key,
        "version": version,
        "kind": kind,
        "changes": COMMAND.write(changes),
        "account_id": account_id,
    }
    db.execute(insert(plan_command).values(values))
    now = {"goal": GOAL.write(goal), "version": version, "updated_at": func.clock_timestamp()}
    db.execute(update(plan).where(plan.c.id == key).values(now))


def commands_of(db: Connection, key: UUID) -> list[CommandRow]:
    """All commands, oldest first."""
    query = select(plan_command, account.c.shown_as).select_from(plan_command.outerjoin(account))
    rows = db.execute(query.where(plan_command.c.plan_id == key).order_by(plan_command.c.version))
    return [CommandRow(r.version, r.kind, COMMAND.read(r.changes), r.shown_as, r.at) for r in rows]
