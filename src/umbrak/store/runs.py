"""Runs, what was entered of them, approvals, clauses in doubt."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.engine import new_id
from umbrak.store.tables import account, approval, doubt, plan, run, run_entry


@dataclass(frozen=True, slots=True)
class RunRow:
    id: UUID
    machine_id: UUID
    plan_id: UUID
    #: The plan's name as it is now.
    plan: str
    stage: int
    stages: int
    state: str
    document: dict[str, Any]
    window_start: datetime | None
    window_end: datetime | None
    created_at: datetime
    ended_at: datetime | None
    by: str


@dataclass(frozen=True, slots=True)
class EntryRow:
    id: UUID
    number: int
    kind: str
    step: str | None
    document: dict[str, Any]
    media_type: str
    account_id: UUID
    by: str
    role: str
    at: datetime


@dataclass(frozen=True, slots=True)
class ApprovalRow:
    fingerprint: str
    document: dict[str, Any]
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class DoubtRow:
    id: UUID
    code: str
    clause: str
    words: str
    by: str
    at: datetime


_RUNS = (
    select(run, plan.c.name.label("plan_name"), account.c.shown_as)
    .select_from(run.join(plan, plan.c.id == run.c.plan_id).join(account, account.c.id == run.c.account_id))
)  # fmt: skip


def _row(r: Any) -> RunRow:
    return RunRow(
        r.id, r.machine_id, r.plan_id, r.plan_name, r.stage, r.stages, r.state, r.document, r.window_start, r.window_end,
        r.created_at, r.ended_at, r.shown_as,
    )  # fmt: skip


def add_run(db: Connection, values: dict[str, Any]) -> UUID | None:
    """The new run's id, or None when the machine has one under way."""
    return db.execute(upsert(run).values(id=new_id(), **values).on_conflict_do_nothing().returning(run.c.id)).scalar()


def find_run(db: Connection, key: UUID, lock: bool = False) -> RunRow | None:
    query = _RUNS.where(run.c.id == key)
    row = db.execute(query.with_for_update(of=run) if lock else query).one_or_none()
    return _row(row) if row else None


def runs_of(db: Connection, machine_id: UUID) -> list[RunRow]:
    """The machine's runs, the newest first."""
    return [_row(r) for r in db.execute(_RUNS.where(run.c.machine_id == machine_id).order_by(run.c.id.desc()))]


def runs_of_plan(db: Connection, plan_id: UUID) -> list[RunRow]:
    return [_row(r) for r in db.execute(_RUNS.where(run.c.plan_id == plan_id).order_by(run.c.id))]


def end_run(db: Connection, key: UUID, state: str, at: datetime) -> None:
    db.execute(update(run).where(run.c.id == key).values(state=state, ended_at=at))


def keep_document(db: Connection, key: UUID, document: dict[str, Any]) -> None:
    db.execute(update(run).where(run.c.id == key).values(document=document))


def set_window(db: Connection, key: UUID, start: datetime | None, end: datetime | None) -> None:
    db.execute(update(run).where(run.c.id == key).values(window_start=start, window_end=end))


def add_entry(db: Connection, values: dict[str, Any]) -> bool:
    """False where an entry of that id is kept already."""
    done = upsert(run_entry).values(**values).on_conflict_do_nothing(index_elements=[run_entry.c.id])
    return bool(db.execute(done).rowcount)


def entries_of(db: Connection, run_id: UUID) -> list[EntryRow]:
    """Everything entered, in the order of arrival; attachments stay where they are."""
    columns = [c for c in run_entry.c if c.name != "attachment"]
    query = (
        select(*columns, account.c.shown_as, account.c.role)
        .join(account, account.c.id == run_entry.c.account_id)
        .where(run_entry.c.run_id == run_id)
        .order_by(run_entry.c.number)
    )
    return [
        EntryRow(r.id, r.number, r.kind, r.step, r.document, r.media_type, r.account_id, r.shown_as, r.role, r.at)
        for r in db.execute(query)
    ]


def entry_run(db: Connection, key: UUID) -> UUID | None:
    """The run that an entry of this id belongs to."""
    return db.execute(select(run_entry.c.run_id).where(run_entry.c.id == key)).scalar()


def attachment(db: Connection, run_id: UUID, key: UUID) -> tuple[bytes, str] | None:
    """(bytes, media type)"""
    query = select(run_entry.c.attachment, run_entry.c.media_type)
    row = db.execute(query.where(run_entry.c.id == key, run_entry.c.run_id == run_id)).one_or_none()
    return (bytes(row.attachment), row.media_type) if row and row.attachment is not None else None


def add_approval(db: Connection, plan_id: UUID, fingerprint: str, document: dict[str, Any], account_id: UUID) -> None:
    values = {"id": new_id(), "plan_id": plan_id, "fingerprint": fingerprint, "account_id": account_id}
    db.execute(insert(approval).values(**values, document={"schema": 1, **document}))


def newest_approval(db: Connection, plan_id: UUID) -> ApprovalRow | None:
    query = select(approval, account.c.shown_as).join(account, account.c.id == approval.c.account_id)
    row = db.execute(query.where(approval.c.plan_id == plan_id).order_by(approval.c.id.desc()).limit(1)).one_or_none()
    return ApprovalRow(row.fingerprint, row.document, row.shown_as, row.at) if row else None


def add_doubt(
    db: Connection, sheet_id: str, code: str, clause: str, words: str, run_id: UUID | None, account_id: UUID
) -> None:
    values = {"sheet_id": sheet_id, "code": code, "clause": clause, "words": words, "run_id": run_id}
    db.execute(insert(doubt).values(id=new_id(), **values, account_id=account_id))


def doubts_of(db: Connection, sheet_id: str) -> list[DoubtRow]:
    """Clauses of a model's sheet that are in doubt."""
    query = select(doubt, account.c.shown_as).join(account, account.c.id == doubt.c.account_id)
    rows = db.execute(query.where(doubt.c.sheet_id == sheet_id, doubt.c.settled_at.is_(None)).order_by(doubt.c.id))
    return [DoubtRow(r.id, r.code, r.clause, r.words, r.shown_as, r.at) for r in rows]


def settle_doubt(db: Connection, key: UUID) -> str | None:
    """The model's id; None where nothing of that id is in doubt."""
    open_ = (doubt.c.id == key) & doubt.c.settled_at.is_(None)
    return db.execute(update(doubt).where(open_).values(settled_at=func.now()).returning(doubt.c.sheet_id)).scalar()
