"""What was ordered, and what came of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, update

from umbrak.core.memory.module import Module
from umbrak.core.memory.parts import serial_key
from umbrak.formats.kept import MODULE
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import arrival, purchase, purchase_line


@dataclass(frozen=True, slots=True)
class ArrivalRow:
    id: UUID
    line_id: UUID
    module: Module
    came: str
    kept: bool
    reference: str
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class LineRow:
    id: UUID
    purchase_id: UUID
    part: str
    module: Module
    #: As the plans have it: one without a part number is any of its kind.
    wanted: Module
    kits: int
    kit: int
    price: Decimal
    #: Plan -> how many of the modules are for it.
    plans: Mapping[UUID, int]
    arrivals: tuple[ArrivalRow, ...]

    @property
    def modules(self) -> int:
        return self.kits * self.kit

    @property
    def pending(self) -> int:
        """Modules that are still to come: what went back is."""
        return max(0, self.modules - sum(a.kept for a in self.arrivals))

    @property
    def pending_for(self) -> dict[UUID, int]:
        """Plan -> modules that are still to come for it: what came was for those named first."""
        came, left = sum(a.kept for a in self.arrivals), {}
        for plan, count in self.plans.items():
            there = min(came, count)
            came -= there
            if count > there:
                left[plan] = count - there
        return left


@dataclass(frozen=True, slots=True)
class PurchaseRow:
    id: UUID
    supplier: str
    reference: str
    ordered_on: date
    due_on: date | None
    currency: str
    by: str
    closed_at: datetime | None
    lines: tuple[LineRow, ...]


def add_purchase(
    db: Connection, account_id: UUID, values: Mapping[str, Any], lines: Sequence[Mapping[str, Any]]
) -> UUID:
    key = new_id()
    db.execute(insert(purchase).values(id=key, account_id=account_id, **values))
    for line in lines:
        written = {
            "module": MODULE.write(line["module"]),
            "wanted": MODULE.write(line["wanted"]),
            "plans": {str(p): n for p, n in line["plans"].items()},
        }
        db.execute(insert(purchase_line).values(id=new_id(), purchase_id=key, **{**line, **written}))
    return key


def add_arrival(db: Connection, account_id: UUID, line_id: UUID, module: Module, values: Mapping[str, Any]) -> UUID:
    key = new_id()
    db.execute(
        insert(arrival).values(
            id=key,
            line_id=line_id,
            module=MODULE.write(module),
            account_id=account_id,
            serial_key=serial_key(module.serial),
            **values,
        )
    )
    return key


def decide_arrival(db: Connection, key: UUID, kept: bool, reference: str) -> None:
    db.execute(update(arrival).where(arrival.c.id == key).values(kept=kept, reference=reference))


def close_purchase(db: Connection, key: UUID) -> None:
    db.execute(update(purchase).where(purchase.c.id == key).values(closed_at=func.now()))


def purchases(db: Connection, key: UUID | None = None, closed: bool = False) -> list[PurchaseRow]:
    """Orders with their lines and what came, the oldest first: one, or all that are not closed, or all."""
    wanted = purchase.c.id == key if key is not None else purchase.c.closed_at.is_(None)
    heads = select(purchase, account.c.shown_as).join(account, account.c.id == purchase.c.account_id)
    rows = (
        db.execute((heads if closed and key is None else heads.where(wanted)).order_by(purchase.c.id)).mappings().all()
    )
    if not rows:
        return []
    ids = [r["id"] for r in rows]
    came: dict[UUID, list[ArrivalRow]] = {}
    arrived = (
        select(arrival, account.c.shown_as)
        .join(account, account.c.id == arrival.c.account_id)
        .join(purchase_line, purchase_line.c.id == arrival.c.line_id)
        .where(purchase_line.c.purchase_id.in_(ids))
        .order_by(arrival.c.id)
    )
    for r in db.execute(arrived).mappings():
        row = ArrivalRow(
            id=r["id"],
            line_id=r["line_id"],
            module=MODULE.read(r["module"]),
            came=r["came"],
            kept=r["kept"],
            reference=r["reference"],
            by=r["shown_as"],
            at=r["created_at"],
        )
        came.setdefault(row.line_id, []).append(row)
    lines: dict[UUID, list[LineRow]] = {}
    query = select(purchase_line).where(purchase_line.c.purchase_id.in_(ids)).order_by(purchase_line.c.id)
    for r in db.execute(query).mappings():
        line = LineRow(
            id=r["id"],
            purchase_id=r["purchase_id"],
            part=r["part"],
            module=MODULE.read(r["module"]),
            wanted=MODULE.read(r["wanted"]),
            kits=r["kits"],
            kit=r["kit"],
            price=r["price"],
            plans={UUID(p): n for p, n in r["plans"].items()},
            arrivals=tuple(came.get(r["id"], ())),
        )
        lines.setdefault(line.purchase_id, []).append(line)
    return [
        PurchaseRow(
            id=r["id"],
            supplier=r["supplier"],
            reference=r["reference"],
            ordered_on=r["ordered_on"],
            due_on=r["due_on"],
            currency=r["currency"],
            by=r["shown_as"],
            closed_at=r["closed_at"],
            lines=tuple(lines.get(r["id"], ())),
        )
        for r in rows
    ]


def lock_purchase(db: Connection, key: UUID) -> None:
    """Let nobody else change an order till this transaction ends."""
    db.execute(select(purchase.c.id).where(purchase.c.id == key).with_for_update())


@dataclass(frozen=True, slots=True)
class Waits:
    """Modules that are on order for a plan and have not come."""

    modules: int
    #: When the last of them is due; None where a supplier did not say.
    due_on: date | None


def waited_for(db: Connection, plans: Collection[UUID]) -> dict[UUID, Waits]:
    """Those of some plans that wait for modules on order."""
    if not plans:
        return {}
    found: dict[UUID, Waits] = {}
    for bought in purchases(db):
        for line in bought.lines:
            for plan, count in line.pending_for.items():
                had = found.get(plan, Waits(0, bought.due_on))
                due = max(had.due_on, bought.due_on) if had.due_on and bought.due_on else None
                found[plan] = Waits(had.modules + count, due)
    return {p: w for p, w in found.items() if p in set(plans)}
