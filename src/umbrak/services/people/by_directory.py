"""Signing in by the directory: whose account it is, and what role its groups give."""

from __future__ import annotations

import logging
from datetime import timedelta

from sqlalchemy import Connection, Engine

from umbrak.devices.directory import Recognised, Settings
from umbrak.services.people.accounts import Role, SignedIn, any_password, begin_session
from umbrak.store import accounts as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

#: Shorter than others: who leaves the directory is not let in for long.
LASTS = timedelta(hours=12)
_log = logging.getLogger("umbrak.directory")


class NotLetInError(Exception):
    """`code` says why, for the page: no-role, name-taken, kept-out."""

    def __init__(self, code: str) -> None:
        super().__init__(code)
        self.code = code


def sign_in_by_directory(
    engine: Engine, settings: Settings, who: Recognised, browser: str | None, *, address: str = "", agent: str = ""
) -> SignedIn:
    """A session of whom the directory recognised; their account is made where there is none. Raises NotLetInError."""
    with engine.begin() as db:
        account = _account(db, settings, who)
    return begin_session(engine, account, browser, address=address, agent=agent, lasts=LASTS)


def _account(db: Connection, settings: Settings, who: Recognised) -> Account:
    role = _role(settings, who)
    if settings.roles and role is None:
        _log.warning("%s of the directory is in no group that has a role", who.name)
        raise NotLetInError("no-role")
    account = store.account_of_subject(db, who.subject)
    if account is None:
        named = store.find_credentials(db, who.name)
        if named is not None and not store.awaits_directory(db, named.account.id):
            # Whoever may choose a name in the directory would take over the account otherwise.
            _log.warning(
                "%s of the directory is not let in: an account of that name is here, and not the directory's", who.name
            )
            raise NotLetInError("name-taken")
        if named is None:
            made = role or Role.viewer
            account = store.add_account(
                db, who.name, shown_as=who.shown_as, password_hash=any_password(), role=made.name
            )
            record(db, "account added", account.id, name=who.name, role=made.name)
        else:
            account = named.account
        store.link_subject(db, account.id, who.subject)
        record(db, "account linked", account.id, name=account.name)
    if not account.active:
        raise NotLetInError("kept-out")
    if role is not None and role.name != account.role:
        store.change_account(db, account.id, {"role": role.name})
        record(db, "account changed", account.id, name=account.name, changed={"role": role.name})
        account = store.find_account(db, account.id) or account
    return account


def _role(settings: Settings, who: Recognised) -> Role | None:
    """The highest of the roles whose group somebody is in; "*" is everybody."""
    given = [Role[role] for role, group in settings.roles.items() if group == "*" or group in who.groups]
    return max(given, default=None)
