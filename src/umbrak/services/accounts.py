"""Accounts and sessions."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from enum import IntEnum
from functools import cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import Engine

from umbrak.services.errors import NotAllowed, NotSignedIn, Refused
from umbrak.store import accounts as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

SESSION_LASTS = timedelta(days=14)
LEAST_PASSWORD = 10
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


def add_account(engine: Engine, name: str, shown_as: str, password: str, role: str) -> Account:
    """A new account. Raises Refused for a name that is taken, an unknown role, a short password."""
    name = name.strip()
    if not name:
        raise Refused("name", "Give a name to sign in with.")
    if role not in Role.__members__:
        raise Refused("role", f"A role is one of {', '.join(Role.__members__)}.")
    if len(password) < LEAST_PASSWORD:
        raise Refused("password", f"A password has at least {LEAST_PASSWORD} characters.")
    with engine.begin() as db:
        if store.find_credentials(db, name):
            raise Refused("name", f"There is an account {name} already.")
        account = store.add_account(db, name, shown_as.strip() or name, _hasher.hash(password), role)
        record(db, "account added", account.id, name=name, role=role)
    return account


def sign_in(engine: Engine, name: str, password: str) -> tuple[Account, str]:
    """(account, token of a new session). Raises NotSignedIn when name and password do not match."""
    with engine.begin() as db:
        known = store.find_credentials(db, name.strip())
    # A name that is not known takes as long as one that is: the answer's time tells nothing.
    good = _hasher.verify(password, known.password_hash if known else _any_hash())
    if not known or not good:
        raise NotSignedIn("Name and password do not match.")
    token = secrets.token_urlsafe(32)
    with engine.begin() as db:
        store.add_session(db, _token_hash(token), known.account.id, datetime.now(UTC) + SESSION_LASTS)
    return known.account, token


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
