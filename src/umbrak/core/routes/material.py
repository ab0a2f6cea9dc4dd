"""Kinds of module at hand, and what each count of a kind costs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from umbrak.core.memory.module import Contradiction, Module, against_itself, alike
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.platform.sheet import Sheet
from umbrak.core.routes.problem import Candidate, Origin

#: Money is reckoned in whole thousandths, so that sums are exact.
MILLS = 1000


def mills(price: Decimal) -> int:
    return int(price * MILLS)


@dataclass(frozen=True, slots=True)
class Bought:
    """So many kits of one candidate."""

    candidate: Candidate
    kits: int

    @property
    def modules(self) -> int:
        return self.kits * self.candidate.kit

    @property
    def price(self) -> Decimal:
        return self.kits * self.candidate.price


@dataclass(frozen=True)
class Kind:
    """Modules that are alike, wherever they come from. The module is None for what nobody knows: it stays or goes."""

    index: int
    module: Module | None
    #: Slots that hold one now.
    slots: tuple[str, ...]
    sources: tuple[Candidate, ...]
    listed: bool
    #: Count -> what that many cost beyond those fitted, in mills; its length is one more than can be had.
    cost: tuple[int, ...]
    #: Count -> kits of each source.
    _kits: tuple[tuple[int, ...], ...]
    #: Count -> how many of those put in were pulled out of other machines.
    pulled: tuple[int, ...]

    @property
    def fitted(self) -> int:
        return len(self.slots)

    def bought(self, count: int) -> tuple[Bought, ...]:
        """What is bought or taken from the shelf to have so many."""
        return tuple(Bought(c, kits) for c, kits in zip(self.sources, self._kits[count], strict=True) if kits)

    def breaks(self, beside_fitted: bool = False) -> tuple[int, ...]:
        """Counts after which one more costs more than the last one did, or comes from elsewhere. In a cheapest mixture of kinds
        all but one of each origin stand at such a count: otherwise exchanging one module between two of them would be
        cheaper. `beside_fitted`: of several kinds that are fitted any count may be the one that moves least."""
        most = len(self.cost) - 1
        slope = [b - a for a, b in zip(self.cost, self.cost[1:], strict=False)]
        return tuple(
            n
            for n in range(1, most + 1)
            if n == most
            or slope[n] > slope[n - 1]
            or self.is_pulled(n) is None
            or self.is_pulled(n) is not self.is_pulled(n + 1)
            or n == self.fitted
            or (beside_fitted and n < self.fitted)
        )

    def is_pulled(self, count: int) -> bool | None:
        """Whether the last of so many was pulled; None where a kit changes how many do otherwise."""
        return {0: False, 1: True}.get(self.pulled[count] - self.pulled[count - 1])


def left_out(candidates: Iterable[Candidate]) -> tuple[str, ...]:
    """Why candidates are not used, each in one sentence: what is told of them cannot all be true, so nothing is known by it."""
    return tuple(
        dict.fromkeys(
            f"{c.part} is told against itself: {wrong[0].message}" for c in candidates if (wrong := _wrong(c))
        )
    )


def sound(candidates: Iterable[Candidate]) -> tuple[Candidate, ...]:
    """Candidates that are not left out."""
    return tuple(c for c in candidates if not _wrong(c))


def _wrong(c: Candidate) -> tuple[Contradiction, ...]:
    return against_itself(alike(c.module))


def kinds_of(sheet: Sheet, now: Layout, candidates: Iterable[Candidate], most: int) -> tuple[Kind, ...]:
    """Every kind that is fitted or can soundly be had, up to `most` modules of each; fitted ones first, then by part."""
    slots: dict[Module, list[str]] = {}
    unknown = [s for s in sheet.slots if now.get(s) is UNKNOWN]
    for slot in sheet.slots:
        if isinstance(m := now.get(slot), Module):
            slots.setdefault(alike(m), []).append(slot)
    candidates = sound(candidates)
    told = told_of_parts(candidates)
    sources: dict[Module, list[Candidate]] = {}
    for c in sorted(candidates, key=lambda c: (c.part, c.origin != Origin.SHELF, c.pulled, c.price, c.kit)):
        # What is assumed has no part number: its words are none.
        named = c.module.part or c.origin is Origin.ASSUMED
        module = alike(c.module if named else replace(c.module, part=c.part))
        sources.setdefault(module, []).append(c)
    found = [
        _kind(
            index=i,
            module=m,
            slots=slots.get(m, []),
            sources=sources.get(m, []),
            listed=told.get(m.part or "", sheet.lists(m.part)),
            most=most,
        )
        for i, m in enumerate({**slots, **sources})
    ]
    if unknown:
        nothing = ((),) * (len(unknown) + 1)
        found.append(
            Kind(
                index=len(found),
                module=None,
                slots=tuple(unknown),
                sources=(),
                listed=False,
                cost=(0,) * (len(unknown) + 1),
                _kits=nothing,
                pulled=(0,) * (len(unknown) + 1),
            )
        )
    return tuple(found)


def told_of_parts(candidates: Iterable[Candidate]) -> dict[str, bool]:
    """Part -> whether the maker lists it, as candidates tell; who says no is heard before who says yes."""
    told: dict[str, bool] = {}
    for c in candidates:
        if c.listed is not None:
            told[c.part] = c.listed and told.get(c.part, True)
    return told


def _kind(
    *, index: int, module: Module, slots: Sequence[str], sources: Sequence[Candidate], listed: bool, most: int
) -> Kind:
    cost, kits = supply(sources, len(slots), most)
    return Kind(
        index=index,
        module=module,
        slots=tuple(slots),
        sources=tuple(sources),
        listed=listed,
        cost=cost,
        _kits=kits,
        pulled=_pulled(sources, kits, len(slots)),
    )


def _pulled(sources: Sequence[Candidate], kits: Sequence[Sequence[int]], fitted: int) -> tuple[int, ...]:
    """Count -> how many of those beyond what is fitted were pulled, bought so."""
    each = [c.kit if c.pulled else 0 for c in sources]
    if not any(each):
        return (0,) * len(kits)
    return tuple(
        min(sum(k * n for k, n in zip(some, each, strict=True)), max(count - fitted, 0))
        for count, some in enumerate(kits)
    )


def supply(sources: Sequence[Candidate], fitted: int, most: int) -> tuple[tuple[int, ...], tuple[tuple[int, ...], ...]]:
    """(count -> least cost, count -> kits of each source that cost it), up to what can be had; of what costs the same, what has
    the fewest that were pulled. What is left over of a kit is not lost, but it is paid for.

    Parameters
        fitted   modules that are there for nothing
    """
    wanted = max(most - fitted, 0)
    if len(sources) == 1:
        (c,) = sources
        had_of_it = wanted if c.stock is None else min(wanted, c.stock // c.kit * c.kit)
        needed = [-(-n // c.kit) for n in range(had_of_it + 1)]
        each = mills(c.price)
        return (0,) * fitted + tuple(k * each for k in needed), ((0,),) * fitted + tuple((k,) for k in needed)
    #: Count -> (cost, pulled modules, kits of each source).
    best: list[tuple[int, int, tuple[int, ...]] | None] = [(0, 0, ())] + [None] * wanted
    for c in sources:
        price, used = mills(c.price), c.kit if c.pulled else 0
        kits = min(-(-wanted // c.kit), wanted if c.stock is None else c.stock // c.kit)
        grown: list[tuple[int, int, tuple[int, ...]] | None] = []
        for n in range(wanted + 1):
            options = [
                (before[0] + k * price, before[1] + k * used, (*before[2], k))
                for k in range(min(kits, -(-n // c.kit)) + 1)
                if (before := best[max(n - k * c.kit, 0)]) is not None
            ]
            grown.append(min(options, default=None))
        best = grown
    had = [b for b in best if b is not None]
    none = tuple(0 for _ in sources)
    return (0,) * fitted + tuple(b[0] for b in had), (none,) * fitted + tuple(b[2] for b in had)


def purchase_cost(kinds: Iterable[Kind], counts: Mapping[int, int]) -> int:
    """What so many of each kind (by index) cost, in mills."""
    return sum(k.cost[counts[k.index]] for k in kinds if counts.get(k.index))
