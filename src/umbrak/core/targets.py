"""Where a module may go: every slot with allowed, or the reason why not, in one call."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from umbrak.core.evaluate import evaluate, evaluate_in, findings_of_rule, question
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.rules.finding import Finding, Severity


@dataclass(frozen=True, slots=True)
class Target:
    """One slot as a place for the module."""

    slot: str
    allowed: bool
    #: Why not, or the worst new finding that placing it there brings; None when nothing new is against it.
    reason: str | None
    severity: Severity | None


def targets(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    module: Module,
    statements: tuple[Statement, ...] = (),
    taken_from: str | None = None,
) -> tuple[Target, ...]:
    """Every slot of the sheet as a place for the module; a filled slot means that the two change places.

    A slot is refused when placing the module there brings a `stop` that the layout did not have. Findings
    are compared by code and message, so that one that merely stays is not held against the slot.

    Parameters
        layout       before the module is placed
        taken_from   the slot that it leaves, None when it is new
    """
    base = {s: m for s, m in layout.items() if s != taken_from}
    now = question(sheet, machine, layout, statements)
    known = {_key(f) for f in evaluate_in(now).findings}

    def placed(slot: str) -> Layout:
        swapped = {taken_from: layout[slot]} if taken_from and slot in layout else {}
        return Layout({**base, slot: module, **swapped})

    judged: dict[object, Finding | None] = {}
    found = []
    for slot, alike in _signatures(sheet, Layout(base), statements, taken_from).items():
        if slot == taken_from:
            continue
        if alike not in judged:
            judged[alike] = _worst(
                evaluate(sheet, machine, placed(slot), statements, near=now.by_place).findings, known
            )
            worst = judged[alike]
        elif (like := judged[alike]) is not None:
            # The same kind of finding as its like has; only its words name other slots.
            worst = _worst(findings_of_rule(like.code, sheet, machine, placed(slot), statements, now.by_place), known)
        else:
            worst = None
        stopped = worst is not None and worst.severity is Severity.STOP
        found.append(Target(slot, not stopped, worst.message if worst else None, worst.severity if worst else None))
    return tuple(found)


def _worst(findings: Iterable[Finding], known: set[tuple[str, str]]) -> Finding | None:
    """The worst finding that is new and more than a note; findings come worst first."""
    return next((f for f in findings if _key(f) not in known and f.severity is not Severity.NOTE), None)


def _key(finding: Finding) -> tuple[str, str]:
    return finding.code, finding.message


def _signatures(
    sheet: Sheet, layout: Layout, statements: Iterable[Statement], taken_from: str | None
) -> dict[str, object]:
    """Slot -> a value that is equal for slots that differ in nothing but their names.

    Two channels of one socket and controller whose slots hold the like, stand in the like places of every
    layout of the order, and have the like room, way and facing can change places without any rule noticing; so can
    their slots. A slot or channel that a statement names is like no other, nor is the channel that the module leaves.
    """
    stated = (*statements, *sheet.limits, *(s for p in sheet.processors.values() for s in p.limits))
    named = {s.where for s in stated if s.where}
    places: dict[str, list[tuple[int, int, int]]] = {s: [] for s in sheet.slots}
    for f, fill in enumerate(sheet.fills):
        for count, sets in fill.layouts.items():
            for i, each in enumerate(sets):
                for slot in each:
                    places[slot].append((f, count, i))

    def part(slot_id: str) -> object:
        s = sheet.slots[slot_id]
        own = slot_id if slot_id in named or s.behind else tuple(m.id for m in sheet.memory.modes if slot_id in m.slots)
        return layout.get(slot_id), tuple(places[slot_id]), s.position, s.access, s.clearance, s.facing, s.carrier, own

    parts = {s: part(s) for s in sheet.slots}
    supply = {c: d.id for d in sheet.memory.rail_domains for c in d.channels}
    symmetric = any(e.symmetric for e in sheet.evens)
    apart = {taken_from, *(x for s in sheet.slots.values() for x in s.behind)}
    signatures: dict[str, object] = {}
    for channel in sheet.channels.values():
        own = channel.id if symmetric or channel.id in named or channel.soldered or apart & set(channel.slots) else None
        whole = (channel.socket, channel.controller, supply[channel.id], own, tuple(parts[s] for s in channel.slots))
        for index, slot in enumerate(channel.slots):
            signatures[slot] = (whole, index)
    return {slot: signatures[slot] for slot in sheet.slots}
