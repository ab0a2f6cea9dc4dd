"""What to look for in a shop, against what a person who knows the trade would say; and modules that nobody offers."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import Any

import pytest

from tests.core.sheets import SMALL, TWIN, layout, merged
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.plan.brief import Brief, brief_of
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.routes.assumed import Guess, assumed_candidates
from umbrak.core.rules.finding import Severity
from umbrak.demo.seed import Scenario
from umbrak.formats.sheet.reading import sheet_from_data

P = Machine(processors={"CPU": "p"})
BOTH = Machine(processors={"P1": "p", "P2": "p"})
SLOW = Machine(processors={"P1": "q", "P2": "q"})


def small(**memory: Any) -> dict[str, Any]:
    return merged(SMALL, {"memory": memory})


LOW = small(rails_v=[1.35])
DIES = merged(SMALL, {"processors": {"p": {"limits": [{"scope": "die", "die_gbit": 4}]}}})
RANKS = small(package_ranks_per_channel=2)
ECC = small(accepts=[{"buffering": "unbuffered", "ecc": True}])
TIGHT = merged(SMALL, {"slots": {"A1": {"clearance_mm": {"fitted": 32, "on_the_way": 32}}}})
WIDE = small(refuses=[{"device_width": 16}])
DDR5 = merged(
    SMALL,
    {
        "processors": {"p": {"rates_mts": [4800, 5600], "rate_table": [{"rate_mts": 5600}]}},
        "memory": {
            "generation": "DDR5", "rails_v": [1.1], "rail_policy": None, "accepts": [{"buffering": "unbuffered", "ecc": False}]
        },
    },
)  # fmt: skip
SO = small(form="SO-DIMM")

L8, U8, E8 = "8GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3-12800U", "8GB 2Rx8 PC3L-12800E"
R16, R32, X64 = "16GB 1Rx4 PC4-2666V-RC1", "32GB 2Rx4 PC4-2666V-RB1", "64GB 4DRx4 PC4-2666V-LD1"
D5 = "16GB 1Rx8 PC5-5600B-UA0"
#: sheet, machine, what is fitted, what it is to have -> [(how, what, a word of why)]: how is words, well, nearly, wrong, open or stops.
CASES: dict[str, tuple[Any, Machine, dict[str, Any], dict[str, Any], list[tuple[str, str, str]]]] = {
    "1.35 V only": (LOW, P, {}, {"A1": L8}, [("words", "1 × 8 GB DDR3L-1600 non-ECC UDIMM", ""), ("wrong", "1.5 V only", "1.35 V and no other")]),
    "either rail": (SMALL, P, {}, {"A1": L8}, [("nearly", "1.5 V only", "run at 1.5 V")]),
    "beside 1.5 V": (SMALL, P, {"B1": U8}, {"A1": U8, "B1": U8}, [("well", "DDR3L", "")]),
    "ECC is taken or not": (SMALL, P, {}, {"A1": L8}, [("well", "with ECC", "")]),
    "ECC wanted": (ECC, P, {}, {"A1": E8}, [("words", "ECC UDIMM", ""), ("wrong", "without ECC", "")]),
    "ECC beside ECC": (small(ecc_mixed="loses"), P, {"B1": E8}, {"A1": E8, "B1": E8}, [("nearly", "without ECC", "loses it")]),
    "one question more is not as well": (SMALL, P, {"B1": "8GB DDR3L UDIMM 2Rx8 1600", "B2": L8}, {"A1": L8, "B1": "8GB DDR3L UDIMM 2Rx8 1600", "B2": L8}, [("open", "Whether B1 has ECC", ""), ("nearly", "with ECC", "does not say what that does")]),
    "registered in none": (SMALL, P, {}, {"A1": L8}, [("wrong", "RDIMM", "registered"), ("wrong", "LRDIMM", "")]),
    "dies too dense": (DIES, P, {}, {"A1": L8}, [("nearly", "1Rx8, of 8 Gbit", "states 4")]),
    "ranks bound": (RANKS, P, {"A2": "4GB 1Rx8 PC3L-12800U"}, {"A1": "4GB 1Rx8 PC3L-12800U", "A2": "4GB 1Rx8 PC3L-12800U"}, [("wrong", "2Rx8", "ranks")]),
    "x16 refused": (WIDE, P, {}, {"A1": "4GB 1Rx8 PC3L-12800U"}, [("wrong", "2Rx16", "x16")]),
    "x16 otherwise": (SMALL, P, {}, {"A1": "4GB 1Rx8 PC3L-12800U"}, [("well", "2Rx16", "")]),
    "slower": (SMALL, P, {}, {"A1": L8}, [("nearly", "DDR3-1333", "1333 instead of 1600"), ("well", "DDR3-1866", "")]),
    "faster": (SMALL, P, {}, {"A1": "8GB 2Rx8 PC3L-10600U"}, [("well", "DDR3-1600", "1600 instead of 1333"), ("nearly", "DDR3-1066", "1066 instead of 1333")]),
    "two a channel run slower anyway": (SMALL, P, {"A2": L8}, {"A1": L8, "A2": L8}, [("well", "DDR3-1333", "")]),
    "tall": (TIGHT, P, {}, {"A1": L8}, [("details", "height", "at most 32 mm"), ("wrong", "40 mm tall", "32 mm")]),
    "room for any": (SMALL, P, {}, {"A1": L8}, [("details", "height", "usual height")]),
    "kit": (SMALL, P, {}, {"A1": L8, "B1": L8}, [("words", "2 × 8 GB", ""), ("besides", "a kit of that many", "")]),
    "registered": (TWIN, BOTH, {}, {"P1.A1": R16, "P2.A1": R16}, [("words", "2 × 16 GB DDR4-2666 RDIMM", ""), ("well", "2Rx8", ""), ("wrong", "ECC UDIMM", "")]),
    "load-reduced beside registered": (TWIN, BOTH, {"P1.B1": R16}, {"P1.A1": R16, "P1.B1": R16}, [("wrong", "LRDIMM", "")]),
    "refused rates": (TWIN, SLOW, {}, {"P1.A1": "16GB 1Rx4 PC4-2400T-RC1"}, [("wrong", "DDR4-2666", "2400"), ("nearly", "DDR4-2133", "2133 instead")]),
    "DDR5 has another notch": (DDR5, P, {}, {"A1": D5}, [("wrong", "RDIMM", "notch"), ("well", "2Rx16", "")]),
    "small outline": (SO, P, {}, {"A1": "8GB 2Rx8 PC3L-12800S"}, [("words", "SO-DIMM", "")]),
    "moved, not bought": (SMALL, P, {"A1": L8}, {"B1": L8}, [("nothing", "", "")]),
    "it cannot work": (LOW, P, {}, {"A1": U8}, [("stops", "1.35 V and no other", ""), ("well", "DDR3L", "")]),
    "nobody told its volts": (LOW, P, {}, {"A1": {"generation": "DDR3", "form": "DIMM", "buffering": "unbuffered", "ecc": False, "capacity_gib": 8, "package_ranks": 2, "device_width": 8, "rate_mts": 1600}}, [("open", "1.35 V", ""), ("wrong", "1.5 V only", "")]),
}  # fmt: skip


def told(brief: Brief, how: str) -> list[tuple[str, str]]:
    members = {"well": "as_well", "nearly": "nearly", "wrong": "wrong"}
    match how:
        case "words":
            return [(line.words, "") for line in brief.lines]
        case "details":
            return [(d.what, d.words) for line in brief.lines for d in line.details]
        case "besides" | "open" | "stops":
            return [(w, "") for w in getattr(brief, how)]
        case _:
            return [(v.words, v.comes_to) for line in brief.lines for v in getattr(line, members[how])]


@pytest.mark.parametrize("name", CASES)
def test_a_brief_says_what_will_do_what_nearly_and_what_not(name: str) -> None:
    sheet, machine, now, goal, said = CASES[name]
    brief = brief_of(sheet_from_data(sheet), machine, layout(now), layout(goal))
    for how, what, why in said:
        if how == "nothing":
            assert not brief.lines and not brief.besides
        else:
            found = told(brief, how)
            assert any(what in words and why in because for words, because in found), (how, what, why, found)


def test_what_nobody_offers_is_what_the_sheet_takes() -> None:
    """Every one of the demo's machines takes each of them alone, at a guess of the price or none; no part of the maker's list
    has the price of others."""
    scenario = Scenario.read()
    for given in scenario.machines:
        sheet, machine, fitted = scenario.parts(given)
        found = assumed_candidates(sheet, machine, fitted)
        assert found and all(not c.price for c in found), given["name"]
        for c in found:
            judged = (evaluate(sheet, machine, Layout({s: c.module})) for s in sheet.slots)
            assert any(
                not any(f.severity is Severity.STOP and not f.code.startswith("order.") for f in j.findings)
                for j in judged
            )
        guess = Guess(official_per_gib=Decimal(9), third_party_per_gib=Decimal("4.5"))
        both = assumed_candidates(sheet, machine, fitted, guess=guess)
        assert len(both) == len(found)
        for c in both:
            assert c.price == Decimal(str(c.module.capacity_gib)) * (9 if c.listed else Decimal("4.5"))
        others = assumed_candidates(sheet, machine, fitted, guess=Guess(third_party_per_gib=Decimal(4)))
        assert not any(c.listed for c in others), "it would pass for free"


def test_nobody_is_offered_modules_for_another_bus_unless_it_is_told_to_take_them() -> None:
    memory = {k: v for k, v in SMALL["memory"].items() if k not in ("accepts", "rails_v", "rail_policy")}
    bare = {**SMALL, "memory": {**memory, "generation": "DDR4"}}
    told = {**bare, "memory": {**bare["memory"], "accepts": [{"buffering": "unbuffered"}, {"buffering": "registered"}]}}

    def kinds(data: dict[str, Any], *ran: str) -> set[str]:
        found = assumed_candidates(sheet_from_data(data), Machine(), layout(dict(zip(("A1", "B1"), ran, strict=False))))
        return {str(c.module.buffering) for c in found}

    assert kinds(bare, "8GB 2Rx8 PC4-2400T-UB1") == {"unbuffered"}
    assert kinds(bare, "16GB 2Rx4 PC4-2400T-RA1") == {"registered"}
    assert kinds(bare) == {"unbuffered", "registered", "load-reduced"}
    assert kinds(told, "8GB 2Rx8 PC4-2400T-UB1") == {"unbuffered", "registered"}


def test_more_of_what_is_fitted_is_what_a_hand_looks_for_first() -> None:
    """By its number, at the rate that is known to run where nobody tells another; none of what failed, or has no number or size."""
    bare = {**SMALL, "processors": {"p": {"source": "cpu", "limits": SMALL["processors"]["p"]["limits"]}}}
    good = decode_label("4GB 1Rx8 PC3L-10600U").module
    names = {
        "A1": {"part": "Q-4"},
        "A2": {"part": "Q-F", "failed": "mapped-out"},
        "B1": {},
        "B2": {"part": "Q-?", "capacity_gib": None},
    }
    now = Layout({slot: replace(good, serial=slot, **more) for slot, more in names.items()})
    found = assumed_candidates(sheet_from_data(bare), Machine(), now)
    assert [c.module for c in found if c.module.part] == [replace(good, part="Q-4")]
    assert {c.module.rate_mts for c in found} == {1333}
    listed = sheet_from_data({**bare, "listed": [{"part": "Q-4", "source": "guide", "capacity_gib": 4}]})
    guess = Guess(official_per_gib=Decimal(9), third_party_per_gib=Decimal(2))
    ours = [c for c in assumed_candidates(listed, Machine(), now, guess=guess) if c.part == "Q-4"]
    assert [(c.price, c.listed) for c in ours] == [(36, True)]
    other = merged(bare, {"memory": {"refuses": [{"capacity_gib": 4}]}})
    assert not [c for c in assumed_candidates(sheet_from_data(other), Machine(), now) if c.module.part]
