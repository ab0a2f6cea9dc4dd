"""How well trouble was predicted: what was believed at approval beside what came of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

#: From so many on a score says something.
ENOUGH = 10
#: Bands of predicted trouble.
BANDS = ((0.0, 0.1), (0.1, 0.3), (0.3, 0.6), (0.6, 1.0))


@dataclass(frozen=True, slots=True)
class Predicted:
    trouble: float
    #: Whether it did not run.
    failed: bool


@dataclass(frozen=True, slots=True)
class Band:
    """Predictions between two probabilities: how many, what they were on average, how many came so."""

    low: float
    high: float
    count: int
    predicted: float
    failed: int
    #: Between these the share that really comes so lies, 80 of 100 times (Wilson 1927).
    at_least: float
    at_most: float


def brier(all_of: Sequence[Predicted]) -> float | None:
    """The mean squared difference of what was predicted and what came (Brier 1950): 0 = always right, 0.25 = no better
    than a coin; None below `ENOUGH`.

    Examples
        >>> brier([Predicted(0.5, True)] * 10)
        0.25
    """
    if len(all_of) < ENOUGH:
        return None
    return sum((p.trouble - p.failed) ** 2 for p in all_of) / len(all_of)


def bands(all_of: Sequence[Predicted]) -> tuple[Band, ...]:
    """By what was predicted; bands without any are left out."""
    found = []
    for low, high in BANDS:
        mine = [p for p in all_of if low <= p.trouble < high or p.trouble == high == 1]
        if mine:
            mean, failed = sum(p.trouble for p in mine) / len(mine), sum(p.failed for p in mine)
            at_least, at_most = wilson(failed, len(mine))
            found.append(
                Band(
                    low=low,
                    high=high,
                    count=len(mine),
                    predicted=mean,
                    failed=failed,
                    at_least=at_least,
                    at_most=at_most,
                )
            )
    return tuple(found)


#: Of the normal distribution, for 80 of 100.
_Z = 1.2815515655446004


def wilson(came: int, count: int) -> tuple[float, float]:
    """The interval for a share of which `came` of `count` were seen (Wilson 1927), 80 of 100.

    Examples
        >>> [round(x, 3) for x in wilson(0, 2)]
        [0.0, 0.451]
    """
    share, square = came / count, _Z * _Z
    middle = (share + square / (2 * count)) / (1 + square / count)
    half = _Z * ((share * (1 - share) + square / (4 * count)) / count) ** 0.5 / (1 + square / count)
    return max(0.0, middle - half), min(1.0, middle + half)
