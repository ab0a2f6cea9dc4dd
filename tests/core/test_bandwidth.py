"""Interleave regions and balance."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.bandwidth import Region, balance, peak_gbs, regions

_CHANNELS = st.lists(st.sampled_from([0, 4, 8, 16, 24, 32]), min_size=1, max_size=8)


@pytest.mark.parametrize(
    ("channels", "ways", "expected", "even"),
    [
        ([24, 8], (), [(2, 16), (1, 16)], 0.667),
        ([8, 48], (), [(2, 16), (1, 40)], 0.583),
        ([16, 16, 16], (), [(3, 48)], 1.0),
        ([8, 8, 8, 8, 8], (1, 2, 4), [(4, 32), (1, 8)], 1.0),
        ([8, 8, 8, 4, 0, 0], (1, 2, 4, 6), [(4, 16), (2, 8), (1, 4)], 0.583),
        ([0, 0], (), [], None),
    ],
)  # fmt: skip
def test_regions_and_balance(
    channels: list[float], ways: tuple[int, ...], expected: list[tuple[int, float]], even: float | None
) -> None:
    assert list(regions(channels, ways)) == [Region(k, g) for k, g in expected]
    found = balance(channels)
    assert (None if found is None else round(found, 3)) == even


@given(_CHANNELS, st.permutations([1, 2, 4]))
def test_regions_hold_all_of_it_whatever_the_order(channels: list[float], ways: list[int]) -> None:
    for listed in ((), tuple(ways)):
        found = regions(channels, listed)
        assert sum(r.gib for r in found) == sum(channels)
        assert found == regions(sorted(channels), listed)
        assert all(not listed or r.ways in listed for r in found)


@given(_CHANNELS)
def test_balance_lies_between_one_channel_and_even(channels: list[float]) -> None:
    even = balance(channels)
    assert (even is None) == (not any(channels))
    assert even is None or 1 / len(channels) <= even <= 1


def test_peak() -> None:
    assert peak_gbs(8, 3200) == 204.8
