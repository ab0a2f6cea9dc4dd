"""What was tried where, and how it went."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, or_, select, update

from umbrak.store.engine import new_id
from umbrak.store.tables import account, trial

#: More than anybody reads; the filter narrows it.
MOST_SHOWN = 500


@dataclass(frozen=True, slots=True)
class TrialRow:
    id: UUID
    sheet_id: str
    processor: str | None
    part: str | None
    revision: str | None
    module: dict[str, Any] | None
    total_gib: float | None
    outcome: str
    who: str
    tried_on: date
    soak_days: float
    note: str
    #: Who noted it, as shown.
    by: str
    at: datetime


def add_trial(db: Connection, account_id: UUID, values: dict[str, Any]) -> UUID:
    """`values`: the members of TrialRow but id, by and at."""
    key = new_id()
    db.execute(insert(trial).values(id=key, account_id=account_id, **values))
    return key


def _rows(db: Connection, *conditions: Any) -> list[TrialRow]:
    query = select(trial, account.c.shown_as).join(account).where(trial.c.withdrawn_at.is_(None), *conditions)
    rows = db.execute(query.order_by(trial.c.tried_on.desc(), trial.c.id.desc()).limit(MOST_SHOWN))
    return [
        TrialRow(
            r.id, r.sheet_id, r.processor, r.part, r.revision, r.module, None if r.total_gib is None else float(r.total_gib),
            r.outcome, r.who, r.tried_on, float(r.soak_days), r.note, r.shown_as, r.created_at,
        )
        for r in rows
    ]  # fmt: skip


def trials_like(db: Connection, sheet_id: str, processors: list[str]) -> list[TrialRow]:
    """Trials on a model, or with one of these processors on another."""
    return _rows(db, or_(trial.c.sheet_id == sheet_id, trial.c.processor.in_(processors)))


def trials_of_parts(db: Connection, parts: list[str]) -> list[TrialRow]:
    return _rows(db, trial.c.part.in_(parts)) if parts else []


def all_trials(db: Connection, text: str = "") -> list[TrialRow]:
    """The newest first; those whose model, processor, part or note has the text."""
    if not text:
        return _rows(db)
    like = "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    return _rows(db, or_(*(c.ilike(like) for c in (trial.c.sheet_id, trial.c.processor, trial.c.part, trial.c.note))))


def withdraw_trial(db: Connection, key: UUID) -> bool:
    """False where there is none."""
    waiting = (trial.c.id == key) & trial.c.withdrawn_at.is_(None)
    return bool(db.execute(update(trial).where(waiting).values(withdrawn_at=func.now())).rowcount)
