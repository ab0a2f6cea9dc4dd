"""What an installation sets for itself: its currency, and what hours, returns and lost data cost."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, Engine

from umbrak.core.evidence.trouble import Costs
from umbrak.services.accounts import Role, need
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.shelf import find_setting, keep_setting


@dataclass(frozen=True, slots=True)
class MoneySettings:
    """Money as this installation reckons it."""

    currency: str = "EUR"
    #: An hour of hands; an hour without a machine; sending the modules of one try back.
    hour: float = 0
    downtime_hour: float = 0
    returned: float = 0
    #: What losing a machine's data would cost without any backup, and how many tiers of backup there are.
    data: float = 0
    backup_tiers: int = 0

    def costs(self) -> Costs:
        return Costs(self.hour, self.downtime_hour, self.returned, self.data, self.backup_tiers)


def money_settings(db: Connection) -> MoneySettings:
    document = find_setting(db, "money") or {}
    return MoneySettings(**{k: v for k, v in document.items() if k != "schema"})


def see_money(engine: Engine) -> MoneySettings:
    with engine.connect() as db:
        return money_settings(db)


def set_money(engine: Engine, account: Account, new: MoneySettings) -> MoneySettings:
    """Set them all."""
    need(account, Role.technician)
    document = {f: getattr(new, f) for f in MoneySettings.__slots__}
    with engine.begin() as db:
        keep_setting(db, "money", document)
        record(db, "money set", account.id, **document)
    return new
