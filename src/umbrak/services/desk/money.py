"""What was ordered over some days, and what plans that ended in them cost less than the maker's own parts would have."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

from sqlalchemy import Connection

from umbrak.services.buying.ordering import purchase_views
from umbrak.services.people.settings import money_settings
from umbrak.store.runs import PredictionRow, predictions


@dataclass(frozen=True, slots=True)
class Sum:
    amount: Decimal
    currency: str


@dataclass(frozen=True, slots=True)
class Money:
    #: From this day on.
    since: date
    orders: int
    #: What they come to; of each currency apart.
    ordered: tuple[Sum, ...]
    #: Plans that a lead approved and that ended.
    ended: int
    #: What plans that ran cost less than the official way, as it was seen when they were approved; None where that is known of none.
    saved: Sum | None
    #: Of how many of them it is known.
    saved_of: int


def ended_between(db: Connection, since: date, until: date) -> list[PredictionRow]:
    """Approvals whose runs ended from a day to a day, both included (UTC)."""
    begin, end = datetime.combine(since, time(), UTC), datetime.combine(until + timedelta(days=1), time(), UTC)
    return [p for p in predictions(db) if begin <= p.ended_at < end]


def money_between(db: Connection, since: date, until: date) -> Money:
    """From a day to a day, both included (UTC)."""
    orders = [p for p in purchase_views(db, True) if since <= p.ordered_on <= until]
    spent: dict[str, Decimal] = defaultdict(Decimal)
    for order in orders:
        spent[order.currency] += order.cost
    told, currency = ended_between(db, since, until), money_settings(db).currency
    known = _savings(told, currency)
    return Money(
        since=since,
        orders=len(orders),
        ordered=tuple(Sum(amount, of) for of, amount in sorted(spent.items())),
        ended=len(told),
        saved=Sum(Decimal(f"{sum(known):.2f}"), currency) if known else None,
        saved_of=len(known),
    )


def _savings(told: Sequence[PredictionRow], currency: str) -> list[float]:
    return [
        p.seen.saving for p in told if p.outcome == "fine" and p.seen.currency == currency and p.seen.saving is not None
    ]
