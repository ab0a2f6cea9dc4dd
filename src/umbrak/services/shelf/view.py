"""The Shelf: modules on hand, suppliers' offers, which part is which, what plans have reserved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from decimal import Decimal
from enum import StrEnum
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.evidence.trial import unlike
from umbrak.core.memory.module import Module, alike
from umbrak.core.memory.parts import key_of
from umbrak.core.platform.sheet import Sheet
from umbrak.core.routes.problem import Candidate, Origin
from umbrak.services.evidence.trials import trials_of
from umbrak.services.known.loading import load_machine
from umbrak.services.parts.known import Numbers
from umbrak.services.parts.understanding import Labels
from umbrak.services.people.settings import money_settings
from umbrak.services.sheets.library import load_sheet
from umbrak.store import sheets as sheet_store
from umbrak.store import shelf as store
from umbrak.store.shelf import OfferRow, StockRow
from umbrak.store.trials import trials_of_parts


class StockState(StrEnum):
    NEW = "new"
    PULLED = "pulled"
    SUSPECT = "suspect"
    TO_RETURN = "to-return"


#: States from which a module may go into a machine.
USABLE = (StockState.NEW, StockState.PULLED)


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
    state: StockState
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
        labels = Labels(db)
        told = labels.understand(text)
        wanted = told.reading.module
        known = {p for p in (*(v.part for v in stock), *(v.part for v in offers)) if p}
        keys = labels.numbers.keys(key_of(told.part.number)) if told.part else ()
        parts = {p for p in known if p.casefold() in text.casefold() or key_of(p) in keys}
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
        numbers = Numbers.load(db)
        kept = (numbers.widened(load_sheet(db, row.hash)) for row in sheet_store.current_sheets(db))
        return cls(tuple(s for s in kept if s.listed and not s.archetype))

    def of_part(self, part: str | None) -> tuple[str, ...]:
        return tuple(s.title for s in self.sheets if s.lists(part))


def _stock_views(db: Connection, rows: Sequence[StockRow], listing: _Listing) -> list[StockView]:
    """Lines with what of each is reserved: plans take from the usable lines of their kind, older plans first."""
    needs = store.needs_of(db, sorted({r.kind for r in rows}))
    numbers = Numbers.load(db)
    keys = sorted({k for r in rows if r.part for k in numbers.keys(key_of(r.part))})
    tried = trials_of(db, trials_of_parts(db, keys))
    left = [n.count for n in needs]
    views = []
    for r in rows:
        reserved: list[Reservation] = []
        free = r.count
        for i, n in enumerate(needs if r.state in USABLE and not r.unreadable else ()):
            taken = min(free, left[i]) if n.kind == r.kind else 0
            if taken:
                reserved.append(Reservation(n.plan_id, n.plan, n.machine_id, n.machine, taken))
                free -= taken
                left[i] -= taken
        views.append(
            StockView(
                id=r.id, version=r.version, part=r.part, module=r.module, words=r.unreadable or r.module.short(), count=r.count, state=StockState(r.state),
                place=r.place, note=r.note, reserved=tuple(reserved), free=0 if r.unreadable else free, listed_by=listing.of_part(r.part),
                unlike_tried=tuple(dict.fromkeys(w for t in tried if t.is_of(r.part) for w in unlike(t.module, r.module))),
                updated_at=r.updated_at, reference=r.reference, due_on=r.due_on,
            )
        )  # fmt: skip
    return views


def _offer_view(r: OfferRow, listing: _Listing, today: date) -> OfferView:
    gib = (r.module.capacity_gib or 0) * r.kit
    return OfferView(
        id=r.id, part=r.part, module=r.module, words=r.unreadable or r.module.short(), supplier=r.supplier, price=r.price, kit=r.kit,
        per_gb=round(r.price / Decimal(gib), 3) if gib else None, stock=r.stock, lead_days=r.lead_days, listed=r.listed,
        listed_by=listing.of_part(r.part), priced_on=r.priced_on, age_days=(today - r.priced_on).days,
    )  # fmt: skip


def candidates_for(db: Connection, sheet: Sheet, machine_id: UUID) -> tuple[Candidate, ...]:
    """What a plan of this machine may be made of: usable modules on the shelf that no plan of another machine has
    reserved, and offers."""
    listing = _Listing.of(db)

    found = []
    for v in _stock_views(db, store.all_stock(db), listing):
        own = sum(r.count for r in v.reserved if r.machine_id == machine_id)
        if v.state in USABLE and v.free + own and _goes_in(sheet, v.module):
            found.append(
                Candidate(
                    v.part or v.words,
                    v.module,
                    stock=v.free + own,
                    origin=Origin.SHELF,
                    pulled=v.state is StockState.PULLED,
                )
            )
    for r in store.all_offers(db):
        if _goes_in(sheet, r.module) and not r.unreadable:
            found.append(
                Candidate(
                    part=r.part, module=r.module, price=r.price, kit=r.kit, stock=r.stock, lead_days=r.lead_days, listed=r.listed,
                    origin=Origin.OFFER,
                )
            )  # fmt: skip
    return tuple(found)


def see_stock(db: Connection) -> list[StockView]:
    """All that is on hand, with what plans have reserved."""
    return _stock_views(db, store.all_stock(db), _Listing.of(db))


def spares_of(db: Connection) -> tuple[Module, ...]:
    """Kinds of module that are on the shelf in a usable state, or offered; each once, in no particular order."""
    usable = [r for r in store.all_stock(db) if r.state in USABLE and r.count and not r.unreadable]
    rows = [(r.part, r.module) for r in usable] + [(r.part, r.module) for r in store.all_offers(db) if not r.unreadable]
    found = (replace(m, part=m.part or part) for part, m in rows)
    return tuple(dict.fromkeys(map(alike, found)))
