"""Machines that were made twice: found, put together, and taken away for good."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import ColumnElement, Connection, delete, func, select, update

from umbrak.formats.placeholders import told
from umbrak.store.tables import (
    doubt,
    job_step,
    machine,
    machine_service,
    plan,
    round_plan,
    run,
    sheet,
    sizing,
    statement,
    survey,
)
from umbrak.store.whereabouts import move_stays

#: Fields that two machines cannot share.
_UNIQUE = {"serial": machine.c.serial, "asset_tag": machine.c.asset_tag}
MOST_TWINS = 200


@dataclass(frozen=True, slots=True)
class TwinRow:
    """A machine that shares with others what only one can have."""

    #: serial or asset_tag
    field: str
    value: str
    machine_id: UUID
    name: str
    version: int
    sheet_title: str


def _key(column: ColumnElement[str]) -> ColumnElement[str]:
    """A number however it is written, as `serial_key` has it."""
    return func.upper(func.regexp_replace(column, "[^[:alnum:]]", "", "g"))


def machines_numbered(db: Connection, field: str, numbers: Collection[str]) -> dict[str, tuple[UUID, str]]:
    """Number, as `serial_key` has it -> (id, name) of the first machine that is looked after and has it as serial or asset_tag."""
    key = _key(_UNIQUE[field])
    query = select(key.label("key"), machine.c.id, machine.c.name).where(
        machine.c.retired_at.is_(None), key.in_(set(numbers) - {""})
    )
    found: dict[str, tuple[UUID, str]] = {}
    for r in db.execute(query.order_by(machine.c.name)):
        found.setdefault(r.key, (r.id, r.name))
    return found


def twins(db: Connection) -> list[TwinRow]:
    """Machines that are looked after and have one serial number or asset tag, however it is written."""
    found: list[TwinRow] = []
    for field, column in _UNIQUE.items():
        key = _key(column)
        shared = select(key).where(machine.c.retired_at.is_(None), key != "").group_by(key).having(func.count() > 1)
        query = (
            select(
                key.label("key"), column.label("value"), machine.c.id, machine.c.name, machine.c.version, sheet.c.title
            )
            .select_from(machine.join(sheet))
            .where(machine.c.retired_at.is_(None), key.in_(shared))
            .order_by(key, machine.c.name)
            .limit(MOST_TWINS)
        )
        found += [
            TwinRow(field=field, value=r.key, machine_id=r.id, name=r.name, version=r.version, sheet_title=r.title)
            for r in db.execute(query)
            if told(r.value)
        ]
    return found


def count_runs(db: Connection, key: UUID) -> int:
    return db.execute(select(func.count()).select_from(run).where(run.c.machine_id == key)).scalar_one()


def hand_over(db: Connection, gone: UUID, kept: UUID) -> None:
    """All that is told of one machine becomes another's; its surveys come after the other's."""
    last = db.execute(select(func.max(survey.c.revision)).where(survey.c.machine_id == kept)).scalar() or 0
    moved = survey.c.machine_id == gone
    db.execute(update(survey).where(moved).values(machine_id=kept, revision=survey.c.revision + last))
    move_stays(db, gone, kept)
    for table in (statement, plan, run, doubt, job_step):
        db.execute(update(table).where(table.c.machine_id == gone).values(machine_id=kept))
    # One of each: what the machine that stays has goes before.
    for table, also in ((machine_service, machine_service.c.kind), (sizing, None), (round_plan, round_plan.c.round_id)):
        other = table.alias()
        has = select(other.c.machine_id).where(other.c.machine_id == kept)
        if also is not None:
            has = has.where(other.c[also.name] == also)
        db.execute(update(table).where(table.c.machine_id == gone, ~has.exists()).values(machine_id=kept))


def standing_names(db: Connection, key: UUID) -> dict[str, UUID]:
    """Name -> plan of a machine that is not discarded."""
    query = select(plan.c.name, plan.c.id).where(plan.c.machine_id == key, plan.c.discarded_at.is_(None))
    return {r.name: r.id for r in db.execute(query)}


def rename_plan(db: Connection, key: UUID, name: str) -> None:
    db.execute(update(plan).where(plan.c.id == key).values(name=name))


def delete_machine(db: Connection, key: UUID) -> None:
    """With all that is told of it."""
    db.execute(delete(machine).where(machine.c.id == key))
