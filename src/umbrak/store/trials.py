"""What was tried where, and how it went."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, or_, select, update

from umbrak.core.evidence.trial import Held
from umbrak.core.memory.module import Module
from umbrak.formats.kept import HELD, MODULE, read_or_say
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.parts import is_one_of
from umbrak.store.tables import trial

#: More than anybody reads; the filter narrows it.
MOST_SHOWN = 500


@dataclass(frozen=True, slots=True)
class TrialRow:
    id: UUID
    sheet_id: str
    processor: str | None
    part: str | None
    revision: str | None
    module: Module | None
    total_gib: float | None
    outcome: str
    who: str
    tried_on: date
    soak_days: float
    note: str
    source: str
    held: Held
    #: Who noted it, as shown.
    by: str
    at: datetime
    #: Why its module cannot be read; "" = it can.
    unreadable: str = ""


def add_trial(db: Connection, account_id: UUID, values: dict[str, Any]) -> UUID:
    """`values`: the members of TrialRow but id, by and at."""
    module = values["module"]
    kept = None if values["held"] == Held() else HELD.write(values["held"])
    values = {**values, "module": None if module is None else MODULE.write(module), "held": kept}
    key = new_id()
    db.execute(insert(trial).values(id=key, account_id=account_id, **values))
    return key


def _rows(db: Connection, *conditions: Any) -> list[TrialRow]:
    query = select(trial, account.c.shown_as).join(account).where(trial.c.withdrawn_at.is_(None), *conditions)
    rows = db.execute(query.order_by(trial.c.tried_on.desc(), trial.c.id.desc()).limit(MOST_SHOWN))
    return [_row(r) for r in rows]


def _row(r: Any) -> TrialRow:
    module, unreadable = (None, "") if r.module is None else read_or_say(MODULE, r.module, Module())
    held, odd = (Held(), "") if r.held is None else read_or_say(HELD, r.held, Held())
    return TrialRow(
        id=r.id, sheet_id=r.sheet_id, processor=r.processor, part=r.part, revision=r.revision, module=module,
        total_gib=None if r.total_gib is None else float(r.total_gib), outcome=r.outcome, who=r.who, tried_on=r.tried_on,
        soak_days=float(r.soak_days), note=r.note, source=r.source, held=held, by=r.shown_as, at=r.created_at, unreadable=unreadable or odd,
    )  # fmt: skip


def trials_like(db: Connection, sheet_id: str, processors: list[str]) -> list[TrialRow]:
    """Trials on a model, or with one of these processors on another; one whose module cannot be read speaks for nothing."""
    found = _rows(db, or_(trial.c.sheet_id == sheet_id, trial.c.processor.in_(processors)))
    return [r for r in found if not r.unreadable]


def trials_of_parts(db: Connection, keys: Collection[str]) -> list[TrialRow]:
    """Trials of these part numbers (core.memory.parts.key_of)."""
    return [r for r in _rows(db, is_one_of(trial.c.part, keys)) if not r.unreadable] if keys else []


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
