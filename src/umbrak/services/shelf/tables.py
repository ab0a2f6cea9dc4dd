"""The Shelf and the offers as tables: CSV and XLSX in, CSV out."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module, amount
from umbrak.formats.quantities import KitSize, LeadDays, LineCount, Money, OnOffer, money_of
from umbrak.formats.rows import DAY, NAME, SHORT, TEXT, CellFault, RowReader
from umbrak.formats.spreadsheet import harmless, read_table
from umbrak.services.known.taking import check_columns, meanings, names_of, take_each
from umbrak.services.parts.understanding import described, odd_beside
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import money_settings
from umbrak.services.shelf.changing import NewOffer, NewStock, add_offer_within, add_stock_within
from umbrak.services.shelf.view import StockState, see_shelf
from umbrak.store.accounts import Account

_PART = (
    "part number",
    "part no",
    "part nr",
    "part #",
    "p/n",
    "mpn",
    "manufacturer part number",
    "item number",
    "item no",
    "order code",
    "sku",
)
#: Column of the files, as it is written and read -> other names that people give it; those needed first.
STOCK_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "module": ("label", "description", "memory", "memory module"), "count": ("quantity", "qty", "pieces", "pcs", "units"),
    "part": _PART, "state": ("condition",),
    "where": ("place", "location"), "serial": ("serial number",), "note": ("notes",),
}  # fmt: skip
OFFER_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "part": _PART, "supplier": ("vendor", "shop", "seller", "store", "dealer"),
    "price": ("unit price", "net price", "net unit price", "price each", "price per unit", "price per piece", "price per module", "unit cost"),
    "module": ("label", "description"), "currency": (), "kit": (), "stock": ("in stock", "available", "qty available", "available qty", "quantity available", "available quantity", "availability"),
    "lead days": ("delivery days", "lead time", "delivery time", "delivery"), "listed": (), "date": ("priced on",),
}  # fmt: skip
_COLUMNS = {"stock": STOCK_COLUMNS, "offers": OFFER_COLUMNS}
#: What a column is that nothing is read from.
LEFT_OUT = "left out"
_NOTHING: Mapping[str, str] = {}

_NEEDED = {"stock": ("module", "count"), "offers": ("part", "price")}


_MONEY: TypeAdapter[Decimal] = TypeAdapter(Money)
_LINE_COUNT: TypeAdapter[int] = TypeAdapter(LineCount)
_KIT: TypeAdapter[int] = TypeAdapter(KitSize)
_ON_OFFER: TypeAdapter[int | None] = TypeAdapter(OnOffer | None)
_LEAD_DAYS: TypeAdapter[int] = TypeAdapter(LeadDays)


@dataclass(frozen=True, slots=True)
class TakenLine:
    """A row as it was understood."""

    row: int
    part: str
    words: str
    detail: str


@dataclass(frozen=True, slots=True)
class TakenTable:
    lines: tuple[TakenLine, ...]
    errors: tuple[CellFault, ...]
    kept: bool
    #: Column -> what it is taken for: one of `meanings`, or "left out".
    columns: Mapping[str, str]
    #: What a column may mean.
    meanings: tuple[str, ...]
    #: Those of them that no column means and every row needs: no row is read before one is said to.
    missing: tuple[str, ...]
    #: Rows above the one that names the columns, which are left out.
    above: int


def take_table(
    engine: Engine, account: Account, kind: str, raw: bytes, keep: bool, told: Mapping[str, str] = _NOTHING
) -> TakenTable:
    """Lines of the shelf or offers from CSV or XLSX. Without `keep` it is a preview; a wrong row keeps all out.

    Parameters
        told   column -> what is meant by it, where its name does not say

    Raises InputError when it is no table; Refused where what is told of columns cannot be or, with `keep`, a needed one is missing.
    """
    need(account, Role.technician)
    known = _COLUMNS[kind]
    told = {" ".join(c.lower().split()): m for c, m in told.items()}
    table = read_table(raw, names_of(known, told))
    names = meanings(table.columns, told, known, (LEFT_OUT,))
    columns = {c: names.get(c, LEFT_OUT) for c in table.columns}
    missing = tuple(n for n in _NEEDED[kind] if n not in names.values())
    if keep:
        check_columns(table, _NEEDED[kind], names)
    elif missing:
        return TakenTable(
            lines=(), errors=(), kept=False, columns=columns, meanings=tuple(known), missing=missing, above=table.above
        )
    with engine.begin() as db:
        currency = money_settings(db).currency

        def take(row: RowReader) -> TakenLine | None:
            return _take_stock(db, account, row) if kind == "stock" else _take_offer(db, account, row, currency)

        taken = take_each(db, table, take, keep=keep, names=columns)
    lines = tuple(line for line in taken.rows if line is not None)
    return TakenTable(
        lines=lines,
        errors=taken.faults,
        kept=taken.kept,
        columns=columns,
        meanings=tuple(known),
        missing=missing,
        above=table.above,
    )


def _take_stock(db: Connection, account: Account, row: RowReader) -> TakenLine | None:
    """None where the row has a fault, which it tells."""
    serial = row.text("serial", NAME, None)
    given = {
        "count": row.whole("count", _LINE_COUNT, 1),
        "state": row.choice("state", StockState, StockState.NEW),
        "part": row.text("part", NAME, None),
        "place": row.text("where", SHORT),
        "note": row.text("note", TEXT),
    }
    label = row.label("module") or Module()
    if kit := row.kit("module"):
        row.fault("module", f"the label is of a kit of {kit}: write that of one module, and count modules")
    if row.faults:
        return None
    module = described(db, replace(label, serial=serial or label.serial), given["part"])
    new = NewStock(module=module, **given)
    odd = (*row.remarks("module"), *odd_beside(db, module))
    add_stock_within(db, account, new)
    return TakenLine(row.number, module.part or "", module.short(), "; ".join((f"{new.count} {new.state}", *odd)))


def _take_offer(db: Connection, account: Account, row: RowReader, currency: str) -> TakenLine | None:
    """None where the row has a fault, which it tells."""
    heads = money_of(row.called("price"))
    named = row.text("currency", SHORT, currency if currency in heads or not heads else heads[0]).upper()
    if named != currency:
        row.fault("currency" if row.peek("currency") else "price", f"prices here are in {currency}, not {named}")
    given = {
        "part": row.text("part", NAME, needed=True),
        "supplier": row.text("supplier", SHORT),
        "price": row.price("price", _MONEY, currency, needed=True),
        "kit": row.whole("kit", _KIT, 1),
        "stock": row.at_hand("stock", _ON_OFFER),
        "lead_days": row.days("lead days", _LEAD_DAYS),
        "listed": row.yes_or_no("listed"),
        "priced_on": row.text("date", DAY, None),
    }
    label = row.label("module") or Module()
    if (kit := row.kit("module")) and kit != given["kit"]:
        if row.peek("kit"):
            row.fault("kit", f"{given['kit']} is told here, and the label is of a kit of {kit}")
        given["kit"] = kit
    if row.faults:
        return None
    new = NewOffer(module=described(db, label, given["part"]), **given)
    odd = (*row.remarks("module"), *odd_beside(db, new.module))
    add_offer_within(db, account, new)
    detail = f"{new.price} {currency}" + (f" for {new.kit}" if new.kit > 1 else "")
    if new.stock is not None:
        detail += f", {new.stock} there"
    if new.lead_days is not None:
        detail += f", {new.lead_days} days" if new.lead_days != 1 else ", 1 day"
    return TakenLine(row.number, new.part, new.module.short(), "; ".join((detail, *odd)))


def export_table(engine: Engine, kind: str) -> str:
    """The shelf or the offers as CSV (RFC 4180), with the columns that `take_table` reads."""
    view = see_shelf(engine)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    rows: list[Sequence[Any]]
    if kind == "stock":
        writer.writerow(STOCK_COLUMNS.keys())
        rows = [(s.words, s.count, s.part, s.state, s.place, s.module.serial, s.note) for s in view.stock]
    else:
        writer.writerow(OFFER_COLUMNS.keys())
        yes = {True: "yes", False: "no", None: ""}
        rows = [
            (o.part, o.supplier, _price(o.price), o.words, view.currency, o.kit, o.stock, o.lead_days, yes[o.listed], o.priced_on)
            for o in view.offers
        ]  # fmt: skip
    for row in rows:
        writer.writerow(["" if c is None else harmless(str(c)) for c in row])
    return out.getvalue()


def _price(price: Decimal) -> str:
    """A price that reads back as it is: with just three decimals its point might part thousands."""
    text = amount(float(price))
    return f"{text}0" if len(text.partition(".")[2]) == 3 else text
