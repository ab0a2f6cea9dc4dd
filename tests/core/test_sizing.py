"""Sizing and duty by hand, and what must hold of any."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.plan.sizing import Member, Sizing, Use, Workload, duty_while_open, need_of, use_of

VM = Workload("virtual machines", 12, 4, 0.75)  # 36 GB at once


@pytest.mark.parametrize(
    ("sizing", "loads", "total"),
    [
        (Sizing(), 0, 0),
        (Sizing((VM,)), 36, 36),
        (Sizing((VM,), base_gib=6), 36, 42),
        (Sizing((VM, Workload("database", 1, 24)), base_gib=4, cache_gib=16), 60, 80),
        (Sizing((VM,), base_gib=4, growth=0.5, years=2), 36, 4 + 36 * 2.25),
        (Sizing((VM,), base_gib=4, cache_gib=4, growth=0.1, years=1, headroom=0.25), 36, (4 + 44) * 1.25),
    ],
)
def test_the_need_by_hand(sizing: Sizing, loads: float, total: float) -> None:
    need = need_of(sizing)
    assert (need.loads, need.total) == (loads, pytest.approx(total))
    assert need.base + need.grown + need.headroom == pytest.approx(need.total, abs=1e-3)


_SHARE = st.floats(0, 1)
_LOADS = st.lists(st.builds(Workload, st.just("x"), st.integers(0, 50), st.floats(0, 64), _SHARE), max_size=4)


@given(_LOADS, st.floats(0, 64), st.floats(0, 64), _SHARE, st.integers(0, 6), _SHARE)
def test_more_of_anything_never_needs_less(
    loads: list[Workload], base: float, cache: float, growth: float, years: int, headroom: float
) -> None:
    s = Sizing(workloads=tuple(loads), base_gib=base, cache_gib=cache, growth=growth, years=years, headroom=headroom)
    more = [
        Sizing(workloads=(*loads, VM), base_gib=base, cache_gib=cache, growth=growth, years=years, headroom=headroom),
        Sizing(
            workloads=tuple(loads), base_gib=base + 1, cache_gib=cache, growth=growth, years=years, headroom=headroom
        ),
        Sizing(
            workloads=tuple(loads), base_gib=base, cache_gib=cache + 1, growth=growth, years=years, headroom=headroom
        ),
        Sizing(
            workloads=tuple(loads), base_gib=base, cache_gib=cache, growth=growth, years=years + 1, headroom=headroom
        ),
        Sizing(
            workloads=tuple(loads), base_gib=base, cache_gib=cache, growth=growth, years=years, headroom=headroom + 0.1
        ),
    ]
    assert all(need_of(m).total >= need_of(s).total - 1e-6 for m in more)


@pytest.mark.parametrize(
    ("members", "fits", "one_lost"),
    [
        ([("a", 64, 20), ("b", 64, 20), ("c", 64, 20)], True, True),
        ([("a", 64, 30), ("b", 64, 30), ("c", 64, 30)], True, False),
        ([("a", 64, 50), ("b", 64, 50), ("c", 64, 50)], False, False),
        ([("a", 64, 20), ("b", 64, None), ("c", 64, 20)], None, None),
        ([("a", 64, 60), ("b", 64, None), ("c", 64, 60)], None, False),
        ([("a", 64, 10)], False, False),  # nobody else is there
        ([("a", 256, 10), ("b", 64, 10), ("c", 32, 8)], True, True),
        ([("a", 32, 8), ("b", 256, 40), ("c", 32, 8)], True, False),  # the large one is lost
    ],
)  # fmt: skip
def test_whether_a_machine_may_be_opened(members: list[Any], fits: bool | None, one_lost: bool | None) -> None:
    duty = duty_while_open([Member(*m) for m in members], "a")
    assert (duty.fits, duty.fits_with_one_lost) == (fits, one_lost)


@pytest.mark.parametrize(
    ("members", "fits", "goes_to"),
    [
        ([("a", 64, 40, 32), ("b", 64, 20), ("c", 64, 40)], True, "b"),
        # In sum there is room for 40, and nobody has 32 of it: the sum would not have told.
        ([("a", 64, 40, 32), ("b", 64, 40), ("c", 64, 44)], False, "b"),
        ([("a", 64, 40, 32), ("b", 64, 40), ("c", 64, None)], None, "b"),
        ([("a", 64, 40, 32), ("b", 64, 30), ("c", 64, None)], True, "b"),
        ([("a", 64, None), ("b", 64, 20)], None, "b"),
        ([("a", 64, 10, 8)], False, None),
    ],
)
def test_the_largest_load_goes_to_one_machine_as_a_whole(members: list[Any], fits: bool | None, goes_to: str) -> None:
    duty = duty_while_open([Member(*m) for m in members], "a")
    assert (duty.largest_fits, duty.largest_goes_to) == (fits, goes_to)


@pytest.mark.parametrize(
    ("used", "usable", "use"),
    [(None, 64, None), (60, 64, Use.STARVED), (40, 64, Use.FITTING), (20, 64, Use.IDLE), (1, 0, None)],
)
def test_idle_or_starved(used: float | None, usable: float, use: Use | None) -> None:
    assert use_of(used, usable) == use
