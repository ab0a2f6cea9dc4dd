"""Where a module may go: every slot with allowed, or the reason why not, in one call."""

from __future__ import annotations

from dataclasses import dataclass

from umbrak.core.evaluate import evaluate
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
    # Each slot is evaluated on its own: alike slots of alike channels could share one answer, but then the
    # answer would have to know every rule's idea of "alike".
    base = dict(layout)
    if taken_from:
        base.pop(taken_from, None)
    known = {_key(f) for f in evaluate(sheet, machine, layout, statements).findings}
    found = []
    for slot in sheet.slots:
        if slot == taken_from:
            continue
        tried = {**base, slot: module}
        if taken_from and slot in layout:
            tried[taken_from] = layout[slot]
        new = [f for f in evaluate(sheet, machine, Layout(tried), statements).findings if _key(f) not in known]
        worst = next((f for f in new if f.severity is not Severity.NOTE), None)
        stopped = worst is not None and worst.severity is Severity.STOP
        found.append(Target(slot, not stopped, worst.message if worst else None, worst.severity if worst else None))
    return tuple(found)


def _key(finding: Finding) -> tuple[str, str]:
    return finding.code, finding.message
