"""Documents and pictures behind statements and trials: kept here, or linked."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import Connection, delete, insert, or_, select

from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import exhibit, statement, trial


@dataclass(frozen=True, slots=True)
class ExhibitRow:
    id: UUID
    name: str
    #: Where it is; "" = it is kept here.
    link: str
    media_type: str
    #: Who put it there, as shown.
    by: str


def exists(db: Connection, statement_id: UUID | None, trial_id: UUID | None) -> bool:
    """Whether there is such a statement or trial, not taken back."""
    if statement_id is not None:
        query = select(statement.c.id).where(statement.c.id == statement_id, statement.c.withdrawn_at.is_(None))
    else:
        query = select(trial.c.id).where(trial.c.id == trial_id, trial.c.withdrawn_at.is_(None))
    return db.execute(query).scalar() is not None


def add_exhibit(
    db: Connection,
    account_id: UUID,
    *,
    statement_id: UUID | None,
    trial_id: UUID | None,
    name: str,
    link: str = "",
    content: bytes | None = None,
    media_type: str = "",
) -> UUID:
    key = new_id()
    values = {
        "id": key, "account_id": account_id, "statement_id": statement_id, "trial_id": trial_id, "name": name,
        "link": link, "content": content, "media_type": media_type,
    }  # fmt: skip
    db.execute(insert(exhibit).values(**values))
    return key


def exhibits_of(db: Connection, subjects: Collection[UUID]) -> Mapping[UUID, tuple[ExhibitRow, ...]]:
    """Statement's or trial's id -> what is behind it, oldest first."""
    if not subjects:
        return {}
    c = exhibit.c
    query = select(c.id, c.statement_id, c.trial_id, c.name, c.link, c.media_type, account.c.shown_as).join(account)
    query = query.where(or_(c.statement_id.in_(subjects), c.trial_id.in_(subjects))).order_by(c.id)
    found: dict[UUID, tuple[ExhibitRow, ...]] = {}
    for r in db.execute(query):
        row = ExhibitRow(id=r.id, name=r.name, link=r.link, media_type=r.media_type, by=r.shown_as)
        subject = r.statement_id or r.trial_id
        found[subject] = (*found.get(subject, ()), row)
    return found


def content_of(db: Connection, key: UUID) -> tuple[bytes, str, str] | None:
    """(bytes, media type, name)"""
    r = db.execute(select(exhibit).where(exhibit.c.id == key)).one_or_none()
    return (bytes(r.content), r.media_type, r.name) if r and r.content is not None else None


def remove_exhibit(db: Connection, key: UUID) -> str | None:
    """The name of what was removed; None where there is none."""
    name: str | None = db.execute(delete(exhibit).where(exhibit.c.id == key).returning(exhibit.c.name)).scalar()
    return name
