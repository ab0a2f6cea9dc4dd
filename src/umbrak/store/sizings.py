"""What machines are to carry."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, update

from umbrak.core.plan.sizing import Sizing
from umbrak.formats.kept import SIZING
from umbrak.store.tables import machine, sizing


def find_sizing(db: Connection, machine_id: UUID) -> tuple[int, Sizing] | None:
    """(version, what it is to carry). Raises Unreadable."""
    row = db.execute(select(sizing.c.version, sizing.c.document).where(sizing.c.machine_id == machine_id)).first()
    return (row.version, SIZING.read(row.document)) if row else None


def find_sizings(db: Connection, machines: Sequence[UUID]) -> dict[UUID, Sizing]:
    """Machine -> what it is to carry, of those of which somebody said so. Raises Unreadable."""
    query = select(sizing.c.machine_id, sizing.c.document).where(sizing.c.machine_id.in_(machines))
    return {r.machine_id: SIZING.read(r.document) for r in db.execute(query)}


def keep_sizing(db: Connection, machine_id: UUID, version: int, new: Sizing) -> bool:
    """False where it is not at that version any more; 0 = there is none yet."""
    values = {"document": SIZING.write(new), "version": version + 1}
    if version == 0:
        if find_sizing(db, machine_id):
            return False
        db.execute(insert(sizing).values(machine_id=machine_id, **values))
        return True
    at = (sizing.c.machine_id == machine_id) & (sizing.c.version == version)
    return bool(db.execute(update(sizing).where(at).values(updated_at=func.now(), **values)).rowcount)


def machines_of_group(db: Connection, group: str) -> list[UUID]:
    """Machines on duty in a group, by name."""
    on_duty = select(machine.c.id).where(machine.c.duty_group == group, machine.c.retired_at.is_(None))
    return list(db.execute(on_duty.order_by(machine.c.name)).scalars())
