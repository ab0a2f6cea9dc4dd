"""One page for a manager: what was done, gained, spent and saved, and trouble met against trouble predicted, over some days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.evidence.table import Outcome
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.formats.kept import MODEL
from umbrak.formats.report import Report, ReportLine, report_pdf
from umbrak.services.desk.money import ended_between, money_between
from umbrak.services.errors import Refused
from umbrak.services.runs.entries import layouts_of
from umbrak.store.machines import find_machines
from umbrak.store.runs import PredictionRow, RunRow, runs_ended

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
        told = ended_between(db, since, until)
        money = money_between(db, since, until)
    lines = tuple(_line(r, names) for r in runs)
    trouble = _trouble(told)
    return report_pdf(
        Report(
            since=since,
            until=until,
            made=now,
            lines=lines,
            gained_gib=sum(line.after_gib - line.before_gib for line in lines if line.stays),
            spent=tuple(f"{s.amount:.2f} {s.currency}" for s in money.ordered),
            orders=money.orders,
            saved=f"{money.saved.amount:.2f} {money.saved.currency}" if money.saved else "",
            saved_of=money.saved_of,
            approved=money.ended,
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


def _trouble(told: list[PredictionRow]) -> _Trouble:
    counted = [p for p in told if p.seen.model == MODEL]
    met = sum(not Outcome(p.outcome).ran for p in counted)
    return _Trouble(len(counted), met, round(sum(p.seen.trouble for p in counted), 2))
