"""Anything by a text in it: machines, plans, sheets, parts, modules by serial."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import Connection, Text, cast, func, literal, or_, select, true
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.sql.expression import ColumnElement

from umbrak.formats.about import SEARCHED
from umbrak.store.parts import NumberRow, numbers
from umbrak.store.tables import machine, plan, sheet, site, stock, survey


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
        *_modules(db, like, each),
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


def _modules(db: Connection, like: str, each: int) -> list[Hit]:
    """Modules by their serials: in machines as they were surveyed last, and on the Shelf."""
    newest = (
        select(survey.c.document)
        .where(survey.c.machine_id == machine.c.id)
        .order_by(survey.c.revision.desc())
        .limit(1)
        .lateral("newest")
    )
    slots = newest.c.document["slots"]
    # An occupant that nobody knows is a word and no document.
    fitted = func.jsonb_each(func.coalesce(slots, cast(literal("{}"), JSONB))).table_valued(
        "key", "value", name="fitted"
    )
    serial = fitted.c.value.op("->>", return_type=Text())("serial")
    query = (
        select(machine.c.id, machine.c.name, fitted.c.key, serial.label("serial"))
        .select_from(machine.join(newest, true()).join(fitted, true()))
        .where(serial.ilike(like), machine.c.retired_at.is_(None))
        .order_by(machine.c.name, fitted.c.key)
        .limit(each)
    )
    found = [Hit("module", r.serial, f"in {r.name}, slot {r.key}", r.id) for r in db.execute(query)]
    lying = stock.c.module.op("->>", return_type=Text())("serial")
    shelved = (
        select(lying.label("serial"), stock.c.place).where(lying.ilike(like), stock.c.gone_at.is_(None)).limit(each)
    )
    found += [
        Hit("module", r.serial, ", ".join(x for x in ("on the Shelf", r.place) if x)) for r in db.execute(shelved)
    ]
    return found[:each]
