"""Accounts, sessions, and who may do what."""

from __future__ import annotations

import hashlib
import math
import secrets
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from enum import IntEnum
from functools import cache
from ipaddress import ip_address, ip_network
from typing import Any
from uuid import UUID

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import Engine

from umbrak.services.errors import NotAllowed, NotFound, NotSignedIn, Refused, TooMany
from umbrak.store import accounts as store
from umbrak.store.accounts import Account, Member
from umbrak.store.engine import at_once
from umbrak.store.history import record

SESSION_LASTS = timedelta(days=14)
LEAST_PASSWORD = 10
#: Failed tries within the window after which no more are heard: of one name from one place; from an unknown browser
#: also once so many names were tried from its address, or the name so often from wherever. A browser that somebody has
#: signed in from counts by itself, so that neither a neighbour behind one address nor a stranger locks its owner out.
WINDOW = timedelta(minutes=15)
TRIES, NAMES_OF_ADDRESS, TRIES_OF_NAME = 5, 20, 60
#: How long a browser is known that nobody signs in from.
BROWSER_KEPT = timedelta(days=400)
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
    engine: Engine, name: str, *, shown_as: str, password: str, role: str, by: Account | None = None
) -> Account:
    """A new account. Raises Refused for a name that is taken, an unknown role, a short password."""
    if by:
        need(by, Role.lead)
    name = name.strip()
    if not name:
        raise Refused("name", "Give a name to sign in with.")
    _check_role(role)
    _check_password(password, known=(name, shown_as))
    with engine.begin() as db:
        if store.find_credentials(db, name):
            raise Refused("name", f"There is an account {name} already.")
        account = store.add_account(
            db, name, shown_as=shown_as.strip() or name, password_hash=_hasher.hash(password), role=role
        )
        record(db, "account added", by.id if by else account.id, name=name, role=role)
    return account


def list_accounts(engine: Engine, by: Account) -> list[Member]:
    need(by, Role.lead)
    with engine.connect() as db:
        return store.all_accounts(db)


