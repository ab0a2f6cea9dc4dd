"""Cures: what they do to a finding, and that they never make anything as bad."""

from __future__ import annotations

from collections import Counter
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
        (merged(SMALL, {"limits": [{"source": "guide", "scope": "machine", "capacity_gib": 20, "hard": True}]}), {"A1": L8, "B1": L8, "B2": L8}, Machine(), "limit.machine", ["take-out A1>"], 8, "go"),
        (merged(SMALL, {"memory": {"package_ranks_per_channel": 2}}), {"A1": L8, "A2": L8}, Machine(), "limit.ranks", ["take-out A1>"], 8, "go"),
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
        assert then.installed_gib == e.installed_gib - cure.loses_gib


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
