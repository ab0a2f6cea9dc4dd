"""Questions to answer first: what is asked of the eye, and that every answer settles what it was asked for."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from tests.core.sheets import SMALL, TWIN, judge, layout, merged
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.questions import Question, questions_of
from umbrak.formats.documents import ModuleDoc, module_json
from umbrak.formats.sheet.reading import sheet_from_data

ECC = merged(SMALL, {"memory": {"accepts": [{"buffering": "unbuffered", "ecc": False}]}})
POLICY = merged(SMALL, {"memory": {"rail_policy": "setting"}})
VERSIONS = merged(SMALL, {"limits": [{"source": "guide", "scope": "machine", "capacity_gib": 4, "official": True, "firmware": {"until": "2"}}]})  # fmt: skip


@pytest.mark.parametrize(
    ("sheet", "slots", "machine", "text", "answers"),
    [
        # A shop's label that tells no ECC: chips tell, by ranks and width.
        (ECC, {"A1": "8GB DDR3L-1600 2Rx8 UDIMM"}, Machine(), "Has the module in A1 ECC?", ["16 chips: no", "18 chips: yes"]),
        (ECC, {"A1": "8GB DDR3L-1600 UDIMM"}, Machine(), "Has the module in A1 ECC?", ["8 or 16 chips: no", "9 or 18 chips: yes"]),
        (SMALL, {"A1": {"generation": "DDR3", "form": "DIMM", "buffering": "unbuffered", "ecc": False, "capacity_gib": 4, "package_ranks": 2, "device_width": 8, "rate_mts": 1600}}, Machine(), "At which volts does the module in A1 run?", ["PC3L: 1.35 and 1.5 V", "PC3: 1.5 V only"]),
        (TWIN, {"P1.A1": "16GB 1Rx4 PC4-2666V-RC2"}, Machine({"P2": None}), "Which processor is in P1?", ["P", "Q"]),
        (POLICY, {"A1": "8GB 2Rx8 PC3-12800U"}, Machine(), "Which memory voltage is set?", ["1.35 V", "1.5 V"]),
        (VERSIONS, {"A1": "8GB 2Rx8 PC3L-12800U"}, Machine(), "Which version of the firmware runs?", []),
        (merged(SMALL, {"population": None}), {"A1": "8GB 2Rx8 PC3L-12800U"}, Machine(), "The order in which slots are filled?", []),
        (SMALL, {"A1": "unknown"}, Machine(), "What is in A1?", []),
        (SMALL, {"A1": "8GB DDR3L unbuffered 1600 2Rx8 non-ECC"}, Machine(), "Of which form is the module in A1?", ["DIMM", "SO-DIMM"]),
        (SMALL, {"A1": "8GB UDIMM"}, Machine(), "Of which generation is the module in A1?", ["DDR2", "DDR3", "DDR4", "DDR5"]),
        (SMALL, {"A1": "17GB DDR3L UDIMM 1600"}, Machine(), "How large is the module in A1?", ["2 GB", "4 GB", "8 GB", "16 GB", "32 GB"]),
        (SMALL, {"A1": "DDR3L UDIMM 1600"}, Machine(), "How large is the module in A1?", ["2 GB", "4 GB", "8 GB", "16 GB", "32 GB"]),
    ],
)  # fmt: skip
def test_what_is_asked(sheet: Any, slots: Any, machine: Machine, text: str, answers: list[str]) -> None:
    asked = questions_of(sheet_from_data(sheet), layout(slots), judge(sheet, slots, machine))
    found = [q for q in asked if q.text == text]
    assert found, [q.text for q in asked]
    assert [a.words for a in found[0].answers] == answers and found[0].look_at and len(asked) <= 3
    # What cannot be pressed is typed, or told elsewhere.
    assert (
        answers or found[0].typed == "machine.firmware" or found[0].of_sheet == "population" or text == "What is in A1?"
    )


def told(question: Question, i: int, machine: Machine, slots: Layout) -> tuple[Machine, Layout]:
    """Machine and layout with one answer's facts."""
    new = dict(slots)
    for need, value in question.answers[i].facts.items():
        where, _, member = need.rpartition(".")
        if need.startswith("machine.processors."):
            machine = replace(machine, processors={**machine.processors, member: value})
        elif need.startswith("machine."):
            machine = replace(machine, **{member: value})
        else:
            held = new[where]
            assert isinstance(held, Module)
            new[where] = ModuleDoc(**{**module_json(held), member: value}).value()
    return machine, Layout(new)


@pytest.mark.parametrize(
    ("sheet", "slots", "machine"),
    [
        (ECC, {"A1": "8GB DDR3L-1600 2Rx8 UDIMM"}, Machine()),
        (POLICY, {"A1": "8GB 2Rx8 PC3-12800U"}, Machine()),
        (SMALL, {"A1": "17GB DDR3L UDIMM 1600"}, Machine()),
        (SMALL, {"A1": "8GB DDR3L unbuffered 1600 2Rx8 non-ECC"}, Machine()),
        (SMALL, {"A1": "8GB UDIMM"}, Machine()),
        (TWIN, {"P1.A1": "16GB 1Rx4 PC4-2666V-RC2"}, Machine({"P2": None})),
        (merged(TWIN, {"memory": {"package_ranks_per_channel": 2}}), {"P1.A1": "16GB DDR4-2666 RDIMM"}, Machine({"P1": "p", "P2": None})),
    ],
)  # fmt: skip
def test_every_answer_settles_its_question(sheet: Any, slots: Any, machine: Machine) -> None:
    made, held = sheet_from_data(sheet), layout(slots)
    (question, *_) = questions_of(made, held, evaluate(made, machine, held))
    assert question.answers
    for i in range(len(question.answers)):
        then = evaluate(made, *told(question, i, machine, held))
        assert not {n for f in then.findings for n in f.needs} & set(question.answers[i].facts)
