"""Clauses of a sheet that a machine contradicted, until somebody has looked into them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.services.people.accounts import Role, need
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.runs import doubts_of


@dataclass(frozen=True, slots=True)
class DoubtView:
    """A clause of a sheet that a machine's own proposal contradicted."""

    id: UUID
    #: Of the rule that rests on it.
    code: str
    clause: str
    words: str
    by: str
    at: datetime


def doubts_about(db: Connection, sheet_id: str) -> tuple[DoubtView, ...]:
    return tuple(
        DoubtView(id=d.id, code=d.code, clause=d.clause, words=d.words, by=d.by, at=d.at)
        for d in doubts_of(db, sheet_id)
    )


def settle_doubt(engine: Engine, account: Account, key: UUID) -> None:
    """A clause in doubt was looked into: it stands, or its sheet was corrected. Raises NotFound."""
    from umbrak.services.errors import NotFound
    from umbrak.store.history import record

    need(account, Role.technician)
    with engine.begin() as db:
        sheet_id = store.settle_doubt(db, key)
        if sheet_id is None:
            raise NotFound("doubt")
        record(db, "doubt settled", account.id, sheet=sheet_id, id=str(key))
