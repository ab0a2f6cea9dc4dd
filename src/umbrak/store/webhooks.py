"""Addresses that are told what happens, and what each is still to be told.

A delivery is written in the transaction of the line that it tells of, so none is lost and none tells of what never was.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, or_, select, update

from umbrak.store.access_tables import webhook, webhook_delivery
from umbrak.store.engine import new_id


@dataclass(frozen=True, slots=True)
class HookRow:
    id: UUID
    address: str
    #: machines, access, everything.
    about: str
    active: bool
    created_at: datetime
    #: Deliveries that are not through yet; when the last one was, and what came of the last try that was not.
    waiting: int
    delivered_at: datetime | None
    trouble: str


@dataclass(frozen=True, slots=True)
class DueDelivery:
    id: UUID
    webhook_id: UUID
    address: str
    sealed: bytes
    line_id: int | None
    #: Tries with the one that is due.
    tries: int
    created_at: datetime


def put_deliveries(db: Connection, line_id: int, is_access: bool, of_machine: bool) -> None:
    """Have every address told that wants lines of this kind."""
    about = ["everything", *(["access"] if is_access else []), *(["machines"] if of_machine else [])]
    wants = select(webhook.c.id).where(webhook.c.active, webhook.c.about.in_(about))
    rows = [{"id": new_id(), "webhook_id": key, "line_id": line_id} for key in db.execute(wants).scalars()]
    if rows:
        db.execute(insert(webhook_delivery), rows)


def put_test(db: Connection, key: UUID) -> None:
    db.execute(insert(webhook_delivery).values(id=new_id(), webhook_id=key))


def add_hook(db: Connection, address: str, about: str, sealed: bytes, account_id: UUID) -> UUID:
    key = new_id()
    values = {"id": key, "address": address, "about": about, "sealed": sealed, "account_id": account_id}
    db.execute(insert(webhook).values(values))
    return key


def all_hooks(db: Connection) -> list[HookRow]:
    """The oldest first."""
    d = webhook_delivery.c
    counts = select(
        d.webhook_id,
        func.count().filter(d.next_at.is_not(None)).label("waiting"),
        func.max(d.delivered_at).label("delivered_at"),
    ).group_by(d.webhook_id)
    told = counts.subquery()
    last = select(d.outcome).where(d.webhook_id == webhook.c.id, d.outcome != "").order_by(d.created_at.desc()).limit(1)
    failed = last.where(d.delivered_at.is_(None)).scalar_subquery().label("trouble")
    query = select(webhook, told.c.waiting, told.c.delivered_at.label("delivered"), failed).outerjoin(
        told, told.c.webhook_id == webhook.c.id
    )
    return [
        HookRow(
            id=r.id, address=r.address, about=r.about, active=r.active, created_at=r.created_at, waiting=r.waiting or 0,
            delivered_at=r.delivered, trouble=r.trouble or "",
        )
        for r in db.execute(query.order_by(webhook.c.created_at, webhook.c.id))
    ]  # fmt: skip


def find_hook(db: Connection, key: UUID) -> HookRow | None:
    return next((h for h in all_hooks(db) if h.id == key), None)


def set_active(db: Connection, key: UUID, active: bool) -> None:
    """One that is active again is told what happens from now on; what waited is tried again at once."""
    db.execute(update(webhook).where(webhook.c.id == key).values(active=active))
    d = webhook_delivery.c
    waits = update(webhook_delivery).where(d.webhook_id == key, d.next_at.is_not(None))
    db.execute(waits.values(next_at=func.now(), created_at=func.now(), tries=0))


def end_hook(db: Connection, key: UUID) -> None:
    db.execute(delete(webhook).where(webhook.c.id == key))


def take_due(db: Connection, lease: timedelta, most: int) -> list[DueDelivery]:
    """Deliveries whose time has come, oldest first; whoever takes one has it to themselves for as long as the lease."""
    d = webhook_delivery.c
    due = (
        select(d.id)
        .join(webhook, webhook.c.id == d.webhook_id)
        .where(d.next_at <= func.now(), webhook.c.active)
        .order_by(d.created_at, d.line_id)
        .limit(most)
        .with_for_update(of=webhook_delivery, skip_locked=True)
    )
    taken = (
        update(webhook_delivery)
        .where(d.id.in_(due.scalar_subquery()), d.webhook_id == webhook.c.id)
        .values(next_at=func.now() + lease, tries=d.tries + 1)
        .returning(webhook_delivery, webhook.c.address, webhook.c.sealed)
    )
    rows: list[Any] = list(db.execute(taken))
    return sorted(
        (
            DueDelivery(
                id=r.id, webhook_id=r.webhook_id, address=r.address, sealed=bytes(r.sealed), line_id=r.line_id,
                tries=r.tries, created_at=r.created_at,
            )
            for r in rows
        ),
        key=lambda d: (d.created_at, d.line_id or 0),
    )  # fmt: skip


def end_delivery(db: Connection, key: UUID, outcome: str, next_at: datetime | None, delivered: bool) -> None:
    values = {"outcome": outcome[:500], "next_at": next_at, "delivered_at": func.now() if delivered else None}
    db.execute(update(webhook_delivery).where(webhook_delivery.c.id == key).values(values))


def put_back(db: Connection, key: UUID, outcome: str, next_at: datetime) -> None:
    """It was taken and not tried: that was no try."""
    d = webhook_delivery.c
    values = {"outcome": outcome[:500], "next_at": next_at, "tries": d.tries - 1}
    db.execute(update(webhook_delivery).where(d.id == key).values(values))


def forget_deliveries(db: Connection, before: timedelta) -> None:
    """Those that are through, or given up, for so long."""
    d = webhook_delivery.c
    old = d.next_at.is_(None) & or_(d.delivered_at < func.now() - before, d.created_at < func.now() - 2 * before)
    db.execute(delete(webhook_delivery).where(old))
