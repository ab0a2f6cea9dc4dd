"""Doubts together: how probable trouble is, what it costs, how sure that is, and what a saving is worth against it.

Trouble is that a route does not run: not seen, no start, unstable, or a module that comes in and fails early. What runs and is only
displayed oddly (quirks) has a figure of its own and is no trouble.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from math import prod

from umbrak.core.evidence.belief import Belief, Lens, believe
from umbrak.core.evidence.board import Board
from umbrak.core.evidence.doubts import Resting
from umbrak.core.evidence.table import EARLY_COST, NOT_SEEN_SHARE, USUAL, Cost, Outcome, Table
from umbrak.core.evidence.trial import Trial
from umbrak.core.platform.statement import SourceKind


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

    #: not-seen, unstable, early (a module that comes in fails), quirks.
    outcome: str
    probability: float
    cost: float

    @property
    def loss(self) -> float:
        return self.probability * self.cost


@dataclass(frozen=True, slots=True)
class Trouble:
    """Of a whole route; its doubts are taken as independent."""

    #: Probability that it does not run, or that a module that comes in fails early.
    probability: float
    #: Of that, without modules that fail early: 1 - P(runs).
    doubted: float
    #: Probability that a module that comes in fails early.
    early: float
    #: Probability that it runs and something is displayed oddly; no part of trouble.
    quirks: float
    terms: tuple[Term, ...]
    beliefs: tuple[Belief, ...]
    #: Modules that come in; of those, that ran elsewhere before.
    comes: int
    pulled: int = 0

    @property
    def runs(self) -> float:
        return 1 - self.doubted

    @property
    def expected_loss(self) -> float:
        return sum(t.loss for t in self.terms)


NO_TROUBLE = Trouble(probability=0.0, doubted=0.0, early=0.0, quirks=0.0, terms=(), beliefs=(), comes=0)


def trouble_of(
    beliefs: Sequence[Belief], costs: Costs = _FREE, table: Table = USUAL, comes: int = 0, pulled: int = 0
) -> Trouble:
    """Combine beliefs. Nothing doubted and nothing that comes in: no trouble.

    Parameters
        comes, pulled   modules that come in; of those, that ran elsewhere before
    """
    if not beliefs and not comes:
        return NO_TROUBLE
    runs = prod(b.works for b in beliefs)
    seen = prod(1 - (1 - b.works) * NOT_SEEN_SHARE[b.doubt.kind] for b in beliefs)
    lasts = (1 - table["early.new"]) ** (comes - pulled) * (1 - table["early.pulled"]) ** pulled
    quirks = runs * (1 - prod(1 - b.quirks for b in beliefs))
    # The worst over all doubts is what happens: not seen, else unstable, else a module that fails early.
    terms = (
        Term(Outcome.NOT_SEEN, 1 - seen, outcome_cost(Outcome.NOT_SEEN, costs, table)),
        Term(Outcome.UNSTABLE, seen - runs, outcome_cost(Outcome.UNSTABLE, costs, table)),
        Term("early", runs * (1 - lasts), cost_of(EARLY_COST, costs, table)),
        Term(Outcome.QUIRKS, quirks, outcome_cost(Outcome.QUIRKS, costs, table)),
    )
    return Trouble(
        probability=1 - runs * lasts, doubted=1 - runs, early=1 - lasts, quirks=quirks, terms=terms, beliefs=tuple(beliefs),
        comes=comes, pulled=pulled,
    )  # fmt: skip


def outcome_cost(
    outcome: Outcome, costs: Costs, table: Table, downtime: float = 1, returns: float = 1, exposure: float = 1
) -> float:
    """What an outcome costs; the last three multiply its parts, where something was done about them."""
    return cost_of(table.costs[outcome], costs, table, downtime, returns, exposure)


def cost_of(c: Cost, costs: Costs, table: Table, downtime: float = 1, returns: float = 1, exposure: float = 1) -> float:
    exposed = costs.data / table.backup_factor**costs.backup_tiers
    return (
        c.hours * costs.hour
        + c.downtime_h * costs.downtime_hour * downtime
        + c.returns * costs.returned * returns
        + c.exposure * exposed * exposure
    )


# -- how sure it is ---------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Seen:
    """Trouble looked at otherwise: under what, and what it then comes to."""

    #: half, double, hearsay, source.
    by: str
    #: Of a source: who said it where.
    about: str
    trouble: Trouble


@dataclass(frozen=True, slots=True)
class Range:
    """The lowest and the highest that trouble comes to when it is looked at otherwise, and what moves it most."""

    low: float
    high: float
    #: Every way of looking, the one that moves it most first.
    ways: tuple[Seen, ...]

    @property
    def most(self) -> Seen | None:
        return self.ways[0] if self.ways else None


def range_of(
    board: Board, resting: Resting, trials: Iterable[Trial], today: date, costs: Costs = _FREE, table: Table = USUAL
) -> Range:
    """Doubts at half and at double, each source at half its weight, hearsay ignored. The point lies within."""
    trials = tuple(trials)

    def seen(lens: Lens) -> Trouble:
        beliefs = [believe(board, d, trials, today, lens) for d in resting.doubts]
        return trouble_of(beliefs, costs, lens.table, resting.comes, resting.pulled)

    point = seen(Lens(table))
    found = [
        Seen("half", "", seen(Lens(table.with_doubts(0.5)))),
        Seen("double", "", seen(Lens(table.with_doubts(2.0)))),
    ]
    speaks = {c.trial for b in point.beliefs for c in b.contributions}
    heard = [t for t in trials if t.id in speaks]
    if any(t.who is SourceKind.HEARSAY for t in heard):
        found.append(Seen("hearsay", "", seen(Lens(table, hearsay=False))))
    for source in sorted({t.told_by for t in heard}):
        about = source[1] or source[0].replace("-", " ")
        found.append(Seen("source", about, seen(Lens(table, halved=source))))
    moves: Callable[[Seen], float] = lambda s: abs(s.trouble.probability - point.probability)  # noqa: E731
    ways = tuple(sorted((s for s in found if moves(s) > 1e-9), key=lambda s: (-moves(s), s.by, s.about)))
    all_of_them = [point.probability, *(s.trouble.probability for s in found)]
    return Range(min(all_of_them), max(all_of_them), ways)


# -- worth it ---------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class BreakEven:
    """A saving against what it risks more than the route that the maker stands behind."""

    saving: float
    #: Probability that it runs: only then the saving is had.
    runs: float
    #: Expected loss, less the other route's own.
    expected_loss: float
    #: The probability of trouble at which the saving is eaten up; None where trouble costs nothing.
    trouble: float | None
    #: The outcome that alone would eat the saving, the likeliest of them; None where none would.
    eaten_by: Term | None

    @property
    def worth_it(self) -> bool:
        return self.saving * self.runs > self.expected_loss


def break_even(saving: float, trouble: Trouble, other: Trouble = NO_TROUBLE) -> BreakEven:
    """What is saved by a route against what it risks more than the other one.

    At a probability t of trouble the saving is had with 1 - t, and the loss is t times what trouble costs on average:
    they meet at (saving + the other's own loss) / (saving + that cost).
    """
    own = sum(t.loss for t in trouble.terms if t.outcome != Outcome.QUIRKS)
    quirks = trouble.expected_loss - own
    each = own / trouble.probability if trouble.probability else 0.0
    even = (saving + other.expected_loss - quirks) / (saving + each) if each and saving + each > 0 else None
    eats = [t for t in trouble.terms if t.cost > saving and t.probability > 0]
    return BreakEven(
        saving=saving,
        runs=trouble.runs,
        expected_loss=trouble.expected_loss - other.expected_loss,
        trouble=None if even is None else min(max(even, 0.0), 1.0),
        eaten_by=max(eats, key=lambda t: t.probability, default=None),
    )
