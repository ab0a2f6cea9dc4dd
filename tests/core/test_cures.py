"""Cures: what they do to a finding, and that they never make anything as bad."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from itertools import combinations, permutations
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.sheets import SMALL, TWIN, judge, layout, merged
from tests.core.test_cases import CASES, SHEETS, spread
from umbrak.core.cures import Cure, cures
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.rules.finding import Severity
from umbrak.formats.documents import MachineDoc
from umbrak.formats.sheet.reading import sheet_from_data

L4, L8, H8 = "4GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3-12800U"
R16, R32 = "16GB 1Rx4 PC4-2666V-RC2", "32GB 2Rx4 PC4-2666V-RB2"
ORDERED = merged(
    SMALL,
    {
        "population": [
            {
                "source": "guide",
                "fill": [["A1", "B1"], ["A2", "B2"]],
                "other_counts": "unsupported",
                "otherwise": "unsupported",
                "larger_first": True,
            }
        ]
    },
)
#: Three slots a channel, eight chip selects, registered.
BIG = merged(TWIN, {"sockets": {"P2": None}, "repeat": None, "rate_alike": None, "processors": {"q": None, "p": {"source": "cpu"}}, "memory": {"package_ranks_per_channel": 8}, "channels": {"A": ["A1", "A2", "A3"], "B": ["B1", "B2", "B3"]}, "population": [{"source": "guide", "fill": [["A1", "B1"], ["A2", "B2"], ["A3", "B3"]], "other_counts": "unsupported", "otherwise": "unsupported"}]})  # fmt: skip
BIG["sockets"] = {"P1": {"processors": ["p"]}}
Q = "8GB 4Rx8 PC4-2666V-RB1"
REFUSED = merged(ORDERED, {"population": [{"source": "guide", "fill": [["A1", "B1"], ["A2", "B2"]], "other_counts": "refused", "otherwise": "refused"}]})  # fmt: skip
FILL = {"fill": [["A1", "B1"], ["A2", "B2"]], "other_counts": "slower", "otherwise": "slower", "higher_ranks_far": True}
PAIRED = merged(
    TWIN,
    {
        "repeat": {"population": [FILL]},
        "population": [{"source": "guide", "even_over": "sockets", "least_per_processor": 1}],
    },
)
P = Machine({"P1": "p", "P2": "p"})


def cure_of(sheet: dict[str, Any], slots: dict[str, Any], machine: Machine, code: str) -> Cure | None:
    e = judge(sheet, slots, machine)
    (at,) = [i for i, f in enumerate(e.findings) if f.code == code]
    return cures(sheet_from_data(sheet), machine, layout(slots), e)[at]


@pytest.mark.parametrize(
    ("sheet", "slots", "machine", "code", "steps", "loses", "verdict"),
    [
        (ORDERED, {"A2": L4, "B1": L4}, Machine(), "order.gap", ["move A2>A1"], 0, "go"),
        (ORDERED, {"A1": L4, "B1": L4, "A2": L8, "B2": L8}, Machine(), "order.larger-first", ["take-out A1>mat", "move A2>A1", "put-in mat>A2", "take-out B1>mat", "move B2>B1", "put-in mat>B2"], 0, "go"),
        (ORDERED, {"A1": L4, "A2": L4}, Machine(), "order.place", ["move A2>B1"], 0, "go"),
        (SMALL, {"A1": L4, "A2": L4}, Machine(), "order.channel-single", ["move A1>B1"], 0, "go"),
        (SMALL, {"A1": L8, "A2": L8, "B1": L8, "B2": H8}, Machine(), "speed.population", None, 0, None),
        (PAIRED, {"P1.A1": R16, "P1.B1": R16}, P, "order.socket-bare", None, 0, None),
        (PAIRED, {"P1.A1": R16, "P1.B1": R16, "P1.A2": R16, "P1.B2": R16}, P, "order.socket-bare", ["move P1.A2>P2.A1", "move P1.B2>P2.B1"], 0, "go"),
        (PAIRED, {"P1.A1": R16, "P1.A2": R32, "P1.B1": R32, "P1.B2": R16}, Machine({"P1": "p", "P2": None}), "order.rank-far", ["take-out P1.A1>mat", "move P1.A2>P1.A1", "put-in mat>P1.A2"], 0, "go"),
        (merged(SMALL, {"memory": {"rails_v": [1.35], "rail_policy": None}}), {"A1": L8, "B1": H8}, Machine(), "power.rail", ["take-out B1>"], 8, "go"),
        # The last place of the board goes, and where it has an order that of the order: A1 would leave a gap.
        (merged(SMALL, {"limits": [{"source": "guide", "scope": "machine", "capacity_gib": 20, "hard": True}]}), {"A1": L8, "B1": L8, "B2": L8}, Machine(), "limit.machine", ["take-out B2>"], 8, "go"),
        (merged(ORDERED, {"limits": [{"source": "guide", "scope": "machine", "capacity_gib": 16, "hard": True}]}), {"A1": L8, "B1": L8, "A2": L8, "B2": L8}, Machine(), "limit.machine", ["take-out A2>", "take-out B2>"], 16, "go"),
        (merged(SMALL, {"memory": {"package_ranks_per_channel": 2}}), {"A1": L8, "A2": L8}, Machine(), "limit.ranks", ["take-out A2>"], 8, "go"),
        # Several at once: three modules of four ranks where eight chip selects are, in each channel.
        (BIG, dict.fromkeys(("A1", "A2", "A3", "B1", "B2", "B3"), Q), Machine(), "limit.ranks", ["take-out A3>", "take-out B3>"], 16, "go"),
        # A refused odd count: down to the next that is listed.
        (REFUSED, {"A1": L4, "B1": L4, "A2": L4}, Machine(), "order.set", ["take-out A2>"], 4, "go"),
        # Nothing is lost where an exchange will do.
        (merged(SMALL, {"limits": [{"source": "guide", "scope": "slot", "where": "A1", "capacity_gib": 4, "hard": True}]}), {"A1": L8, "B1": L4}, Machine(), "limit.slot", ["take-out A1>mat", "move B1>A1", "put-in mat>B1"], 0, "go"),
        # Modules of a bare socket are seen once they stand elsewhere: that is a gain, and no loss of less than nothing.
        (TWIN, {"P1.A1": R16, "P2.A1": R16}, Machine({"P1": "p", "P2": None}), "order.no-processor", ["take-out P2.A1>"], 0, "go"),
    ],
)  # fmt: skip
def test_a_cure(
    sheet: Any, slots: Any, machine: Machine, code: str, steps: list[str] | None, loses: float, verdict: str | None
) -> None:
    cure = cure_of(sheet, slots, machine, code)
    if steps is None:
        assert cure is None
    else:
        assert cure is not None
        assert [f"{a.do} {a.source or ''}>{a.target or ''}" for a in cure.actions] == steps
        assert (cure.loses_gib, cure.verdict) == (loses, verdict)


def test_a_failed_module_is_replaced_by_one_of_its_kind_or_taken_out() -> None:
    sound = decode_label(L4 + " P/N: QD3U-4").module
    broken = replace(decode_label(L4).module, failed="mapped-out")
    sheet, slots = sheet_from_data(SMALL), Layout({"A1": broken, "B1": decode_label(L4).module})
    e = evaluate(sheet, Machine(), slots)
    assert (e.installed_gib, e.findings[0].code) == (4, "fit.failed")
    to_be_had, not_to_be_had = (cures(sheet, Machine(), slots, e, spares=s)[0] for s in ([sound], []))
    assert to_be_had is not None and to_be_had.layout["A1"] == sound and to_be_had.gains_gib == 4
    assert [a.do for a in to_be_had.actions] == ["take-out", "put-in"]
    assert not_to_be_had is not None and dict(not_to_be_had.layout) == {"B1": decode_label(L4).module}


def test_an_odd_count_is_completed_from_what_is_to_be_had() -> None:
    four = decode_label(L4).module
    sheet, slots = sheet_from_data(REFUSED), Layout({"A1": four, "B1": four, "A2": four})
    e = evaluate(sheet, Machine(), slots)
    at = next(i for i, f in enumerate(e.findings) if f.code == "order.set")
    cure = cures(sheet, Machine(), slots, e, spares=[four])[at]
    assert cure is not None and (cure.loses_gib, cure.gains_gib, set(cure.layout)) == (0, 4, {"A1", "A2", "B1", "B2"})


@given(st.dictionaries(st.sampled_from(["A1", "A2", "B1", "B2"]), st.sampled_from([decode_label(t).module for t in (L4, L8)])))  # fmt: skip
def test_a_finding_of_the_order_has_a_cure_wherever_one_exists(slots: dict[str, Any]) -> None:
    """Every arrangement of the modules, or of some of them, is a cure that could have been found."""
    sheet, layout_ = sheet_from_data(REFUSED), Layout(slots)
    e = evaluate(sheet, Machine(), layout_)
    known = Counter((f.code, f.severity) for f in e.findings)
    for finding, cure in zip(e.findings, cures(sheet, Machine(), layout_, e), strict=True):
        if cure is not None or not finding.code.startswith("order.") or finding.severity is Severity.NOTE:
            continue
        for count in range(1, len(slots) + 1):
            for chosen in combinations(slots.values(), count):
                for places in permutations(sheet.slots, count):
                    then = evaluate(sheet, Machine(), Layout(zip(places, chosen, strict=True)))
                    counted = Counter((f.code, f.severity) for f in then.findings)
                    gone = counted[finding.code, finding.severity] < known[finding.code, finding.severity]
                    same = any(f.message == finding.message for f in then.findings)
                    assert not gone or same or any(s.rank <= finding.severity.rank for _, s in counted - known)


def hold_what_cures_promise(sheet: Any, machine: Machine, slots: Layout) -> None:
    e = evaluate(sheet, machine, slots)
    for finding, cure in zip(e.findings, cures(sheet, machine, slots, e), strict=True):
        if cure is None:
            continue
        then = evaluate(sheet, machine, cure.layout)
        assert finding.severity not in (Severity.ASK, Severity.NOTE)
        assert finding.message not in {f.message for f in then.findings}
        more = Counter((f.code, f.severity) for f in then.findings) - Counter((f.code, f.severity) for f in e.findings)
        assert all(severity.rank > finding.severity.rank for _, severity in more)
        assert then.installed_gib == e.installed_gib - cure.loses_gib + cure.gains_gib
        assert min(cure.loses_gib, cure.gains_gib) == 0


@given(
    st.dictionaries(
        st.sampled_from(["A1", "A2", "B1", "B2"]),
        st.sampled_from([decode_label(t).module for t in (L4, L8, H8, "4GB PC3L-12800S")]),
    )
)
def test_cures_keep_their_promise_on_any_layout(slots: dict[str, Any]) -> None:
    hold_what_cures_promise(sheet_from_data(ORDERED), Machine(), Layout(slots))


@pytest.mark.parametrize("case", CASES, ids=[f"{c['sheet']}: {c['name']}" for c in CASES])
def test_cures_keep_their_promise_on_the_judged_cases(case: dict[str, Any]) -> None:
    machine = MachineDoc(**case["machine"]).value() if "machine" in case else Machine()
    sheet = SHEETS[case["sheet"]]
    hold_what_cures_promise(sheet, machine, layout(spread(sheet, case["slots"], case.get("skip_slots", []))))
