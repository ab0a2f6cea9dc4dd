"""The next set and the spread over sockets: which slots, what moves, and when there is nothing to propose."""

from __future__ import annotations

from typing import Any

import pytest

from tests.core.sheets import SMALL, TWIN, layout, merged
from umbrak.core.memory.label import decode_label
from umbrak.core.plan.arrange import dealt_out, next_set
from umbrak.core.platform.machine import Machine
from umbrak.formats.sheet.reading import sheet_from_data

L4, L8, R16, R32 = "4GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3L-12800U", "16GB 1Rx4 PC4-2666V-RC2", "32GB 2Rx4 PC4-2666V-RB2"
FILL = merged(SMALL, {"population": [{"source": "guide", "fill": [["A1", "B1"], ["A2", "B2"]]}]})
#: Two modules stand elsewhere than one of them alone would.
COUNTS = merged(SMALL, {"population": [{"source": "guide", "counts": {1: [["A1"]], 2: [["A2", "B2"]]}}]})
PAIRS = merged(TWIN, {"repeat": {"population": [{"fill": [["A1", "B1"], ["A2", "B2"]]}]}})
BOTH, ONE = Machine({"P1": "p", "P2": "p"}), Machine({"P1": "p", "P2": None})


@pytest.mark.parametrize(
    ("sheet", "machine", "now", "module", "then"),
    [
        (FILL, Machine(), {}, L4, {"A1": L4, "B1": L4}),
        (FILL, Machine(), {"A1": L4, "B1": L4}, L8, {"A1": L8, "B1": L8, "A2": L4, "B2": L4}),
        (FILL, Machine(), {"A1": L4}, L4, {"A1": L4, "B1": L4}),
        (FILL, Machine(), dict.fromkeys(["A1", "A2", "B1", "B2"], L4), L4, None),
        (FILL, Machine(), {"A1": "unknown"}, L4, None),
        (COUNTS, Machine(), {"A1": L4}, L4, {"A2": L4, "B2": L4}),
        (SMALL, Machine(), {"A1": L4}, L4, {"A1": L4, "A2": L4, "B1": L4}),
        (TWIN, ONE, {}, R16, {"P1.A1": R16, "P1.B1": R16}),
        (PAIRS, BOTH, {"P1.A1": R16, "P1.B1": R16}, R16, {f"P{p}.{c}1": R16 for p in (1, 2) for c in "AB"}),
        (PAIRS, ONE, {"P1.A1": R16, "P1.B1": R16}, R16, {f"P1.{c}{i}": R16 for c in "AB" for i in (1, 2)}),
    ],
)  # fmt: skip
def test_the_next_set(sheet: Any, machine: Machine, now: Any, module: str, then: Any) -> None:
    found = next_set(sheet_from_data(sheet), machine, layout(now), decode_label(module).module)
    assert found == (None if then is None else layout(then))


@pytest.mark.parametrize(
    ("sheet", "machine", "now", "then"),
    [
        (PAIRS, BOTH, {"P1.A1": R16, "P1.B1": R16}, {"P1.A1": R16, "P2.A1": R16}),
        (PAIRS, BOTH, {"P1.A1": R32, "P1.B1": R32, "P1.A2": R16, "P1.B2": R16}, {"P1.A1": R32, "P1.B1": R16, "P2.A1": R32, "P2.B1": R16}),
        (PAIRS, ONE, {"P1.A2": R16}, {"P1.A1": R16}),
        (PAIRS, BOTH, {"P1.A1": R16}, None),
        (PAIRS, BOTH, {"P1.A1": R16, "P2.A1": "unknown"}, None),
        (SMALL, Machine(), {"A1": L4}, None),
    ],
)  # fmt: skip
def test_dealt_out_over_the_sockets(sheet: Any, machine: Machine, now: Any, then: Any) -> None:
    found = dealt_out(sheet_from_data(sheet), machine, layout(now))
    assert found == (None if then is None else layout(then))
