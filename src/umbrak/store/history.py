"""Who did what and when: append-only, the database refuses anything else. It is the table of events too: whoever
listens on CHANNEL is told the id of each line once its transaction is through."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, text

from umbrak.store.access_tables import account
from umbrak.store.tables import history, machine, plan
from umbrak.store.webhooks import put_deliveries

CHANNEL = "umbrak_history"
PAGE_SIZE = 50


@dataclass(frozen=True, slots=True)
class HistoryLine:
    id: int
    at: datetime
    #: Who did it, as shown; None for the tool itself.
    by: str | None
    account_id: UUID | None
    machine_id: UUID | None
    plan_id: UUID | None
    #: The plan's name as it is now.
    plan: str | None
    action: str
    detail: dict[str, Any]


def record(
    db: Connection,
    action: str,
    account_id: UUID | None,
    machine_id: UUID | None = None,
    plan_id: UUID | None = None,
    **detail: Any,
) -> None:
    values = {
        "action": action,
        "account_id": account_id,
        "machine_id": machine_id,
        "plan_id": plan_id,
        "detail": detail,
    }
    key = db.execute(insert(history).values(values).returning(history.c.id)).scalar_one()
    put_deliveries(db, key, action in ACCESS, machine_id is not None)
    db.execute(text("SELECT pg_notify(:channel, :id)"), {"channel": CHANNEL, "id": str(key)})


_LINES = (
    select(history, account.c.shown_as, plan.c.name.label("plan"))
    .select_from(history.outerjoin(account, account.c.id == history.c.account_id))
    .outerjoin(plan, plan.c.id == history.c.plan_id)
)


def _line(r: Any) -> HistoryLine:
    return HistoryLine(
        id=r.id,
        at=r.at,
        by=r.shown_as,
        account_id=r.account_id,
        machine_id=r.machine_id,
        plan_id=r.plan_id,
        plan=r.plan,
        action=r.action,
        detail=r.detail,
    )


def _once(db: Connection, machine_id: UUID) -> list[UUID]:
    """A machine, and those that were merged into it: what was done to them was done to it."""
    keys, asked = [machine_id], [machine_id]
    while asked:
        merged = history.c.detail["merged"].astext
        found = select(merged).where(history.c.machine_id.in_(asked), history.c.action == "machines merged")
        asked = [UUID(k) for k in db.execute(found).scalars() if UUID(k) not in keys]
        keys += asked
    return keys


def history_of(db: Connection, machine_id: UUID, before: int | None = None) -> list[HistoryLine]:
    """A page of what was done to a machine and its plans, newest first; `before` = id of the last line seen."""
    query = _LINES.where(history.c.machine_id.in_(_once(db, machine_id)))
    if before is not None:
        query = query.where(history.c.id < before)
    return [_line(r) for r in db.execute(query.order_by(history.c.id.desc()).limit(PAGE_SIZE))]


#: What concerns who is let in, and what is shown to whom.
ACCESS = (
    "signed in", "sign-in locked", "sessions ended", "password changed", "account added", "account changed", "account linked", "token made",
    "token ended", "second factor on", "second factor off", "recovery code used", "retention set", "removed by age", "webhook added",
    "webhook changed", "webhook ended", "webhook given up", "team set", "service kept", "service forgotten",
)  # fmt: skip


def access_lines(db: Connection, before: int | None = None) -> list[HistoryLine]:
    """A page of `ACCESS`, newest first; `before` = id of the last line seen."""
    query = _LINES.where(history.c.action.in_(ACCESS))
    if before is not None:
        query = query.where(history.c.id < before)
    return [_line(r) for r in db.execute(query.order_by(history.c.id.desc()).limit(PAGE_SIZE))]


@dataclass(frozen=True, slots=True)
class MachineLine:
    """A line about a machine that is looked after, with the machine's name."""

    line: HistoryLine
    machine_id: UUID
    machine: str


def newest_of(db: Connection, action: str, since: datetime, before: int | None = None) -> tuple[list[MachineLine], int]:
    """A page of the lines of one kind over all machines that are looked after, newest first; and how many there are in all.

    Parameters
        before   id of the last line seen
    """
    chosen = (history.c.action == action, history.c.at >= since, machine.c.retired_at.is_(None))
    query = _LINES.add_columns(machine.c.name.label("machine"))
    query = query.join(machine, machine.c.id == history.c.machine_id).where(*chosen)
    counted = (
        select(func.count()).select_from(history.join(machine, machine.c.id == history.c.machine_id)).where(*chosen)
    )
    total = db.execute(counted).scalar_one()
    if before is not None:
        query = query.where(history.c.id < before)
    rows = db.execute(query.order_by(history.c.id.desc()).limit(PAGE_SIZE))
    return [MachineLine(_line(r), r.machine_id, r.machine) for r in rows], total


def find_line(db: Connection, key: int) -> HistoryLine | None:
    row = db.execute(_LINES.where(history.c.id == key)).one_or_none()
    return _line(row) if row else None


def newest_line(db: Connection) -> int:
    """Id of the last line; 0 where there is none."""
    return db.execute(select(func.max(history.c.id))).scalar() or 0


def lines_after(db: Connection, machines: Collection[UUID], key: int) -> list[HistoryLine]:
    """What was done to machines since a line, oldest first; at most a page."""
    query = _LINES.where(history.c.machine_id.in_(machines), history.c.id > key)
    return [_line(r) for r in db.execute(query.order_by(history.c.id).limit(PAGE_SIZE))]
