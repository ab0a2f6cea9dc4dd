"""How machines can be asked over the network."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, delete, func, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.formats.kept import SERVICE, ServiceFacts
from umbrak.store.tables import machine, machine_service, run


@dataclass(frozen=True, slots=True)
class ServiceRow:
    machine_id: UUID
    machine: str
    kind: str
    address: str
    facts: ServiceFacts
    sealed: bytes
    asked_at: datetime | None
    trouble: str
    #: Since when its locator light is on by us; None = it is not.
    light_since: datetime | None
    #: Why it could not be switched off; "" = that was not tried, or it worked.
    light_trouble: str


_SERVICES = select(machine_service, machine.c.name).join(machine)


def _row(r: Any) -> ServiceRow:
    return ServiceRow(
        machine_id=r.machine_id, machine=r.name, kind=r.kind, address=r.address, facts=SERVICE.read(r.document), sealed=r.sealed,
        asked_at=r.asked_at, trouble=r.trouble,
        light_since=r.light_since, light_trouble=r.light_trouble,
    )  # fmt: skip


def services_of(db: Connection, machine_id: UUID) -> list[ServiceRow]:
    query = _SERVICES.where(machine_service.c.machine_id == machine_id).order_by(machine_service.c.kind)
    return [_row(r) for r in db.execute(query)]


def find_service(db: Connection, machine_id: UUID, kind: str) -> ServiceRow | None:
    return next((s for s in services_of(db, machine_id) if s.kind == kind), None)


def machines_with_services(db: Connection, only: Sequence[UUID] | None = None) -> list[ServiceRow]:
    """Services of machines in use, by name; of `only` these where it is given."""
    query = _SERVICES.where(machine.c.retired_at.is_(None))
    if only is not None:
        query = query.where(machine.c.id.in_(only))
    return [_row(r) for r in db.execute(query.order_by(machine.c.name, machine_service.c.kind))]


def keep_service(db: Connection, machine_id: UUID, kind: str, address: str, facts: ServiceFacts, sealed: bytes) -> None:
    values = {"address": address, "document": SERVICE.write(facts), "sealed": sealed, "asked_at": None, "trouble": ""}
    statement = upsert(machine_service).values(machine_id=machine_id, kind=kind, **values)
    db.execute(statement.on_conflict_do_update(index_elements=["machine_id", "kind"], set_=values))


def drop_service(db: Connection, machine_id: UUID, kind: str) -> bool:
    chosen = (machine_service.c.machine_id == machine_id) & (machine_service.c.kind == kind)
    return bool(db.execute(delete(machine_service).where(chosen)).rowcount)


def note_asked(db: Connection, machine_id: UUID, kind: str, trouble: str) -> None:
    chosen = (machine_service.c.machine_id == machine_id) & (machine_service.c.kind == kind)
    db.execute(update(machine_service).where(chosen).values(asked_at=func.now(), trouble=trouble))


def note_light(db: Connection, machine_id: UUID, since: datetime | None, trouble: str = "") -> None:
    """That a machine's light is on by us since then, or off; `trouble`: why switching it off failed now."""
    chosen = (machine_service.c.machine_id == machine_id) & (machine_service.c.kind == "redfish")
    tried = func.now() if trouble else None
    values = {"light_since": since, "light_trouble": trouble, "light_tried_at": tried}
    db.execute(update(machine_service).where(chosen).values(**values))


def lights_to_end(db: Connection, again: timedelta) -> list[ServiceRow]:
    """Services whose light is on by us and no run on their machine is under way; one that failed after `again`."""
    busy = select(run.c.machine_id).where(run.c.state == "under way")
    query = _SERVICES.where(
        machine_service.c.light_since.is_not(None),
        machine_service.c.machine_id.not_in(busy),
        func.coalesce(machine_service.c.light_tried_at < func.now() - again, True),
    )
    return [_row(r) for r in db.execute(query)]
