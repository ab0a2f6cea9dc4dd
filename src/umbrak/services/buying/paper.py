"""What to buy as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import Engine

from umbrak.formats.shopping import PaperLine, PaperOffer, ShoppingPaper, shopping_pdf
from umbrak.services.buying.wanted import BuyingView, LineToBuy, TakeView, see_buying
from umbrak.services.plans.brief import see_plan_brief

#: Plans whose briefs are printed; each is judged anew.
_MOST_BRIEFS = 40


def buying_pdf(engine: Engine, chosen: Sequence[UUID], now: datetime) -> bytes:
    """Lines with offers and for whom, then what is nearly right and what is wrong for each plan."""
    view = see_buying(engine, chosen)
    plans = [p for p in view.plans if p.chosen]
    briefs = [(f"{p.machine}, {p.name}", see_plan_brief(engine, p.id)) for p in plans[:_MOST_BRIEFS]]
    return shopping_pdf(
        ShoppingPaper(
            made=f"{now.date().isoformat()}, for {_count(len(plans), 'plan')}",
            lines=[_line(line, view.currency) for line in view.lines],
            total=_total(view),
            briefs=briefs,
        )
    )


def _line(line: LineToBuy, currency: str) -> PaperLine:
    shelf = sum(t.modules for t in line.from_shelf)
    return PaperLine(
        count=line.wanted,
        words=line.words,
        part=line.part or "",
        needs=tuple(f"{n.count} for {n.machine}, {n.plan}" for n in line.needs),
        from_shelf=f"{shelf} of them from the Shelf" if shelf else "",
        offers=tuple(_offer(t, currency) for t in line.takes),
        missing=line.missing,
    )


def _offer(t: TakeView, currency: str) -> PaperOffer:
    kits = f" in {_count(t.kits, 'kit')} of {t.kit}" if t.kit > 1 else ""
    there = "not told" if t.lead_days is None else _count(t.lead_days, "day")
    return PaperOffer(f"{t.modules}{kits}", t.part, t.supplier, f"{t.price:.2f} {currency}", there)


def _total(view: BuyingView) -> str:
    if not view.lines:
        return "Nothing is to be bought: it is on the Shelf or on order."
    unknown = (
        f"; what {_count(view.missing, 'module')} that nobody offers will cost is not known" if view.missing else ""
    )
    return f"In all {view.cost:.2f} {view.currency}{unknown}"


def _count(n: int, what: str) -> str:
    return f"{n} {what}" if n == 1 else f"{n} {what}s"
