"""Sheets, by content hash; a sheet's id has one current revision, the newest."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Select, delete, func, insert, select
from sqlalchemy.dialects.postgresql import distinct_on

from umbrak.core.platform.sheet import SheetHash
from umbrak.store.access_tables import account
from umbrak.store.tables import doubt, machine, plan, retired_sheet, sheet


@dataclass(frozen=True, slots=True)
class SheetRow:
    hash: SheetHash
    sheet_id: str
    revision: int
    title: str
    kind: str
    archetype: bool


#: Without text and document, which are large.
_HEAD = (sheet.c.hash, sheet.c.sheet_id, sheet.c.revision, sheet.c.title, sheet.c.kind, sheet.c.archetype)


def _row(row: Any) -> SheetRow:
    return SheetRow(
        hash=row.hash,
        sheet_id=row.sheet_id,
        revision=row.revision,
        title=row.title,
        kind=row.kind,
        archetype=row.archetype,
    )


def add_sheet(
    db: Connection,
    hash_: SheetHash,
    *,
    sheet_id: str,
    title: str,
    kind: str,
    archetype: bool,
    text: str,
    document: Any,
    kept_by: UUID | None = None,
    why: str = "",
) -> None:
    """Keep a sheet; one that is kept already stays as it is."""
    if db.execute(select(sheet.c.hash).where(sheet.c.hash == hash_)).scalar():
        return
    last = db.execute(select(func.max(sheet.c.revision)).where(sheet.c.sheet_id == sheet_id)).scalar() or 0
    db.execute(
        insert(sheet).values(
            hash=hash_, sheet_id=sheet_id, revision=last + 1, title=title, kind=kind, archetype=archetype, text=text, document=document, kept_by=kept_by, why=why
        )
    )  # fmt: skip


def current_sheets(db: Connection) -> list[SheetRow]:
    """The newest revision of every sheet: models first, then archetypes, by title."""
    newest = (
        select(*_HEAD).ext(distinct_on(sheet.c.sheet_id)).order_by(sheet.c.sheet_id, sheet.c.revision.desc()).subquery()
    )
    return [_row(r) for r in db.execute(select(newest).order_by(newest.c.archetype, newest.c.title))]


def find_sheet(db: Connection, hash_: SheetHash) -> SheetRow:
    return _row(db.execute(select(*_HEAD).where(sheet.c.hash == hash_)).one())


def find_document(db: Connection, hash_: SheetHash) -> Any | None:
    return db.execute(select(sheet.c.document).where(sheet.c.hash == hash_)).scalar()


@dataclass(frozen=True, slots=True)
class RevisionRow:
    """One kept revision of a sheet."""

    hash: SheetHash
    revision: int
    title: str
    at: datetime
    #: Who kept it, as shown; None: it came with the tool. And why, in their words.
    by: str | None
    why: str


@dataclass(frozen=True, slots=True)
class Uses:
    """What stands on a sheet: machines looked after, their plans, clauses in doubt."""

    machines: int
    plans: int
    doubts: int


def revisions_of(db: Connection, sheet_id: str) -> list[RevisionRow]:
    """The newest first."""
    kept = select(
        sheet.c.hash, sheet.c.revision, sheet.c.title, sheet.c.created_at, sheet.c.why, account.c.shown_as
    ).outerjoin(account, account.c.id == sheet.c.kept_by)
    rows = db.execute(kept.where(sheet.c.sheet_id == sheet_id).order_by(sheet.c.revision.desc()))
    return [
        RevisionRow(hash=r.hash, revision=r.revision, title=r.title, at=r.created_at, by=r.shown_as, why=r.why)
        for r in rows
    ]


def text_of_sheet(db: Connection, hash_: SheetHash) -> str | None:
    return db.execute(select(sheet.c.text).where(sheet.c.hash == hash_)).scalar()


def uses_of_sheets(db: Connection) -> dict[str, Uses]:
    """Sheet id -> what stands on any of its revisions."""
    machines = _counted(
        db,
        select(sheet.c.sheet_id, func.count())
        .join(machine, machine.c.sheet_hash == sheet.c.hash)
        .where(machine.c.retired_at.is_(None))
        .group_by(sheet.c.sheet_id),
    )
    plans = _counted(
        db,
        select(sheet.c.sheet_id, func.count())
        .join(plan, plan.c.sheet_hash == sheet.c.hash)
        .where(plan.c.discarded_at.is_(None))
        .group_by(sheet.c.sheet_id),
    )
    doubts = _counted(
        db,
        select(doubt.c.sheet_id, func.count()).where(doubt.c.settled_at.is_(None)).group_by(doubt.c.sheet_id),
    )
    return {k: Uses(machines.get(k, 0), plans.get(k, 0), doubts.get(k, 0)) for k in {*machines, *plans, *doubts}}


def _counted(db: Connection, query: Select[Any]) -> dict[str, int]:
    return {row[0]: row[1] for row in db.execute(query)}


def machines_under(db: Connection, sheet_id: str, hash_: SheetHash | None = None) -> list[UUID]:
    """Machines looked after under any revision of a sheet, or the one, by name."""
    found = (
        select(machine.c.id)
        .join(sheet, machine.c.sheet_hash == sheet.c.hash)
        .where(sheet.c.sheet_id == sheet_id, machine.c.retired_at.is_(None))
        .order_by(func.lower(machine.c.name))
    )
    if hash_ is not None:
        found = found.where(sheet.c.hash == hash_)
    return list(db.execute(found).scalars())


@dataclass(frozen=True, slots=True)
class Retired:
    by: str
    at: datetime
    why: str


def retired_sheets(db: Connection) -> dict[str, Retired]:
    """Sheet id -> who retired it, and why."""
    rows = db.execute(
        select(retired_sheet, account.c.shown_as).join(account, account.c.id == retired_sheet.c.account_id)
    )
    return {r.sheet_id: Retired(r.shown_as, r.at, r.why) for r in rows}


def set_retired(db: Connection, sheet_id: str, account_id: UUID | None, why: str) -> None:
    """Retires a sheet; with no account it is brought back."""
    db.execute(delete(retired_sheet).where(retired_sheet.c.sheet_id == sheet_id))
    if account_id is not None:
        db.execute(insert(retired_sheet).values(sheet_id=sheet_id, account_id=account_id, why=why))
