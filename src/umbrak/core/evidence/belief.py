"""Trials to beliefs: a Dirichlet over outcomes for each claim, updated by weighted counts.

The update is conjugate, so it is exact: a trial of weight w adds w to the count of its outcome. The marginal of one
outcome is a Beta, whose quantiles are the interval (Gelman et al., Bayesian Data Analysis, 3.4).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from umbrak.core.evidence.claims import Claim
from umbrak.core.evidence.table import USUAL, ClaimKind, Outcome, Prior, Table
from umbrak.core.memory.module import Module, amount, organisation
from umbrak.core.memory.parts import key_of
from umbrak.core.platform.statement import SourceKind


@dataclass(frozen=True, slots=True)
class Trial:
    """Somebody put something somewhere, and this happened."""

    id: str
    sheet: str
    outcome: Outcome
    who: SourceKind
    date: date
    processor: str | None = None
    part: str | None = None
    revision: str | None = None
    module: Module | None = None
    #: What the machine then held in all.
    total_gib: float | None = None
    soak_days: float = 0
    #: Other numbers of the same part.
    also: tuple[str, ...] = ()

    def is_of(self, number: str | None) -> bool:
        """Whether it tried the part of this number."""
        return bool(number) and key_of(number or "") in {key_of(n) for n in (self.part, *self.also) if n}


@dataclass(frozen=True, slots=True)
class Contribution:
    """What one trial adds to a claim: its weight is the product of the four."""

    trial: str
    outcome: Outcome
    likeness: float
    says: float
    age: float
    soak: float

    @property
    def weight(self) -> float:
        return self.likeness * self.says * self.age * self.soak


@dataclass(frozen=True, slots=True)
class Belief:
    """How far a claim is believed."""

    claim: Claim
    #: Outcome -> pseudo-counts, prior and trials together.
    counts: Mapping[Outcome, float]
    contributions: tuple[Contribution, ...]
    #: What it started from.
    prior: Prior

    @property
    def total(self) -> float:
        return sum(self.counts.values())

    def mean(self, outcome: Outcome = Outcome.FINE) -> float:
        """Expected probability of an outcome."""
        return self.counts[outcome] / self.total

    def second_moment(self) -> float:
        """E[p²] of "fine"."""
        a, n = self.counts[Outcome.FINE], self.total
        return a * (a + 1) / (n * (n + 1))

    def interval(self, mass: float = 0.9) -> tuple[float, float]:
        """Where the probability of "fine" lies with this mass, as much below as above."""
        a = self.counts[Outcome.FINE]
        return beta_interval(a, self.total - a, mass)

    @property
    def is_prior(self) -> bool:
        """Whether no trial speaks of it."""
        return not self.contributions


def beta_interval(a: float, b: float, mass: float = 0.9) -> tuple[float, float]:
    """The central interval of a Beta; a point where one of its counts is nothing."""
    if a <= 0:
        return 0.0, 0.0
    if b <= 0:
        return 1.0, 1.0
    from scipy.special import betaincinv  # here: it takes longer to load than `check` takes to answer

    tail = (1 - mass) / 2
    return float(betaincinv(a, b, tail)), float(betaincinv(a, b, 1 - tail))


def believe(claim: Claim, trials: Iterable[Trial], today: date, table: Table = USUAL) -> Belief:
    """The posterior of a claim."""
    counts = dict(table.priors[claim.kind].counts())
    contributions = []
    for trial in sorted(trials, key=lambda t: (t.date, t.id)):
        likeness = likeness_of(claim, trial, table)
        if likeness:
            c = Contribution(
                trial=trial.id,
                outcome=trial.outcome,
                likeness=likeness,
                says=table.says[trial.who],
                age=_age(trial, today, table),
                soak=_soak(trial, table),
            )
            counts[trial.outcome] += c.weight
            contributions.append(c)
    return Belief(claim, counts, tuple(contributions), table.priors[claim.kind])


def likeness_of(claim: Claim, trial: Trial, table: Table = USUAL) -> float:
    """How far a trial speaks of a claim: 1 where it is the same thing on the same board, 0 where it tells nothing."""
    same_board = trial.sheet == claim.sheet
    nearness = 1.0 if same_board else table.same_processor if trial.processor in claim.processors else 0.0
    if not nearness:
        return 0.0
    if claim.total_gib is not None:
        return nearness if _speaks_of_total(claim.total_gib, trial) else 0.0
    if claim.module is None or claim.kind in (ClaimKind.MIXED_MAKERS, ClaimKind.MIXED_KITS):
        return 0.0  # a trial tells what was put in, not beside what
    if claim.kind is ClaimKind.DENSITY:
        dense = trial.module is not None and trial.module.die_gbit is not None and claim.module.die_gbit is not None
        return nearness if dense and trial.module and trial.module.die_gbit == claim.module.die_gbit else 0.0
    same_part = trial.is_of(claim.module.part) and trial.revision == claim.module.revision
    # A part number may come to carry other chips: then what was tried is another module.
    if same_board and same_part and not unlike(trial.module, claim.module):
        return table.same_part
    known = trial.module is not None and claim.module.capacity_gib is not None
    if known and trial.module and organisation(trial.module) == organisation(claim.module):
        return table.like_organisation if same_board else table.same_processor
    return 0.0


#: What the memory controller sees, in words.
_SEEN = {
    "capacity_gib": "{} GB",
    "package_ranks": "{} package ranks",
    "device_width": "x{} devices",
    "die_gbit": "{} Gbit dies",
    "rate_mts": "{} MT/s",
}


def unlike(tried: Module | None, delivered: Module) -> tuple[str, ...]:
    """In what a module that came differs from one of the same part that was tried, as "x4 devices instead of 8"; members
    that either does not tell are left out."""
    return tuple(
        f"{words.format(amount(new))} instead of {amount(old)}"
        for name, words in _SEEN.items()
        if tried is not None
        and (old := getattr(tried, name)) is not None
        and (new := getattr(delivered, name)) is not None
        and old != new
    )


def _speaks_of_total(total: float, trial: Trial) -> bool:
    """A total that is fine shows that less is fine too, one that fails that more fails too; quirks are to be expected
    below and above."""
    if trial.total_gib is None:
        return False
    if trial.outcome is Outcome.QUIRKS:
        return True
    return trial.total_gib >= total if trial.outcome is Outcome.FINE else trial.total_gib <= total


def _age(trial: Trial, today: date, table: Table) -> float:
    days = max(0, (today - trial.date).days)
    return float(0.5 ** (days / table.half_life_days))


def _soak(trial: Trial, table: Table) -> float:
    """What did not work needed no time to show it."""
    if trial.outcome in (Outcome.NOT_SEEN, Outcome.UNSTABLE):
        return 1.0
    return table.unsoaked + (1 - table.unsoaked) * min(1.0, trial.soak_days / table.full_soak_days)
