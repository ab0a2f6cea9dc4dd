"""The need by what a machine shows, and whether an upgrade helped."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.plan.symptoms import Change, Symptoms, did_it_help, need_seen

#: Everything looked at, and nothing wrong with it.
ALL = {"swapped_gib": 0, "cache_gib": 0, "refused": 0}
#: What is seen, what is usable, the floor, what would do (None = cannot be told), a word of what is open. [GiB]
SEEN: list[tuple[dict[str, Any], float, float, float | None, str]] = [
    ({**ALL, "used_gib": 20}, 64, 20, 20, ""),
    # What was not looked at could want any amount.
    ({"used_gib": 20}, 64, 20, None, "whether anything found no room"),
    ({**ALL, "used_gib": None, "swapped_gib": 8, "pages": True}, 64, 8, None, "in use at most"),
    # It uses all that there is: what it would use beyond does not show.
    ({**ALL, "used_gib": 62}, 64, 62, None, "beyond all that it has"),
    # What nobody asks back from swap may stay there; what comes back all the time is wanted.
    ({**ALL, "used_gib": 30, "swapped_gib": 8, "pages": True}, 64, 38, 38, ""),
    ({**ALL, "used_gib": 30, "swapped_gib": 8, "pages": False}, 64, 30, 38, ""),
    ({**ALL, "used_gib": 30, "swapped_gib": 8}, 64, 30, None, "come back from swap"),
    # A cache of 10 that answers half needs at least 18 to answer nine tenths.
    ({**ALL, "used_gib": 30, "cache_gib": 10, "cache_hit": 0.5, "hit_wanted": 0.9}, 64, 48, None, "how the hits grow"),
    ({**ALL, "used_gib": 30, "cache_gib": 10, "cache_hit": 0.9, "hit_wanted": 0.9}, 64, 40, 40, ""),
    ({**ALL, "used_gib": 30, "cache_gib": None}, 64, 30, None, "how large the cache is"),
    # A host that is full says what more it wants.
    ({**ALL, "used_gib": 62, "refused": 3, "refused_gib": 8}, 64, 86, 86, ""),
    ({**ALL, "used_gib": 62, "refused": 3}, 64, 62, None, "how much each"),
]


@pytest.mark.parametrize(("seen", "usable", "floor", "enough", "word"), SEEN)
def test_the_floor_and_what_is_open(
    seen: dict[str, Any], usable: float, floor: float, enough: float | None, word: str
) -> None:
    found = need_seen(Symptoms(**seen), usable)
    assert found is not None
    assert (found.floor, found.enough) == (floor, enough)
    assert (word in "; ".join(found.open)) if word else not found.open
    assert sum(t.gib for t in found.terms) == pytest.approx(found.floor)


def test_nothing_seen_says_nothing() -> None:
    assert need_seen(Symptoms(), 64) is None
    assert need_seen(Symptoms(pages=True, hit_wanted=0.9), 64) is None


_GIB = st.none() | st.floats(0, 4096)
_SHARE = st.none() | st.floats(0, 1)
SYMPTOMS = st.builds(
    Symptoms, used_gib=_GIB, swapped_gib=_GIB, pages=st.none() | st.booleans(), cache_gib=_GIB, cache_hit=_SHARE,
    hit_wanted=_SHARE, refused=st.none() | st.integers(0, 50), refused_gib=_GIB,
)  # fmt: skip


@given(SYMPTOMS, st.floats(1, 8192))
def test_less_knowledge_never_says_that_less_would_do(s: Symptoms, usable: float) -> None:
    """Whatever is forgotten: the floor is never higher for it, and what would do is not known, or no less."""
    whole = need_seen(s, usable)
    if whole is None:
        return
    assert whole.enough is None or whole.enough >= whole.floor
    for forgotten in fields(Symptoms):
        part = need_seen(replace(s, **{forgotten.name: None}), usable)
        if part is None:
            continue
        assert part.floor <= whole.floor + 1e-6
        if part.enough is not None:
            assert whole.enough is not None and part.enough >= whole.enough - 1e-6, forgotten.name


#: Before and after, each with what is usable; whether it helped; the figures that changed.
HELPED: list[tuple[dict[str, Any], float, dict[str, Any], float, bool | None, set[Change]]] = [
    ({"swapped_gib": 8, "pages": True}, 64, {"swapped_gib": 0, "pages": False}, 128, True, {Change.BETTER}),
    ({"used_gib": 62}, 64, {"used_gib": 64}, 128, True, {Change.BETTER}),
    ({"cache_hit": 0.5}, 64, {"cache_hit": 0.51}, 128, False, {Change.SAME}),
    ({"cache_hit": 0.5}, 64, {"cache_hit": 0.4}, 128, False, {Change.WORSE}),
    ({"refused": 3, "cache_hit": 0.5}, 64, {"refused": 0}, 128, None, {Change.BETTER, Change.UNKNOWN}),
    ({"refused": 3, "cache_hit": 0.5}, 64, {"cache_hit": 0.3}, 128, False, {Change.WORSE, Change.UNKNOWN}),
    ({"refused": 3}, 64, {}, 128, None, {Change.UNKNOWN}),
    ({}, 64, {"refused": 0}, 128, None, {Change.UNKNOWN}),
]


@pytest.mark.parametrize(("before", "was", "after", "now", "helped", "changes"), HELPED)
def test_did_it_help(
    before: dict[str, Any], was: float, after: dict[str, Any], now: float, helped: bool | None, changes: set[Change]
) -> None:
    found = did_it_help(Symptoms(**before), was, Symptoms(**after), now)
    assert found.helped is helped
    assert {f.change for f in found.figures} == changes


@pytest.mark.parametrize("odd", [{"used_gib": -1}, {"cache_hit": 1.2}, {"refused": -1}, {"used_gib": float("inf")}])
def test_what_nobody_can_mean_is_refused(odd: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=r"amounts|share"):
        Symptoms(**odd)
