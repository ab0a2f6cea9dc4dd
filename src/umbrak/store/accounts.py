"""Accounts, their sessions, and failed tries to begin one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, delete, func, insert, select, update

from umbrak.store.engine import new_id
from umbrak.store.tables import account, session, sign_in_failure


@dataclass(frozen=True, slots=True)
class Account:
    id: UUID
    name: str
    shown_as: str
    role: str
    #: False: kept for its history, but nobody signs in with it.
    active: bool


@dataclass(frozen=True, slots=True)
class Credentials:
    account: Account
    password_hash: str


def _account(row: Any) -> Account:
    return Account(row.id, row.name, row.shown_as, row.role, row.active)


def add_account(db: Connection, name: str, shown_as: str, password_hash: str, role: str) -> Account:
    values = {"id": new_id(), "name": name, "shown_as": shown_as, "password_hash": password_hash, "role": role}
    return _account(db.execute(insert(account).values(values).returning(account)).one())


def find_credentials(db: Connection, name: str) -> Credentials | None:
    row = db.execute(select(account).where(func.lower(account.c.name) == name.lower())).one_or_none()
    return Credentials(_account(row), row.password_hash) if row else None


def find_account(db: Connection, key: UUID) -> Account | None:
    row = db.execute(select(account).where(account.c.id == key)).one_or_none()
    return _account(row) if row else None


def all_accounts(db: Connection) -> list[Account]:
    """Every account, those that may sign in first, by the name shown."""
    query = select(account).order_by(account.c.active.desc(), func.lower(account.c.shown_as), account.c.id)
    return [_account(r) for r in db.execute(query)]


def active_leads(db: Connection) -> int:
    """How many leads there are; locked until the transaction ends, so that two cannot leave at once."""
    rows = db.execute(select(account.c.id).where(account.c.role == "lead", account.c.active).with_for_update())
    return len(rows.all())


def change_account(db: Connection, key: UUID, values: dict[str, Any]) -> None:
    """Change columns of an account; whoever may not sign in any more, or has a new password, is signed out."""
    if values:
        db.execute(update(account).where(account.c.id == key).values(values))
    if values.get("active") is False or "password_hash" in values:
        db.execute(delete(session).where(session.c.account_id == key))


def add_session(db: Connection, token_hash: bytes, account_id: UUID, expires_at: datetime) -> None:
    db.execute(insert(session).values(token_hash=token_hash, account_id=account_id, expires_at=expires_at))
    db.execute(delete(session).where(session.c.expires_at < func.now()))


def find_session(db: Connection, token_hash: bytes) -> Account | None:
    """The account of a session that has not expired."""
    query = select(account).join(session, session.c.account_id == account.c.id)
    live = (session.c.token_hash == token_hash, session.c.expires_at > func.now(), account.c.active)
    row = db.execute(query.where(*live)).one_or_none()
    return _account(row) if row else None


def end_session(db: Connection, token_hash: bytes) -> None:
    db.execute(delete(session).where(session.c.token_hash == token_hash))


@dataclass(frozen=True, slots=True)
class Failures:
    """Failed tries since a moment."""

    of_both: int
    of_name: int
    of_address: int
    #: When the oldest of them was.
    oldest: datetime | None


def failures_since(db: Connection, name: str, address: str, since: datetime) -> Failures:
    f = sign_in_failure.c
    named, there = f.name == name.lower(), f.address == address
    counts = [func.count().filter(condition) for condition in (named & there, named, there)]
    row: Any = db.execute(select(*counts, func.min(f.at)).where(f.at > since, named | there)).one()
    return Failures(row[0], row[1], row[2], row[3])


def add_failure(db: Connection, name: str, address: str, forget_before: datetime) -> None:
    db.execute(insert(sign_in_failure).values(name=name.lower(), address=address))
    db.execute(delete(sign_in_failure).where(sign_in_failure.c.at < forget_before))


def forget_failures(db: Connection, name: str, address: str) -> None:
    f = sign_in_failure.c
    db.execute(delete(sign_in_failure).where(f.name == name.lower(), f.address == address))
