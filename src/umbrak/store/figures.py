"""What machines showed of their memory's use."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, delete, insert, select

from umbrak.core.plan.symptoms import Symptoms
from umbrak.formats.kept import SYMPTOMS
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import figures_seen


@dataclass(frozen=True, slots=True)
class SeenRow:
    id: UUID
    symptoms: Symptoms
    #: What it could use then. [GiB]
    usable_gib: float
    at: datetime
    by: str


def add_seen(
    db: Connection, machine_id: UUID, account_id: UUID, symptoms: Symptoms, usable_gib: float, at: datetime
) -> UUID:
    key = new_id()
    values = {"machine_id": machine_id, "account_id": account_id, "usable_gib": usable_gib, "at": at}
    db.execute(insert(figures_seen).values(id=key, document=SYMPTOMS.write(symptoms), **values))
    return key


def seen_of(db: Connection, machine_id: UUID, most: int) -> list[SeenRow]:
    """The newest first. Raises Unreadable."""
    query = select(figures_seen, account.c.shown_as).join(account, account.c.id == figures_seen.c.account_id)
    query = query.where(figures_seen.c.machine_id == machine_id).order_by(
        figures_seen.c.at.desc(), figures_seen.c.id.desc()
    )
    return [
        SeenRow(r.id, SYMPTOMS.read(r.document), r.usable_gib, r.at, r.shown_as) for r in db.execute(query.limit(most))
    ]


def drop_seen(db: Connection, machine_id: UUID, key: UUID) -> bool:
    """False where the machine has none of that id."""
    mine = (figures_seen.c.id == key) & (figures_seen.c.machine_id == machine_id)
    return bool(db.execute(delete(figures_seen).where(mine)).rowcount)
