"""Two machines that are one, made twice: what is known of either, put together slot by slot."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import TypeVar

from umbrak.core.platform.difference import AGREES, Change, compare_slot
from umbrak.core.platform.known import Claim, Disputed, Known, Origin, Running, Totals
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant

_Told = TypeVar("_Told", Totals, Claim, Running)


@dataclass(frozen=True, slots=True)
class Side:
    """What is known of one of them, and where from: slot -> its source, for every slot."""

    known: Known
    sources: Mapping[str, Origin]

    def occupant(self, slot: str) -> Occupant | None:
        return self.known.slots.get(slot)


def joined(one: Side, other: Side, slots: Iterable[str]) -> Known:
    """What both tell together.

    A slot that one of them does not know is as the other tells. Where they contradict, the later report is believed and the
    earlier one kept beside it as disputed; reports that were disputed before stay so. A module found at fault by either is at
    fault, unless the later report tells of another module in its slot. Of bays, counters, totals and claims the later goes first.
    """
    held: dict[str, Occupant | None] = {}
    sources: dict[str, Origin] = {}
    failed: set[str] = set()
    disputed = {**other.known.disputed, **one.known.disputed}
    for slot in slots:
        early, late = sorted((one, other), key=lambda s: s.sources[slot].at)
        if late.occupant(slot) is UNKNOWN:
            early, late = late, early
        difference = compare_slot(slot, early.occupant(slot), late.occupant(slot))
        held[slot] = difference.merged
        sources[slot] = late.sources[slot].after(early.sources[slot], difference.change in AGREES)
        unknown_before = early.occupant(slot) is UNKNOWN
        contradicts = difference.change in (Change.DIFFERS, Change.GOES, Change.COMES) and not unknown_before
        if contradicts:
            source = early.sources[slot]
            disputed[slot] = Disputed(source.kind, source.at, early.occupant(slot))
        if slot in late.known.failed or (slot in early.known.failed and not contradicts):
            failed.add(slot)
    used = {s for side in (one, other) for s in side.known.in_use}
    first, second = sorted((one, other), key=_newest, reverse=True)
    return replace(
        first.known,
        slots=Layout({s: o for s, o in held.items() if o is not None}),
        failed=tuple(sorted(failed)),
        in_use=tuple(sorted(used & failed)),
        sources=sources,
        disputed=disputed,
        bays={**second.known.bays, **first.known.bays},
        health={**second.known.health, **first.known.health},
        totals=_later(first.known.totals, second.known.totals),
        claim=_later(first.known.claim, second.known.claim),
        running=_later(first.known.running, second.known.running),
    )


def _newest(side: Side) -> float:
    """When the newest of it was told; 0 where nothing was. [s since 1970]"""
    return max((o.at.timestamp() for o in side.sources.values()), default=0.0)


def _later(one: _Told | None, other: _Told | None) -> _Told | None:
    return max((x for x in (one, other) if x is not None), key=lambda x: x.at, default=None)
