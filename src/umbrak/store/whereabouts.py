"""Where modules that have a serial number are, and were: in which slot of which machine, on the Shelf, in which delivery."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, update

from umbrak.core.memory.module import Module
from umbrak.core.memory.parts import serial_key
from umbrak.core.platform.known import Known
from umbrak.core.platform.machine import UNKNOWN, Occupant
from umbrak.formats.kept import MODULE, read_or_say
from umbrak.store.access_tables import account
from umbrak.store.tables import arrival, machine, plan, purchase, purchase_line, run, run_entry, stay, stock


@dataclass(frozen=True, slots=True)
class StayRow:
    """A module in a slot, for as long as it was seen there."""

    serial: str
    part: str
    words: str
    machine_id: UUID
    machine: str
    slot: str
    seen_by: str
    since: datetime
    seen_at: datetime
    until: datetime | None
    failed_at: datetime | None
    correctable: int | None
    uncorrectable: int | None


@dataclass(frozen=True, slots=True)
class ElsewhereRow:
    """A module that is known to be in a slot, and that another machine showed since."""

    slot: str
    serial: str
    machine_id: UUID
    machine: str
    its_slot: str
    at: datetime


@dataclass(frozen=True, slots=True)
class ShelfRow:
    module: Module
    part: str | None
    state: str
    place: str
    note: str
    reference: str
    due_on: date | None
    by: str
    put_at: datetime
    gone_at: datetime | None


@dataclass(frozen=True, slots=True)
class CameRow:
    module: Module
    came: str
    kept: bool
    #: Under which it went back.
    reference: str
    supplier: str
    order: str
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class NotedRow:
    """Its number was noted at the bench."""

    serial: str
    #: "label" as it went in, "found" as it was found at fault.
    kind: str
    slot: str
    run_id: UUID
    machine_id: UUID
    machine: str
    plan: str
    by: str
    at: datetime


def keep_stays(db: Connection, machine_id: UUID, kind: str, content: Known, taken_at: datetime) -> None:
    """Follow modules by their serials into, in and out of a machine's slots, as a survey tells. A slot that nobody knows any more,
    or whose module is told without a serial and is as large, ends nothing."""
    here = stay.c.machine_id == machine_id, stay.c.until.is_(None)
    held = {r.slot: r for r in db.execute(select(stay).where(*here))}
    for slot, row in held.items():
        now = content.slots.get(slot)
        if _key(now) == row.key:
            db.execute(
                update(stay)
                .where(stay.c.id == row.id)
                .values(
                    seen_at=max(row.seen_at, _looked_at(content, slot, row.seen_at)),
                    **_seen_of(content, slot, row, taken_at),
                )
            )
        elif _may_be(now, row.capacity_gib):
            db.execute(update(stay).where(stay.c.id == row.id).values(**_seen_of(content, slot, row, taken_at)))
        else:
            db.execute(update(stay).where(stay.c.id == row.id).values(until=taken_at))
    fresh = []
    for slot, module in content.slots.items():
        key = _key(module)
        if isinstance(module, Module) and key and (slot not in held or held[slot].key != key):
            fresh.append(
                {
                    "key": key, "serial": module.serial, "part": module.part or "", "words": module.short(),
                    "capacity_gib": module.capacity_gib, "machine_id": machine_id, "slot": slot,
                    "seen_by": content.sources[slot].kind if slot in content.sources else kind, "since": taken_at, "seen_at": _looked_at(content, slot, taken_at),
                    **_seen_of(content, slot, None, taken_at),
                }
            )  # fmt: skip
    if fresh:
        db.execute(insert(stay), fresh)


def end_stays(db: Connection, machine_id: UUID, slots: Collection[str], at: datetime) -> None:
    """Modules came out of these slots at the bench."""
    here = (stay.c.machine_id == machine_id) & stay.c.slot.in_(slots) & stay.c.until.is_(None)
    db.execute(update(stay).where(here).values(until=at))


def _looked_at(content: Known, slot: str, otherwise: datetime) -> datetime:
    """When somebody, or the machine, looked into a slot: a survey also holds what was known of the others before. Who adds what
    a part number tells has not looked."""
    source = content.sources.get(slot)
    return source.at if source and source.over is None else otherwise


def _key(held: Occupant | None) -> str:
    return serial_key(held.serial) if isinstance(held, Module) else ""


def _may_be(now: Occupant | None, capacity_gib: float | None) -> bool:
    """Whether a slot may still hold a module, by what is told of the slot now."""
    if now is UNKNOWN:
        return True
    return isinstance(now, Module) and not now.serial and now.capacity_gib in (capacity_gib, None)


def _seen_of(content: Known, slot: str, before: Any, at: datetime) -> dict[str, Any]:
    """What was seen of a module in its slot: when it was found at fault, and the most errors that were counted."""
    failed = before.failed_at if before is not None else None
    health = content.health.get(slot)
    told: dict[str, Any] = {"failed_at": failed or (at if slot in content.failed else None)}
    for name in ("correctable", "uncorrectable"):
        counts = [n for n in (getattr(before, name, None), getattr(health, name, None)) if n is not None]
        told[name] = max(counts, default=None)
    return told


def stays_of(db: Connection, key: str) -> list[StayRow]:
    query = select(stay, machine.c.name.label("machine")).join(machine).where(stay.c.key == key).order_by(stay.c.since)
    return [StayRow(**{n: r[n] for n in StayRow.__slots__}) for r in db.execute(query).mappings()]


def seen_elsewhere(db: Connection, machine_id: UUID) -> list[ElsewhereRow]:
    """Modules that are in a machine as far as is known of it, and that another machine showed since. One part's numbers are its
    maker's to give out; those of others may be the same."""
    other = stay.alias()
    query = (
        select(
            stay.c.slot,
            stay.c.serial,
            other.c.machine_id,
            machine.c.name,
            other.c.slot.label("its_slot"),
            other.c.seen_at,
        )
        .join(other, (other.c.key == stay.c.key) & (func.lower(other.c.part) == func.lower(stay.c.part)))
        .join(machine, machine.c.id == other.c.machine_id)
        .where(stay.c.machine_id == machine_id, stay.c.until.is_(None), stay.c.part != "")
        .where(other.c.machine_id != machine_id, other.c.until.is_(None), other.c.seen_at > stay.c.seen_at)
        .order_by(stay.c.slot, other.c.seen_at.desc())
    )
    return [
        ElsewhereRow(
            slot=r.slot, serial=r.serial, machine_id=r.machine_id, machine=r.name, its_slot=r.its_slot, at=r.seen_at
        )
        for r in db.execute(query)
    ]


