"""How much memory is worth having, and whether a machine may be opened while the rest of its group carries its load."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import inf


@dataclass(frozen=True, slots=True)
class Workload:
    """So many of one kind: virtual machines, containers, databases, sessions."""

    kind: str
    count: int
    #: Of each. [GiB]
    gib: float
    #: Share that is busy at once: the rest lies paged out or asleep.
    busy: float = 1.0

    def __post_init__(self) -> None:
        """Raises ValueError for what nobody can mean."""
        if not (self.count >= 0 and 0 <= self.gib < inf and 0 <= self.busy <= 1):
            raise ValueError(f"{self.count} of {self.gib} GiB, {self.busy} of them busy, is no workload")

    @property
    def load_gib(self) -> float:
        return self.count * self.gib * self.busy


@dataclass(frozen=True, slots=True)
class Sizing:
    """What a machine is to carry."""

    workloads: tuple[Workload, ...] = ()
    #: The system itself. [GiB]
    base_gib: float = 0
    #: Wanted for caches of files, blocks, deduplication. [GiB]
    cache_gib: float = 0
    #: A year, as a share; and for how many years the memory is to do.
    growth: float = 0
    years: float = 0
    #: Left free beyond all of it, as a share.
    headroom: float = 0
    #: The most in use today, as somebody saw it; None = not known. [GiB]
    used_gib: float | None = None

    def __post_init__(self) -> None:
        """Raises ValueError for what nobody can mean."""
        told = (self.base_gib, self.cache_gib, self.growth, self.years, self.headroom, self.used_gib or 0)
        if not all(0 <= x < inf for x in told):
            raise ValueError("amounts, growth, years and headroom are finite and not negative")


@dataclass(frozen=True, slots=True)
class Need:
    """What it comes to, term by term. [GiB]"""

    #: All workloads as busy as they get, today.
    loads: float
    #: Loads and cache after the years; the system does not grow.
    grown: float
    base: float
    headroom: float
    total: float
    #: The largest single load: it goes to one machine as a whole.
    largest: float

    @property
    def load_today(self) -> float:
        """What another machine would have to carry, were this one open now: caches are left behind."""
        return self.loads


def need_of(s: Sizing) -> Need:
    """need = (base + (loads + cache) * (1 + growth)^years) * (1 + headroom). [GiB]

    Examples
        >>> need_of(Sizing((Workload("vm", 10, 4, 0.5),), base_gib=8, cache_gib=12, growth=0.1, years=2, headroom=0.25)).total
        58.4
    """
    loads = sum(w.load_gib for w in s.workloads)
    grown = (loads + s.cache_gib) * (1 + s.growth) ** s.years
    before = s.base_gib + grown
    total = before * (1 + s.headroom)
    return Need(
        loads=round(loads, 4),
        grown=round(grown, 4),
        base=s.base_gib,
        headroom=round(before * s.headroom, 4),
        total=round(total, 4),
        largest=max((w.gib for w in s.workloads if w.load_gib > 0), default=0.0),
    )


class Use(StrEnum):
    """What the memory is doing today."""

    STARVED = "starved"
    IDLE = "idle"
    FITTING = "fitting"


#: Above so much in use a machine pages or drops its caches; below so much half of what it has would do.
STARVED_FROM, IDLE_UP_TO = 0.92, 0.45


def use_of(used_gib: float | None, usable_gib: float) -> Use | None:
    """Starved, idle or neither; None where nobody saw its use."""
    if used_gib is None or usable_gib <= 0:
        return None
    share = used_gib / usable_gib
    return Use.STARVED if share >= STARVED_FROM else Use.IDLE if share <= IDLE_UP_TO else Use.FITTING


@dataclass(frozen=True, slots=True)
class Member:
    """One machine of a duty group."""

    id: str
    usable_gib: float
    #: None = nobody said what it carries.
    load_gib: float | None
    #: The largest single load that it carries; None = nobody said.
    largest_gib: float | None = None


@dataclass(frozen=True, slots=True)
class Duty:
    """Whether the rest can carry the load while one is open."""

    #: The loads of all, and what the others can use for it. [GiB]
    load_gib: float
    room_gib: float
    #: What is left if the largest of the others is lost too. [GiB]
    room_with_one_lost_gib: float
    #: Members whose load nobody said.
    unknown: tuple[str, ...]
    #: The largest single load of the one that is opened, and the most that one of the others whose load is known has free,
    #: with its name; None where nobody said. [GiB]
    largest_gib: float | None
    largest_room_gib: float | None
    largest_goes_to: str | None

    @property
    def fits(self) -> bool | None:
        """None where it cannot be told: a load that is not known could be any."""
        return False if self.load_gib > self.room_gib else None if self.unknown else True

    @property
    def fits_with_one_lost(self) -> bool | None:
        return False if self.load_gib > self.room_with_one_lost_gib else None if self.unknown else True

    @property
    def largest_fits(self) -> bool | None:
        """Whether any single one of the others has room for the largest load of the one that is opened. Its own load is not
        asked for: what it carries is told by that load."""
        if self.largest_gib is None:
            return None
        if self.largest_room_gib is not None and self.largest_gib <= self.largest_room_gib:
            return True
        return None if self.unknown else False


def duty_while_open(members: Sequence[Member], opened: str) -> Duty:
    """The group without one member, and without one more. Sums take loads as parts that go anywhere they find room, so the
    largest one is looked at by itself."""
    others = [m.usable_gib for m in members if m.id != opened]
    room = sum(others)
    free = [(m.usable_gib - m.load_gib, m.id) for m in members if m.id != opened and m.load_gib is not None]
    most, where = max(free, key=lambda f: f[0], default=(None, None))
    return Duty(
        load_gib=round(sum(m.load_gib or 0 for m in members), 4),
        room_gib=round(room, 4),
        room_with_one_lost_gib=round(room - max(others, default=0), 4),
        unknown=tuple(m.id for m in members if m.load_gib is None),
        largest_gib=next((m.largest_gib for m in members if m.id == opened), None),
        largest_room_gib=None if most is None else round(most, 4),
        largest_goes_to=where,
    )
