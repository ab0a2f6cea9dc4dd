"""Orders: placed from what plans lack, read in module by module, closed once nothing more is waited for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from pydantic.dataclasses import dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.buying.arrival import Arrival, Came, laid_against
from umbrak.core.memory.label import serial_in
from umbrak.core.memory.module import FIELD_NAMES, Module, known_by_number, read_off
from umbrak.core.memory.parts import serial_key
from umbrak.core.plan.brief import shop_words
from umbrak.formats.documents import CHECKED, ShortText
from umbrak.formats.quantities import Day, Money
from umbrak.services.buying.wanted import Gathered, gather
from umbrak.services.errors import NotFound, Refused
from umbrak.services.parts.understanding import understand
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import money_settings
from umbrak.services.shelf.changing import NewStock, add_stock_within
from umbrak.services.shelf.view import StockState
from umbrak.store import purchases as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.purchases import ArrivalRow, LineRow, PurchaseRow

#: What goes on the Shelf as it is; the rest waits for somebody's word.
_KEPT = (Came.RIGHT, Came.OPEN)


@dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewPurchase:
    """What of the lines that these plans lack is ordered of one supplier."""

    supplier: ShortText
    reference: ShortText = ""
    ordered_on: Day
    due_on: Day | None = None
    plans: tuple[UUID, ...] = ()
    #: What it came to when it was looked at: should it come to something else now, nothing is ordered.
    cost: Money


@dataclass(frozen=True, slots=True)
class ArrivalView:
    id: UUID
    words: str
    part: str | None
    serial: str | None
    came: Came
    #: In what it is not as ordered; what was ordered and not read.
    differs: tuple[str, ...]
    unread: tuple[str, ...]
    kept: bool
    reference: str
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class PurchaseLineView:
    id: UUID
    words: str
    part: str
    kits: int
    kit: int
    modules: int
    price: Decimal
    #: Still to come.
    pending: int
    arrivals: tuple[ArrivalView, ...]


@dataclass(frozen=True, slots=True)
class PurchaseView:
    id: UUID
    supplier: str
    reference: str
    ordered_on: date
    due_on: date | None
    #: Since when it should be there, where something of it is not.
    days_late: int
    currency: str
    cost: Decimal
    by: str
    modules: int
    pending: int
    closed: bool
    lines: tuple[PurchaseLineView, ...]


def see_purchases(engine: Engine, closed: bool = False) -> list[PurchaseView]:
    """Orders that something is waited of, the oldest first; closed ones too where they are asked for."""
    with engine.connect() as db:
        return purchase_views(db, closed)


def purchase_views(db: Connection, closed: bool) -> list[PurchaseView]:
    today = datetime.now(UTC).date()
    return [_view(row, today) for row in store.purchases(db, closed=closed)]


def place_purchase(engine: Engine, account: Account, new: NewPurchase) -> PurchaseView:
    """Keep an order as placed with a supplier.

    Raises
        Refused   nothing is bought of that supplier, it comes to something else now, due before it was ordered
    """
    need(account, Role.technician)
    if new.due_on and new.due_on < new.ordered_on:
        raise Refused("due_on", "It cannot be due before it was ordered.")
    with engine.begin() as db:
        found = gather(db, new.plans)
        lines = list(_lines(found, new.supplier))
        if not lines:
            raise Refused(
                "supplier", f"Nothing that these plans lack is bought of {new.supplier or 'such a supplier'}."
            )
        cost = sum((line["price"] * line["kits"] for line in lines), Decimal(0))
        if cost != new.cost:
            raise Refused("cost", f"It comes to {cost:.2f} now, not {new.cost:.2f}: look at the lines again.")
        values = {
            "supplier": new.supplier, "reference": new.reference.strip(), "ordered_on": new.ordered_on, "due_on": new.due_on,
            "currency": money_settings(db).currency,
        }  # fmt: skip
        key = store.add_purchase(db, account.id, values, lines)
        record(db, "ordered", account.id, id=str(key), supplier=new.supplier, reference=new.reference, cost=str(cost))
        return _one(db, key)


def _lines(found: Gathered, supplier: str) -> Iterator[dict[str, Any]]:
    """Lines of an order of a supplier, each with what of it is for whom: what the Shelf gives serves the plans named first, then what
    is bought, in order."""
    for line in found.lines:
        served = sum(t.modules for t in line.from_shelf)
        for take in line.takes:
            begins, ends, at, plans = served, served + take.modules, 0, dict[UUID, int]()
            for want in line.needs:
                if n := min(ends, at + want.count) - max(begins, at):
                    plans |= {UUID(want.plan): n} if n > 0 else {}
                at += want.count
            served = ends
            if found.suppliers[take.at] == supplier:
                c = take.candidate
                yield {
                    "part": c.part, "module": c.module, "wanted": line.module, "kits": take.kits, "kit": c.kit, "price": c.price,
                    "plans": plans,
                }  # fmt: skip


def take_in(
    engine: Engine, account: Account, key: UUID, *, label: str, serial: str, place: str, spd: Module | None = None
) -> PurchaseView:
    """Read a module that came, by its label or its SPD: it is laid against the line that it fits best. What is right, or right as
    far as it was read, goes on the Shelf; what is not waits for somebody's word.

    Raises
        NotFound   no such order
        Refused    the label says nothing, the serial came already, nothing more is to come
    """
    need(account, Role.technician)
    with engine.begin() as db:
        store.lock_purchase(db, key)
        row = _row(db, key)
        read = spd or understand(db, label).reading.module
        read = replace(read, serial=serial_in(serial) or read.serial)
        if read.capacity_gib is None and not read.part:
            raise Refused("label", f"“{label}” says nothing of a module: its label, or its part number.")
        if read.serial and any(
            serial_key(a.module.serial) == serial_key(read.serial) for line in row.lines for a in line.arrivals
        ):
            raise Refused("serial", f"{read.serial} was read in already.")
        waiting = [line for line in row.lines if line.pending]
        if not waiting or row.closed_at is not None:
            raise Refused("label", "Nothing more of this order is to come.")
        line = max(waiting, key=lambda x: _fit(laid_against(x.module, read)))
        came = laid_against(line.module, read).came
        values = {"came": came.value, "kept": came in _KEPT, "reference": ""}
        store.add_arrival(db, account.id, line.id, read, values)
        record(db, "came in", account.id, id=str(key), part=read.part, serial=read.serial, came=came.value)
        if came in _KEPT:
            _put_on_shelf(db, account, row, line, read, place)
        return _one(db, key)


def _fit(found: Arrival) -> tuple[int, int, int]:
    return list(Came).index(found.came), -len(found.differs), -len(found.unread)


def decide(
    engine: Engine, account: Account, key: UUID, arrival_id: UUID, *, keep: bool, reference: str, place: str
) -> PurchaseView:
    """Say what is done with a module that is not as ordered: kept on the Shelf, or sent back under a reference.

    Raises NotFound, and Refused where it was decided already.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        store.lock_purchase(db, key)
        row = _row(db, key)
        line, came = next(((line, a) for line in row.lines for a in line.arrivals if a.id == arrival_id), (None, None))
        if line is None or came is None:
            raise NotFound("module of this order")
        if came.kept or came.reference:
            raise Refused("keep", "That is decided already.")
        if not keep and not reference.strip():
            raise Refused("reference", "Under which reference does it go back?")
        store.decide_arrival(db, arrival_id, keep, reference.strip())
        record(db, "came in decided", account.id, id=str(key), kept=keep, reference=reference.strip())
        if keep:
            _put_on_shelf(db, account, row, line, came.module, place)
        return _one(db, key)


