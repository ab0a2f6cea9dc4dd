"""Small sheets written inside the tests, and layouts from label text."""

from __future__ import annotations

from typing import Any

from umbrak.core.evaluate import Evaluation, evaluate
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.formats.documents import ModuleDoc, module_from
from umbrak.formats.sheet.reading import sheet_from_data


def merged(base: Any, over: Any) -> Any:
    """`over` laid on `base`, blocks within blocks; None takes a field out."""
    if not (isinstance(base, dict) and isinstance(over, dict)):
        return over
    out = {**base, **{k: merged(base.get(k), v) for k, v in over.items()}}
    return {k: v for k, v in out.items() if v is not None}


#: What a processor's maker and a guide say where there is nothing to say.
_NO_DIES = [{"scope": "die", "die_gbit": "none"}]

#: One socket, two channels of two DDR3 slots, 1.35 and 1.5 V, unbuffered with or without ECC; no limits, no order.
SMALL: dict[str, Any] = {
    "umbrak-sheet": 1,
    "id": "small",
    "title": "Small",
    "class": "workstation",
    "sources": {"guide": {"title": "Guide", "kind": "machine-maker"}, "cpu": {"title": "CPU sheet", "kind": "processor-maker"}},
    "processors": {"p": {"source": "cpu", "rates_mts": [1066, 1333, 1600], "rate_table": [{"dpc": 1, "rate_mts": 1600}, {"dpc": 2, "rate_mts": 1333}], "limits": _NO_DIES}},
    "sockets": {"CPU": {"processors": ["p"]}},
    "memory": {"source": "guide", "generation": "DDR3", "form": "DIMM", "rails_v": [1.35, 1.5], "rail_policy": "lowest", "accepts": [{"buffering": "unbuffered"}], "never_together": "none", "package_ranks_per_channel": "none"},
    "channels": {"A": ["A1", "A2"], "B": ["B1", "B2"]},
    "slots": {},
    "limits": "none",
    "population": "none",
}  # fmt: skip

#: Two sockets of two channels of two, registered DDR4, running alike.
TWIN: dict[str, Any] = {
    **SMALL,
    "id": "twin",
    "rate_alike": "machine",
    "processors": {
        "p": {"source": "cpu", "rates_mts": [2133, 2400, 2666], "rate_table": [{"rate_mts": 2666}], "faster_modules": "slowed", "limits": _NO_DIES},
        "q": {"source": "cpu", "rates_mts": [2133, 2400], "rate_table": [{"rate_mts": 2400}], "refuses_above_mts": 2400, "limits": _NO_DIES},
    },
    "sockets": {"P1": {"processors": ["p", "q"]}, "P2": {"processors": ["p", "q"], "may_be_absent": True}},
    "memory": {"source": "guide", "generation": "DDR4", "form": "DIMM", "rails_v": [1.2], "accepts": [{"buffering": "registered", "ecc": True}, {"buffering": "load-reduced", "ecc": True}], "never_together": "none", "package_ranks_per_channel": "none"},
    "channels": {},
    "repeat": {"over": ["P1", "P2"], "source": "guide", "channels": {"A": ["A1", "A2"], "B": ["B1", "B2"]}, "slots": {"*1": {"position": "far"}, "*2": {"position": "near"}}},
}  # fmt: skip


def judge(
    sheet: dict[str, Any] | Sheet,
    slots: dict[str, Any],
    machine: Machine | None = None,
    statements: tuple[Statement, ...] = (),
    before: dict[str, Any] | None = None,
    **options: Any,
) -> Evaluation:
    made = sheet if isinstance(sheet, Sheet) else sheet_from_data(sheet)
    return evaluate(
        made, machine or Machine(), layout(slots), statements, None if before is None else layout(before), **options
    )


def layout(slots: dict[str, Any]) -> Layout:
    """Label text, members or "unknown" by slot."""

    def occupant(given: Any) -> Any:
        if given == "unknown":
            return UNKNOWN
        return module_from(ModuleDoc(**given) if isinstance(given, dict) else given)

    return Layout({slot: occupant(given) for slot, given in slots.items()})


def found(evaluation: Evaluation) -> set[tuple[str, str, tuple[str, ...]]]:
    """(code, severity, slots) of every finding."""
    return {(f.code, f.severity.value, f.slots) for f in evaluation.findings}
