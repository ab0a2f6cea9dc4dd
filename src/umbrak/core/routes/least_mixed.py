"""Designs of a unit that mix more classes than another which is as good.

Where no order binds the channels, what one of them holds comes together in many ways: 128 GB of 64 and 64 or of 96 and 32.
Of designs that come to the same in all but their classes, one whose classes are some of another's, for no more money, is at
least as good: nothing has to be believed of it that the other does not rest on. So the other may be left out as long as
layouts of the one turn out as their bounds say; where they do not, it is the search that goes back to all of them.

Only classes whose every module can be had singly, new, at one price and without end are exchanged for each other: of others
each count has a price of its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from umbrak.core.routes.designs import UnitDesign
from umbrak.core.routes.purchase import Shop
from umbrak.core.routes.space import KindClass

#: Designs of a group, the cheapest first, that each is laid against: where these do not replace it, few others would.
_LOOKED_AT = 64
#: What designs must have in common to be laid against each other: all but which classes they are of.
_IN_COMMON = tuple(f.name for f in fields(UnitDesign) if f.name not in ("classes", "counts"))


@dataclass(frozen=True)
class LeastMixed:
    designs: list[UnitDesign]
    #: Of each, whether it stands for others too.
    stands_for_more: NDArray[np.bool_]


def as_they_are(designs: list[UnitDesign]) -> LeastMixed:
    return LeastMixed(designs, np.zeros(len(designs), bool))


def least_mixed(designs: Sequence[UnitDesign], classes: Sequence[KindClass], shop: Shop) -> LeastMixed:
    """Those that none replaces, in their order."""
    prices = {c.index: p for c in classes if (p := _prices(c, shop))}
    groups: dict[object, list[int]] = {}
    for i, d in enumerate(designs):
        others = tuple(n for c, n in enumerate(d.counts) if c not in prices)
        groups.setdefault((*[getattr(d, n) for n in _IN_COMMON], others), []).append(i)
    kept: dict[int, bool] = {}
    for group in groups.values():
        mine: list[tuple[int, int]] = []
        for i in sorted(group, key=lambda i: (_cost(designs[i], prices), sum(n > 0 for n in designs[i].counts), i)):
            uses = sum(1 << c for c, n in enumerate(designs[i].counts) if n)
            some = (j for their, j in mine[:_LOOKED_AT] if not their & ~uses)
            by = next((j for j in some if _costs_no_more(designs[j], designs[i], prices)), None)
            if by is None:
                mine.append((uses, i))
                kept[i] = False
            else:
                kept[by] = True
    order = sorted(kept)
    return LeastMixed([designs[i] for i in order], np.array([kept[i] for i in order], bool))


def _prices(of: KindClass, shop: Shop) -> tuple[int, int] | None:
    """The least and the most that one module of a class costs, whichever kind it is and however many there are; None where
    that depends. [mills]"""
    most = len(shop.problem.sheet.slots)
    if any(not shop.is_endless(k, most) or any(k.pulled) for k in of.kinds):
        return None
    return min(k.cost[1] for k in of.kinds), max(k.cost[1] for k in of.kinds)


def _cost(d: UnitDesign, prices: Mapping[int, tuple[int, int]]) -> int:
    return sum(d.counts[c] * most for c, (_, most) in prices.items())


def _costs_no_more(one: UnitDesign, other: UnitDesign, prices: Mapping[int, tuple[int, int]]) -> bool:
    """Whichever kinds of its classes the other is made of."""
    more = ((one.counts[c] - other.counts[c], least, most) for c, (least, most) in prices.items())
    return sum(n * (most if n > 0 else least) for n, least, most in more) <= 0
