"""Accounts, their sessions, and failed tries to begin one."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, Connection, delete, distinct, exists, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.store.access_tables import account, calendar_feed, known_browser, second_factor, session, sign_in_failure
from umbrak.store.engine import new_id


@dataclass(frozen=True, slots=True)
class Account:
    id: UUID
    name: str
    shown_as: str
    role: str
    #: False: kept for its history, but nobody signs in with it.
    active: bool


@dataclass(frozen=True, slots=True)
class Member(Account):
    """An account as leads see it."""

    #: Whether its sign-in asks for an authenticator's code.
    second_factor: bool
    #: no, awaited (whoever has its name there may have it), yes.
    directory: str


@dataclass(frozen=True, slots=True)
class Credentials:
    account: Account
    password_hash: str


def _account(row: Any) -> Account:
    return Account(row.id, row.name, row.shown_as, row.role, row.active)


def add_account(db: Connection, name: str, *, shown_as: str, password_hash: str, role: str) -> Account:
    values = {"id": new_id(), "name": name, "shown_as": shown_as, "password_hash": password_hash, "role": role}
    return _account(db.execute(insert(account).values(values).returning(account)).one())


def find_credentials(db: Connection, name: str) -> Credentials | None:
    row = db.execute(select(account).where(func.lower(account.c.name) == name.lower())).one_or_none()
    return Credentials(_account(row), row.password_hash) if row else None


def find_account(db: Connection, key: UUID) -> Account | None:
    row = db.execute(select(account).where(account.c.id == key)).one_or_none()
    return _account(row) if row else None


def all_accounts(db: Connection) -> list[Member]:
    """Every account, those that may sign in first, by the name shown."""
    f = second_factor.c
    has = exists().where(f.account_id == account.c.id, f.confirmed_at.is_not(None)).label("second_factor")
    query = select(account, has).order_by(account.c.active.desc(), func.lower(account.c.shown_as), account.c.id)
    return [
        Member(
            r.id, r.name, r.shown_as, r.role, r.active, second_factor=r.second_factor,
            directory="yes" if r.subject is not None else "awaited" if r.awaits_directory else "no",
        )
        for r in db.execute(query)
    ]  # fmt: skip


def account_of_subject(db: Connection, subject: str) -> Account | None:
    """Whose account the directory means."""
    row = db.execute(select(account).where(account.c.subject == subject)).one_or_none()
    return _account(row) if row else None


def awaits_directory(db: Connection, key: UUID) -> bool:
    """Whether a lead said that who has its name in the directory may have it, and nobody has come yet."""
    chosen = account.c.id == key, account.c.awaits_directory, account.c.subject.is_(None)
    return bool(db.execute(select(exists().where(*chosen))).scalar())


def link_subject(db: Connection, key: UUID, subject: str) -> None:
    db.execute(update(account).where(account.c.id == key).values(subject=subject, awaits_directory=False))


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
        _tell_ended(db)


#: A session that nobody used for so long has ended: a browser left open somewhere lets nobody in for good.
IDLE = timedelta(days=3)
#: Its use is noted so often at most.
_NOTED = timedelta(minutes=1)


@dataclass(frozen=True, slots=True)
class SessionRow:
    id: UUID
    token_hash: bytes
    created_at: datetime
    used_at: datetime
    expires_at: datetime
    address: str
    agent: str


def _live() -> tuple[ColumnElement[bool], ...]:
    return session.c.expires_at > func.now(), session.c.used_at > func.now() - IDLE, account.c.active


def add_session(
    db: Connection, token_hash: bytes, account_id: UUID, expires_at: datetime, *, address: str = "", agent: str = ""
) -> None:
    values = {"token_hash": token_hash, "account_id": account_id, "expires_at": expires_at}
    db.execute(insert(session).values(**values, address=address[:200], agent=agent[:200]))
    over = (session.c.expires_at < func.now()) | (session.c.used_at < func.now() - IDLE)
    db.execute(delete(session).where(over))


def find_session(db: Connection, token_hash: bytes) -> tuple[Account, bool] | None:
    """(the account of a session that has not ended, whether its use was noted lately)"""
    recent = (session.c.used_at > func.now() - _NOTED).label("recent")
    query = select(account, recent).join(session, session.c.account_id == account.c.id)
    row = db.execute(query.where(session.c.token_hash == token_hash, *_live())).one_or_none()
    return (_account(row), row.recent) if row else None


def note_session_used(db: Connection, token_hash: bytes) -> None:
    db.execute(update(session).where(session.c.token_hash == token_hash).values(used_at=func.now()))


def sessions_of(db: Connection, account_id: UUID) -> list[SessionRow]:
    """Those that have not ended, the one used last first."""
    query = select(session).join(account, account.c.id == session.c.account_id)
    rows = db.execute(query.where(session.c.account_id == account_id, *_live()).order_by(session.c.used_at.desc()))
    return [
        SessionRow(
            id=r.id, token_hash=bytes(r.token_hash), created_at=r.created_at, used_at=r.used_at, expires_at=r.expires_at,
            address=r.address, agent=r.agent,
        )
        for r in rows
    ]  # fmt: skip


def end_sessions(db: Connection, account_id: UUID, key: UUID | None, but: bytes) -> int:
    """End one session of an account, or all `but` one; how many ended."""
    chosen = session.c.id == key if key is not None else session.c.token_hash != but
    ended = db.execute(delete(session).where(session.c.account_id == account_id, chosen)).rowcount
    _tell_ended(db)
    return ended


def end_session(db: Connection, token_hash: bytes) -> None:
    db.execute(delete(session).where(session.c.token_hash == token_hash))
    _tell_ended(db)


#: Of an advisory lock: tries are counted one after another, so that none slips past while others are looked at.
_COUNTING_TRIES = 0x74726965


@dataclass(frozen=True, slots=True)
class Tries:
    """Tries since a moment that failed, or whose password is being looked at."""

    #: Of the name from the place.
    of_both: int
    #: Of the name from wherever, browsers that its account is known by left out.
    of_name: int
    #: Names that were tried from the place.
    names_there: int
    #: When the oldest of them all was.
    oldest: datetime | None


def tries_since(db: Connection, name: str, place: str, since: datetime) -> Tries:
    """What counts against a further try. Others that count wait until this transaction ends."""
    db.execute(select(func.pg_advisory_xact_lock(_COUNTING_TRIES)))
    f = sign_in_failure.c
    named, there = f.name == name.lower(), f.address == place
    query = select(
        func.count().filter(named & there),
        func.count().filter(named & ~f.address.startswith(BROWSER)),
        func.count(distinct(f.name)).filter(there),
        func.min(f.at),
    )
    row: Any = db.execute(query.where(f.at > since, named | there)).one()
    return Tries(row[0], row[1], row[2], row[3])


#: Begins the place of a try from a browser that the account is known by.
BROWSER = "browser:"


def add_try(db: Connection, name: str, place: str, forget_before: datetime) -> None:
    db.execute(insert(sign_in_failure).values(name=name.lower(), address=place))
    db.execute(delete(sign_in_failure).where(sign_in_failure.c.at < forget_before))


def forget_tries(db: Connection, name: str, place: str) -> None:
    f = sign_in_failure.c
    db.execute(delete(sign_in_failure).where(f.name == name.lower(), f.address == place))


def names_of_browser(db: Connection, token_hash: bytes) -> set[str]:
    """Names, in lower case, whose accounts have signed in from a browser."""
    k = known_browser.c
    query = select(func.lower(account.c.name)).join(known_browser, account.c.id == k.account_id)
    return set(db.execute(query.where(k.token_hash == token_hash)).scalars())


def remember_browser(db: Connection, account_id: UUID, token_hash: bytes, forget_before: datetime) -> None:
    """Know an account by a browser from now on; browsers that were not used for long are forgotten."""
    statement = upsert(known_browser).values(token_hash=token_hash, account_id=account_id)
    db.execute(
        statement.on_conflict_do_update(index_elements=["token_hash", "account_id"], set_={"used_at": func.now()})
    )
    db.execute(delete(known_browser).where(known_browser.c.used_at < forget_before))


def live_sessions(db: Connection, token_hashes: Collection[bytes]) -> set[bytes]:
    """Those of the sessions that still are."""
    query = select(session.c.token_hash).join(account, account.c.id == session.c.account_id)
    return set(db.execute(query.where(session.c.token_hash.in_(token_hashes), *_live())).scalars())


#: Tells that sessions have ended, to whoever streams to them.
SESSIONS = "umbrak_sessions"


def _tell_ended(db: Connection) -> None:
    db.execute(select(func.pg_notify(SESSIONS, "")))


def set_feed(db: Connection, account_id: UUID, token: bytes | None) -> None:
    """The address of a person's calendar; the one before leads nowhere any more. None: there is none."""
    db.execute(delete(calendar_feed).where(calendar_feed.c.account_id == account_id))
    if token is not None:
        db.execute(insert(calendar_feed).values(account_id=account_id, token_hash=token))


def has_feed(db: Connection, account_id: UUID) -> bool:
    return bool(db.execute(select(exists().where(calendar_feed.c.account_id == account_id))).scalar())


def feed_of(db: Connection, token: bytes) -> Account | None:
    """Whose calendar has that address, as long as the account may sign in."""
    query = select(account).join(calendar_feed, calendar_feed.c.account_id == account.c.id)
    row = db.execute(query.where(calendar_feed.c.token_hash == token, account.c.active)).one_or_none()
    return _account(row) if row else None
