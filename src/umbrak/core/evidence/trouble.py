"""Claims together: how probable trouble is, what it costs, and what a saving is worth against it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import prod

from umbrak.core.evidence.belief import Belief, beta_interval
from umbrak.core.evidence.table import USUAL, Outcome, Table

_BAD = (Outcome.QUIRKS, Outcome.NOT_SEEN, Outcome.UNSTABLE)


@dataclass(frozen=True, slots=True)
class Costs:
    """What an installation's hours and returns cost, in its currency."""

    hour: float = 0
    downtime_hour: float = 0
    #: Sending the modules of one try back.
    returned: float = 0
    #: What losing the machine's data would cost without any backup.
    data: float = 0
    #: Tiers of backup: 0 = none.
    backup_tiers: int = 0

    @property
    def told(self) -> bool:
        """Whether anything costs anything: otherwise what trouble costs is not known, rather than nothing."""
        return any((self.hour, self.downtime_hour, self.returned, self.data))


_FREE = Costs()


@dataclass(frozen=True, slots=True)
class Term:
    """What one outcome adds to the expected loss."""

    outcome: Outcome
    probability: float
    cost: float

    @property
    def loss(self) -> float:
        return self.probability * self.cost


@dataclass(frozen=True, slots=True)
class Trouble:
    """Of a whole route."""

    #: Probability that not everything is simply fine; the claims are taken as independent.
    probability: float
    #: 90 % of the belief lies within.
    low: float
    high: float
    terms: tuple[Term, ...]
    beliefs: tuple[Belief, ...]

    @property
    def expected_loss(self) -> float:
        return sum(t.loss for t in self.terms)


def trouble_of(beliefs: Sequence[Belief], costs: Costs = _FREE, table: Table = USUAL) -> Trouble:
    """Combine beliefs. No claim: no trouble.

    "All fine" is a product of independent probabilities. Its mean is exact; its interval is that of the Beta with the
    product's first two moments, which for one claim is that claim's own.
    """
    if not beliefs:
        return Trouble(0.0, 0.0, 0.0, (), ())
    mean = prod(b.mean() for b in beliefs)
    if len(beliefs) == 1:
        low, high = beliefs[0].interval()
    else:
        low, high = _fitted(mean, prod(b.second_moment() for b in beliefs))
    terms = tuple(Term(o, _probability(o, beliefs), outcome_cost(o, costs, table)) for o in _BAD)
    return Trouble(1 - mean, 1 - high, 1 - low, terms, tuple(beliefs))


def _fitted(mean: float, second: float) -> tuple[float, float]:
    """The central 90 % of the Beta with these two moments."""
    variance = second - mean * mean
    if variance <= 0 or not 0 < mean < 1:
        return mean, mean
    size = mean * (1 - mean) / variance - 1
    return beta_interval(mean * size, (1 - mean) * size)


#: Worse first: of several claims the worst outcome is what happens.
_WORST_FIRST = (Outcome.NOT_SEEN, Outcome.UNSTABLE, Outcome.QUIRKS)


def _probability(outcome: Outcome, beliefs: Sequence[Belief]) -> float:
    """That the worst outcome over all claims is this one."""
    rank = _WORST_FIRST.index(outcome)
    worse = _WORST_FIRST[:rank]

    def none_of(outcomes: Sequence[Outcome]) -> float:
        return prod(1 - sum(b.mean(o) for o in outcomes) for b in beliefs)

    return none_of(worse) - none_of((*worse, outcome))


def outcome_cost(
    outcome: Outcome, costs: Costs, table: Table, downtime: float = 1, returns: float = 1, exposure: float = 1
) -> float:
    """What an outcome costs; the last three multiply its parts, where something was done about them."""
    c = table.costs[outcome]
    exposed = costs.data / table.backup_factor**costs.backup_tiers
    return (
        c.hours * costs.hour
        + c.downtime_h * costs.downtime_hour * downtime
        + c.returns * costs.returned * returns
        + c.exposure * exposed * exposure
    )


@dataclass(frozen=True, slots=True)
class BreakEven:
    """A saving against what it risks."""

    saving: float
    expected_loss: float
    #: The probability of trouble at which the saving is eaten up; None where trouble costs nothing.
    trouble: float | None

    @property
    def worth_it(self) -> bool:
        return self.saving > self.expected_loss


def break_even(saving: float, trouble: Trouble) -> BreakEven:
    """What is saved by a route against its expected loss, and how much trouble it could bear."""
    loss = trouble.expected_loss
    each = loss / trouble.probability if trouble.probability else 0.0
    return BreakEven(saving, loss, max(0.0, saving / each) if each else None)
