"""Ladders: how much of something works.

Somewhere lies a ceiling T, and so much of it works as lies at or below T. Figures say where it may lie: they are bounds
on the one ceiling, so of those that are passed the most doubtful counts, once for passing it and once for each doubling.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import exp, inf, log, log2

from umbrak.core.evidence.table import FAILED, RAN, Table


@dataclass(frozen=True, slots=True)
class Figure:
    """What somebody states, on the ladder's axis."""

    value: float
    #: Its name in the table: "figure.official".
    number: str
    #: Who states it, in words.
    words: str = ""
    #: firmware, system: versions of what it hangs on.
    versions: tuple[str, ...] = ()
    #: Whether nobody states it but the machine's own tables.
    claimed: bool = False


@dataclass(frozen=True, slots=True)
class Ladder:
    """What is known of a ceiling before any trial."""

    figures: tuple[Figure, ...] = ()
    #: Beyond this nothing works: address lines end there.
    hard: float = inf
    #: So much runs in this very machine.
    runs: float = 0.0
    #: The number of the table for more than runs now within every figure; "" = nothing is doubted of that.
    base: str = ""

    def worst(self, at: float, table: Table) -> tuple[float, Figure | None]:
        """(chance that so much works by the figures alone, the figure that counts)."""
        found: tuple[float, Figure | None] = (1.0, None)
        for f in self.figures:
            if at > f.value > 0:
                chance = table[f.number] ** (1 + log2(at / f.value))
                if chance < found[0]:
                    found = chance, f
        return found

    def prior(self, at: float, table: Table) -> float:
        """P(T >= at). Never rises with `at`."""
        if at <= self.runs:
            return 1.0
        if at > self.hard:
            return 0.0
        base = table[self.base] if self.base else 1.0
        return base * self.worst(at, table)[0] / self.worst(self.runs, table)[0]


@dataclass(frozen=True, slots=True)
class Weight:
    """What one trial says of a ladder or a thing."""

    #: Where on the axis; 0 for what is no ladder.
    at: float
    ran: bool
    weight: float
    #: Trials of one source about one board and total: of them the best good and the best bad report count.
    group: object


def survival(ladder: Ladder, at: float, weights: Sequence[Weight], table: Table) -> float:
    """P(T >= at) after trials, exactly: what ran at t multiplies [T >= t] by 100^w, what failed by 0.1^w, on the cells
    between the totals that matter."""
    points = sorted({at, *(w.at for w in weights)})
    edges = [1.0, *(ladder.prior(p, table) for p in points), 0.0]
    logs, above = [], []
    for i, (upper, lower) in enumerate(pairwise(edges)):
        mass = upper - lower
        if mass > 0:
            reached = points[i - 1] if i else -inf
            logs.append(log(mass) + log_odds(w for w in weights if w.at <= reached))
            above.append(reached >= at)
    top = max(logs)
    masses = [exp(x - top) for x in logs]
    return sum(m for m, is_above in zip(masses, above, strict=True) if is_above) / sum(masses)


def log_odds(weights: Iterable[Weight]) -> float:
    """By what weights multiply odds, as a logarithm: of one group the best good and the best bad report."""
    best: dict[tuple[object, bool], float] = {}
    for w in weights:
        key = (w.group, w.ran)
        best[key] = max(best.get(key, 0.0), w.weight)
    # In the order of their size: a sum of floats must not hang on the order in which trials were noted.
    return sum(sorted(n * log(RAN if ran else FAILED) for (_, ran), n in best.items()))
