"""Bandwidth of a socket from the capacities of its channels: interleave regions, balance, peak, sustained."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Region:
    """A stretch of memory that is spread over `ways` channels."""

    ways: int
    gib: float


def peak_gbs(channels: int, rate_mts: int, factor: float = 1.0) -> float:
    """Most that a socket's wired channels can move, 8 bytes a transfer each. [GB/s]

    Examples
        >>> peak_gbs(8, 3200)
        204.8
    """
    return channels * 8 * rate_mts / 1000 * factor


def balance(channels_gib: Sequence[float]) -> float | None:
    """How evenly the channels are filled: `total / (n * fullest)`; 1 = even, None when all are empty.

    It is also the share of the peak that reading all of the memory evenly sustains, since the
    fullest channel is the last to finish.

    Examples
        >>> round(balance([24, 8]), 3)
        0.667
    """
    fullest = max(channels_gib, default=0)
    return sum(channels_gib) / (len(channels_gib) * fullest) if fullest else None


def regions(channels_gib: Sequence[float], ways_listed: Sequence[int] = ()) -> tuple[Region, ...]:
    """The memory split into regions by how many channels share each, most ways first.

    With capacities sorted c1 >= c2 >= ... the k-way part is k * (ck - c(k+1)) GiB. Where the sheet
    lists the ways that the controller can do, a k not listed splits into listed ones, largest first.

    Examples
        >>> regions([24, 8])
        (Region(ways=2, gib=16), Region(ways=1, gib=16))
        >>> regions([8, 8, 8, 8, 8], ways_listed=[1, 2, 4])
        (Region(ways=4, gib=32), Region(ways=1, gib=8))
    """
    descending = [*sorted(channels_gib, reverse=True), 0]
    by_ways: dict[int, float] = {}
    for k in range(1, len(descending)):
        depth = descending[k - 1] - descending[k]
        if depth <= 0:
            continue
        for ways in _split(k, ways_listed):
            by_ways[ways] = by_ways.get(ways, 0) + ways * depth
    return tuple(Region(k, by_ways[k]) for k in sorted(by_ways, reverse=True))


def _split(k: int, listed: Sequence[int]) -> list[int]:
    if not listed or k in listed:
        return [k]
    parts = []
    for ways in sorted({*listed, 1}, reverse=True):
        while k >= ways:
            parts.append(ways)
            k -= ways
    return parts
