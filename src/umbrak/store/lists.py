"""Lines of qualified lists that wait for a sheet of their model."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, func, insert, select, update

from umbrak.formats.kept import LIST_LINE, Unreadable
from umbrak.formats.sheet.qualified import ListLine
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import waiting_line


@dataclass(frozen=True, slots=True)
class WaitingLine:
    id: UUID
    line: ListLine
    by: str
    at: datetime


def add_waiting(db: Connection, account_id: UUID, lines: Sequence[ListLine]) -> None:
    """Keep lines; one that waits already, and says the same, is not kept twice."""
    have = {w.line for w in waiting_lines(db)}
    new = [line for line in dict.fromkeys(lines) if line not in have]
    if new:
        rows = [
            {"id": new_id(), "model": x.model, "document": LIST_LINE.write(x), "account_id": account_id} for x in new
        ]
        db.execute(insert(waiting_line), rows)


def waiting_lines(db: Connection, model: str | None = None, *, lock: bool = False) -> list[WaitingLine]:
    """Those that wait, by model, in the order in which they came; those that cannot be read are left where they are."""
    query = select(waiting_line, account.c.shown_as).join(account).where(waiting_line.c.done_at.is_(None))
    if model is not None:
        query = query.where(waiting_line.c.model == model)
    query = query.order_by(waiting_line.c.model, waiting_line.c.id)
    found = []
    for r in db.execute(query.with_for_update(of=waiting_line) if lock else query):
        try:
            found.append(WaitingLine(id=r.id, line=LIST_LINE.read(r.document), by=r.shown_as, at=r.created_at))
        except Unreadable:
            continue
    return found


def end_waiting(db: Connection, keys: Collection[UUID]) -> None:
    db.execute(update(waiting_line).where(waiting_line.c.id.in_(keys)).values(done_at=func.now()))
