"""The Shelf: modules on hand, suppliers' offers, which part is which, what plans have reserved."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from decimal import Decimal, InvalidOperation
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine, func

from umbrak.core.evidence.belief import unlike
from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.module import Module, alike, amount
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import Sheet
from umbrak.core.routes.problem import Candidate, Origin
from umbrak.formats.documents import like_key, module_json, read_layout
from umbrak.formats.spreadsheet import Row, read_table
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.evidence.trials import RowError, harmless, trial_of
from umbrak.services.known.loading import load_machine
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import money_settings
from umbrak.services.sheets.library import load_sheet
from umbrak.store import sheets as sheet_store
from umbrak.store import shelf as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.shelf import OfferRow, StockRow
from umbrak.store.trials import trials_of_parts

STATES = ("new", "pulled", "suspect", "to-return")
#: States from which a module may go into a machine.
_USABLE = ("new", "pulled")


@dataclass(frozen=True, slots=True)
class NewStock:
    """Modules put on the shelf."""

    module: Module
    count: int = 1
    state: str = "new"
    part: str | None = None
    place: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class NewOffer:
    """What a supplier asks for a kit."""

    part: str
    module: Module
    supplier: str
    price: Decimal
    kit: int = 1
    stock: int | None = None
    lead_days: int | None = None
    listed: bool | None = None
    priced_on: date | None = None


@dataclass(frozen=True, slots=True)
class Reservation:
    """Modules of a kind that a plan is going to use."""

    plan_id: UUID
    plan: str
    machine_id: UUID
    machine: str
    count: int


@dataclass(frozen=True, slots=True)
class StockView:
    id: UUID
    version: int
    part: str | None
    module: Module
    #: The module in a few words.
    words: str
    count: int
    state: str
    place: str
    note: str
    reserved: tuple[Reservation, ...]
    #: How many of the line no plan has reserved.
    free: int
    #: Models whose maker lists the part.
    listed_by: tuple[str, ...]
    #: In what the module differs from those of the same part that were tried: their trials do not speak for it.
    unlike_tried: tuple[str, ...]
    updated_at: datetime
    #: Of what goes back: under which reference, and by when it must have been answered.
    reference: str
    due_on: date | None


@dataclass(frozen=True, slots=True)
class OfferView:
    id: UUID
    part: str
    module: Module
    words: str
    supplier: str
    price: Decimal
    kit: int
    #: Price of a kit over what it holds; None where the module's size is not known.
    per_gb: Decimal | None
    stock: int | None
    lead_days: int | None
    listed: bool | None
    listed_by: tuple[str, ...]
    priced_on: date
    age_days: int


@dataclass(frozen=True, slots=True)
class ShelfView:
    currency: str
    stock: tuple[StockView, ...]
    offers: tuple[OfferView, ...]
    #: What the text that was looked for was understood as, where it is a label.
    understood: str


def see_shelf(engine: Engine, text: str = "", machine_id: UUID | None = None) -> ShelfView:
    """What is on hand and on offer; with a text only what has it in its part, place or supplier, or is such a module;
    with a machine only what its slots take by generation and form. Raises NotFound."""
    with engine.connect() as db:
        view = _shelf(db, text.strip())
        if machine_id is None:
            return view
        sheet = load_machine(db, machine_id).sheet
    stock = tuple(s for s in view.stock if _goes_in(sheet, s.module))
    return replace(view, stock=stock, offers=tuple(o for o in view.offers if _goes_in(sheet, o.module)))


def _goes_in(sheet: Sheet, module: Module) -> bool:
    """Whether slots of this model take the module as far as generation and form say."""
    memory = sheet.memory
    return module.generation in (None, memory.generation) and module.form in (None, memory.form)


def _shelf(db: Connection, text: str = "") -> ShelfView:
    listing = _Listing.of(db)
    stock = _stock_views(db, store.all_stock(db), listing)
    today = datetime.now(UTC).date()
    offers = [_offer_view(r, listing, today) for r in store.all_offers(db)]
    understood = ""
    if text:
        wanted = decode_label(text[:MAX_LABEL_LENGTH]).module
        known = [v.part for v in stock] + [v.part for v in offers]
        parts = {p for p in known if p and p.casefold() in text.casefold()}
        understood = "" if parts or not wanted.capacity_gib else wanted.short()
        stock = [v for v in stock if _meets(text, wanted, parts, v.part, v.module, v.words, v.place, v.note, v.state)]
        offers = [v for v in offers if _meets(text, wanted, parts, v.part, v.module, v.words, v.supplier)]
    return ShelfView(money_settings(db).currency, tuple(stock), tuple(offers), understood)


def _meets(text: str, wanted: Module, parts: set[str], part: str | None, module: Module, *words: str) -> bool:
    """Whether a line is what was typed or scanned: its part number, such a module, or words in it."""
    if parts:
        return part in parts
    if wanted.capacity_gib and _is_such(wanted, module):
        return True
    return any(text.casefold() in (w or "").casefold() for w in (part, *words))


def _is_such(wanted: Module, module: Module) -> bool:
    """Whether a module has every member that a label told; what only tells bins and revisions apart is left out."""
    members = ("generation", "form", "buffering", "ecc", "capacity_gib", "package_ranks", "device_width", "rate_mts")
    return all(getattr(wanted, n) in (None, getattr(module, n)) for n in members)


@dataclass(frozen=True, slots=True)
class _Listing:
    """Which models list which parts."""

    sheets: tuple[Sheet, ...]

    @classmethod
    def of(cls, db: Connection) -> _Listing:
        kept = (load_sheet(db, row.hash) for row in sheet_store.current_sheets(db))
        return cls(tuple(s for s in kept if s.listed and not s.archetype))

    def of_part(self, part: str | None) -> tuple[str, ...]:
        return tuple(s.title for s in self.sheets if s.lists(part))


def _module_of(document: dict[str, Any]) -> Module:
    module = read_layout({"x": document})["x"]
    assert isinstance(module, Module)
    return module


def _stock_views(db: Connection, rows: Sequence[StockRow], listing: _Listing) -> list[StockView]:
    """Lines with what of each is reserved: plans take from the usable lines of their kind, older plans first."""
    needs = store.needs_of(db, sorted({r.kind for r in rows}))
    tried = [trial_of(t) for t in trials_of_parts(db, sorted({r.part for r in rows if r.part}))]
    left = [n.count for n in needs]
    views = []
    for r in rows:
        reserved: list[Reservation] = []
        free = r.count
        for i, n in enumerate(needs if r.state in _USABLE else ()):
            taken = min(free, left[i]) if n.kind == r.kind else 0
            if taken:
                reserved.append(Reservation(n.plan_id, n.plan, n.machine_id, n.machine, taken))
                free -= taken
                left[i] -= taken
        module = _module_of(r.module)
        views.append(
            StockView(
                r.id, r.version, r.part, module, module.short(), r.count, r.state, r.place, r.note,
                tuple(reserved), free, listing.of_part(r.part),
                tuple(dict.fromkeys(w for t in tried if t.part == r.part for w in unlike(t.module, module))), r.updated_at, r.reference, r.due_on,
            )
        )  # fmt: skip
    return views


def _offer_view(r: OfferRow, listing: _Listing, today: date) -> OfferView:
    module = _module_of(r.module)
    gib = (module.capacity_gib or 0) * r.kit
    return OfferView(
        r.id, r.part, module, module.short(), r.supplier, r.price, r.kit, round(r.price / Decimal(gib), 3) if gib else None,
        r.stock, r.lead_days, r.listed, listing.of_part(r.part), r.priced_on, (today - r.priced_on).days,
    )  # fmt: skip


def candidates_for(db: Connection, sheet: Sheet, machine_id: UUID) -> tuple[Candidate, ...]:
    """What a plan of this machine may be made of: usable modules on the shelf that no plan of another machine has
    reserved, and offers."""
    listing = _Listing.of(db)

    found = []
    for v in _stock_views(db, store.all_stock(db), listing):
        own = sum(r.count for r in v.reserved if r.machine_id == machine_id)
        if v.state in _USABLE and v.free + own and _goes_in(sheet, v.module):
            found.append(Candidate(v.part or v.words, v.module, stock=v.free + own, origin=Origin.SHELF))
    for r in store.all_offers(db):
        module = _module_of(r.module)
        if _goes_in(sheet, module):
            found.append(Candidate(r.part, module, r.price, r.kit, r.stock, r.lead_days, r.listed, Origin.OFFER))
    return tuple(found)


def spares_of(db: Connection) -> tuple[Module, ...]:
    """Kinds of module that are on the shelf in a usable state, or offered; each once, in no particular order."""
    usable = [r for r in store.all_stock(db) if r.state in _USABLE and r.count]
    rows = [(r.part, r.module) for r in usable] + [(r.part, r.module) for r in store.all_offers(db)]
    found = (replace(m, part=m.part or part) for part, document in rows for m in (_module_of(document),))
    return tuple(dict.fromkeys(map(alike, found)))


def note_needs(db: Connection, plan_id: UUID, now: Layout, goal: Layout) -> None:
    """Keep what a plan puts in beyond what is fitted: so much of the shelf it reserves."""
    fitted = Counter(alike(m) for m in now.values() if isinstance(m, Module))
    wanted = Counter(alike(m) for m in goal.values() if isinstance(m, Module))
    store.set_needs(db, plan_id, {like_key(m): n for m, n in (wanted - fitted).items()})


# -- putting on and taking off --------------------------------------------------------------------------


def clear_needs(db: Connection, plan_id: UUID) -> None:
    """A plan that is over needs nothing any more."""
    store.set_needs(db, plan_id, {})


def add_stock(engine: Engine, account: Account, new: NewStock) -> ShelfView:
    """Put modules on the shelf. Raises Refused, which names the field."""
    need(account, Role.technician)
    with engine.begin() as db:
        _add_stock(db, account, new)
        return _shelf(db)


def _add_stock(db: Connection, account: Account, new: NewStock) -> None:
    module = _described(db, new.module, new.part)
    if module.capacity_gib is None:
        raise Refused("module", "How large the modules are is needed: give the label, or a part that is known here.")
    if new.state not in STATES:
        raise Refused("state", f"“{new.state}” is no state; write one of {', '.join(STATES)}.")
    if not 0 < new.count <= 100_000:
        raise Refused("count", "At least one module is put on the shelf.")
    if module.serial and new.count > 1:
        raise Refused("count", "One serial is one module.")
    values = {
        "part": module.part, "module": module_json(module), "kind": like_key(module), "count": new.count,
        "state": new.state, "place": new.place.strip(), "note": new.note.strip(),
    }  # fmt: skip
    key = store.add_stock(db, account.id, values)
    record(db, "put on shelf", account.id, id=str(key), part=module.part, count=new.count)


def put_away(
    db: Connection,
    account: Account,
    module: Module,
    state: str,
    place: str,
    note: str,
    reference: str = "",
    due_on: date | None = None,
) -> None:
    """Put one module that came out of a machine on the shelf: as pulled, suspect, or to be returned."""
    values = {
        "part": module.part, "module": module_json(module), "kind": like_key(module), "count": 1, "state": state,
        "place": place.strip(), "note": note, "reference": reference.strip(), "due_on": due_on,
    }  # fmt: skip
    key = store.add_stock(db, account.id, values)
    record(db, "put on shelf", account.id, id=str(key), part=module.part, count=1)


def take_from_shelf(db: Connection, account: Account, kind: str, count: int) -> int:
    """Take usable modules of a kind off the shelf, the oldest line first. Returns how many it had."""
    wanted = count
    for row in sorted(store.all_stock(db), key=lambda r: (r.state != "new", r.id)):
        if row.kind == kind and row.state in _USABLE and wanted:
            taken = min(wanted, row.count)
            left = {"count": row.count - taken} if taken < row.count else {"gone_at": func.now()}
            store.change_stock(db, row.id, row.version, left)
            record(db, "taken from shelf", account.id, id=str(row.id), part=row.part, count=taken)
            wanted -= taken
    return count - wanted


def _described(db: Connection, module: Module, part: str | None) -> Module:
    """The module with its part number; one that is known by its part alone as the shelf or an offer describes it."""
    part = (part or module.part or "").strip() or None
    if module.capacity_gib is None and part:
        kept = [(o.part, o.module) for o in store.all_offers(db)] + [(x.part, x.module) for x in store.all_stock(db)]
        known = next((document for name, document in kept if name == part), None)
        if known:
            return replace(alike(_module_of(known)), serial=module.serial)
    return replace(module, part=part)


def change_stock(engine: Engine, account: Account, key: UUID, version: int, changes: dict[str, Any]) -> ShelfView:
    """Change count, state, place or note of a line; a count of 0 takes it off.

    Raises NotFound, Refused, Stale when it changed meanwhile.
    """
    need(account, Role.technician)
    values = dict(changes)
    if "state" in values and values["state"] not in STATES:
        raise Refused("state", f"“{values['state']}” is no state; write one of {', '.join(STATES)}.")
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
        _add_offer(db, account, new)
        return _shelf(db)


def _add_offer(db: Connection, account: Account, new: NewOffer) -> None:
    part = new.part.strip()
    if not part:
        raise Refused("part", "Give the part number.")
    module = replace(_described(db, new.module, part), serial=None, made=None)
    if module.capacity_gib is None:
        raise Refused("module", f"How large {part} is, is needed: give its label.")
    if new.price < 0 or new.kit < 1:
        raise Refused(
            "price" if new.price < 0 else "kit", "A kit holds one module at least and costs nothing at least."
        )
    today = datetime.now(UTC).date()
    if new.priced_on and new.priced_on > today:
        raise Refused("date", f"{new.priced_on} has not come yet.")
    values = {
        "part": part, "module": module_json(module), "kind": like_key(module), "supplier": new.supplier.strip(), "price": new.price,
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


# -- tables ---------------------------------------------------------------------------------------------

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
        new = NewStock(found, cell("count", int, "whole number", 1), state, part, cell("where", str, "place", ""), cell("note", str, "text", ""))  # fmt: skip
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
    offer = NewOffer(part or "", found, cell("supplier", str, "name", ""), price, kit, cell("stock", int, "whole number"), cell("lead days", int, "whole number"), listed, priced_on)  # fmt: skip
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
