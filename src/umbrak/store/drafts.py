"""Drafts of sheets, with every text that each had."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.core.platform.sheet import SheetHash
from umbrak.store.access_tables import account
from umbrak.store.engine import new_id
from umbrak.store.tables import sheet_draft, sheet_draft_reader, sheet_draft_text


@dataclass(frozen=True, slots=True)
class DraftRow:
    """A draft with its newest text."""

    id: UUID
    sheet_id: str
    base: SheetHash | None
    version: int
    text: str
    #: Who wrote the newest text, as shown, and when.
    by: str
    at: datetime
    #: Who began it.
    begun_by: str


def add_draft(db: Connection, *, sheet_id: str, base: SheetHash | None, text: str, account_id: UUID) -> UUID:
    """Its id; that of the draft that there is of the sheet already, which stays as it is."""
    values = {"id": new_id(), "sheet_id": sheet_id, "base": base, "version": 1, "account_id": account_id}
    key = db.execute(upsert(sheet_draft).values(values).on_conflict_do_nothing().returning(sheet_draft.c.id)).scalar()
    if key is None:
        found: UUID = db.execute(select(sheet_draft.c.id).where(sheet_draft.c.sheet_id == sheet_id)).scalar_one()
        return found
    db.execute(insert(sheet_draft_text).values(draft_id=key, version=1, account_id=account_id, text=text))
    return UUID(str(key))


def find_draft(db: Connection, key: UUID, *, lock: bool = False) -> DraftRow | None:
    """A draft; with `lock` nobody else writes it until the transaction ends."""
    if lock:
        db.execute(select(sheet_draft.c.id).where(sheet_draft.c.id == key).with_for_update())
    writer, beginner = account.alias(), account.alias()
    r = db.execute(
        select(
            sheet_draft.c.id, sheet_draft.c.sheet_id, sheet_draft.c.base, sheet_draft.c.version, sheet_draft_text.c.text,
            sheet_draft_text.c.at, writer.c.shown_as.label("by"), beginner.c.shown_as.label("begun_by"),
        )
        .join(sheet_draft_text, (sheet_draft_text.c.draft_id == sheet_draft.c.id) & (sheet_draft_text.c.version == sheet_draft.c.version))
        .join(writer, writer.c.id == sheet_draft_text.c.account_id)
        .join(beginner, beginner.c.id == sheet_draft.c.account_id)
        .where(sheet_draft.c.id == key)
    ).one_or_none()  # fmt: skip
    return (
        DraftRow(
            id=r.id,
            sheet_id=r.sheet_id,
            base=r.base,
            version=r.version,
            text=r.text,
            by=r.by,
            at=r.at,
            begun_by=r.begun_by,
        )
        if r
        else None
    )


def draft_of(db: Connection, sheet_id: str) -> UUID | None:
    return db.execute(select(sheet_draft.c.id).where(sheet_draft.c.sheet_id == sheet_id)).scalar()


@dataclass(frozen=True, slots=True)
class DraftHead:
    """A draft, without its text."""

    id: UUID
    base: SheetHash | None
    by: str
    at: datetime


def drafts(db: Connection) -> dict[str, DraftHead]:
    """Sheet id -> its draft."""
    rows = db.execute(
        select(sheet_draft.c.id, sheet_draft.c.sheet_id, sheet_draft.c.base, sheet_draft_text.c.at, account.c.shown_as)
        .join(sheet_draft_text, (sheet_draft_text.c.draft_id == sheet_draft.c.id) & (sheet_draft_text.c.version == sheet_draft.c.version))
        .join(account, account.c.id == sheet_draft_text.c.account_id)
    )  # fmt: skip
    return {r.sheet_id: DraftHead(r.id, r.base, r.shown_as, r.at) for r in rows}


def text_at(db: Connection, key: UUID, version: int) -> str | None:
    """The text that a draft had in one of its versions."""
    asked = select(sheet_draft_text.c.text)
    return db.execute(asked.where(sheet_draft_text.c.draft_id == key, sheet_draft_text.c.version == version)).scalar()


def write_draft(db: Connection, key: UUID, *, version: int, text: str, what: str, account_id: UUID) -> None:
    """Keeps the text of a new version. The draft must be locked."""
    db.execute(update(sheet_draft).where(sheet_draft.c.id == key).values(version=version))
    values = {"draft_id": key, "version": version, "text": text, "what": what, "account_id": account_id}
    db.execute(insert(sheet_draft_text).values(values))


def set_base(db: Connection, key: UUID, base: SheetHash) -> None:
    """The revision that a draft now goes on from."""
    db.execute(update(sheet_draft).where(sheet_draft.c.id == key).values(base=base))


def remove_draft(db: Connection, key: UUID) -> None:
    db.execute(delete(sheet_draft).where(sheet_draft.c.id == key))


def read_by(db: Connection, key: UUID, account_id: UUID, within: timedelta) -> list[str]:
    """Notes that somebody has the draft before them; who else had within the time, as shown."""
    seen = upsert(sheet_draft_reader).values(draft_id=key, account_id=account_id)
    db.execute(seen.on_conflict_do_update(index_elements=["draft_id", "account_id"], set_={"at": func.now()}))
    others = (
        select(account.c.shown_as)
        .join(sheet_draft_reader, sheet_draft_reader.c.account_id == account.c.id)
        .where(
            sheet_draft_reader.c.draft_id == key,
            sheet_draft_reader.c.account_id != account_id,
            sheet_draft_reader.c.at > func.now() - within,
        )
    )
    return sorted(db.execute(others).scalars())
