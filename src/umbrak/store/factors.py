"""Second factors of accounts, and the codes for when one is lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.access_tables import recovery_code, second_factor


@dataclass(frozen=True, slots=True)
class FactorRow:
    sealed: bytes
    #: None: it was begun, and no code of it was seen yet.
    confirmed_at: datetime | None
    #: Recovery codes that are left.
    codes: int


def find_factor(db: Connection, account_id: UUID) -> FactorRow | None:
    codes = select(func.count()).where(recovery_code.c.account_id == account_id).scalar_subquery()
    query = select(second_factor, codes.label("codes")).where(second_factor.c.account_id == account_id)
    row = db.execute(query).one_or_none()
    return FactorRow(bytes(row.sealed), row.confirmed_at, row.codes) if row else None


def begin_factor(db: Connection, account_id: UUID, sealed: bytes) -> None:
    """In the place of one that was begun and never confirmed."""
    new = upsert(second_factor).values(account_id=account_id, sealed=sealed)
    again = {"sealed": sealed, "last_step": 0}
    db.execute(
        new.on_conflict_do_update(
            index_elements=["account_id"], set_=again, where=second_factor.c.confirmed_at.is_(None)
        )
    )


def take_step(db: Connection, account_id: UUID, step: int) -> bool:
    """Whether the code of a step of time is good still: of one step, or one before it, only the first is."""
    f = second_factor.c
    taken = update(second_factor).where(f.account_id == account_id, f.last_step < step).values(last_step=step)
    return db.execute(taken).rowcount == 1


def confirm_factor(db: Connection, account_id: UUID, code_hashes: Sequence[bytes]) -> None:
    db.execute(update(second_factor).where(second_factor.c.account_id == account_id).values(confirmed_at=func.now()))
    db.execute(delete(recovery_code).where(recovery_code.c.account_id == account_id))
    db.execute(insert(recovery_code), [{"account_id": account_id, "code_hash": h} for h in code_hashes])


def use_code(db: Connection, account_id: UUID, code_hash: bytes) -> bool:
    """Whether it is a recovery code of the account; it is good this once."""
    c = recovery_code.c
    return db.execute(delete(recovery_code).where(c.account_id == account_id, c.code_hash == code_hash)).rowcount == 1


def drop_factor(db: Connection, account_id: UUID) -> bool:
    """Whether there was one."""
    db.execute(delete(recovery_code).where(recovery_code.c.account_id == account_id))
    return db.execute(delete(second_factor).where(second_factor.c.account_id == account_id)).rowcount == 1
