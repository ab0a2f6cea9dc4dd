"""Where a module may go: every slot with allowed, or the reason why not, in one call."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from umbrak.core.evaluate import evaluate_in, findings_in, question
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant
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
    before: Layout | None = None,
    ran: Layout | None = None,
) -> tuple[Target, ...]:
    """Every slot of the sheet as a place for the module; a filled slot means that the two change places.

    A slot is refused when placing the module there brings a `stop` that the layout did not have. Findings are compared by
    code, slots and message, so that one that merely stays is not held against the slot; by their message alone it would hang
    on which slots a long list happens to name.

    Parameters
        layout       before the module is placed
        taken_from   the slot that it leaves, None when it is new
        before, ran  what the layout changes, and what is known to have run: as `evaluate` has them
    """
    asked = partial(question, sheet, machine, statements=statements, before=before, ran=ran)
    base = {s: m for s, m in layout.items() if s != taken_from}
    now = asked(layout)
    stay = evaluate_in(now).findings
    known = {_key(f) for f in stay}

    def placed(slot: str) -> Layout:
        swapped = {taken_from: layout[slot]} if taken_from and slot in layout else {}
        return Layout({**base, slot: module, **swapped})

    judged: dict[int, Finding | None] = {}
    found = []
    was = [{} if held is None else held for held in (before, before if ran is None else ran)]
    for slot, alike in _signatures(sheet, machine, Layout(base), statements, taken_from, stay, was).items():
        if slot == taken_from:
            continue
        if alike not in judged:
            judged[alike] = _worst(evaluate_in(asked(placed(slot), near=now.by_place)).findings, known)
            worst = judged[alike]
        elif (like := judged[alike]) is not None:
            # The same kind of finding as its like has; only its words name other slots.
            worst = _worst(findings_in(asked(placed(slot), near=now.by_place), like.code), known)
        else:
            worst = None
        stopped = worst is not None and worst.severity is Severity.STOP
        found.append(Target(slot, not stopped, worst.message if worst else None, worst.severity if worst else None))
    return tuple(found)


_Key = tuple[str, tuple[str, ...], str]


def _worst(findings: Iterable[Finding], known: set[_Key]) -> Finding | None:
    """The worst finding that is new and more than a note; findings come worst first."""
    return next((f for f in findings if _key(f) not in known and f.severity is not Severity.NOTE), None)


def _key(finding: Finding) -> _Key:
    return finding.code, finding.slots, finding.message


def _signatures(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    statements: Iterable[Statement],
    taken_from: str | None,
    stay: Iterable[Finding],
    was: Sequence[Mapping[str, Occupant]],
) -> dict[str, int]:
    """Slot -> a number that is equal for slots that differ in nothing but their names.

    Two channels of one socket and controller whose slots hold the like, stand in the like places of every
    layout of the order, and have the like room, way and facing can change places without any rule noticing; so can
    their slots. So can two sockets with like processors whose channels, one by one, are alike, and whose orders are. A slot,
    channel or socket that a statement names is like no other, nor is the channel that the module leaves.

    Parameters
        stay   what is found as it is: what of two sockets names slots of only one tells them apart
        was    what else slots held that is looked at
    """
    numbers: dict[object, int] = {}

    def number(what: object) -> int:
        return numbers.setdefault(what, len(numbers))

    stated = (*statements, *sheet.limits, *(s for p in sheet.processors.values() for s in p.limits))
    named = {s.where for s in stated if s.where}
    places = _places(sheet)

    def part(slot_id: str) -> int:
        s = sheet.slots[slot_id]
        own = slot_id if slot_id in named or s.behind else tuple(m.id for m in sheet.memory.modes if slot_id in m.slots)
        here = tuple(places[slot_id])
        held = (layout.get(slot_id), *(w.get(slot_id) for w in was))
        return number((held, here, s.position, s.access, s.clearance, s.facing, s.carrier, own))

    parts = {s: part(s) for s in sheet.slots}
    supply = {c: d.id for d in sheet.memory.rail_domains for c in d.channels}
    symmetric = any(e.symmetric for e in sheet.evens)
    apart = {taken_from, *(x for s in sheet.slots.values() for x in s.behind)}
    wholes: dict[str, int] = {}
    for channel in sheet.channels.values():
        single = symmetric or channel.id in named or channel.soldered or apart & set(channel.slots)
        held = tuple(parts[s] for s in channel.slots)
        wholes[channel.id] = number((channel.controller, supply[channel.id], channel.id if single else None, held))
    sockets = _sockets(sheet, machine, wholes, {s for s in sheet.sockets if s in named}, stay)
    found = {
        slot: number((sockets[c.socket], wholes[c.id], index))
        for c in sheet.channels.values()
        for index, slot in enumerate(c.slots)
    }
    return {slot: found[slot] for slot in sheet.slots}


def _sockets(
    sheet: Sheet, machine: Machine, wholes: dict[str, int], apart: Collection[str], stay: Iterable[Finding]
) -> dict[str, str]:
    """Socket -> the first one that it can change places with: like processors, channel for channel alike (`wholes`), and as
    much said of the one as of the other."""
    slots: dict[str, list[str]] = {s: [] for s in sheet.sockets}
    channels: dict[str, list[int]] = {s: [] for s in sheet.sockets}
    for c in sheet.channels.values():
        slots[c.socket] += c.slots
        channels[c.socket].append(wholes[c.id])
    told = {(f.code, frozenset(f.slots)) for f in stay if f.severity is not Severity.NOTE}
    # Of several kinds that cannot stand together, which are named is chosen, and may be chosen otherwise from socket to socket.
    stopped = any(f.severity is Severity.STOP for f in stay)

    def same_said(one: str, other: str) -> bool:
        change = dict(zip(slots[one] + slots[other], slots[other] + slots[one], strict=True))
        return not stopped and all((code, frozenset(change.get(s, s) for s in named)) in told for code, named in told)

    firsts: dict[object, list[str]] = {}
    found: dict[str, str] = {}
    for s in sheet.sockets.values():
        own = s.id if s.id in apart else None
        here = machine.processors.get(s.id, UNKNOWN)
        like = firsts.setdefault((own, s.processors, s.may_be_absent, s.soldered, here, tuple(channels[s.id])), [])
        found[s.id] = next((first for first in like if same_said(first, s.id)), s.id)
        if found[s.id] == s.id:
            like.append(s.id)
    return found


def _places(sheet: Sheet) -> dict[str, list[tuple[object, int, int]]]:
    """Slot -> its places in the layouts of the order: (order, count, set). An order of one socket alone is told by what it asks
    and its place among that socket's, not by whose it is."""
    places: dict[str, list[tuple[object, int, int]]] = {s: [] for s in sheet.slots}
    told: Counter[str] = Counter()
    for f, fill in enumerate(sheet.fills):
        sockets = {sheet.socket_of_slot[s] for s in fill.slots}
        order: object = f
        if len(sockets) == 1:
            (socket,) = sockets
            asks = (fill.other_counts, fill.otherwise, fill.alike_in_set, fill.larger_first, fill.higher_ranks_far)
            order = (told[socket], fill.source, asks)
            told[socket] += 1
        for count, sets in fill.layouts.items():
            for i, each in enumerate(sets):
                for slot in each:
                    places[slot].append((order, count, i))
    return places
