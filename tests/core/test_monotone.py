"""Less knowledge never gives a better answer: over every judged case, each fact of a module or machine blanked in turn."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pytest

from tests.core.sheets import layout as layout_of
from tests.core.test_cases import CASES, SHEETS, spread
from umbrak.core.evaluate import Evaluation, evaluate
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine
from umbrak.core.rules.finding import Verdict
from umbrak.formats.documents import MachineDoc, StatementDoc

_RANK = {Verdict.NO_GO: 0, Verdict.AT_RISK: 1, Verdict.GO: 2}
_MEMBERS = ("generation", "form", "buffering", "ecc", "capacity_gib", "package_ranks", "stack_height", "device_width", "die_gbit", "rate_mts", "rails_v", "height_mm")  # fmt: skip
#: Not who made a module: those that nobody named are taken to be like the named ones (`risk.mixed-*`).
#: Not the mode: where nobody tells one, the machine runs as every machine does that nobody set to another (docs/architecture.md).
_FACTS = ("firmware", "system", "os_bits", "os_cap_gib", "device_hole_mib", "rail_setting")


def parts(case: dict[str, Any]) -> tuple[Any, Machine, Layout, Layout | None, tuple[Any, ...]]:
    sheet, but = SHEETS[case["sheet"]], case.get("skip_slots", [])
    machine = MachineDoc(**case["machine"]).value() if "machine" in case else Machine()
    before = layout_of(spread(sheet, case["before"], but)) if "before" in case else None
    stated = tuple(StatementDoc(**s).value(f"stated-{i}") for i, s in enumerate(case.get("statements", [])))
    return sheet, machine, layout_of(spread(sheet, case["slots"], but)), before, stated


def blanked(module: Module, member: str) -> Module:
    """The module without one member, and without what would give it away again."""
    members: dict[str, Any] = {member: () if member == "rails_v" else None}
    if member == "ecc":
        members["ecc_bits"] = None
    if member in ("package_ranks", "stack_height"):
        members["logical_ranks"] = None
    return replace(module, **members)


def vaguer(machine: Machine, layout: Layout) -> Iterator[tuple[str, Machine, Layout]]:
    """(what is blanked, machine, layout): one fact at a time."""
    seen: set[tuple[Module, str]] = set()
    for slot, occupant in layout.items():
        if not isinstance(occupant, Module):
            continue
        for member in _MEMBERS:
            if getattr(occupant, member) in (None, ()) or (occupant, member) in seen:
                continue
            seen.add((occupant, member))
            yield f"{slot}.{member}", machine, Layout({**layout, slot: blanked(occupant, member)})
        if (occupant, "") not in seen:
            seen.add((occupant, ""))
            yield slot, machine, Layout({**layout, slot: UNKNOWN})
    for fact in _FACTS:
        if getattr(machine, fact) is not None:
            yield f"machine.{fact}", replace(machine, **{fact: None}), layout
    for socket in machine.processors:
        fewer = {s: p for s, p in machine.processors.items() if s != socket}
        yield f"machine.processors.{socket}", replace(machine, processors=fewer), layout


def betters(vague: Evaluation, sure: Evaluation) -> bool:
    """Whether the answer with less knowledge is the better one."""
    if _RANK[vague.at_worst] > _RANK[sure.at_worst]:
        return True
    # Undecided tells no more than its worst, which is no better; it is better than nothing but a no-go that became it.
    decided = Verdict.UNDECIDED not in (vague.verdict, sure.verdict)
    return decided and _RANK[vague.verdict] > _RANK[sure.verdict]


@pytest.mark.parametrize("case", CASES, ids=[f"{c['sheet']}: {c['name']}" for c in CASES])
def test_blanking_a_fact_never_betters_the_answer(case: dict[str, Any]) -> None:
    sheet, machine, layout, before, stated = parts(case)
    sure = evaluate(sheet, machine, layout, stated, before)
    bad = []
    for what, m, slots in vaguer(machine, layout):
        vague = evaluate(sheet, m, slots, stated, before)
        if betters(vague, sure):
            bad.append((what, f"{sure.verdict}/{sure.at_worst} -> {vague.verdict}/{vague.at_worst}"))
    assert not bad
