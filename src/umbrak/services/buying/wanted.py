"""What to buy for one plan or several: what the Shelf gives, which offers, what is left over; as a page, as text, as a table."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.buying.lines import Line, Need, Take, lines_of
from umbrak.core.memory.module import Module, alike
from umbrak.core.routes.problem import Candidate, Origin
from umbrak.formats.documents import like_key
from umbrak.formats.spreadsheet import harmless
from umbrak.services.known.loading import load_machine, sound_layout
from umbrak.services.people.settings import money_settings
from umbrak.services.shelf.view import USABLE, StockState, see_stock
from umbrak.store import plans as plan_store
from umbrak.store import shelf as store
from umbrak.store.purchases import purchases
from umbrak.store.rounds import handed_on

#: Columns of the table, in order.
COLUMNS = (
    "module",
    "part",
    "count",
    "kits",
    "kit of",
    "supplier",
    "price a kit",
    "price",
    "currency",
    "lead days",
    "for",
)


@dataclass(frozen=True, slots=True)
class PlanToBuyFor:
    """A plan that puts in what is not fitted."""

    id: UUID
    name: str
    machine_id: UUID
    machine: str
    state: str
    #: Modules that it puts in beyond what is fitted.
    modules: int
    #: Of those: on order for it; to come out of other machines of its round.
    ordered: int
    handed_on: int
    #: Whether what is shown is for it, among others.
    chosen: bool


@dataclass(frozen=True, slots=True)
class TakeView:
    part: str
    #: "" for the Shelf.
    supplier: str
    kits: int
    kit: int
    modules: int
    #: Of one kit, and of all.
    price_of_kit: Decimal
    price: Decimal
    lead_days: int | None


@dataclass(frozen=True, slots=True)
class OfferAt:
    """One of the offers that a line could be bought of, by what a GB of it costs."""

    part: str
    supplier: str
    per_gb: Decimal
    taken: bool


@dataclass(frozen=True, slots=True)
class ForView:
    plan_id: UUID
    plan: str
    machine: str
    count: int


@dataclass(frozen=True, slots=True)
class LineToBuy:
    #: As a shop lists it.
    words: str
    #: None: any of this kind does.
    part: str | None
    module: Module
    wanted: int
    from_shelf: tuple[TakeView, ...]
    takes: tuple[TakeView, ...]
    offers: tuple[OfferAt, ...]
    #: Modules that nobody offers.
    missing: int
    left_over: int
    cost: Decimal
    lead_days: int | None
    needs: tuple[ForView, ...]


@dataclass(frozen=True, slots=True)
class BuyingView:
    plans: tuple[PlanToBuyFor, ...]
    lines: tuple[LineToBuy, ...]
    #: Of what is offered.
    cost: Decimal
    currency: str
    #: Modules that nobody offers: what they cost is not known.
    missing: int
    #: When the last of it is there; None where somebody does not say.
    lead_days: int | None
    #: To paste into a letter.
    text: str


def see_buying(engine: Engine, chosen: Sequence[UUID] = ()) -> BuyingView:
    """Of these plans; of all that lack something where none is named. Plans that have ended, were discarded or belong to a
    machine that is gone lack nothing."""
    with engine.connect() as db:
        return buying_of(gather(db, chosen), money_settings(db).currency)


@dataclass(frozen=True)
class Gathered:
    """What plans lack, put together."""

    plans: tuple[PlanToBuyFor, ...]
    lines: tuple[Line, ...]
    candidates: tuple[Candidate, ...]
    #: Of each candidate; "" for the Shelf.
    suppliers: tuple[str, ...]


def gather(db: Connection, chosen: Sequence[UUID]) -> Gathered:
    plans, needs = _plans(db, set(chosen))
    here = {str(p.id): p for p in plans}
    suppliers, candidates = _candidates(db, {p.id for p in plans if p.chosen})
    lines = lines_of((n for n in needs if here[n.plan].chosen), candidates)
    return Gathered(tuple(plans), lines, tuple(candidates), tuple(suppliers))


def buying_of(found: Gathered, currency: str) -> BuyingView:
    by_id = {str(p.id): p for p in found.plans}
    views = tuple(_view(line, by_id, found.suppliers, found.candidates) for line in found.lines)
    days = [v.lead_days for v in views if v.takes]
    view = BuyingView(
        plans=found.plans,
        lines=views,
        cost=sum((v.cost for v in views), Decimal(0)),
        currency=currency,
        missing=sum(v.missing for v in views),
        lead_days=max((d for d in days if d is not None), default=None) if None not in days else None,
        text="",
    )
    return replace(view, text=_text(view))


def _plans(db: Connection, chosen: set[UUID]) -> tuple[list[PlanToBuyFor], list[Need]]:
    """Plans that lack something that is not fitted, and what; what is on order for them they do not lack."""
    pending: dict[UUID, Counter[Module]] = {}
    for bought in purchases(db):
        for line in bought.lines:
            for plan_id, count in line.pending_for.items():
                pending.setdefault(plan_id, Counter())[alike(line.wanted)] += count
    handed = handed_on(db)
    plans, needs = [], []
    for row in store.plans_in_need(db):
        plan = plan_store.find_plan(db, row.plan_id)
        if plan is None or plan.ended:
            continue
        fitted = Counter(
            alike(m) for m in sound_layout(load_machine(db, row.machine_id)).values() if isinstance(m, Module)
        )
        lacks = Counter(alike(m) for m in plan.goal.values() if isinstance(m, Module)) - fitted
        if not lacks:
            continue
        comes = handed.get(plan.id, Counter())
        passed_on = lacks & Counter({m: comes[like_key(m)] for m in lacks})
        ordered = (lacks - passed_on) & pending.get(plan.id, Counter())
        needs += [Need(str(plan.id), m, n) for m, n in (lacks - passed_on - ordered).items()]
        plans.append(
            PlanToBuyFor(
                id=plan.id,
                name=plan.name,
                machine_id=row.machine_id,
                machine=row.machine,
                state=plan.state,
                modules=lacks.total(),
                ordered=ordered.total(),
                handed_on=passed_on.total(),
                chosen=not chosen or plan.id in chosen,
            )
        )
    return plans, needs


def _candidates(db: Connection, plans: set[UUID]) -> tuple[list[str], list[Candidate]]:
    """(the supplier of each, "" for the Shelf; what of the Shelf is free for these plans, and offers)"""
    found, suppliers = list[Candidate](), list[str]()
    for v in see_stock(db):
        own = sum(r.count for r in v.reserved if r.plan_id in plans)
        if v.state in USABLE and v.free + own:
            module = v.module if v.module.part else replace(v.module, part=v.part)
            found.append(
                Candidate(
                    v.part or v.words,
                    module,
                    stock=v.free + own,
                    origin=Origin.SHELF,
                    pulled=v.state is StockState.PULLED,
                )
            )
            suppliers.append("")
    for r in store.all_offers(db):
        if not r.unreadable:
            module = r.module if r.module.part else replace(r.module, part=r.part)
            c = Candidate(
                part=r.part, module=module, price=r.price, kit=r.kit, stock=r.stock, lead_days=r.lead_days, listed=r.listed,
                origin=Origin.OFFER,
            )  # fmt: skip
            suppliers.append(r.supplier)
            found.append(c)
    return suppliers, found


def _view(
    line: Line, plans: dict[str, PlanToBuyFor], suppliers: Sequence[str], candidates: Sequence[Candidate]
) -> LineToBuy:
    taken = {t.at for t in line.takes}

    def offer(at: int) -> OfferAt | None:
        c = candidates[at]
        gib = (c.module.capacity_gib or 0) * c.kit
        per_gb = round(c.price / Decimal(gib), 3) if gib else None
        return (
            None if per_gb is None else OfferAt(part=c.part, supplier=suppliers[at], per_gb=per_gb, taken=at in taken)
        )

    def take(t: Take) -> TakeView:
        c = t.candidate
        return TakeView(
            part=c.part,
            supplier=suppliers[t.at],
            kits=t.kits,
            kit=c.kit,
            modules=t.modules,
            price_of_kit=c.price,
            price=t.price,
            lead_days=c.lead_days,
        )

    return LineToBuy(
        words=line.words,
        part=line.module.part,
        module=line.module,
        wanted=line.wanted,
        from_shelf=tuple(map(take, line.from_shelf)),
        takes=tuple(map(take, line.takes)),
        offers=tuple(o for at in line.offers if (o := offer(at))),
        missing=line.missing,
        left_over=line.left_over,
        cost=line.cost,
        lead_days=line.lead_days,
        needs=tuple(
            ForView(plan_id=p.id, plan=p.name, machine=p.machine, count=n.count)
            for n in line.needs
            for p in [plans[n.plan]]
        ),
    )


def _text(view: BuyingView) -> str:
    lines = []
    for v in view.lines:
        for t in v.takes:
            kits = f" ({t.kits} {'kit' if t.kits == 1 else 'kits'} of {t.kit})" if t.kit > 1 else ""
            lines.append(f"{t.modules} x {v.words}, part {t.part}{kits}, {t.supplier}: {t.price:.2f} {view.currency}")
        if v.missing:
            named = f", part {v.part}" if v.part else ""
            lines.append(f"{v.missing} x {v.words}{named}: no offer yet")
    if any(v.takes for v in view.lines):
        lines.append(
            f"In all {view.cost:.2f} {view.currency}" + (", without what nobody offers" if view.missing else "")
        )
    return "\n".join(lines)


def buying_table(view: BuyingView) -> str:
    """As CSV, a line for each offer and for what nobody offers."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for v in view.lines:
        whose = "; ".join(f"{n.machine}, {n.plan}: {n.count}" for n in v.needs)
        for t in v.takes:
            row = [
                v.words,
                t.part,
                t.modules,
                t.kits,
                t.kit,
                t.supplier,
                t.price_of_kit,
                t.price,
                view.currency,
                t.lead_days,
                whose,
            ]
            writer.writerow([harmless("" if x is None else str(x)) for x in row])
        if v.missing:
            writer.writerow(
                [
                    harmless(str(x))
                    for x in (v.words, v.part or "", v.missing, "", "", "no offer", "", "", "", "", whose)
                ]
            )
    return out.getvalue()
