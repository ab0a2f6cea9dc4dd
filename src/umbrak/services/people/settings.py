"""What an installation sets for itself: its currency, what hours, returns and lost data cost, where beliefs start."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from pydantic.dataclasses import dataclass as checked_dataclass
from sqlalchemy import Connection, Engine

from umbrak.core.evidence.table import USUAL, ClaimKind, Prior, Table
from umbrak.core.evidence.trouble import Costs
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


@dataclass(frozen=True, slots=True)
class PriorView:
    """What beliefs in claims of one kind start from: pseudo-counts, and why."""

    kind: ClaimKind
    fine: float
    quirks: float
    not_seen: float
    unstable: float
    because: str
    #: Whether this installation has set it.
    set_here: bool


@dataclass(frozen=True, slots=True)
class EvidenceSettings:
    """Where beliefs start and how trials weigh; all of it is reasoned, none measured, and may be set."""

    priors: tuple[PriorView, ...]
    #: After so many days a trial weighs half.
    half_life_days: float
    #: A trial that ran so long weighs fully; one that nobody let run weighs `unsoaked`.
    full_soak_days: float
    unsoaked: float


def evidence_table(db: Connection) -> Table:
    """What beliefs are made from besides trials, as this installation has set it."""
    return find_setting(db, "evidence", _EVIDENCE) or USUAL


def _read_table(document: dict[str, Any]) -> Table:
    set_here = {
        ClaimKind(kind): Prior(fine, quirks, not_seen, unstable, "set by this installation")
        for kind, (fine, quirks, not_seen, unstable) in document["priors"].items()
    }
    return Table(
        priors={**USUAL.priors, **set_here},
        half_life_days=document["half_life_days"],
        full_soak_days=document["full_soak_days"],
        unsoaked=document["unsoaked"],
    )


def _write_table(table: Table) -> dict[str, Any]:
    """Of the priors those that are not the ones that ship."""
    return {
        "priors": {k.value: list(p.counts().values()) for k, p in table.priors.items() if p != USUAL.priors[k]},
        "half_life_days": table.half_life_days,
        "full_soak_days": table.full_soak_days,
        "unsoaked": table.unsoaked,
    }


_EVIDENCE: Kept[Table] = Kept("Where beliefs start", _read_table, _write_table)


def see_evidence(engine: Engine) -> EvidenceSettings:
    with engine.connect() as db:
        return _evidence(evidence_table(db))


def _evidence(table: Table) -> EvidenceSettings:
    priors = tuple(
        PriorView(
            kind=k,
            fine=p.fine,
            quirks=p.quirks,
            not_seen=p.not_seen,
            unstable=p.unstable,
            because=p.because,
            set_here=p != USUAL.priors[k],
        )
        for k, p in table.priors.items()
    )
    return EvidenceSettings(priors, table.half_life_days, table.full_soak_days, table.unsoaked)


def set_evidence(
    engine: Engine,
    account: Account,
    priors: Mapping[ClaimKind, tuple[float, float, float, float]],
    half_life_days: float,
    full_soak_days: float,
    unsoaked: float,
) -> EvidenceSettings:
    """Set where beliefs start; a prior equal to the one that ships is that one again, with its reasoning.

    Raises Refused for a prior of nothing.
    """
    need(account, Role.lead)
    for kind, counts in priors.items():
        if sum(counts) <= 0:
            raise Refused(f"priors.{kind}", "A belief starts from some count of at least one outcome.")
    usual = {k: tuple(p.counts().values()) for k, p in USUAL.priors.items()}
    changed = {k: Prior(*c, "set by this installation") for k, c in priors.items() if tuple(c) != usual[k]}
    table = Table(
        priors={**USUAL.priors, **changed},
        half_life_days=half_life_days,
        full_soak_days=full_soak_days,
        unsoaked=unsoaked,
    )
    with engine.begin() as db:
        keep_setting(db, "evidence", _EVIDENCE, table)
        record(db, "priors set", account.id, changed=sorted(k.value for k in changed))
        return _evidence(evidence_table(db))
