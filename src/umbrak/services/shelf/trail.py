"""Of a module by its serial number: where it is, where it was, and what was seen of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.label import serial_in
from umbrak.core.memory.parts import key_of, serial_key
from umbrak.services.errors import NotFound
from umbrak.store import whereabouts as store
from umbrak.store.machines import machine_exists
from umbrak.store.whereabouts import ElsewhereRow


class Where(StrEnum):
    #: In a slot of a machine.
    FITTED = "fitted"
    SHELF = "shelf"
    #: It came of an order.
    ARRIVED = "arrived"
    #: It came of an order and went back.
    SENT_BACK = "sent back"
    #: Its number was noted at the bench, as it went in or was found at fault.
    NOTED = "noted"


@dataclass(frozen=True, slots=True)
class TrailLine:
    where: Where
    at: datetime
    #: When it left; None: it is there, as far as is known, or the line is of a moment.
    until: datetime | None
    #: When it was seen there last.
    seen_at: datetime | None = None
    machine_id: UUID | None = None
    machine: str = ""
    slot: str = ""
    place: str = ""
    #: By what or whom it is told.
    by: str = ""
    #: Of what is on the Shelf its state; of what came how it was laid against what was ordered; of what was noted how.
    state: str = ""
    note: str = ""
    reference: str = ""
    due_on: date | None = None
    run_id: UUID | None = None
    failed_at: datetime | None = None
    correctable: int | None = None
    uncorrectable: int | None = None


@dataclass(frozen=True, slots=True)
class Trail:
    """Of one module; the newest first."""

    serial: str
    #: Its part number; "" = nobody read one. Modules of other numbers may have the same serial: each is a trail.
    part: str
    words: str
    lines: tuple[TrailLine, ...]
    #: Lines of places that it is in by all that is known; more than one cannot be true at once.
    now: tuple[TrailLine, ...]


def see_elsewhere(engine: Engine, machine_id: UUID) -> list[ElsewhereRow]:
    """Modules known to be in a machine that another machine showed since. Raises NotFound."""
    with engine.connect() as db:
        if not machine_exists(db, machine_id):
            raise NotFound("machine")
        return store.seen_elsewhere(db, machine_id)


def see_trails(engine: Engine, serial: str) -> tuple[Trail, ...]:
    """Raises NotFound where nothing is known of such a number."""
    key = serial_key(serial_in(serial))
    with engine.connect() as db:
        told = list(_told(db, key)) if key else []
    if not told:
        raise NotFound("module")
    parts = list(dict.fromkeys(key_of(t.part) for t in told if t.part))
    # Who read no part number tells of the only module that there is, or of one whose number nobody read.
    alone = parts[0] if len(parts) == 1 else ""
    found: dict[str, list[_Told]] = {}
    for t in told:
        found.setdefault(key_of(t.part) if t.part else alone, []).append(t)
    return tuple(_trail(some) for some in found.values())


@dataclass(frozen=True, slots=True)
class _Told:
    serial: str
    part: str
    words: str
    line: TrailLine


def _trail(told: list[_Told]) -> Trail:
    lines = tuple(sorted((t.line for t in told), key=lambda line: line.at, reverse=True))
    return Trail(
        serial=told[-1].serial,
        part=next((t.part for t in told if t.part), ""),
        words=max((t.words for t in told), key=len),
        lines=lines,
        now=tuple(line for line in lines if line.where in (Where.FITTED, Where.SHELF) and line.until is None),
    )


def _told(db: Connection, key: str) -> Iterator[_Told]:
    for s in store.stays_of(db, key):
        line = TrailLine(
            where=Where.FITTED,
            at=s.since,
            until=s.until,
            seen_at=s.seen_at,
            machine_id=s.machine_id,
            machine=s.machine,
            slot=s.slot,
            by=s.seen_by,
            failed_at=s.failed_at,
            correctable=s.correctable,
            uncorrectable=s.uncorrectable,
        )
        yield _Told(s.serial, s.part, s.words, line)
    for h in store.shelved(db, key):
        line = TrailLine(
            where=Where.SHELF,
            at=h.put_at,
            until=h.gone_at,
            place=h.place,
            by=h.by,
            state=h.state,
            note=h.note,
            reference=h.reference,
            due_on=h.due_on,
        )
        yield _Told(h.module.serial or key, h.part or h.module.part or "", h.module.short(), line)
    for a in store.arrivals_of(db, key):
        line = TrailLine(
            where=Where.SENT_BACK if a.reference else Where.ARRIVED,
            at=a.at,
            until=None,
            place=f"order {a.order}, {a.supplier}",
            by=a.by,
            state=a.came,
            reference=a.reference,
        )
        yield _Told(a.module.serial or key, a.module.part or "", a.module.short(), line)
    for n in store.noted(db, key):
        line = TrailLine(
            where=Where.NOTED,
            at=n.at,
            until=None,
            machine_id=n.machine_id,
            machine=n.machine,
            slot=n.slot,
            by=n.by,
            state=n.kind,
            note=n.plan,
            run_id=n.run_id,
        )
        yield _Told(n.serial, "", "", line)
