"""Actions: they lead from one layout to the other, never into a full slot, with as few touches as can be."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.sheets import SMALL, merged
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import MAT, Action, Do, actions
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.sheet.reading import sheet_from_data

A, B, C = (decode_label(t).module for t in ("4GB PC3L-12800U", "8GB PC3L-12800U", "2GB PC3L-12800U"))
FLAT = sheet_from_data(SMALL)
#: A2 and B1 are reached only past A1; B2 only past B1.
DEEP = sheet_from_data(
    merged(SMALL, {"slots": {"A2": {"behind": ["A1"]}, "B1": {"behind": ["A1"]}, "B2": {"behind": ["B1"]}}})
)


def words(done: tuple[Action, ...]) -> list[str]:
    return [f"{a.do} {a.source or ''}>{a.target or ''}" for a in done]


@pytest.mark.parametrize(
    ("sheet", "now", "goal", "expected"),
    [
        (FLAT, {"A1": A}, {"A1": A, "B1": A}, ["keep A1>A1", "put-in >B1"]),
        (FLAT, {"A1": A, "B1": B}, {"B1": B}, ["keep B1>B1", "take-out A1>"]),
        (FLAT, {"A1": A}, {"B1": A}, ["move A1>B1"]),
        # B2 is reached past B1, which is empty: what stands in front of that one stays.
        (DEEP, {"A1": A}, {"A1": A, "B2": B}, ["keep A1>A1", "put-in >B2"]),
        (DEEP, {"A1": A, "B1": A}, {"A1": A, "B1": A, "B2": B}, ["take-out A1>mat", "take-out B1>mat", "put-in >B2", "put-in mat>B1", "put-in mat>A1"]),
        (FLAT, {"A1": A, "B1": A}, {"B1": A, "B2": A}, ["keep B1>B1", "move A1>B2"]),
        (FLAT, {"A1": A}, {"A1": B}, ["take-out A1>", "put-in >A1"]),
        (FLAT, {"A1": A, "B1": B}, {"A1": B, "B1": A}, ["take-out A1>mat", "move B1>A1", "put-in mat>B1"]),
        (FLAT, {"A1": A, "A2": B, "B1": C}, {"A1": B, "A2": C, "B1": A}, ["take-out A1>mat", "move A2>A1", "move B1>A2", "put-in mat>B1"]),
        (FLAT, {"A1": A, "A2": B}, {"A1": C, "B1": A, "A2": B}, ["keep A2>A2", "move A1>B1", "put-in >A1"]),
        (FLAT, {"A1": UNKNOWN}, {"A1": UNKNOWN, "B1": A}, ["keep A1>A1", "put-in >B1"]),
        (FLAT, {"A1": UNKNOWN}, {"A1": A}, ["take-out A1>", "put-in >A1"]),
        (DEEP, {"A1": A}, {"A1": A, "A2": B}, ["take-out A1>mat", "put-in >A2", "put-in mat>A1"]),
        (DEEP, {}, {"A1": A, "A2": B}, ["put-in >A2", "put-in >A1"]),
        (DEEP, {"A1": A, "B1": B, "B2": C}, {"A1": A, "B1": B}, ["take-out A1>mat", "take-out B1>mat", "take-out B2>", "put-in mat>B1", "put-in mat>A1"]),
    ],
)  # fmt: skip
def test_in_a_workable_order(sheet: Sheet, now: Any, goal: Any, expected: list[str]) -> None:
    assert words(actions(sheet, Layout(now), Layout(goal))) == expected


def test_an_individual_goes_where_the_goal_names_it() -> None:
    one, two = replace(A, serial="1"), replace(A, serial="2")
    done = actions(FLAT, Layout({"A1": one, "A2": two}), Layout({"B1": two, "B2": one}))
    assert words(done) == ["move A1>B2", "move A2>B1"]


_SLOTS = ["A1", "A2", "B1", "B2"]
_LAYOUTS = st.dictionaries(st.sampled_from(_SLOTS), st.sampled_from([A, B, C])).map(Layout)


@given(st.sampled_from([FLAT, DEEP]), _LAYOUTS, _LAYOUTS)
def test_they_lead_from_the_one_to_the_other(sheet: Sheet, now: Layout, goal: Layout) -> None:
    done = actions(sheet, now, goal)
    slots: dict[str, Occupant] = dict(now)
    mat: list[Module] = []

    def reachable(slot: str) -> bool:
        return not any(front in slots for front in sheet.slots[slot].behind)

    for a in done:
        assert a.module is not None
        if a.do is Do.KEEP:
            continue
        if a.source == MAT:
            mat.remove(a.module)
        elif a.source:
            assert reachable(a.source) and slots.pop(a.source) == a.module
        if a.target == MAT:
            mat.append(a.module)
        elif a.target:
            assert reachable(a.target) and a.target not in slots
            slots[a.target] = a.module
    assert Layout(slots) == goal and not mat


@given(_LAYOUTS, _LAYOUTS)
def test_no_module_leaves_that_could_move(now: Layout, goal: Layout) -> None:
    done = actions(FLAT, now, goal)
    out = [a.module for a in done if a.do is Do.TAKE_OUT and a.target is None]
    come = [a.module for a in done if a.do is Do.PUT_IN and a.source is None]
    assert not [m for m in out if m in come]
    assert {a.source for a in done if a.do is Do.KEEP} == {s for s in now if now[s] == goal.get(s)}
