"""What a machine shows of lacking memory: the need that follows from it, and whether an upgrade helped.

Figures that a machine shows are cut off by what it has: what is in use is at most what is there, a cache has the hits that
its size allows. So they give a floor of the need, and only sometimes a height that would do; what stays open is said.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from math import inf

from umbrak.core.plan.sizing import STARVED_FROM


@dataclass(frozen=True, slots=True)
class Symptoms:
    """What somebody saw at the worst time; None = not looked at."""

    #: In use without what caches hold. [GiB]
    used_gib: float | None = None
    #: Lies in swap. [GiB]
    swapped_gib: float | None = None
    #: Whether pages come back from swap all the time, and not only once after a start.
    pages: bool | None = None
    #: Size of the cache of files or blocks, and the share of its reads that it answers.
    cache_gib: float | None = None
    cache_hit: float | None = None
    #: Share of reads that it should answer.
    hit_wanted: float | None = None
    #: Loads that found no room (a host that is full), and what each takes. [GiB]
    refused: int | None = None
    refused_gib: float | None = None

    def __post_init__(self) -> None:
        """Raises ValueError for what nobody can mean."""
        amounts = (self.used_gib, self.swapped_gib, self.cache_gib, self.refused_gib, self.refused)
        if not all(0 <= x < inf for x in amounts if x is not None):
            raise ValueError("amounts are finite and not negative")
        if not all(0 <= x <= 1 for x in (self.cache_hit, self.hit_wanted) if x is not None):
            raise ValueError("a share of hits lies between 0 and 1")

    @property
    def is_told(self) -> bool:
        told = (self.used_gib, self.swapped_gib, self.cache_gib, self.cache_hit, self.refused)
        return any(x is not None for x in told)


@dataclass(frozen=True, slots=True)
class Term:
    """A part of the need, and why it is at least so large. [GiB]"""

    words: str
    gib: float


@dataclass(frozen=True, slots=True)
class FromSeen:
    """The need that follows from what was seen."""

    #: At least so much usable. [GiB]
    floor: float
    #: So much would do; None where what was seen cannot tell. [GiB]
    enough: float | None
    terms: tuple[Term, ...]
    #: What is not known, each a reason why there is no `enough`, or a hint at what to look at.
    open: tuple[str, ...]


def need_seen(s: Symptoms, usable_gib: float) -> FromSeen | None:
    """The need by what was seen in a machine that can use so much now. None where nothing was seen.

    What was not looked at could want any amount, so `enough` is told only where everything was.
    In use and refused loads count as they are. What lies in swap counts whole where pages come back all the time, and not at
    all towards the floor where they do not: pages that nobody asks for may stay out. The share of hits of a cache grows ever
    more slowly with its size (what is asked for most is in it first), so wanting w of a cache of C that answers h takes at
    least C * w / h; how much more, one figure cannot tell.
    """
    if not s.is_told:
        return None
    terms: list[Term] = []
    unknown: list[str] = []
    more = 0.0
    if s.used_gib is not None:
        terms.append(Term("in use", s.used_gib))
    else:
        unknown.append("what is in use at most")
    if s.swapped_gib is None:
        unknown.append("what lies in swap")
    elif s.swapped_gib and s.pages:
        terms.append(Term("in swap, and coming back all the time", s.swapped_gib))
    elif s.swapped_gib:
        more = s.swapped_gib
        if s.pages is None:
            unknown.append("whether pages come back from swap all the time, or lie there unasked")
    terms += _cache(s)
    if s.cache_gib is None:
        unknown.append("how large the cache is")
    elif s.cache_gib and (s.cache_hit is None or s.hit_wanted is None):
        unknown.append("how often the cache answers, and how often it should")
    elif s.cache_gib and s.cache_hit is not None and s.hit_wanted is not None and s.hit_wanted > s.cache_hit:
        unknown.append("how the hits grow with the cache: look again after a step, two figures say more")
    if s.refused is None:
        unknown.append("whether anything found no room")
    elif s.refused and s.refused_gib is None:
        unknown.append("how much each of those that found no room takes")
    elif s.refused and s.refused_gib:
        terms.append(Term(f"{s.refused} that found no room", s.refused * s.refused_gib))
    elif s.used_gib is not None and s.used_gib >= STARVED_FROM * usable_gib > 0:
        unknown.append("what it would use beyond all that it has: that does not show")
    floor = round(sum(t.gib for t in terms), 4)
    return FromSeen(floor, None if unknown else round(floor + more, 4), tuple(terms), tuple(unknown))


def _cache(s: Symptoms) -> Iterator[Term]:
    if not s.cache_gib:
        return
    if s.cache_hit and s.hit_wanted and s.hit_wanted > s.cache_hit:
        share = f"for {s.hit_wanted:.0%} of its reads instead of {s.cache_hit:.0%}"
        yield Term(f"cache, at least, {share}", round(s.cache_gib * s.hit_wanted / s.cache_hit, 4))
    else:
        yield Term("cache as it is", s.cache_gib)


class Change(StrEnum):
    BETTER = "better"
    WORSE = "worse"
    SAME = "the same"
    #: Seen only once, or not at all.
    UNKNOWN = "not known"


@dataclass(frozen=True, slots=True)
class Beside:
    """One figure before and after. Shares are of 1, amounts in GiB."""

    what: str
    unit: str
    before: float | None
    after: float | None
    change: Change


@dataclass(frozen=True, slots=True)
class Helped:
    """Whether the upgrade helped with what was seen before it."""

    #: True where something got better and nothing worse, False where nothing did or something got worse, None where what was
    #: seen before was not seen again.
    helped: bool | None
    figures: tuple[Beside, ...]


#: Changes below these are how figures scatter: shares as they are, amounts as a share of the larger.
_SCATTER = 0.02


def did_it_help(before: Symptoms, before_usable: float, after: Symptoms, after_usable: float) -> Helped:
    """What was seen before beside what was seen after, figure by figure. [GiB]"""
    figures = (
        _beside("in use, of what is usable", "share", _share(before, before_usable), _share(after, after_usable), -1),
        _beside("in swap", "GB", before.swapped_gib, after.swapped_gib, -1),
        _beside("pages from swap all the time", "yes", _flag(before.pages), _flag(after.pages), -1),
        _beside("hits of the cache", "share", before.cache_hit, after.cache_hit, 1),
        _beside("loads without room", "", _count(before.refused), _count(after.refused), -1),
    )
    seen = [f for f in figures if f.before is not None]
    changes = {f.change for f in seen}
    lacking = Change.UNKNOWN in changes
    if not seen or changes == {Change.UNKNOWN}:
        helped = None
    elif Change.WORSE in changes:
        helped = False
    else:
        helped = True if Change.BETTER in changes and not lacking else None if lacking else False
    return Helped(helped, tuple(f for f in figures if f.before is not None or f.after is not None))


def _share(s: Symptoms, usable: float) -> float | None:
    return None if s.used_gib is None or usable <= 0 else round(s.used_gib / usable, 4)


def _flag(x: bool | None) -> float | None:
    return None if x is None else float(x)


def _count(x: int | None) -> float | None:
    return None if x is None else float(x)


def _beside(what: str, unit: str, before: float | None, after: float | None, good: int) -> Beside:
    if before is None or after is None:
        return Beside(what, unit, before, after, Change.UNKNOWN)
    grown = after - before
    least = _SCATTER if unit == "share" else _SCATTER * max(abs(before), abs(after))
    if abs(grown) <= least:
        change = Change.SAME
    else:
        change = Change.BETTER if grown * good > 0 else Change.WORSE
    return Beside(what, unit, before, after, change)
