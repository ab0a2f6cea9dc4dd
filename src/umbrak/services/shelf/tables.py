"""The Shelf and the offers as tables: CSV and XLSX in, CSV out."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any

from sqlalchemy import Connection, Engine

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.module import amount
from umbrak.formats.spreadsheet import Row, read_table
from umbrak.services.errors import Refused
from umbrak.services.evidence.trials import RowError, harmless
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import money_settings
from umbrak.services.shelf.changing import NewOffer, NewStock, _add_offer, _add_stock, _described
from umbrak.services.shelf.view import see_shelf
from umbrak.store.accounts import Account

#: Columns of the files, as they are written and read; those needed first.
STOCK_COLUMNS = ("module", "count", "part", "state", "where", "serial", "note")


OFFER_COLUMNS = ("part", "supplier", "price", "module", "currency", "kit", "stock", "lead days", "listed", "date")


_NEEDED = {"stock": ("module", "count"), "offers": ("part", "supplier", "price")}


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
    errors: tuple[RowError, ...]
    kept: bool


def take_table(engine: Engine, account: Account, kind: str, raw: bytes, keep: bool) -> TakenTable:
    """Lines of the shelf or offers from CSV or XLSX. Without `keep` it is a preview; a wrong row keeps all out.

    Raises InputError when it is no table, Refused where a needed column is missing.
    """
    need(account, Role.technician)
    table = read_table(raw)
    for needed in _NEEDED[kind]:
        if needed not in table.columns:
            raise Refused("file", f"The table has no column “{needed}”; it has {', '.join(table.columns)}.")
    lines: list[TakenLine] = []
    errors: list[RowError] = []
    with engine.begin() as db:
        currency = money_settings(db).currency
        outer = db.begin_nested()
        for row in table.rows:
            try:
                lines.append(_take_row(db, account, kind, row, currency))
            except Refused as error:
                errors.append(RowError(row.number, error.field, str(error)))
        kept = keep and not errors
        if kept:
            outer.commit()
        else:
            outer.rollback()
    return TakenTable(tuple(lines), tuple(errors), kept)


def _take_row(db: Connection, account: Account, kind: str, row: Row, currency: str) -> TakenLine:
    def cell(column: str, read: Callable[[str], Any], wanted: str, empty: Any = None) -> Any:
        text = row.cells.get(column, "").removeprefix("'")
        if not text:
            return empty
        try:
            return read(text)
        except (ValueError, InvalidOperation) as error:
            raise Refused(column, f"“{text[:60]}” is no {wanted}.") from error

    label = row.cells.get("module", "").removeprefix("'")
    module = decode_label(label[:MAX_LABEL_LENGTH]).module
    if label and not module.capacity_gib:
        raise Refused("module", f"“{label[:60]}” tells no size; write it as on the label.")
    part = cell("part", str, "part number")
    if kind == "stock":
        serial = cell("serial", str, "serial")
        found = _described(db, replace(module, serial=serial), part)
        state = cell("state", str, "state", "new").lower().replace(" ", "-")
        new = NewStock(module=found, count=cell("count", int, "whole number", 1), state=state, part=part, place=cell("where", str, "place", ""), note=cell("note", str, "text", ""))  # fmt: skip
        _add_stock(db, account, new)
        return TakenLine(row.number, found.part or "", found.short(), f"{new.count} {state}")
    given = cell("currency", str.upper, "currency", currency)
    if given != currency:
        raise Refused("currency", f"Prices here are in {currency}, not {given}.")
    found = _described(db, module, part)
    priced_on = cell("date", date.fromisoformat, "date; write 2026-03-31")
    price, kit = cell("price", _price, "price"), cell("kit", int, "whole number", 1)
    if price is None:
        raise Refused("price", "A price is needed.")
    listed = cell("listed", _yes_or_no, "yes or no")
    offer = NewOffer(part=part or "", module=found, supplier=cell("supplier", str, "name", ""), price=price, kit=kit, stock=cell("stock", int, "whole number"), lead_days=cell("lead days", int, "whole number"), listed=listed, priced_on=priced_on)  # fmt: skip
    _add_offer(db, account, offer)
    return TakenLine(row.number, offer.part, found.short(), f"{price} {currency}" + (f" for {kit}" if kit > 1 else ""))


def _price(text: str) -> Decimal:
    """A price with comma or point: of two kinds the last one parts the decimals."""
    text = text.replace(" ", "").replace("'", "")
    decimal, thousands = (",", ".") if text.rfind(",") > text.rfind(".") else (".", ",")
    return Decimal(text.replace(thousands, "").replace(decimal, "."))


def _yes_or_no(text: str) -> bool:
    if text.lower() not in ("yes", "no", "true", "false", "1", "0"):
        raise ValueError(text)
    return text.lower() in ("yes", "true", "1")


def export_table(engine: Engine, kind: str) -> str:
    """The shelf or the offers as CSV (RFC 4180), with the columns that `take_table` reads."""
    view = see_shelf(engine)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    rows: list[Sequence[Any]]
    if kind == "stock":
        writer.writerow(STOCK_COLUMNS)
        rows = [(s.words, s.count, s.part, s.state, s.place, s.module.serial, s.note) for s in view.stock]
    else:
        writer.writerow(OFFER_COLUMNS)
        yes = {True: "yes", False: "no", None: ""}
        rows = [
            (o.part, o.supplier, amount(float(o.price)), o.words, view.currency, o.kit, o.stock, o.lead_days, yes[o.listed], o.priced_on)
            for o in view.offers
        ]  # fmt: skip
    for row in rows:
        writer.writerow(["" if c is None else harmless(str(c)) for c in row])
    return out.getvalue()
