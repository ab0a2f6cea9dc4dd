"""Trials: somebody put something somewhere, and this happened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from types import MappingProxyType

from umbrak.core.evidence.table import Outcome
from umbrak.core.memory.module import Module, amount
from umbrak.core.memory.parts import key_of
from umbrak.core.platform.statement import SourceKind


@dataclass(frozen=True, slots=True)
class Held:
    """What a machine held when something was tried, beyond a part and a total; each told or not."""

    #: slot, channel, socket -> the most that one of them held. [GiB]
    most: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    #: Makers, and kits ("part revision"), that ran together.
    makers: frozenset[str] = frozenset()
    kits: frozenset[str] = frozenset()
    #: Facts that nobody told and that it ran over (`Doubt.about` of that kind).
    facts: frozenset[str] = frozenset()
    firmware: str | None = None
    system: str | None = None


_NOTHING = Held()


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
    #: Where it is told: a thread, a document, a machine. Those of one source do not add up; untold sources count as one.
    source: str = ""
    held: Held = _NOTHING

    def is_of(self, number: str | None) -> bool:
        """Whether it tried the part of this number."""
        return bool(number) and key_of(number or "") in {key_of(n) for n in (self.part, *self.also) if n}

    @property
    def told_by(self) -> tuple[str, str]:
        """Who said it where: the kind of source and the source."""
        return self.who.value, self.source.strip().casefold()

    @property
    def most(self) -> Mapping[str, float]:
        """slot, channel, socket -> the most that one of them held, as far as it is told. [GiB]"""
        gib = self.module.capacity_gib if self.module else None
        return {"slot": gib, **self.held.most} if gib is not None else self.held.most


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
