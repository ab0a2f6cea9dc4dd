"""Accounts and their sessions."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, select

from umbrak.store.engine import new_id
from umbrak.store.tables import account, session


@dataclass(frozen=True, slots=True)
class Account:
    id: UUID
    name: str
    shown_as: str
    role: str


@dataclass(frozen=True, slots=True)
class Credentials:
    account: Account
    password_hash: str


def _account(row: Any) -> Account:
    return Account(row.id, row.name, row.shown_as, row.role)


def add_account(db: Connection, name: str, shown_as: str, password_hash: str, role: str) -> Account:
    values = {"id": new_id(), "name": name, "shown_as": shown_as, "password_hash": password_hash, "role": role}
    return _account(db.execute(insert(account).values(values).returning(account)).one())


def find_credentials(db: Connection, name: str) -> Credentials | None:
    row = db.execute(select(account).where(func.lower(account.c.name) == name.lower())).one_or_none()
    return Credentials(_account(row), row.password_hash) if row else None


def add_session(db: Connection, token_hash: bytes, account_id: UUID, expires_at: datetime) -> None:
    db.execute(insert(session).values(token_hash=token_hash, account_id=account_id, expires_at=expires_at))
    db.execute(delete(session).where(session.c.expires_at < func.now()))


def find_session(db: Connection, token_hash: bytes) -> Account | None:
    """The account of a session that has not expired."""
    query = select(account).join(session, session.c.account_id == account.c.id)
    row = db.execute(query.where(session.c.token_hash == token_hash, session.c.expires_at > func.now())).one_or_none()
    return _account(row) if row else None


def end_session(db: Connection, token_hash: bytes) -> None:
    db.execute(delete(session).where(session.c.token_hash == token_hash))
