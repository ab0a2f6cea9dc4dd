"""Plans and the commands that made them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.engine import new_id
from umbrak.store.tables import account, plan, plan_command


@dataclass(frozen=True, slots=True)
class PlanRow:
    id: UUID
    machine_id: UUID
    name: str
    state: str
    sheet_hash: str
    survey_id: UUID
    #: Slot -> module or "unknown"; empty slots are left out.
    slots: dict[str, Any]
    version: int
    updated_at: datetime
    discarded_at: datetime | None
    #: What is fitted first: slot -> module; None = all at once.
    first_stage: dict[str, Any] | None = None
    #: Facts of the machine (firmware, system, processors, mode) that it will run with; those left out stay as they are.
    runs_with: dict[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class CommandRow:
    version: int
    kind: str
    #: Slot -> {"from": occupant, "to": occupant}
    changes: dict[str, dict[str, Any]]
    by: str | None
    at: datetime


def add_plan(
    db: Connection, machine_id: UUID, name: str, sheet_hash: str, survey_id: UUID, slots: dict[str, Any]
) -> UUID | None:
    """The new plan's id, or None when the machine has a plan of that name."""
    values = {
        "id": new_id(), "machine_id": machine_id, "name": name, "sheet_hash": sheet_hash, "survey_id": survey_id,
        "goal": {"schema": 1, "slots": slots},
    }  # fmt: skip
    return db.execute(upsert(plan).values(values).on_conflict_do_nothing().returning(plan.c.id)).scalar()


def plan_row(row: Any, prefix: str = "") -> PlanRow:
    """A plan from a row whose plan columns have names that begin with `prefix`."""

    def of(name: str) -> Any:
        return getattr(row, prefix + name)

    return PlanRow(
        of("id"), of("machine_id"), of("name"), of("state"), of("sheet_hash"), of("survey_id"), of("goal")["slots"],
        of("version"), of("updated_at"), of("discarded_at"), (of("first_stage") or {}).get("slots"),
        (of("runs_with") or {}).get("facts"),
    )  # fmt: skip


def set_first_stage(db: Connection, key: UUID, slots: dict[str, Any] | None) -> None:
    stage = None if slots is None else {"schema": 1, "slots": slots}
    db.execute(update(plan).where(plan.c.id == key).values(first_stage=stage))


def set_runs_with(db: Connection, key: UUID, facts: dict[str, Any], version: int) -> None:
    """What the machine will run with under this plan; empty = what it runs with."""
    document = {"schema": 1, "facts": facts} if facts else None
    values = {"runs_with": document, "version": version, "updated_at": func.clock_timestamp()}
    db.execute(update(plan).where(plan.c.id == key).values(values))


def set_sheet(db: Connection, key: UUID, sheet_hash: str) -> None:
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
    mine = (plan.c.machine_id == machine_id, plan.c.discarded_at.is_(None))
    query = select(plan).where(*mine).order_by(plan.c.updated_at.desc(), plan.c.id.desc())
    return [plan_row(r) for r in db.execute(query)]


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
    db: Connection, key: UUID, version: int, kind: str, changes: dict[str, Any], slots: dict[str, Any], account_id: UUID
) -> None:
    """Append a command and set the goal that it leads to."""
    db.execute(
        insert(plan_command).values(plan_id=key, version=version, kind=kind, changes=changes, account_id=account_id)
    )
    goal = {"schema": 1, "slots": slots}
    db.execute(
        update(plan).where(plan.c.id == key).values(goal=goal, version=version, updated_at=func.clock_timestamp())
    )


def commands_of(db: Connection, key: UUID) -> list[CommandRow]:
    """All commands, oldest first."""
    query = select(plan_command, account.c.shown_as).select_from(plan_command.outerjoin(account))
    rows = db.execute(query.where(plan_command.c.plan_id == key).order_by(plan_command.c.version))
    return [CommandRow(r.version, r.kind, r.changes, r.shown_as, r.at) for r in rows]
