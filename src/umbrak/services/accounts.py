"""Accounts, sessions, and who may do what."""

from __future__ import annotations

import hashlib
import math
import secrets
from datetime import UTC, datetime, timedelta
from enum import IntEnum
from functools import cache
from typing import Any
from uuid import UUID

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import Engine

from umbrak.services.errors import NotAllowed, NotFound, NotSignedIn, Refused, TooMany
from umbrak.store import accounts as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

SESSION_LASTS = timedelta(days=14)
LEAST_PASSWORD = 10
#: Failed tries within the window after which no more are heard: of one name from one address, of one address
#: whatever the name, of one name from anywhere (so many that nobody is locked out by a stranger's few tries).
WINDOW = timedelta(minutes=15)
TRIES, TRIES_OF_ADDRESS, TRIES_OF_NAME = 5, 30, 60
_hasher = PasswordHash((Argon2Hasher(),))


class Role(IntEnum):
    """Each may do what the ones below may."""

    viewer = 1
    technician = 2
    lead = 3


def need(account: Account, role: Role) -> None:
    """Raises NotAllowed when the account's role does not reach so far."""
    if Role[account.role] < role:
        raise NotAllowed(f"A {account.role} may look but not do this; it takes a {role.name}.")


def add_account(
    engine: Engine, name: str, shown_as: str, password: str, role: str, by: Account | None = None
) -> Account:
    """A new account. Raises Refused for a name that is taken, an unknown role, a short password."""
    if by:
        need(by, Role.lead)
    name = name.strip()
    if not name:
        raise Refused("name", "Give a name to sign in with.")
    _check_role(role)
    _check_password(password)
    with engine.begin() as db:
        if store.find_credentials(db, name):
            raise Refused("name", f"There is an account {name} already.")
        account = store.add_account(db, name, shown_as.strip() or name, _hasher.hash(password), role)
        record(db, "account added", by.id if by else account.id, name=name, role=role)
    return account


def list_accounts(engine: Engine, by: Account) -> list[Account]:
    need(by, Role.lead)
    with engine.connect() as db:
        return store.all_accounts(db)


def change_account(
    engine: Engine,
    by: Account,
    key: UUID,
    shown_as: str | None = None,
    role: str | None = None,
    active: bool | None = None,
    password: str | None = None,
) -> Account:
    """Change what is given. Raises NotFound; Refused for wrong input, or when no lead would be left."""
    need(by, Role.lead)
    values: dict[str, Any] = {}
    if shown_as is not None and shown_as.strip():
        values["shown_as"] = shown_as.strip()
    if role is not None:
        _check_role(role)
        values["role"] = role
    if active is not None:
        values["active"] = active
    if password is not None:
        _check_password(password)
        values["password_hash"] = _hasher.hash(password)
    with engine.begin() as db:
        leads = store.active_leads(db)
        known = store.find_account(db, key)
        if known is None:
            raise NotFound("account")
        is_lead = known.role == "lead" and known.active
        stays = values.get("role", known.role) == "lead" and values.get("active", known.active)
        if is_lead and not stays and leads == 1:
            raise Refused("role", f"{known.shown_as} is the only lead; make another one first.")
        store.change_account(db, key, values)
        told: dict[str, Any] = {k: v for k, v in values.items() if k != "password_hash"}
        if password is not None:
            told["password"] = "new"
        record(db, "account changed", by.id, name=known.name, changed=told)
        changed = store.find_account(db, key)
    assert changed
    return changed


def change_password(engine: Engine, account: Account, old: str, new: str) -> str:
    """One's own password; every session ends but a new one, whose token is returned. Raises Refused."""
    with engine.connect() as db:
        known = store.find_credentials(db, account.name)
    if not known or not _hasher.verify(old, known.password_hash):
        raise Refused("old", "This is not your password as it is now.")
    _check_password(new, "new")
    with engine.begin() as db:
        store.change_account(db, account.id, {"password_hash": _hasher.hash(new)})
        record(db, "password changed", account.id, name=account.name)
    return _begin_session(engine, account)


def _check_role(role: str) -> None:
    if role not in Role.__members__:
        raise Refused("role", f"A role is one of {', '.join(Role.__members__)}.")


def _check_password(password: str, field: str = "password") -> None:
    if len(password) < LEAST_PASSWORD:
        raise Refused(field, f"A password has at least {LEAST_PASSWORD} characters.")


def sign_in(engine: Engine, name: str, password: str, address: str = "") -> tuple[Account, str]:
    """(account, token of a new session).

    Raises
        NotSignedIn   name and password do not match, or the account is not active
        TooMany       too many tries failed lately; says how long to wait. No password is looked at then.
    """
    name, now = name.strip(), datetime.now(UTC)
    with engine.connect() as db:
        failed = store.failures_since(db, name, address, now - WINDOW)
        known = store.find_credentials(db, name)
    if failed.of_both >= TRIES or failed.of_address >= TRIES_OF_ADDRESS or failed.of_name >= TRIES_OF_NAME:
        wait = (failed.oldest or now) + WINDOW - now
        raise TooMany(max(1, math.ceil(wait.total_seconds())))
    # A name that is not known takes as long as one that is: the answer's time tells nothing.
    good = _hasher.verify(password, known.password_hash if known else _any_hash())
    if not known or not good or not known.account.active:
        with engine.begin() as db:
            store.add_failure(db, name, address, now - WINDOW)
        raise NotSignedIn("Name and password do not match.")
    if failed.of_both:
        with engine.begin() as db:
            store.forget_failures(db, name, address)
    return known.account, _begin_session(engine, known.account)


def _begin_session(engine: Engine, account: Account) -> str:
    token = secrets.token_urlsafe(32)
    with engine.begin() as db:
        store.add_session(db, _token_hash(token), account.id, datetime.now(UTC) + SESSION_LASTS)
    return token


def signed_in(engine: Engine, token: str | None) -> Account:
    """The account of a session's token. Raises NotSignedIn when there is none, or none any more."""
    if token:
        with engine.connect() as db:
            if account := store.find_session(db, _token_hash(token)):
                return account
    raise NotSignedIn("Sign in first.")


def sign_out(engine: Engine, token: str | None) -> None:
    if token:
        with engine.begin() as db:
            store.end_session(db, _token_hash(token))


@cache
def _any_hash() -> str:
    return _hasher.hash(secrets.token_hex())


def _token_hash(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
