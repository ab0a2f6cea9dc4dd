"""Modules on hand, offers, and what plans need of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.engine import new_id
from umbrak.store.tables import machine, offer, plan, plan_need, setting, stock


@dataclass(frozen=True, slots=True)
class StockRow:
    id: UUID
    part: str | None
    module: dict[str, Any]
    kind: str
    count: int
    state: str
    place: str
    note: str
    version: int
    updated_at: datetime
    reference: str
    due_on: date | None


@dataclass(frozen=True, slots=True)
class OfferRow:
    id: UUID
    part: str
    module: dict[str, Any]
    kind: str
    supplier: str
    price: Decimal
    kit: int
    stock: int | None
    lead_days: int | None
    listed: bool | None
    priced_on: date


@dataclass(frozen=True, slots=True)
class NeedRow:
    """What one plan needs of one kind."""

    kind: str
    count: int
    plan_id: UUID
    plan: str
    machine_id: UUID
    machine: str


def add_stock(db: Connection, account_id: UUID, values: dict[str, Any]) -> UUID:
    key = new_id()
    db.execute(insert(stock).values(id=key, account_id=account_id, **values))
    return key


def all_stock(db: Connection) -> list[StockRow]:
    """What is on hand, by part, the oldest line first."""
    here = select(stock).where(stock.c.gone_at.is_(None)).order_by(stock.c.part, stock.c.id)
    return [StockRow(**{f: r[f] for f in StockRow.__slots__}) for r in db.execute(here).mappings()]


def change_stock(db: Connection, key: UUID, version: int, values: dict[str, Any]) -> bool:
    """False where there is no such line at that version."""
    at = (stock.c.id == key) & (stock.c.version == version) & stock.c.gone_at.is_(None)
    changed = update(stock).where(at).values(version=version + 1, updated_at=func.now(), **values)
    return bool(db.execute(changed).rowcount)


def stock_version(db: Connection, key: UUID) -> int | None:
    return db.execute(select(stock.c.version).where(stock.c.id == key, stock.c.gone_at.is_(None))).scalar()


def add_offer(db: Connection, account_id: UUID, values: dict[str, Any]) -> UUID:
    """A newer price of a supplier for the same part and kit takes the older one's place."""
    same = (offer.c.part == values["part"]) & (offer.c.supplier == values["supplier"]) & (offer.c.kit == values["kit"])
    db.execute(update(offer).where(same, offer.c.gone_at.is_(None)).values(gone_at=func.now()))
    key = new_id()
    db.execute(insert(offer).values(id=key, account_id=account_id, **values))
    return key


def all_offers(db: Connection) -> list[OfferRow]:
    """Offers that stand, by part and price."""
    here = select(offer).where(offer.c.gone_at.is_(None)).order_by(offer.c.part, offer.c.price, offer.c.id)
    return [
        OfferRow(
            r.id, r.part, r.module, r.kind, r.supplier, r.price, r.kit, r.stock, r.lead_days, r.listed, r.priced_on
        )
        for r in db.execute(here)
    ]


def withdraw_offer(db: Connection, key: UUID) -> bool:
    """False where there is none."""
    waiting = (offer.c.id == key) & offer.c.gone_at.is_(None)
    return bool(db.execute(update(offer).where(waiting).values(gone_at=func.now())).rowcount)


def set_needs(db: Connection, plan_id: UUID, needs: Mapping[str, int]) -> None:
    """What a plan puts in beyond what is fitted: kind -> count."""
    db.execute(delete(plan_need).where(plan_need.c.plan_id == plan_id))
    if needs:
        db.execute(insert(plan_need), [{"plan_id": plan_id, "kind": k, "count": n} for k, n in needs.items()])


def needs_of(db: Connection, kinds: list[str]) -> list[NeedRow]:
    """What plans that stand need of these kinds, the oldest plan first."""
    query = (
        select(plan_need, plan.c.name, plan.c.machine_id, machine.c.name.label("machine"))
        .join(plan, plan.c.id == plan_need.c.plan_id)
        .join(machine, machine.c.id == plan.c.machine_id)
        .where(plan_need.c.kind.in_(kinds), plan.c.discarded_at.is_(None), machine.c.retired_at.is_(None))
        .order_by(plan.c.id)
    )
    return [
        NeedRow(r["kind"], r["count"], r["plan_id"], r["name"], r["machine_id"], r["machine"])
        for r in db.execute(query).mappings()
    ]


def find_setting(db: Connection, name: str) -> dict[str, Any] | None:
    return db.execute(select(setting.c.document).where(setting.c.name == name)).scalar()


def keep_setting(db: Connection, name: str, document: dict[str, Any]) -> None:
    new = upsert(setting).values(name=name, document={"schema": 1, **document})
    again = {"document": new.excluded.document, "version": setting.c.version + 1, "updated_at": func.now()}
    db.execute(new.on_conflict_do_update(index_elements=[setting.c.name], set_=again))
