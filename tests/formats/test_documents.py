"""Modules and layouts as stored documents: what is written is read back, for any module."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from umbrak.core.memory.module import Buffering, Form, Generation, Made, MakerCode, Module, complete, without_profile
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.platform.statement import Versions
from umbrak.formats.documents import LimitDoc, ModuleDoc, layout_json, read_layout
from umbrak.formats.to_json import jsonable

_TEXT = st.text(
    st.characters(min_codepoint=33, max_codepoint=0x2FF, exclude_categories=["Cc", "Cs"]), min_size=1, max_size=12
)


def known(values: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    return st.none() | values


_MODULES = st.builds(
    Module,
    generation=known(st.sampled_from(Generation)),
    form=known(st.sampled_from(Form)),
    buffering=known(st.sampled_from(Buffering)),
    ecc_bits=known(st.sampled_from([0, 4, 8])),
    capacity_gib=known(st.sampled_from([0.5, 4, 16, 24, 256])),
    package_ranks=known(st.integers(1, 8)),
    stack_height=known(st.sampled_from([1, 2, 4])),
    device_width=known(st.sampled_from([4, 8, 16])),
    rate_mts=known(st.sampled_from([667, 1600, 4800])),
    timing=known(_TEXT),
    rails_v=st.sampled_from([(), (1.2,), (1.35, 1.5)]),
    height_mm=known(st.sampled_from([18.75, 31.25])),
    maker_code=known(st.builds(MakerCode, st.integers(1, 9), st.integers(0, 255))),
    part=known(_TEXT),
    serial=known(_TEXT),
    made=known(st.builds(Made, st.integers(2005, 2026), known(st.integers(1, 53)))),
).map(lambda m: complete(without_profile(m)[0])[0])


@given(st.dictionaries(st.sampled_from(["A1", "A2", "B1"]), _MODULES | st.just(UNKNOWN)))
def test_a_layout_comes_back_from_its_document(slots: dict[str, Any]) -> None:
    layout = Layout(slots)
    assert read_layout(json.loads(json.dumps(layout_json(layout)))) == layout


@pytest.mark.parametrize(
    ("document", "wrong"),
    [
        ({"capacity_gib": "16"}, "capacity_gib"),
        ({"capacity_gib": -1}, "capacity_gib"),
        ({"device_width": 5}, "device_width"),
        ({"generation": "DDR6"}, "generation"),
        ({"ecc": "yes"}, "ecc"),
        ({"package_ranks": 2.5}, "package_ranks"),
        ({"part": "a\x00b"}, "part"),
        ({"sparkle": 1}, "sparkle"),
        ({"made": {"year": 1066}}, "made"),
    ],
)
def test_a_wrong_module_is_refused_by_field(document: dict[str, Any], wrong: str) -> None:
    with pytest.raises(ValidationError) as error:
        ModuleDoc.model_validate(document)
    assert [e["loc"][0] for e in error.value.errors()] == [wrong]


def test_a_limit_has_one_amount() -> None:
    assert LimitDoc(scope="slot", capacity_gib=8).capacity_gib == 8
    for amounts in ({}, {"capacity_gib": 8, "die_gbit": 8}):
        with pytest.raises(ValidationError, match="exactly one of"):
            LimitDoc(scope="slot", **amounts)


@pytest.mark.parametrize(
    ("first", "until", "version", "holds"),
    [
        ("9.2", None, "9.2", True),
        ("9.2", None, "9.10", True),
        ("9.2", None, "9.1.9", False),
        (None, "9.4", "9.3", True),
        (None, "9.4", "9.4", False),
        ("9.2", "9.4", "9.4-rc1", False),
        ("7.1-a", None, "7.1-b", True),
        ("9.2", None, None, None),
        (None, None, None, True),
    ],
)
def test_spans_of_versions(first: str | None, until: str | None, version: str | None, holds: bool | None) -> None:
    assert Versions(first, until).holds(version) is holds


def test_json_has_no_needless_decimals() -> None:
    assert (
        json.dumps(jsonable({"a": 16.0, "b": 0.5, "c": (Generation.DDR4, None, True)}))
        == '{"a": 16, "b": 0.5, "c": ["DDR4", null, true]}'
    )
