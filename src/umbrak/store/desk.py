"""What wants somebody, over all machines: each in one query, however many there are."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, String, case, cast, exists, func, or_, select
from sqlalchemy.dialects.postgresql import distinct_on

from umbrak.store.access_tables import account
from umbrak.store.tables import doubt, history, machine, machine_summary, plan, plan_need, round_plan, sheet

#: Lines of one kind that are shown; how many there are is counted.
MOST = 30


@dataclass(frozen=True, slots=True)
class MachineAt:
    id: UUID
    name: str
    place: str
    keeper: str


@dataclass(frozen=True, slots=True)
class FailedRow:
    machine: MachineAt
    failed: int
    since: datetime


@dataclass(frozen=True, slots=True)
class DraftRow:
    """A plan that runs only with a lead's word, and has none."""

    machine: MachineAt
    plan_id: UUID
    plan: str
    verdict: str
    installed_gib: float
    planned_gib: float | None
    #: Whether these totals leave out something of whose size nobody knows: what is fitted, what is planned.
    at_least: tuple[bool, bool]
    changed_at: datetime


@dataclass(frozen=True, slots=True)
class OpenDoubt:
    sheet_hash: str
    title: str
    words: str
    machine: str | None
    by: str
    at: datetime


_MACHINE = (machine.c.id, machine.c.name, machine.c.place, machine.c.keeper)


def failed_modules(db: Connection) -> tuple[list[FailedRow], int]:
    """(machines with failed modules, the worst first; how many there are)"""
    here = (machine_summary.c.failed > 0, machine.c.retired_at.is_(None))
    query = (
        select(*_MACHINE, machine_summary.c.failed, machine_summary.c.computed_at, func.count().over().label("all"))
        .join(machine, machine.c.id == machine_summary.c.machine_id)
        .where(*here)
        .order_by(machine_summary.c.failed.desc(), machine.c.name)
        .limit(MOST)
    )
    rows = db.execute(query).all()
    found = [FailedRow(MachineAt(r.id, r.name, r.place, r.keeper), r.failed, r.computed_at) for r in rows]
    return found, rows[0].all if rows else 0


def waiting_for_a_word(db: Connection) -> tuple[list[DraftRow], int]:
    """(drafts at risk or undecided, the one that waits longest first; how many there are)"""
    verdict = machine_summary.c.document["verdicts"][cast(plan.c.id, String)]["verdict"].as_string()
    query = (
        select(
            *_MACHINE, plan.c.id.label("plan_id"), plan.c.name.label("plan"), plan.c.updated_at, verdict.label("verdict"),
            machine_summary.c.installed_gib,
            # A summary is of the plan changed last; of another one it tells no total.
            case((machine_summary.c.key.contains(cast(plan.c.id, String)), machine_summary.c.document["planned_gib"].as_float())).label("planned"),
            machine_summary.c.document["not_counted"].as_integer().label("left_out"),
            machine_summary.c.document["planned_not_counted"].as_integer().label("planned_left_out"),
            func.count().over().label("all"),
        )
        .join(machine, machine.c.id == plan.c.machine_id)
        .join(machine_summary, machine_summary.c.machine_id == plan.c.machine_id)
        .where(
            plan.c.state == "draft", plan.c.discarded_at.is_(None), machine.c.retired_at.is_(None),
            # A plan that was only just begun asks for nothing yet.
            or_(plan.c.version > 1, exists().where(plan_need.c.plan_id == plan.c.id), exists().where(round_plan.c.plan_id == plan.c.id)),
            verdict.in_(("at-risk", "undecided")),
        )
        .order_by(plan.c.updated_at)
        .limit(MOST)
    )  # fmt: skip
    rows = db.execute(query).all()
    found = [
        DraftRow(
            machine=MachineAt(r.id, r.name, r.place, r.keeper), plan_id=r.plan_id, plan=r.plan, verdict=r.verdict,
            installed_gib=float(r.installed_gib), planned_gib=r.planned, at_least=(bool(r.left_out), bool(r.planned_left_out)),
            changed_at=r.updated_at,
        )
        for r in rows
    ]  # fmt: skip
    return found, rows[0].all if rows else 0


def open_doubts(db: Connection) -> tuple[list[OpenDoubt], int]:
    """(doubts on sheets that nobody settled, the oldest first; how many there are)"""
    newest = (
        select(sheet.c.sheet_id, sheet.c.hash, sheet.c.title)
        .ext(distinct_on(sheet.c.sheet_id))
        .order_by(sheet.c.sheet_id, sheet.c.revision.desc())
        .subquery()
    )
    query = (
        select(
            newest.c.hash, newest.c.title, doubt.c.words, doubt.c.at, account.c.shown_as, machine.c.name,
            func.count().over().label("all"),
        )
        .join(newest, newest.c.sheet_id == doubt.c.sheet_id)
        .join(account, account.c.id == doubt.c.account_id)
        .outerjoin(machine, machine.c.id == doubt.c.machine_id)
        .where(doubt.c.settled_at.is_(None), doubt.c.draft_id.is_(None))
        .order_by(doubt.c.at)
        .limit(MOST)
    )  # fmt: skip
    rows = db.execute(query).all()
    found = [OpenDoubt(r.hash, r.title, words=r.words, machine=r.name, by=r.shown_as, at=r.at) for r in rows]
    return found, rows[0].all if rows else 0


@dataclass(frozen=True, slots=True)
class WorkRow:
    """What somebody did last to a machine or a plan of it."""

    who: str
    machine_id: UUID
    machine: str
    plan_id: UUID | None
    plan: str | None
    action: str
    at: datetime


def recent_work(db: Connection, since: datetime) -> list[WorkRow]:
    """Of each person and machine the last that was done since then, the newest first."""
    newest = (
        select(history.c.id)
        .ext(distinct_on(history.c.account_id, history.c.machine_id))
        .where(history.c.at >= since, history.c.account_id.is_not(None), history.c.machine_id.is_not(None))
        .order_by(history.c.account_id, history.c.machine_id, history.c.id.desc())
        .subquery()
    )
    query = (
        select(history, account.c.shown_as, machine.c.name.label("machine"), plan.c.name.label("plan"))
        .join(newest, newest.c.id == history.c.id)
        .join(account, account.c.id == history.c.account_id)
        .join(machine, machine.c.id == history.c.machine_id)
        .outerjoin(plan, plan.c.id == history.c.plan_id)
        .where(machine.c.retired_at.is_(None))
        .order_by(history.c.id.desc())
        .limit(MOST * 10)
    )
    return [
        WorkRow(
            who=r.shown_as, machine_id=r.machine_id, machine=r.machine, plan_id=r.plan_id, plan=r.plan, action=r.action, at=r.at
        )
        for r in db.execute(query)
    ]  # fmt: skip