def change_account(
    engine: Engine,
    by: Account,
    key: UUID,
    *,
    shown_as: str | None = None,
    role: str | None = None,
    active: bool | None = None,
    password: str | None = None,
    awaits_directory: bool | None = None,
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
    if awaits_directory is not None:
        values["awaits_directory"] = awaits_directory
    if password is not None:
        with engine.connect() as db:
            whose = store.find_account(db, key)
        _check_password(password, known=(whose.name, whose.shown_as) if whose else ())
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
    """One's own password; every session ends but a new one, whose token is returned.

    Raises
        Refused   `old` is not the password, or `new` is too short
        TooMany   `old` was wrong too often lately
    """
    _check_password(new, "new", known=(account.name, account.shown_as))
    attempt = admit(engine, account.name, f"{store.BROWSER}change of password")
    with engine.connect() as db:
        known = store.find_credentials(db, account.name)
    if not known or not _hasher.verify(old, known.password_hash):
        raise Refused("old", "This is not your password as it is now.")
    with engine.begin() as db:
        store.forget_tries(db, attempt.name, attempt.place)
        store.change_account(db, account.id, {"password_hash": _hasher.hash(new)})
        record(db, "password changed", account.id, name=account.name)
    return _begin_session(engine, account)


def _check_role(role: str) -> None:
    if role not in Role.__members__:
        raise Refused("role", f"A role is one of {', '.join(Role.__members__)}.")


def _check_password(password: str, field: str = "password", *, known: tuple[str, ...] = ()) -> None:
    """Raises Refused for one that is short, or among the first that are tried (OWASP ASVS 5.0, 6.2.4 and 6.2.12).

    Parameters
        known   names that whoever tries would think of
    """
    if len(password) < LEAST_PASSWORD:
        raise Refused(field, f"A password has at least {LEAST_PASSWORD} characters.")
    from zxcvbn import zxcvbn  # a tenth of a second to load: only who sets a password pays for it

    # What stands beyond would cost more to look at than it tells.
    found = zxcvbn(password[:72], user_inputs=["umbrak", *known])
    if found["score"] < _LEAST_SCORE:
        why = found["feedback"]["warning"] or "It is among the first that are tried."
        raise Refused(field, f"{why.rstrip('.')}. Take three or four words that do not belong together.")


#: Of 0 to 4: below this a password falls to a million tries, which a throttled sign-in allows nobody, but a stolen table does.
_LEAST_SCORE = 2


@dataclass(frozen=True, slots=True)
class Attempt:
    """A try to sign in that may be made, and is counted as failed until it succeeds."""

    name: str
    #: Where from: an address (of IPv6 its network), or a browser that the account is known by.
    place: str


def admit(engine: Engine, name: str, address: str, *, browser: str | None = None) -> Attempt:
    """Whether a try may be made. It counts from here on: of many at once no more are looked at than may be.

    Parameters
        browser    the token of a browser that somebody has signed in from; None = an unknown one

    Raises TooMany when too many failed lately; it says how long to wait. No password is looked at then.
    """
    name, now = name.strip(), datetime.now(UTC)
    with engine.begin() as db:
        known = browser is not None and name.lower() in store.names_of_browser(db, token_hash(browser))
        # A known browser has a count of its own: no stranger can use it up.
        place = f"{store.BROWSER}{token_hash(browser or '').hex()}" if known else _place(address)
        own = known or place.startswith(store.BROWSER)
        tries = store.tries_since(db, name, place, now - WINDOW)
        strange = tries.names_there >= NAMES_OF_ADDRESS or tries.of_name >= TRIES_OF_NAME
        if tries.of_both >= TRIES or (strange and not own):
            wait = (tries.oldest or now) + WINDOW - now
            raise TooMany(max(1, math.ceil(wait.total_seconds())))
        store.add_try(db, name, place, now - WINDOW)
        if tries.of_both + 1 == TRIES:
            # Once for so many: nobody fills the history by guessing. A name that is none may be a password in the wrong field.
            known_name = store.find_credentials(db, name)
            told = known_name.account.name if known_name else ""
            record(db, "sign-in locked", None, name=told, address="" if own else place[:100])
    return Attempt(name, place)


def _place(address: str) -> str:
    """What is counted of an address: whoever has one of IPv6 has a whole network of them."""
    try:
        given = ip_address(address)
    except ValueError:
        return address[:200]
    return str(ip_network((given, 64), strict=False)) if given.version == 6 else str(given)


@dataclass(frozen=True, slots=True)
class SignedIn:
    account: Account
    #: Of the new session.
    token: str
    #: By which the account knows this browser from now on.
    browser: str


#: What else an account is asked for; raises NotSignedIn.
Also = Callable[[Account], None]


def recognise(engine: Engine, attempt: Attempt, password: str, also: Also) -> Account:
    """Whose name and password these are, of a try that was counted. Takes a good part of a processor for a while: a few at a time.

    Raises NotSignedIn where name and password do not match, or the account is not active; what `also` raises.
    """
    with engine.connect() as db:
        known = store.find_credentials(db, attempt.name)
    # A name that is not known takes as long as one that is: the answer's time tells nothing.
    good = _hasher.verify(password, known.password_hash if known else _any_hash())
    if not known or not good or not known.account.active:
        raise NotSignedIn("Name and password do not match.")
    also(known.account)
    with engine.begin() as db:
        store.forget_tries(db, attempt.name, attempt.place)
    return known.account


def sign_in(
    engine: Engine,
    attempt: Attempt,
    password: str,
    also: Also,
    browser: str | None = None,
    *,
    address: str = "",
    agent: str = "",
) -> SignedIn:
    """Look at the password of a try, and begin a session. Raises NotSignedIn as `recognise`."""
    account = recognise(engine, attempt, password, also)
    return begin_session(engine, account, browser, address=address, agent=agent)


def begin_session(
    engine: Engine,
    account: Account,
    browser: str | None = None,
    *,
    address: str = "",
    agent: str = "",
    lasts: timedelta = SESSION_LASTS,
) -> SignedIn:
    """A session of somebody who was recognised, and what their browser is known by."""
    with engine.begin() as db:
        # One browser, many people; a token that we did not give is none of ours.
        if browser is None or not store.names_of_browser(db, token_hash(browser)):
            browser = secrets.token_urlsafe(32)
        store.remember_browser(db, account.id, token_hash(browser), datetime.now(UTC) - BROWSER_KEPT)
        record(db, "signed in", account.id, address=address[:100])
    return SignedIn(account, _begin_session(engine, account, address, agent, lasts), browser)


def _begin_session(
    engine: Engine, account: Account, address: str = "", agent: str = "", lasts: timedelta = SESSION_LASTS
) -> str:
    token = secrets.token_urlsafe(32)
    ends = datetime.now(UTC) + lasts
    with engine.begin() as db:
        store.add_session(db, token_hash(token), account.id, ends, address=address, agent=agent)
    return token


def signed_in(engine: Engine, token: str | None) -> Account:
    """The account of a session's token. Raises NotSignedIn when there is none, or none any more."""
    if token:
        hashed = token_hash(token)
        with at_once(engine) as db:
            found = store.find_session(db, hashed)
        if found:
            account, recent = found
            if not recent:
                with engine.begin() as db:
                    store.note_session_used(db, hashed)
            return account
    raise NotSignedIn("Sign in first.")


def sign_out(engine: Engine, token: str | None) -> None:
    if token:
        with engine.begin() as db:
            store.end_session(db, token_hash(token))


@cache
def _any_hash() -> str:
    return _hasher.hash(secrets.token_hex())


def any_password() -> str:
    """The hash of a password that nobody knows."""
    return _hasher.hash(secrets.token_urlsafe(32))


def token_hash(token: str) -> bytes:
    """Under which a token is kept: who reads the table cannot use it."""
    return hashlib.sha256(token.encode()).digest()