def shelved(db: Connection, key: str) -> list[ShelfRow]:
    query = (
        select(stock, account.c.shown_as).join(account).where(stock.c.serial_key == key).order_by(stock.c.created_at)
    )
    return [
        ShelfRow(
            module=read_or_say(MODULE, r.module, Module())[0],
            part=r.part,
            state=r.state,
            place=r.place,
            note=r.note,
            reference=r.reference,
            due_on=r.due_on,
            by=r.shown_as,
            put_at=r.created_at,
            gone_at=r.gone_at,
        )
        for r in db.execute(query)
    ]


def arrivals_of(db: Connection, key: str) -> list[CameRow]:
    query = (
        select(
            arrival, purchase.c.supplier, purchase.c.reference.label("order"), purchase.c.ordered_on, account.c.shown_as
        )
        .join(purchase_line, purchase_line.c.id == arrival.c.line_id)
        .join(purchase, purchase.c.id == purchase_line.c.purchase_id)
        .join(account, account.c.id == arrival.c.account_id)
        .where(arrival.c.serial_key == key)
        .order_by(arrival.c.created_at)
    )
    return [
        CameRow(
            module=read_or_say(MODULE, r.module, Module())[0],
            came=r.came,
            kept=r.kept,
            reference=r.reference,
            supplier=r.supplier,
            order=r.order or r.ordered_on.isoformat(),
            by=r.shown_as,
            at=r.created_at,
        )
        for r in db.execute(query)
    ]


def noted(db: Connection, key: str) -> list[NotedRow]:
    columns = (
        run_entry,
        run.c.machine_id,
        machine.c.name.label("machine"),
        plan.c.name.label("plan"),
        account.c.shown_as,
    )
    query = (
        select(*columns)
        .join(run, run.c.id == run_entry.c.run_id)
        .join(machine, machine.c.id == run.c.machine_id)
        .join(plan, plan.c.id == run.c.plan_id)
        .join(account, account.c.id == run_entry.c.account_id)
        .where(run_entry.c.serial_key == key)
        .order_by(run_entry.c.number)
    )
    return [
        NotedRow(
            serial=r.document["serial"],
            kind=r.kind,
            slot=r.document.get("slot") or r.document.get("module") or "",
            run_id=r.run_id,
            machine_id=r.machine_id,
            machine=r.machine,
            plan=r.plan,
            by=r.shown_as,
            at=r.at,
        )
        for r in db.execute(query)
    ]


def move_stays(db: Connection, gone: UUID, kept: UUID) -> None:
    """Where one machine was taken for two, its modules were in the one."""
    db.execute(update(stay).where(stay.c.machine_id == gone).values(machine_id=kept))
    # Both may have told of one module: it was there since the first of them did.
    same = select(func.min(stay.c.id)).where(stay.c.machine_id == kept, stay.c.until.is_(None))
    kept_ids = same.group_by(stay.c.slot, stay.c.key)
    double = (stay.c.machine_id == kept) & stay.c.until.is_(None) & stay.c.id.not_in(kept_ids)
    db.execute(update(stay).where(double).values(until=stay.c.seen_at))