def close_purchase(engine: Engine, account: Account, key: UUID) -> None:
    """Wait for nothing more of an order: what of it did not come the plans lack again. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        _row(db, key)
        store.close_purchase(db, key)
        record(db, "order closed", account.id, id=str(key))


def _put_on_shelf(db: Connection, account: Account, row: PurchaseRow, line: LineRow, read: Module, place: str) -> None:
    note = f"order {row.reference or row.ordered_on.isoformat()}, {row.supplier}"
    module = read
    if laid_against(line.module, read).came in _KEPT:
        # Nothing speaks against it: what was not read of it is as it was ordered, so that it serves the plans that it is for.
        told = {n: v for n in FIELD_NAMES if (v := getattr(read, n)) not in (None, ())}
        module = known_by_number(replace(line.module, **told), read_off(read))
    add_stock_within(
        db, account, NewStock(module=module, part=module.part or None, state=StockState.NEW, place=place, note=note)
    )


def _row(db: Connection, key: UUID) -> PurchaseRow:
    found = store.purchases(db, key)
    if not found:
        raise NotFound("order")
    return found[0]


def _one(db: Connection, key: UUID) -> PurchaseView:
    return _view(_row(db, key), datetime.now(UTC).date())


def _view(row: PurchaseRow, today: date) -> PurchaseView:
    pending = sum(line.pending for line in row.lines)
    late = (today - row.due_on).days if row.due_on and pending and row.closed_at is None else 0
    return PurchaseView(
        id=row.id,
        supplier=row.supplier,
        reference=row.reference,
        ordered_on=row.ordered_on,
        due_on=row.due_on,
        days_late=max(0, late),
        currency=row.currency,
        cost=sum((line.price * line.kits for line in row.lines), Decimal(0)),
        by=row.by,
        modules=sum(line.modules for line in row.lines),
        pending=pending,
        closed=row.closed_at is not None,
        lines=tuple(_line_view(line) for line in row.lines),
    )


def _line_view(line: LineRow) -> PurchaseLineView:
    return PurchaseLineView(
        id=line.id,
        words=shop_words(line.module),
        part=line.part,
        kits=line.kits,
        kit=line.kit,
        modules=line.modules,
        price=line.price * line.kits,
        pending=line.pending,
        arrivals=tuple(_arrival_view(line, a) for a in line.arrivals),
    )


def _arrival_view(line: LineRow, row: ArrivalRow) -> ArrivalView:
    found = laid_against(line.module, row.module)
    return ArrivalView(
        id=row.id,
        words=row.module.short() if row.module.capacity_gib else (row.module.part or ""),
        part=row.module.part,
        serial=row.module.serial,
        came=Came(row.came),
        differs=found.differs,
        unread=found.unread,
        kept=row.kept,
        reference=row.reference,
        by=row.by,
        at=row.at,
    )
