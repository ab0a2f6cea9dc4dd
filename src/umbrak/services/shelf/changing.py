"""Putting modules on the Shelf and taking them off, keeping offers and withdrawing them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, date, datetime
from typing import Annotated, Any
from uuid import UUID

from pydantic import Field
from pydantic.dataclasses import dataclass
from sqlalchemy import Connection, Engine, func

from umbrak.core.memory.module import Module, alike
from umbrak.core.memory.parts import serial_key
from umbrak.core.platform.machine import Layout
from umbrak.formats.documents import CHECKED, Name, ShortText, Text, like_key
from umbrak.formats.quantities import Day, KitSize, LeadDays, LineCount, Money, OnOffer
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.parts.understanding import described
from umbrak.services.people.accounts import Role, need
from umbrak.services.shelf.view import USABLE, ShelfView, StockState, _shelf
from umbrak.store import shelf as store
from umbrak.store.accounts import Account
from umbrak.store.history import record


@dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewStock:
    """Modules put on the shelf."""

    module: Module
    count: LineCount = 1
    state: Annotated[StockState, Field(strict=False)] = StockState.NEW
    part: Name | None = None
    place: ShortText = ""
    note: Text = ""


@dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class NewOffer:
    """What a supplier asks for a kit."""

    part: Name
    module: Module
    supplier: ShortText = ""
    price: Money
    kit: KitSize = 1
    stock: OnOffer | None = None
    lead_days: LeadDays | None = None
    listed: bool | None = None
    priced_on: Day | None = None


def note_needs(db: Connection, plan_id: UUID, now: Layout, goal: Layout) -> None:
    """Keep what a plan puts in beyond what is fitted: so much of the shelf it reserves."""
    fitted = Counter(alike(m) for m in now.values() if isinstance(m, Module))
    wanted = Counter(alike(m) for m in goal.values() if isinstance(m, Module))
    store.set_needs(db, plan_id, {like_key(m): n for m, n in (wanted - fitted).items()})


def clear_needs(db: Connection, plan_id: UUID) -> None:
    """A plan that is over needs nothing any more."""
    store.set_needs(db, plan_id, {})


def add_stock(engine: Engine, account: Account, new: NewStock) -> ShelfView:
    """Put modules on the shelf. Raises Refused, which names the field."""
    need(account, Role.technician)
    with engine.begin() as db:
        add_stock_within(db, account, new)
        return _shelf(db)


def add_stock_within(db: Connection, account: Account, new: NewStock) -> None:
    module = described(db, new.module, new.part)
    if module.capacity_gib is None:
        raise Refused("module", "How large the modules are is needed: give the label, or a part that is known here.")
    if module.serial and new.count > 1:
        raise Refused("count", "One serial is one module.")
    values = {
        "part": module.part, "module": module, "kind": like_key(module), "count": new.count,
        "state": new.state.value, "place": new.place.strip(), "note": new.note.strip(),
    }  # fmt: skip
    key = store.add_stock(db, account.id, values)
    record(db, "put on shelf", account.id, id=str(key), part=module.part, count=new.count)


def put_away(
    db: Connection,
    account: Account,
    module: Module,
    *,
    state: StockState,
    place: str,
    note: str,
    reference: str = "",
    due_on: date | None = None,
) -> None:
    """Put one module that came out of a machine on the shelf: as pulled, suspect, or to be returned."""
    values = {
        "part": module.part, "module": module, "kind": like_key(module), "count": 1, "state": state.value,
        "place": place.strip(), "note": note, "reference": reference.strip(), "due_on": due_on,
    }  # fmt: skip
    key = store.add_stock(db, account.id, values)
    record(db, "put on shelf", account.id, id=str(key), part=module.part, count=1)


def take_from_shelf(db: Connection, account: Account, kind: str, count: int, serials: Iterable[str] = ()) -> int:
    """Take usable modules of a kind off the shelf, the oldest line first. Returns how many it had.

    Parameters
        serials   of the modules, as far as they were noted: those very modules are taken, and for them no other that has a serial
    """
    here = sorted(store.all_stock(db), key=lambda r: (r.state != StockState.NEW, r.id))
    noted = {serial_key(s) for s in serials} - {""}
    known = [r for r in here if r.serial_key in noted][:count]
    taken = sum(_take(db, account, row, 1) for row in known)
    alike_ones = [r for r in here if r.kind == kind and r.state in USABLE and r not in known]
    # A module whose number was noted, and is on no line here, is none of those that have another number.
    nameless = [r for r in alike_ones if not r.serial_key]
    others = [r for r in alike_ones if r.serial_key][: max(0, count - len(noted))]
    for row in sorted((*nameless, *others), key=here.index):
        if taken < count:
            taken += _take(db, account, row, count - taken)
    return taken


def _take(db: Connection, account: Account, row: store.StockRow, most: int) -> int:
    taken = min(most, row.count)
    store.change_stock(
        db, row.id, row.version, {"count": row.count - taken} if taken < row.count else {"gone_at": func.now()}
    )
    record(db, "taken from shelf", account.id, id=str(row.id), part=row.part, count=taken)
    return taken


def change_stock(engine: Engine, account: Account, key: UUID, version: int, changes: dict[str, Any]) -> ShelfView:
    """Change count, state, place or note of a line; a count of 0 takes it off.

    Raises NotFound, Refused, Stale when it changed meanwhile.
    """
    need(account, Role.technician)
    values = dict(changes)
    if values.get("count") == 0:
        values = {"gone_at": datetime.now(UTC)}
    with engine.begin() as db:
        kept = store.stock_version(db, key)
        if kept is None:
            raise NotFound("line on the shelf")
        if kept != version or not store.change_stock(db, key, version, values):
            raise Stale("Somebody changed this line meanwhile; nothing of yours was saved.", _shelf(db), changes)
        record(db, "shelf changed", account.id, id=str(key), **changes)
        return _shelf(db)


def add_offer(engine: Engine, account: Account, new: NewOffer) -> ShelfView:
    """Keep an offer; it takes the place of the supplier's older one for the same part and kit. Raises Refused."""
    need(account, Role.technician)
    with engine.begin() as db:
        add_offer_within(db, account, new)
        return _shelf(db)


def add_offer_within(db: Connection, account: Account, new: NewOffer) -> None:
    part = new.part
    module = replace(described(db, new.module, part), serial=None, made=None)
    if module.capacity_gib is None:
        raise Refused("module", f"How large {part} is, is needed: give its label.")
    today = datetime.now(UTC).date()
    if new.priced_on and new.priced_on > today:
        raise Refused("date", f"{new.priced_on} has not come yet.")
    values = {
        "part": part, "module": module, "kind": like_key(module), "supplier": new.supplier.strip(), "price": new.price,
        "kit": new.kit, "stock": new.stock, "lead_days": new.lead_days, "listed": new.listed, "priced_on": new.priced_on or today,
    }  # fmt: skip
    key = store.add_offer(db, account.id, values)
    record(db, "offer kept", account.id, id=str(key), part=part, price=str(new.price))


def withdraw_offer(engine: Engine, account: Account, key: UUID) -> ShelfView:
    """Take an offer away. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        if not store.withdraw_offer(db, key):
            raise NotFound("offer")
        record(db, "offer withdrawn", account.id, id=str(key))
        return _shelf(db)
