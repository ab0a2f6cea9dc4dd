"""Anything by a text in it: machines, plans, sheets, parts, modules by serial."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import Connection, Text, cast, func, or_, select
from sqlalchemy.sql.expression import ColumnElement

from umbrak.core.memory.label import serial_in
from umbrak.core.memory.parts import serial_key
from umbrak.formats.about import SEARCHED
from umbrak.store.parts import NumberRow, numbers
from umbrak.store.tables import machine, plan, sheet, site, stay, stock


@dataclass(frozen=True, slots=True)
class Hit:
    """Something that has the text in it."""

    #: machine, plan, sheet, part or module.
    kind: str
    title: str
    #: What tells it from others of its title.
    detail: str
    #: The machine that it leads to; None where it is of none.
    machine_id: UUID | None = None


def like_of(text: str) -> str:
    """A pattern for what has the text anywhere in it, as it stands."""
    return "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"


def find(db: Connection, text: str, each: int) -> list[Hit]:
    """At most `each` of every kind, those that begin with the text first."""
    like = like_of(text)

    def starts(column: ColumnElement[str]) -> ColumnElement[bool]:
        return ~column.ilike(like[1:])

    return [
        *_machines(db, like, starts, each),
        *_plans(db, like, starts, each),
        *_sheets(db, like, starts, each),
        *_parts(db, text, each),
        *_modules(db, text, each),
    ]


def _machines(db: Connection, like: str, starts: object, each: int) -> list[Hit]:
    assert callable(starts)
    columns = (machine.c.name, site.c.name, sheet.c.title, *(machine.c[n] for n in SEARCHED))
    query = (
        select(machine.c.id, machine.c.name, sheet.c.title, machine.c.place)
        .select_from(machine.join(sheet).outerjoin(site))
        .where(or_(*(c.ilike(like) for c in columns)), machine.c.retired_at.is_(None))
        .order_by(starts(machine.c.name), machine.c.name)
        .limit(each)
    )
    return [Hit("machine", r.name, ", ".join(x for x in (r.title, r.place) if x), r.id) for r in db.execute(query)]


def _plans(db: Connection, like: str, starts: object, each: int) -> list[Hit]:
    assert callable(starts)
    query = (
        select(plan.c.name, plan.c.state, machine.c.id, machine.c.name.label("machine"))
        .join(machine, machine.c.id == plan.c.machine_id)
        .where(plan.c.name.ilike(like), plan.c.discarded_at.is_(None), machine.c.retired_at.is_(None))
        .order_by(starts(plan.c.name), plan.c.updated_at.desc())
        .limit(each)
    )
    return [Hit("plan", r.name, f"{r.machine}, {r.state}", r.id) for r in db.execute(query)]


def _sheets(db: Connection, like: str, starts: object, each: int) -> list[Hit]:
    assert callable(starts)
    query = (
        select(sheet.c.title, func.max(sheet.c.revision).label("revision"), sheet.c.sheet_id)
        .where(
            or_(
                sheet.c.title.ilike(like),
                sheet.c.sheet_id.ilike(like),
                cast(sheet.c.document["models"], Text).ilike(like),
            )
        )
        .group_by(sheet.c.title, sheet.c.sheet_id)
        .order_by(starts(sheet.c.title), sheet.c.title)
        .limit(each)
    )
    return [Hit("sheet", r.title, f"{r.sheet_id}, revision {r.revision}") for r in db.execute(query)]


def _parts(db: Connection, text: str, each: int) -> list[Hit]:
    """Part numbers that were met anywhere, however they are spelt."""
    return [Hit("part", r.number, ", ".join(_met(r))) for r in numbers(db, text, each)]


def _met(r: NumberRow) -> Iterator[str]:
    if r.fitted:
        yield f"{r.fitted} in machines"
    if r.on_hand:
        yield f"{r.on_hand} on the Shelf"
    for count, what in ((r.offers, "on offer"), (r.trials, "tried"), (r.words, "told of"), (r.listed, "listed")):
        if count:
            yield what


def _modules(db: Connection, text: str, each: int) -> list[Hit]:
    """Modules by their serials: in machines as they were surveyed last, and on the Shelf; then where they were."""
    key = serial_key(serial_in(text))
    if not key:
        return []
    fitted = (
        select(stay.c.serial, stay.c.slot, stay.c.until, machine.c.id, machine.c.name)
        .join(machine, machine.c.id == stay.c.machine_id)
        .where(stay.c.key.contains(key, autoescape=True), machine.c.retired_at.is_(None))
        .order_by(stay.c.until.is_not(None), machine.c.name, stay.c.slot)
        .limit(each)
    )
    found = [
        (r.until is not None, Hit("module", r.serial, f"{'was in' if r.until else 'in'} {r.name}, slot {r.slot}", r.id))
        for r in db.execute(fitted)
    ]
    serial = stock.c.module["serial"].astext
    shelved = (
        select(serial.label("serial"), stock.c.place, stock.c.gone_at)
        .where(stock.c.serial_key.contains(key, autoescape=True))
        .order_by(stock.c.gone_at.is_not(None), stock.c.place)
        .limit(each)
    )
    for r in db.execute(shelved):
        place = f"{'was on' if r.gone_at else 'on'} the Shelf"
        found.append((r.gone_at is not None, Hit("module", r.serial, ", ".join(x for x in (place, r.place) if x))))
    # One line for each module: where it is, else where it was.
    told: dict[str, Hit] = {}
    for _, hit in sorted(found, key=lambda f: f[0]):
        told.setdefault(serial_key(hit.title), hit)
    return list(told.values())[:each]
