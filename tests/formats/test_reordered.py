"""What would make a sheet's order say what a machine proposed."""

from __future__ import annotations

from typing import Any

import pytest

from umbrak.formats.sheet.answers import changed
from umbrak.formats.sheet.reordered import reordered
from umbrak.formats.yaml_text import load_yaml

FILL = "population:\n  - fill: [[A2, B2], [A1, B1]]  # two by two\n"
COUNTS = "population:\n  - counts:\n      1: [[A1]]\n      2: [[A1, B1]]\n      4: [[A1, B1], [A2, B2]]\n"
BOTH = "repeat:\n  over: [P1, P2]\n  name: '{over}_{name}'\n  population:\n    - fill: [[A1], [A2]]\n"
LIST = "repeat:\n  - {over: [P1], population: [{counts: {1: [[A1]], 2: [[A1, A2]]}}]}\n"

CASES: list[tuple[str, set[str], dict[str, Any]]] = [
    (FILL, {"A1", "B1"}, {"population.0.fill": [["A1", "B1"], ["A2", "B2"]]}),
    (FILL, {"A2", "B2"}, {}),  # as it says already
    (FILL, {"A2", "A1"}, {"population.0.fill": [["A2", "A1"], ["B2", "B1"]]}),
    (FILL, {"A1"}, {}),  # a count that it does not say
    (FILL, set(), {}),
    (COUNTS, {"B1"}, {"population.0.counts.1": [["B1"]]}),
    (COUNTS, {"A2", "B1"}, {"population.0.counts.2": [["A2", "B1"]]}),
    (COUNTS, {"A2", "B1", "A1"}, {}),
    (BOTH, {"P1_A2", "P2_A2"}, {"repeat.population.0.fill": [["A2"], ["A1"]]}),
    (BOTH, {"P1_A2"}, {"repeat.population.0.fill": [["A2"], ["A1"]]}),  # the other socket holds none
    (BOTH, {"P1_A2", "P2_A1"}, {}),  # each socket says otherwise
    (LIST, {"P1.A2"}, {"repeat.0.population.0.counts.1": [["A2"]]}),
    ("population: {open: the order}\nrepeat: 7\n", {"A1"}, {}),
    ("- no sheet\n", {"A1"}, {}),
]


@pytest.mark.parametrize("case", CASES)
def test_an_order_is_changed_where_it_says_otherwise(case: tuple[str, set[str], dict[str, Any]]) -> None:
    text, filled, wanted = case
    edits = reordered(text, filled)
    assert {".".join(map(str, path)): value for path, value in edits} == wanted
    if edits:
        after = changed(text, edits)
        assert (reordered(after, filled) == [] and "# two by two" in after) or text is not FILL
        assert load_yaml(after)
