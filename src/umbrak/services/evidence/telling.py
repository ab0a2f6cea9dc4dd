"""Doubts, beliefs, trouble and its range as people are told them."""

from __future__ import annotations

from dataclasses import dataclass

from umbrak.core.evidence.belief import Belief, Contribution
from umbrak.core.evidence.table import FAILED, LADDERS, NUMBERS, RAN, DoubtKind, Table
from umbrak.core.evidence.trouble import Range, Seen, Trouble


@dataclass(frozen=True, slots=True)
class Spoken:
    """What one trial does to a belief, with the factors of its weight."""

    trial: str
    outcome: str
    says: float
    likeness: float
    age: float
    soak: float
    blame: float
    version: float
    weight: float
    #: By what it multiplies the odds; 1 where another report of the same source stands for it.
    times: float
    counts: bool


@dataclass(frozen=True, slots=True)
class BeliefView:
    """One doubt, how far it is believed that it works, and every term of that."""

    words: str
    kind: DoubtKind
    #: Probability that it works: before any trial, and with them all.
    prior: float
    works: float
    #: Probability that something is displayed oddly where it works.
    quirks: float
    #: Why it starts where it does, and the reason of the number behind it.
    starts: str
    because: str
    contributions: tuple[Spoken, ...]
    #: True where no trial speaks of it: then it is the prior alone.
    is_prior: bool
    #: Whether somebody's word is missing or against it; else it is only what is always doubted of something new.
    lacks_word: bool


def belief_view(b: Belief, table: Table) -> BeliefView:
    starts, because = _start(b, table)
    return BeliefView(
        words=b.doubt.words,
        kind=b.doubt.kind,
        prior=b.prior,
        works=b.works,
        quirks=b.quirks,
        starts=starts,
        because=because,
        contributions=tuple(_spoken(c) for c in b.contributions),
        is_prior=b.is_prior,
        lacks_word=b.doubt.lacks_word(table),
    )


def _spoken(c: Contribution) -> Spoken:
    times = (RAN if c.outcome.ran else FAILED) ** c.weight if c.counts else 1.0
    return Spoken(
        trial=c.trial, outcome=c.outcome.value, says=c.says, likeness=c.likeness, age=c.age, soak=c.soak, blame=c.blame,
        version=c.version, weight=c.weight, times=times, counts=c.counts,
    )  # fmt: skip


def _start(b: Belief, table: Table) -> tuple[str, str]:
    """(what it starts from in words, the reason of the number)."""
    d = b.doubt
    if d.kind not in LADDERS:
        n = NUMBERS[d.number]
        return f"{n.words}: {table[d.number]:g}", n.because
    passed = d.passes(table)
    if passed is None:
        base = NUMBERS["base"]
        return base.words, base.because
    number = NUMBERS[passed.number]
    times = d.asks / passed.value
    return f"{passed.words}, this is {times:.3g} times as much", number.because


@dataclass(frozen=True, slots=True)
class WayView:
    """Trouble looked at otherwise."""

    words: str
    trouble: float


@dataclass(frozen=True, slots=True)
class RangeView:
    """How low and how high trouble comes to, looked at otherwise; the way that moves it most comes first."""

    low: float
    high: float
    ways: tuple[WayView, ...]


def range_view(r: Range) -> RangeView:
    return RangeView(r.low, r.high, tuple(WayView(way_words(s), s.trouble.probability) for s in r.ways))


def way_words(s: Seen) -> str:
    return {
        "half": "every doubt at half",
        "double": "every doubt at double",
        "hearsay": "hearsay ignored",
        "source": f"{s.about} believed half as much",
    }[s.by]


@dataclass(frozen=True, slots=True)
class LossView:
    """One outcome's part of the expected loss."""

    outcome: str
    probability: float
    cost: float


def losses_of(trouble: Trouble) -> tuple[LossView, ...]:
    return tuple(LossView(t.outcome, t.probability, t.cost) for t in trouble.terms)
