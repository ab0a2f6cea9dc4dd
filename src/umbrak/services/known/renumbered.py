"""Telling of part numbers, with what that changes on machines: a qualified list speaks of every number of what it lists."""

from __future__ import annotations

from collections.abc import Collection
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.services.known.summaries import refresh_or_tell
from umbrak.services.parts.telling import NewWord, tell, withdraw_word
from umbrak.store.accounts import Account
from umbrak.store.parts import machines_with


def tell_part(engine: Engine, account: Account, new: NewWord) -> None:
    """See services.parts.telling.tell."""
    with engine.begin() as db:
        _refresh(db, tell(db, account, new))


def tell_no_more(engine: Engine, account: Account, key: UUID) -> None:
    """See services.parts.telling.withdraw_word."""
    with engine.begin() as db:
        _refresh(db, withdraw_word(db, account, key))


def _refresh(db: Connection, keys: Collection[str]) -> None:
    for machine in machines_with(db, keys):
        refresh_or_tell(db, machine)
