"""Tokens by which scripts ask, each of an account."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, select, update

from umbrak.store.access_tables import account, script_token
from umbrak.store.accounts import Account
from umbrak.store.engine import new_id


@dataclass(frozen=True, slots=True)
class TokenRow:
    id: UUID
    name: str
    role: str
    created_at: datetime
    expires_at: datetime
    #: When it was last asked by; None = never.
    used_at: datetime | None


def _row(r: Any) -> TokenRow:
    return TokenRow(
        id=r.id, name=r.name, role=r.role, created_at=r.created_at, expires_at=r.expires_at, used_at=r.used_at
    )


def add_token(
    db: Connection, account_id: UUID, name: str, *, role: str, token_hash: bytes, expires_at: datetime
) -> TokenRow:
    values = {
        "id": new_id(), "account_id": account_id, "name": name, "role": role, "token_hash": token_hash,
        "expires_at": expires_at,
    }  # fmt: skip
    row = db.execute(insert(script_token).values(values).returning(script_token)).one()
    return _row(row)


def tokens_of(db: Connection, account_id: UUID) -> list[TokenRow]:
    """Newest first; those that have ended too, so that it is seen why a script is refused."""
    query = (
        select(script_token).where(script_token.c.account_id == account_id).order_by(script_token.c.created_at.desc())
    )
    return [_row(r) for r in db.execute(query)]


def end_token(db: Connection, account_id: UUID, key: UUID) -> str | None:
    """Its name; None where the account has no such token."""
    chosen = (script_token.c.id == key) & (script_token.c.account_id == account_id)
    row = db.execute(delete(script_token).where(chosen).returning(script_token.c.name)).one_or_none()
    return row.name if row else None


def find_token(db: Connection, token_hash: bytes) -> tuple[Account, str, bool] | None:
    """(the account whose it is, the token's role, whether its use was noted within the minute) of a token that has not ended."""
    recent = func.coalesce(script_token.c.used_at > func.now() - func.make_interval(0, 0, 0, 0, 0, 1), False)
    query = select(account, script_token.c.role.label("given"), recent.label("recent")).join(
        script_token, script_token.c.account_id == account.c.id
    )
    live = (script_token.c.token_hash == token_hash, script_token.c.expires_at > func.now(), account.c.active)
    row = db.execute(query.where(*live)).one_or_none()
    return (Account(row.id, row.name, row.shown_as, row.role, row.active), row.given, row.recent) if row else None


def note_use(db: Connection, token_hash: bytes) -> None:
    db.execute(update(script_token).where(script_token.c.token_hash == token_hash).values(used_at=func.now()))
