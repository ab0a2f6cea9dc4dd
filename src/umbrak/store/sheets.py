"""Sheets, by content hash; a sheet's id has one current revision, the newest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, func, insert, select
from sqlalchemy.dialects.postgresql import distinct_on

from umbrak.core.platform.sheet import SheetHash
from umbrak.store.tables import sheet


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
    db: Connection, hash_: SheetHash, *, sheet_id: str, title: str, kind: str, archetype: bool, text: str, document: Any
) -> None:
    """Keep a sheet; one that is kept already stays as it is."""
    if db.execute(select(sheet.c.hash).where(sheet.c.hash == hash_)).scalar():
        return
    last = db.execute(select(func.max(sheet.c.revision)).where(sheet.c.sheet_id == sheet_id)).scalar() or 0
    db.execute(
        insert(sheet).values(
            hash=hash_, sheet_id=sheet_id, revision=last + 1, title=title, kind=kind, archetype=archetype, text=text, document=document
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
