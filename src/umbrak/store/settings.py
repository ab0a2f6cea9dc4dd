"""What an installation sets for itself, by name."""

from __future__ import annotations

from typing import TypeVar

from sqlalchemy import Connection, func, select
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.formats.kept import Kept
from umbrak.store.tables import setting

T = TypeVar("T")


def find_setting(db: Connection, name: str, kept: Kept[T]) -> T | None:
    """None where it was never set. Raises Unreadable."""
    document = db.execute(select(setting.c.document).where(setting.c.name == name)).scalar()
    return None if document is None else kept.read(document)


def keep_setting(db: Connection, name: str, kept: Kept[T], value: T) -> None:
    new = upsert(setting).values(name=name, document=kept.write(value))
    again = {"document": new.excluded.document, "version": setting.c.version + 1, "updated_at": func.now()}
    db.execute(new.on_conflict_do_update(index_elements=[setting.c.name], set_=again))
