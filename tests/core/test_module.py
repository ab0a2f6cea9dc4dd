"""The module's identities: what follows, what contradicts."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.memory.module import DIE_GBIT, Buffering, Form, Generation, Module, complete, contradictions, odd_size

#: Organisations whose size follows from capacity_gib = ranks * (64 / width) * die / 8.
_WHOLE = st.builds(
    lambda ranks, stack, width, die: Module(package_ranks=ranks, stack_height=stack, device_width=width, die_gbit=die),
    st.sampled_from([1, 2, 4]),
    st.sampled_from([1, 2, 4]),
    st.sampled_from([4, 8, 16]),
    st.sampled_from([4, 8, 16, 24]),
)


@given(_WHOLE, st.sampled_from(["capacity_gib", "die_gbit", "device_width"]))
def test_any_one_member_of_the_identity_follows_from_the_others(module: Module, dropped: str) -> None:
    whole, _ = complete(module)
    again, derived = complete(replace(whole, **{dropped: None}))
    assert again == whole
    assert dropped in derived
    assert not contradictions(whole)


@given(_WHOLE)
def test_completing_twice_changes_nothing(module: Module) -> None:
    once, _ = complete(module)
    assert complete(once) == (once, ())


@pytest.mark.parametrize(
    ("said", "follows"),
    [
        (Module(generation=Generation.DDR4, buffering=Buffering.REGISTERED), {"ecc": True, "ecc_bits": 8, "form": Form.DIMM, "rails_v": (1.2,)}),
        (Module(generation=Generation.DDR5, buffering=Buffering.REGISTERED), {"ecc": True, "ecc_bits": None}),
        (Module(generation=Generation.DDR5, ecc=True, device_width=8), {"ecc_bits": 8}),
        (Module(generation=Generation.DDR3), {"rails_v": ()}),
        (Module(buffering=Buffering.FULLY_BUFFERED), {"generation": Generation.DDR2, "form": Form.DIMM, "rails_v": (1.8,)}),
        (Module(form=Form.SO_DIMM), {"buffering": Buffering.UNBUFFERED, "ecc": None}),
        (Module(ecc_bits=0), {"ecc": False}),
        (Module(logical_ranks=8, stack_height=4), {"package_ranks": 2}),
        (Module(logical_ranks=8, package_ranks=2), {"stack_height": 4}),
    ],
)  # fmt: skip
def test_what_the_standards_fix_follows(said: Module, follows: dict[str, object]) -> None:
    module, _ = complete(said)
    assert {name: getattr(module, name) for name in follows} == follows


@pytest.mark.parametrize(
    ("module", "fields", "message"),
    [
        (Module(capacity_gib=8, logical_ranks=2, device_width=8, die_gbit=8), ("capacity_gib", "logical_ranks", "device_width", "die_gbit"), "2 rank(s) of x8 8 Gbit dies make 16 GB, not 8 GB"),
        (Module(package_ranks=2, stack_height=2, logical_ranks=2), ("package_ranks", "stack_height", "logical_ranks"), "2 package ranks stacked 2 high are not 2 logical ranks"),
        (Module(ecc=False, ecc_bits=8), ("ecc", "ecc_bits"), "8 error-correcting bits do not go with ECC no"),
        (Module(ecc=False, buffering=Buffering.LOAD_REDUCED), ("ecc", "buffering"), "a load-reduced module always has ECC"),
        (Module(generation=Generation.DDR3, buffering=Buffering.FULLY_BUFFERED), ("buffering", "generation"), "fully buffered modules are DDR2, not DDR3"),
        (Module(form=Form.SO_DIMM, buffering=Buffering.REGISTERED), ("buffering", "form"), "no registered module is an SO-DIMM"),
        (Module(generation=Generation.DDR5, rails_v=(1.2,)), ("rails_v", "generation"), "1.2 V is no rail of DDR5"),
    ],
)  # fmt: skip
def test_contradictions(module: Module, fields: tuple[str, ...], message: str) -> None:
    assert [(c.fields, c.message) for c in contradictions(module)] == [(fields, message)]


@pytest.mark.parametrize(
    ("module", "said"),
    [
        (Module(generation=Generation.DDR4, capacity_gib=17), "no DDR4 module has 17 GB"),
        (Module(generation=Generation.DDR3, capacity_gib=10.6, package_ranks=2), "no DDR3 2Rx? module has 10.6 GB"),
        (Module(generation=Generation.DDR4, capacity_gib=16, die_gbit=24), "no DDR4 module of 24 Gbit dies has 16 GB"),
        (Module(generation=Generation.DDR5, capacity_gib=24), None),
        (Module(generation=Generation.DDR4, capacity_gib=24), "no DDR4 module has 24 GB"),
        (Module(generation=Generation.DDR4, capacity_gib=256), None),
        (Module(capacity_gib=17), None),
    ],
)
def test_a_size_that_no_module_has(module: Module, said: str | None) -> None:
    assert odd_size(module) == said


@given(
    st.sampled_from(list(Generation)),
    st.sampled_from([1, 2, 4]),
    st.sampled_from([1, 2, 4]),
    st.sampled_from([4, 8, 16]),
    st.data(),
)
def test_what_is_made_of_its_dies_is_no_odd_size(
    generation: Generation, ranks: int, high: int, width: int, data: st.DataObject
) -> None:
    die = data.draw(st.sampled_from(DIE_GBIT[generation]))
    whole = complete(Module(generation, package_ranks=ranks, stack_height=high, device_width=width, die_gbit=die))[0]
    left = data.draw(
        st.sets(st.sampled_from(["package_ranks", "logical_ranks", "stack_height", "device_width", "die_gbit"]))
    )
    assert not odd_size(replace(whole, **dict.fromkeys(left)))


@pytest.mark.parametrize(
    ("module", "words"),
    [
        (Module(), "module of unknown size"),
        (Module(capacity_gib=8, generation=Generation.DDR3, rails_v=(1.35, 1.5), rate_mts=1600, form=Form.SO_DIMM, buffering=Buffering.UNBUFFERED), "8 GB DDR3L-1600 unbuffered SO-DIMM"),
        (Module(capacity_gib=128, package_ranks=2, stack_height=2, device_width=4), "128 GB 2S2Rx4"),
    ],
)  # fmt: skip
def test_short(module: Module, words: str) -> None:
    assert module.short() == words
