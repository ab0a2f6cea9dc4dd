"""One page for a manager: what was done, gained, spent and saved, and trouble met against trouble predicted, over some days."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.evidence.table import Outcome
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.formats.kept import MODEL
from umbrak.formats.report import Report, ReportLine, report_pdf
from umbrak.services.buying.ordering import purchase_views
from umbrak.services.errors import Refused
from umbrak.services.people.settings import money_settings
from umbrak.services.runs.entries import layouts_of
from umbrak.store.machines import find_machines
from umbrak.store.runs import PredictionRow, RunRow, predictions, runs_ended

#: Longest time that one page tells of. [days]
MOST_DAYS = 1100


@dataclass(frozen=True, slots=True)
class _Trouble:
    counted: int
    met: int
    predicted: float


def manager_pdf(engine: Engine, since: date, until: date, now: datetime) -> bytes:
    """PDF of what ended from a day to a day, both included (UTC). Raises Refused for days that are none."""
    if until < since or (until - since).days > MOST_DAYS:
        raise Refused("until", f"From a day to a later one, {MOST_DAYS} days at most.")
    begin, end = datetime.combine(since, time(), UTC), datetime.combine(until + timedelta(days=1), time(), UTC)
    with engine.connect() as db:
        runs = runs_ended(db, begin, end)
        names = {m.id: m.name for m in find_machines(db, list({r.machine_id for r in runs}))}
        told = [p for p in predictions(db) if begin <= p.ended_at < end]
        orders = [p for p in purchase_views(db, True) if since <= p.ordered_on <= until]
        currency = money_settings(db).currency
    spent: dict[str, Decimal] = defaultdict(Decimal)
    for order in orders:
        spent[order.currency] += order.cost
    lines = tuple(_line(r, names) for r in runs)
    saved, with_price = _saved(told, currency)
    trouble = _trouble(told)
    return report_pdf(
        Report(
            since=since,
            until=until,
            made=now,
            lines=lines,
            gained_gib=sum(line.after_gib - line.before_gib for line in lines if line.stays),
            spent=tuple(f"{amount:.2f} {of}" for of, amount in sorted(spent.items())),
            orders=len(orders),
            saved=f"{saved:.2f} {currency}" if with_price else "",
            saved_of=with_price,
            approved=len(told),
            counted=trouble.counted,
            met=trouble.met,
            predicted=trouble.predicted,
        )
    )


def _line(row: RunRow, names: dict[UUID, str]) -> ReportLine:
    before, goal, failed = layouts_of(row)
    stays = row.state in ("proved", "waived")
    stage = f", stage {row.stage} of {row.stages}" if row.stages > 1 else ""
    return ReportLine(
        machine=names.get(row.machine_id, ""),
        plan=f"{row.plan}{stage}",
        ended=row.ended_at.date() if row.ended_at else None,
        state=row.state,
        before_gib=_gib(before, failed),
        after_gib=_gib(goal if stays else before, failed if not stays else frozenset()),
        stays=stays,
    )


def _gib(layout: Layout, failed: frozenset[str]) -> float:
    return sum(m.capacity_gib or 0 for s, m in layout.items() if isinstance(m, Module) and s not in failed)


def _saved(told: list[PredictionRow], currency: str) -> tuple[float, int]:
    """(what plans that ran cost less than the official way, as it was seen when they were approved; of how many that is known)"""
    known = [
        p.seen.saving for p in told if p.outcome == "fine" and p.seen.currency == currency and p.seen.saving is not None
    ]
    return sum(known), len(known)


def _trouble(told: list[PredictionRow]) -> _Trouble:
    counted = [p for p in told if p.seen.model == MODEL]
    met = sum(not Outcome(p.outcome).ran for p in counted)
    return _Trouble(len(counted), met, round(sum(p.seen.trouble for p in counted), 2))
