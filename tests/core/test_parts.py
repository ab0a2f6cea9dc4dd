"""Part numbers: nothing that is seen under one is bent, whatever was seen, and in whatever order."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.memory.module import Buffering, Generation, Module, complete, read_off
from umbrak.core.memory.parts import COMPARED, Part, Seen, Sighting, beside, candidates, differ, key_of

_MODULES = st.builds(
    Module,
    generation=st.sampled_from([None, Generation.DDR3, Generation.DDR4]),
    buffering=st.sampled_from([None, Buffering.UNBUFFERED, Buffering.REGISTERED]),
    capacity_gib=st.sampled_from([None, 8, 16]),
    package_ranks=st.sampled_from([None, 1, 2]),
    stack_height=st.sampled_from([None, 1]),
    device_width=st.sampled_from([None, 4, 8]),
    rate_mts=st.sampled_from([None, 1333, 1600, 2400]),
    rails_v=st.sampled_from([(), (1.5,), (1.35, 1.5)]),
)
_SIGHTINGS = st.lists(
    st.builds(Sighting, st.just("KV-1"), _MODULES, st.sampled_from(Seen), st.just("somewhere"), st.just(date(2026, 1, 2))), max_size=5
)  # fmt: skip
_OPEN = (None, ())


@given(_MODULES, _SIGHTINGS, st.randoms(use_true_random=False))
def test_a_number_adds_only_what_nothing_contradicts(module: Module, seen: list[Sighting], shuffled) -> None:  # type: ignore[no-untyped-def]
    part = Part("KV-1", (), tuple(seen))
    told = beside(module, part)
    for name in COMPARED:
        own, after = getattr(module, name), getattr(told.module, name)
        assert own in _OPEN or after == own
    for fact in told.adds:
        (said,) = fact.said
        assert all(getattr(s.module, fact.member) == said.value for s in said.by)
    for fact in told.open:
        assert getattr(told.module, fact.member) in _OPEN and len(fact.said) > 1
    # A module that no sighting is like is told nothing of.
    if seen and all(differ(module, s.module, clock=s.seen is Seen.REPORTED) for s in seen):
        assert not told.adds and not told.open and told.against
    # Beside what was read, and what follows from it, all is marked: it speaks for nothing.
    assert read_off(told.module) == complete(replace(module, part=module.part or "KV-1"))[0]
    again = list(seen)
    shuffled.shuffle(again)
    assert beside(module, Part("KV-1", (), tuple(again))).module == told.module


@given(_MODULES, _SIGHTINGS, _MODULES)
def test_what_is_known_of_a_number_is_what_all_agree_on(module: Module, seen: list[Sighting], other: Module) -> None:
    part = Part("KV-1", (), tuple(seen))
    for fact in part.disputed:
        assert getattr(part.module, fact.member) in _OPEN
    # One more sighting never makes known what was disputed.
    more = Part("KV-1", (), (*seen, Sighting("KV-1", other, Seen.OFFER, "an offer")))
    assert {f.member for f in part.disputed} - {"rate_mts"} <= {f.member for f in more.disputed}


@pytest.mark.parametrize(
    ("reported", "disputed"),
    [(2133, False), (2400, False), (2666, True)],  # lower may be the clock at which it ran; higher cannot
)
def test_a_rate_of_firmware_may_be_a_clock(reported: int, disputed: bool) -> None:
    label = Sighting("KV-1", Module(rate_mts=2400), Seen.OFFER, "an offer")
    firmware = Sighting("KV-1", Module(rate_mts=reported), Seen.REPORTED, "reported by a machine")
    part = Part("KV-1", (), (label, firmware))
    assert bool(part.disputed) == disputed
    assert part.module.rate_mts == (None if disputed else 2400)


@pytest.mark.parametrize(
    ("text", "keys"),
    [
        ("KV-2208.A", ["KV-2208.A"]),
        ("LF1", ["LF1"]),  # alone it may be of any make
        ("in LF1 there", []),
        ("P/N: kv 333", ["P/N:KV333", "KV333"]),
        ("8GB KV-2208.A", ["8GBKV-2208.A", "KV-2208.A"]),
    ],
)
def test_pieces_that_may_be_numbers(text: str, keys: list[str]) -> None:
    assert [c.key for c in candidates(text) if c.key in keys] == keys
    assert keys or "LF1" not in {c.key for c in candidates(text)}
    assert all(key_of(text[c.start : c.end]) == c.key for c in candidates(text))


def test_words_of_a_label_are_no_part_numbers() -> None:
    assert candidates("16GB 2Rx8 PC4-2400T-RE1-11") == () == candidates(" , ")
