"""Cures: for a finding, a change of the layout that removes it and brings nothing as severe.

Each family of findings has its way of being cured (`_WAYS`): what stands in the wrong slots is put in order,
what is uneven is dealt out anew, what cannot stay is taken out. A way only proposes; the proposal is
evaluated, and is a cure when the finding is gone, nothing new is as severe, and what it costs in capacity is told.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from umbrak.core.evaluate import Evaluation, evaluate
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Action, Do, actions
from umbrak.core.plan.arrange import dealt_out, in_order, is_known, is_live, largest_first
from umbrak.core.platform.machine import Layout, Machine, Unknown
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.rules.finding import Finding, Severity, Verdict


@dataclass(frozen=True, slots=True)
class Cure:
    """A change that removes a finding."""

    #: What to do, without the modules that stay.
    actions: tuple[Action, ...]
    #: The layout that it leads to.
    layout: Layout
    #: Capacity that it costs. [GiB]
    loses_gib: float
    #: What the layout comes to then.
    verdict: Verdict


def cures(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    evaluation: Evaluation,
    statements: tuple[Statement, ...] = (),
    before: Layout | None = None,
) -> tuple[Cure | None, ...]:
    """A cure for each finding of the evaluation, in its order; None where none was found.

    An ask and a note have none: the one wants a fact, the other nothing. Of several proposals the one with
    the fewest actions is taken, among equals the one that costs least.
    """
    judged: dict[Layout, Evaluation] = {}

    def judge(tried: Layout) -> Evaluation:
        if tried not in judged:
            judged[tried] = evaluate(sheet, machine, tried, statements, before)
        return judged[tried]

    question = _Question(sheet, machine, layout)
    return tuple(_cure(question, f, evaluation, judge) for f in evaluation.findings)


@dataclass(frozen=True, slots=True)
class _Question:
    sheet: Sheet
    machine: Machine
    layout: Layout


def _cure(q: _Question, finding: Finding, now: Evaluation, judge: Callable[[Layout], Evaluation]) -> Cure | None:
    if finding.severity in (Severity.ASK, Severity.NOTE):
        return None
    # By code and severity, not by words: what moves from slot to slot with its module is nothing new.
    known = Counter((f.code, f.severity) for f in now.findings)
    found: list[Cure] = []
    for tried in _proposals(q, finding):
        if tried == q.layout or not tried:
            continue  # an empty machine has no findings, but that is no cure
        then = judge(tried)
        counted = Counter((f.code, f.severity) for f in then.findings)
        gone = counted[finding.code, finding.severity] < known[finding.code, finding.severity]
        gone = gone and all(f.message != finding.message for f in then.findings)
        worse = any(severity.rank <= finding.severity.rank for _, severity in counted - known)
        if gone and not worse:
            done = tuple(a for a in actions(q.sheet, q.layout, tried) if a.do is not Do.KEEP)
            found.append(Cure(done, tried, now.installed_gib - then.installed_gib, then.verdict))
    return min(found, key=lambda c: (len(c.actions), c.loses_gib), default=None)


def _proposals(q: _Question, finding: Finding) -> Iterator[Layout]:
    for prefix, ways in _WAYS.items():
        if finding.code.startswith(prefix):
            for way in ways:
                yield from way(q, finding)


# -- ways ---------------------------------------------------------------------------------------------


def _put_in_order(q: _Question, finding: Finding) -> Iterator[Layout]:
    """The modules of the order's group in the order's slots, larger ones first, those that stand right staying."""
    for fill in q.sheet.fills:
        if set(fill.slots) & set(finding.slots) and is_known(q.layout, fill.slots):
            yield in_order(q.sheet, q.layout, fill, largest_first(q.layout, fill.slots))


def _deal_out(q: _Question, finding: Finding) -> Iterator[Layout]:
    """All modules dealt over the sockets that have a processor, then each socket put in order."""
    if (layout := dealt_out(q.sheet, q.machine, q.layout)) is not None:
        yield layout


def _move_one(q: _Question, finding: Finding) -> Iterator[Layout]:
    """One of the finding's modules to an empty slot of another channel, on a board small enough to try them all."""
    if len(q.sheet.slots) > _SMALL:
        return
    empty = [s for s in q.sheet.slots if s not in q.layout and is_live(q.machine, q.sheet.socket_of_slot[s])]
    for source in (s for s in q.sheet.slots if isinstance(q.layout.get(s), Module)):
        rest = {s: m for s, m in q.layout.items() if s != source}
        for target in empty:
            if q.sheet.slots[target].channel != q.sheet.slots[source].channel:
                yield Layout({**rest, target: q.layout[source]})


#: Slots up to which every single move is tried.
_SMALL = 8


def _take_out(q: _Question, finding: Finding) -> Iterator[Layout]:
    """Without all of the finding's modules; and without one of them, the smallest that suffices being found by trying."""
    filled = [s for s in finding.slots if s in q.layout]
    if filled:
        yield Layout({s: m for s, m in q.layout.items() if s not in filled})
    by_size: dict[float, str] = {}
    for slot in filled:
        held = q.layout[slot]
        if not isinstance(held, Unknown):
            by_size.setdefault(held.capacity_gib or 0, slot)
    for size in sorted(by_size):
        yield Layout({s: m for s, m in q.layout.items() if s != by_size[size]})


_Way = Callable[[_Question, Finding], Iterator[Layout]]
#: Beginning of a code -> ways to try.
_WAYS: dict[str, tuple[_Way, ...]] = {
    "order.place": (_put_in_order,),
    "order.gap": (_put_in_order,),
    "order.set": (_put_in_order,),
    "order.larger-first": (_put_in_order,),
    "order.rank-far": (_put_in_order,),
    "order.balance": (_put_in_order, _move_one),
    "order.channel-single": (_put_in_order, _move_one),
    "order.sockets": (_deal_out,),
    "order.socket-bare": (_deal_out,),
    "order.no-processor": (_deal_out, _take_out),
    "fit.": (_take_out,),
    "power.rail": (_take_out,),
    "kind.": (_take_out,),
    "limit.": (_take_out,),
    "speed.refused": (_take_out,),
    "risk.": (_take_out,),
    "mode.unmet": (_put_in_order,),
}
