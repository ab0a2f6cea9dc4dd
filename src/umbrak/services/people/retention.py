"""For how long bulk is kept, and what was removed for its age. Nothing is removed unless a lead says so."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Annotated, Any

from pydantic import Field
from pydantic.dataclasses import dataclass as checked_dataclass
from sqlalchemy import Connection, Engine

from umbrak.formats.documents import CHECKED
from umbrak.formats.kept import Kept
from umbrak.services.people.accounts import Role, need
from umbrak.store import retention as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.settings import find_setting, keep_setting

Days = Annotated[int, Field(ge=0, le=36_500)]
#: Between two removals.
EVERY = timedelta(hours=20)


@checked_dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class Retention:
    """After how many days what is removed; 0: it is kept for good."""

    #: Reports as they came, once they were read; what was read of them stays.
    raw_reports: Days = 0
    #: Photos and logs of a run, counted from its end.
    attachments: Days = 0
    #: Jobs that have ended, with their steps.
    jobs: Days = 0


@checked_dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class Removed:
    """What the last removal took."""

    at: str
    raw_reports: int = 0
    attachments: int = 0
    jobs: int = 0


@dataclass(frozen=True, slots=True)
class RetentionView:
    days: Retention
    #: None: nothing was looked through yet.
    removed: Removed | None


_DAYS: Kept[Retention] = Kept("For how long things are kept", lambda d: Retention(**d), asdict)
_REMOVED: Kept[Removed] = Kept("What was removed for its age", lambda d: Removed(**d), asdict)


def see_retention(engine: Engine, by: Account) -> RetentionView:
    need(by, Role.lead)
    with engine.connect() as db:
        return _view(db)


def _view(db: Connection) -> RetentionView:
    return RetentionView(
        find_setting(db, "retention", _DAYS) or Retention(), find_setting(db, "retention-removed", _REMOVED)
    )


def set_retention(engine: Engine, by: Account, days: Retention) -> RetentionView:
    """A lead's alone."""
    need(by, Role.lead)
    with engine.begin() as db:
        keep_setting(db, "retention", _DAYS, days)
        record(db, "retention set", by.id, **asdict(days))
        return _view(db)


def remove_old(engine: Engine, now: datetime, stopped: Callable[[], bool] = lambda: False) -> Removed | None:
    """Remove what is older than it may be, a batch a transaction. None where it was done lately, or is being done."""
    with store.removing(engine) as alone:
        if not alone:
            return None
        with engine.connect() as db:
            view = _view(db)
        if view.removed and now - datetime.fromisoformat(view.removed.at) < EVERY:
            return None
        counts = {name: _all(engine, name, days, now, stopped) for name, days in asdict(view.days).items()}
        removed = Removed(at=now.isoformat(), **counts)
        with engine.begin() as db:
            keep_setting(db, "retention-removed", _REMOVED, removed)
            if any(counts.values()):
                told: dict[str, Any] = counts
                record(db, "removed by age", None, **told)
        return removed


_FORGET = {
    "raw_reports": store.forget_raw,
    "attachments": store.forget_attachments,
    "jobs": store.forget_jobs,
}


def _all(engine: Engine, name: str, days: int, now: datetime, stopped: Callable[[], bool]) -> int:
    total = 0
    while days and not stopped():
        with engine.begin() as db:
            count = _FORGET[name](db, now - timedelta(days=days))
        total += count
        if count < store.BATCH:
            break
    return total
