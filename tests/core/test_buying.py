"""What to buy for plans together, against every way to buy it."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from itertools import product
from math import ceil
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.buying.arrival import Came, laid_against
from umbrak.core.buying.lines import Need, lines_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.routes.problem import Candidate, Origin

EIGHT, FOUR = "8GB 2Rx8 PC3L-12800E", "4GB 1Rx8 PC3L-12800E"


def module(label: str, part: str | None) -> Module:
    return replace(decode_label(label).module, part=part)


def offer(part: str, price: float, kit: int = 1, stock: int | None = None, label: str = EIGHT, shelf: bool = False) -> Candidate:  # fmt: skip
    return Candidate(
        part=part,
        module=module(label, part),
        price=Decimal(str(price)),
        kit=kit,
        stock=stock,
        origin=Origin.SHELF if shelf else Origin.OFFER,
        lead_days=kit,
    )


@pytest.mark.parametrize(
    ("needs", "candidates", "told"),
    [
        # (wanted, from the Shelf, cost, left over, missing)
        # A kit of four serves two plans.
        ([("P", 2), ("P", 2)], [offer("P", 30, 4), offer("P", 9)], [(4, 0, 30, 0, 0)]),
        ([("P", 3)], [offer("P", 26, 4), offer("P", 9)], [(3, 0, 26, 1, 0)]),
        ([("P", 3)], [offer("P", 0, stock=2, shelf=True), offer("P", 9)], [(3, 2, 9, 0, 0)]),
        ([("P", 5)], [offer("P", 30, 4, stock=4)], [(5, 0, 30, 0, 1)]),
        ([("P", 2)], [offer("Q", 9)], [(2, 0, 0, 0, 2)]),
        # One without a number is any of its kind; those with one are served first.
        ([(None, 2), ("P", 1)], [offer("P", 5, stock=2), offer("Q", 9)], [(2, 0, 14, 0, 0), (1, 0, 5, 0, 0)]),
        ([(None, 1)], [offer("R", 1, label=FOUR)], [(1, 0, 0, 0, 1)]),
    ],
)
def test_what_plans_lack_is_bought_together_at_least_cost(
    needs: list[tuple[str | None, int]],
    candidates: list[Candidate],
    told: list[tuple[int, int, int, int, int]],
) -> None:
    wanted = [Need(str(i), module(EIGHT, part), n) for i, (part, n) in enumerate(needs)]
    found = [
        (line.wanted, sum(t.modules for t in line.from_shelf), line.cost, line.left_over, line.missing)
        for line in lines_of(wanted, candidates)
    ]
    assert sorted(found) == sorted(told)


@given(
    st.integers(1, 7),
    st.lists(st.tuples(st.integers(1, 30), st.integers(1, 4), st.none() | st.integers(0, 9)), min_size=1, max_size=3),
)
def test_no_other_way_to_buy_as_many_costs_less(wanted: int, offers: list[tuple[int, int, int | None]]) -> None:
    candidates = [offer("P", price, kit, stock) for price, kit, stock in offers]
    (line,) = lines_of([Need("a", module(EIGHT, "P"), wanted)], candidates)
    most = [ceil(wanted / kit) if stock is None else min(ceil(wanted / kit), stock // kit) for _, kit, stock in offers]
    ways = [
        (max(0, wanted - sum(k * kit for k, (_, kit, _) in zip(ks, offers, strict=True))),
         sum(k * price for k, (price, _, _) in zip(ks, offers, strict=True)))
        for ks in product(*(range(n + 1) for n in most))
    ]  # fmt: skip
    assert (line.missing, line.cost) == min(ways)
    for t in line.takes:
        assert t.candidate.stock is None or t.modules <= t.candidate.stock
    assert line.left_over == sum(t.modules for t in line.takes) + line.missing - wanted


R = "32GB 2Rx4 PC4-2666V-RB2"


@pytest.mark.parametrize(
    ("label", "over", "came", "words"),
    [
        (R, {"part": "BR4R-32"}, Came.RIGHT, ""),
        (R, {"part": "br4r -32"}, Came.RIGHT, ""),
        (R, {}, Came.OPEN, ""),  # the number was not read
        ("32GB PC4-2666V-R", {"part": "BR4R-32"}, Came.OPEN, ""),
        ("32GB 2Rx4 PC4-2400T-RB1", {"part": "BR4R-32"}, Came.WRONG, "2400"),
        ("32GB 2Rx4 PC4-3200AA-RB2", {"part": "BR4R-32"}, Came.OTHER_CHIPS, "3200"),
        ("32GB 2Rx8 PC4-2666V-RE2", {"part": "BR4R-32"}, Came.OTHER_CHIPS, "x8 instead of x4"),
        ("32GB 4Rx4 PC4-2666V-LD2", {"part": "BR4R-32"}, Came.WRONG, "load-reduced"),
        ("16GB 1Rx4 PC4-2666V-RC2", {"part": "BR4R-32"}, Came.WRONG, "16 GB instead of 32 GB"),
        (R, {"part": "BR4R-32B"}, Came.OTHER_PART, "part BR4R-32B instead of BR4R-32"),
        (R, {"part": "BR4R-32", "revision": "C1"}, Came.OTHER_REVISION, "revision C1 instead of B2"),
        (R, {"part": "BR4R-32", "rails_v": (1.35,)}, Came.WRONG, "1.35"),
    ],
)
def test_what_came_is_laid_against_what_was_ordered(label: str, over: dict[str, Any], came: Came, words: str) -> None:
    ordered = replace(module(R, "BR4R-32"), revision="B2")
    read = replace(decode_label(label).module, **{"revision": None, **over})
    found = laid_against(ordered, read)
    assert found.came is came and words in "; ".join(found.differs), found
    assert bool(found.unread) or came is not Came.OPEN
    # Reading less never makes it better.
    less = laid_against(ordered, replace(read, part=None, rate_mts=None, package_ranks=None))
    assert less.came is not Came.RIGHT
