"""What an installation sets for itself: its currency, what hours, returns and lost data cost, what doubts start from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import Annotated, Any

from pydantic import Field
from pydantic.dataclasses import dataclass as checked_dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.evidence.table import NUMBERS, USUAL, Table
from umbrak.core.evidence.trouble import Costs
from umbrak.core.routes.assumed import Guess
from umbrak.formats.documents import CHECKED
from umbrak.formats.kept import Kept
from umbrak.formats.quantities import BackupTiers, Cost, Currency
from umbrak.services.errors import Refused
from umbrak.services.people.accounts import Role, need
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.settings import find_setting, keep_setting


@checked_dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class MoneySettings:
    """Money as this installation reckons it."""

    currency: Currency = "EUR"
    #: An hour of hands; an hour without a machine; sending the modules of one try back.
    hour: Cost = 0
    downtime_hour: Cost = 0
    returned: Cost = 0
    #: What losing a machine's data would cost without any backup, and how many tiers of backup there are.
    data: Cost = 0
    backup_tiers: BackupTiers = 0
    #: What a GB is thought to cost where nobody offers it: of the machine's maker, of others; 0 = no idea.
    official_per_gb: Cost = 0
    third_party_per_gb: Cost = 0

    def guess(self) -> Guess:
        """Of a GB."""
        official, other = (Decimal(str(x)) if x else None for x in (self.official_per_gb, self.third_party_per_gb))
        return Guess(official, other)

    def costs(self) -> Costs:
        return Costs(self.hour, self.downtime_hour, self.returned, self.data, self.backup_tiers)


_MONEY: Kept[MoneySettings] = Kept("What money this installation reckons with", lambda d: MoneySettings(**d), asdict)


def money_settings(db: Connection) -> MoneySettings:
    return find_setting(db, "money", _MONEY) or MoneySettings()


def see_money(engine: Engine) -> MoneySettings:
    with engine.connect() as db:
        return money_settings(db)


def set_money(engine: Engine, account: Account, new: MoneySettings) -> MoneySettings:
    """Set them all."""
    need(account, Role.technician)
    with engine.begin() as db:
        keep_setting(db, "money", _MONEY, new)
        record(db, "money set", account.id, **asdict(new))
    return new


@checked_dataclass(frozen=True, slots=True, kw_only=True, config=CHECKED)
class TeamSettings:
    """Whose word a plan at risk wants."""

    #: How many people have to take its risk.
    approvals: Annotated[int, Field(ge=1, le=2)] = 1
    #: Up to this trouble and this cost of modules a technician may take the risk of a plan of somebody else's; no trouble: leads alone.
    delegated_trouble: Annotated[float, Field(ge=0, le=1)] = 0.0
    delegated_cost: Cost = 0


_TEAM: Kept[TeamSettings] = Kept("Whose word plans at risk want", lambda d: TeamSettings(**d), asdict)


def team_settings(db: Connection) -> TeamSettings:
    return find_setting(db, "team", _TEAM) or TeamSettings()


def see_team(engine: Engine) -> TeamSettings:
    with engine.connect() as db:
        return team_settings(db)


def set_team(engine: Engine, account: Account, new: TeamSettings) -> TeamSettings:
    """A lead's alone."""
    need(account, Role.lead)
    with engine.begin() as db:
        keep_setting(db, "team", _TEAM, new)
        record(db, "team set", account.id, **asdict(new))
    return new


@dataclass(frozen=True, slots=True)
class NumberView:
    """One number that doubts are made of."""

    name: str
    group: str
    words: str
    value: float
    #: As it ships.
    usual: float
    because: str
    least: float
    most: float
    #: Whether this installation has set it.
    set_here: bool


def evidence_table(db: Connection) -> Table:
    """What doubts are made of besides trials, as this installation has set it."""
    return find_setting(db, "evidence", _EVIDENCE) or USUAL


def _read_table(document: dict[str, Any]) -> Table:
    set_here = {str(name): float(value) for name, value in document["numbers"].items()}
    if odd := set(set_here) - set(NUMBERS):
        raise ValueError(f"unknown numbers {', '.join(sorted(odd))}")
    return Table(set_here)


def _from_counts(document: dict[str, Any]) -> dict[str, Any]:
    """What was set of the older model's: its pseudo-counts say nothing of this one's numbers, its two spans of days do."""
    days = {n: document[n] for n in ("half_life_days", "full_soak_days") if n in document}
    usual = {"half_life_days": 1095, "full_soak_days": 14}
    return {"numbers": {n: v for n, v in days.items() if v != usual[n]}}


_EVIDENCE: Kept[Table] = Kept(
    "What doubts start from", _read_table, lambda t: {"numbers": dict(t.set_here)}, (_from_counts,)
)


def see_evidence(engine: Engine) -> tuple[NumberView, ...]:
    """Every number that doubts are made of; all are reasoned, none measured, and may be set."""
    with engine.connect() as db:
        return _evidence(evidence_table(db))


def _evidence(table: Table) -> tuple[NumberView, ...]:
    return tuple(
        NumberView(
            name=name,
            group=n.group,
            words=n.words,
            value=table[name],
            usual=n.value,
            because=n.because,
            least=n.least,
            most=n.most,
            set_here=name in table.set_here,
        )
        for name, n in NUMBERS.items()
    )


def set_evidence(engine: Engine, account: Account, numbers: Mapping[str, float]) -> tuple[NumberView, ...]:
    """Set these numbers and no others; one equal to the one that ships is that one again.

    Raises Refused, which names the number, for one that there is not, or out of its bounds.
    """
    need(account, Role.lead)
    for name, value in numbers.items():
        n = NUMBERS.get(name)
        if n is None:
            raise Refused(f"numbers.{name}", "There is no such number.")
        if not n.least <= value <= n.most:
            raise Refused(f"numbers.{name}", f"{n.words}: from {n.least:g} to {n.most:g}.")
    changed = {name: value for name, value in numbers.items() if value != NUMBERS[name].value}
    with engine.begin() as db:
        keep_setting(db, "evidence", _EVIDENCE, Table(changed))
        record(db, "doubts set", account.id, changed=sorted(changed))
        return _evidence(evidence_table(db))
