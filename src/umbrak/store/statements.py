"""Limits that people state, of one machine or of every machine of a model."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, func, insert, or_, select, update

from umbrak.formats.documents import StatementDoc
from umbrak.formats.kept import STATEMENT
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import machine, sheet, statement


@dataclass(frozen=True, slots=True)
class StatementRow:
    id: UUID
    machine_id: UUID | None
    sheet_id: str | None
    stated: StatementDoc
    #: Who stated it, as shown.
    by: str
    at: datetime


def add_statement(
    db: Connection, account_id: UUID, stated: StatementDoc, machine_id: UUID | None, sheet_id: str | None
) -> UUID:
    """Of a machine or of a model: just one of the two is given."""
    key = new_id()
    values = {"id": key, "account_id": account_id, "document": STATEMENT.write(stated)}
    db.execute(insert(statement).values(**values, machine_id=machine_id, sheet_id=sheet_id))
    return key


def statements_of(db: Connection, machine_id: UUID, sheet_id: str) -> list[StatementRow]:
    """What is stated of a machine or of its model and not withdrawn, oldest first. Raises Unreadable: a limit that cannot be read
    is no reason to judge as if it were not there."""
    return statements_about(db, [machine_id], [sheet_id])


def _row(r: Any) -> StatementRow:
    return StatementRow(
        id=r.id,
        machine_id=r.machine_id,
        sheet_id=r.sheet_id,
        stated=STATEMENT.read(r.document),
        by=r.shown_as,
        at=r.created_at,
    )


def statements_about(db: Connection, machines: Sequence[UUID], sheets: Sequence[str]) -> list[StatementRow]:
    """What is stated of some machines or their models and not withdrawn, oldest first, in one query. Raises Unreadable."""
    subject = or_(statement.c.machine_id.in_(machines), statement.c.sheet_id.in_(sheets))
    query = select(statement, account.c.shown_as).join(account).where(subject, statement.c.withdrawn_at.is_(None))
    return [_row(r) for r in db.execute(query.order_by(statement.c.created_at, statement.c.id))]


def withdraw_statement(db: Connection, key: UUID) -> None:
    db.execute(update(statement).where(statement.c.id == key).values(withdrawn_at=func.now()))


def machines_of_model(db: Connection, sheet_id: str) -> list[UUID]:
    query = select(machine.c.id).join(sheet, sheet.c.hash == machine.c.sheet_hash)
    return list(db.execute(query.where(sheet.c.sheet_id == sheet_id).order_by(machine.c.id)).scalars())
