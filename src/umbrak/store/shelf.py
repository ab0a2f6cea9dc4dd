"""Modules on hand, offers, and what plans need of them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import Connection, RowMapping, delete, exists, func, insert, select, update

from umbrak.core.memory.module import Module
from umbrak.core.memory.parts import serial_key
from umbrak.formats.kept import MODULE, read_or_say
from umbrak.store.engine import new_id
from umbrak.store.parts import is_one_of
from umbrak.store.tables import machine, offer, plan, plan_need, stock

Row = TypeVar("Row")


@dataclass(frozen=True, slots=True)
class StockRow:
    id: UUID
    part: str | None
    module: Module
    kind: str
    count: int
    state: str
    place: str
    note: str
    version: int
    updated_at: datetime
    reference: str
    due_on: date | None
    serial_key: str
    #: Why the module cannot be read; "" = it can.
    unreadable: str


@dataclass(frozen=True, slots=True)
class OfferRow:
    id: UUID
    part: str
    module: Module
    kind: str
    supplier: str
    price: Decimal
    kit: int
    stock: int | None
    lead_days: int | None
    listed: bool | None
    priced_on: date
    #: Why the module cannot be read; "" = it can.
    unreadable: str


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
    values = {**values, "module": MODULE.write(values["module"]), "serial_key": serial_key(values["module"].serial)}
    db.execute(insert(stock).values(id=key, account_id=account_id, **values))
    return key


def all_stock(db: Connection, parts: Collection[str] | None = None) -> list[StockRow]:
    """What is on hand, by part, the oldest line first; of these parts (core.memory.parts.key_of) alone where they are given."""
    here = select(stock).where(stock.c.gone_at.is_(None)).order_by(stock.c.part, stock.c.id)
    if parts is not None:
        here = here.where(is_one_of(stock.c.part, parts))
    return [_of_row(StockRow, r) for r in db.execute(here).mappings()]


def _of_row(kind: Callable[..., Row], r: RowMapping) -> Row:
    """A row's value by the names of its members, with its module as far as it can be read."""
    module, unreadable = read_or_say(MODULE, r["module"], Module())
    told = {name: r[name] for name in kind.__slots__ if name in r}  # type: ignore[attr-defined]
    return kind(**{**told, "module": module, "unreadable": unreadable})


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
    values = {**values, "module": MODULE.write(values["module"])}
    db.execute(insert(offer).values(id=key, account_id=account_id, **values))
    return key


def all_offers(db: Connection, parts: Collection[str] | None = None) -> list[OfferRow]:
    """Offers that stand, by part and price; of these parts (core.memory.parts.key_of) alone where they are given."""
    here = select(offer).where(offer.c.gone_at.is_(None)).order_by(offer.c.part, offer.c.price, offer.c.id)
    if parts is not None:
        here = here.where(is_one_of(offer.c.part, parts))
    return [_of_row(OfferRow, r) for r in db.execute(here).mappings()]


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
        NeedRow(
            kind=r["kind"],
            count=r["count"],
            plan_id=r["plan_id"],
            plan=r["name"],
            machine_id=r["machine_id"],
            machine=r["machine"],
        )
        for r in db.execute(query).mappings()
    ]


@dataclass(frozen=True, slots=True)
class InNeed:
    """A plan that puts in what is not fitted."""

    plan_id: UUID
    machine_id: UUID
    machine: str


def plans_in_need(db: Connection) -> list[InNeed]:
    """Plans that stand and need modules, the oldest first."""
    query = (
        select(plan.c.id, plan.c.machine_id, machine.c.name)
        .join(machine, machine.c.id == plan.c.machine_id)
        .where(
            exists().where(plan_need.c.plan_id == plan.c.id),
            plan.c.discarded_at.is_(None),
            machine.c.retired_at.is_(None),
        )
        .order_by(plan.c.id)
    )
    return [InNeed(r.id, r.machine_id, r.name) for r in db.execute(query)]
