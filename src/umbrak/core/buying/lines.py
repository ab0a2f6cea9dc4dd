"""Lines of what to buy, over all plans that want it: a kit may serve two of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from umbrak.core.memory.module import Module, alike, organisation
from umbrak.core.plan.brief import shop_words
from umbrak.core.routes.material import supply
from umbrak.core.routes.problem import Candidate, Origin


@dataclass(frozen=True, slots=True)
class Need:
    """So many modules alike that a plan puts in and that are not fitted."""

    #: Whose: whatever tells plans apart.
    plan: str
    module: Module
    count: int


@dataclass(frozen=True, slots=True)
class Take:
    """Whole kits of one offer, or modules of one line of the Shelf."""

    candidate: Candidate
    #: Its place among the candidates.
    at: int
    kits: int
    price: Decimal

    @property
    def modules(self) -> int:
        return self.kits * self.candidate.kit


@dataclass(frozen=True, slots=True)
class Line:
    """One kind of module."""

    module: Module
    #: As a shop lists it.
    words: str
    needs: tuple[Need, ...]
    #: Places of all offers that are it, whether or not they are taken.
    offers: tuple[int, ...]
    from_shelf: tuple[Take, ...]
    takes: tuple[Take, ...]
    #: Modules that nobody offers.
    missing: int

    @property
    def wanted(self) -> int:
        return sum(n.count for n in self.needs)

    @property
    def left_over(self) -> int:
        """Modules of whole kits beyond what is wanted."""
        had = sum(t.modules for t in (*self.from_shelf, *self.takes))
        return max(0, had + self.missing - self.wanted)

    @property
    def cost(self) -> Decimal:
        return sum((t.price for t in self.takes), Decimal(0))

    @property
    def lead_days(self) -> int | None:
        """When the last of it is there; None where nothing is bought or somebody does not say."""
        days = [t.candidate.lead_days for t in self.takes]
        return None if not days or None in days else max(d for d in days if d is not None)


def lines_of(needs: Iterable[Need], candidates: Sequence[Candidate]) -> tuple[Line, ...]:
    """What to take from the Shelf and what to buy, at least cost for each kind.

    Kinds with a part number first: they take no other. One without is any of its organisation and rate: the Shelf's first,
    then the cheapest. What one kind takes of a limited stock is gone for those after it.

    Parameters
        candidates   offers, and of the Shelf what is free for these plans
    """
    by_kind: dict[Module, list[Need]] = {}
    for need in needs:
        if need.count > 0:
            by_kind.setdefault(alike(need.module), []).append(need)
    left = [c.stock for c in candidates]
    made = []
    for kind in sorted(by_kind, key=lambda m: m.part is None):
        fits = [
            i
            for i, c in enumerate(candidates)
            if (alike(c.module) == kind if kind.part else stands_for(c.module, kind))
        ]
        wanted = sum(n.count for n in by_kind[kind])
        shelf = [i for i in fits if candidates[i].origin is Origin.SHELF]
        from_shelf, wanted = _from_shelf(candidates, shelf, wanted, left)
        takes, missing = _bought(candidates, [i for i in fits if i not in shelf], wanted, left)
        made.append(
            Line(
                module=kind,
                words=shop_words(kind),
                needs=tuple(by_kind[kind]),
                offers=tuple(i for i in fits if i not in shelf),
                from_shelf=from_shelf,
                takes=takes,
                missing=missing,
            )
        )
    return tuple(sorted(made, key=lambda line: (line.words, line.module.part or "")))


def stands_for(other: Module, wanted: Module) -> bool:
    """Whether a module with a part number may be put in where one without was planned."""
    return bool(
        other.part
        and organisation(other) == organisation(wanted)
        and other.rate_mts == wanted.rate_mts
        and other.failed is None
    )


def _from_shelf(
    candidates: Sequence[Candidate], shelf: Sequence[int], wanted: int, left: list[int | None]
) -> tuple[tuple[Take, ...], int]:
    """(what is taken, how many are still wanted); what is taken is gone from `left`."""
    taken = []
    for i in shelf:
        there = left[i]
        if n := wanted if there is None else min(wanted, there):
            taken.append(Take(candidates[i], i, n, Decimal(0)))
            wanted -= n
            left[i] = None if there is None else there - n
    return tuple(taken), wanted


def _bought(
    candidates: Sequence[Candidate], offers: Sequence[int], wanted: int, left: list[int | None]
) -> tuple[tuple[Take, ...], int]:
    """(whole kits at least cost, how many cannot be had); what is taken is gone from `left`."""
    _, kits = supply([replace(candidates[i], stock=left[i]) for i in offers], 0, wanted)
    had = len(kits) - 1
    takes = []
    for i, n in zip(offers, kits[had], strict=True):
        if n:
            c, there = candidates[i], left[i]
            takes.append(Take(c, i, n, c.price * n))
            left[i] = None if there is None else there - n * c.kit
    return tuple(takes), wanted - had
