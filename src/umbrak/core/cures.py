"""Cures: for a finding, a change of the layout that removes it and brings nothing as severe.

Each family of findings has its ways of being cured (`_WAYS`): what stands in the wrong slots is put in order,
what is uneven is dealt out anew, what cannot stay is exchanged or taken out, last places of the order first. A way only
proposes; the proposal is evaluated, and is a cure when the finding is gone and nothing new is as severe. Of several the
one is told that leaves the best verdict, then the one that brings the fewest new findings, costs the least capacity,
and is the least handling.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from itertools import combinations, permutations

from umbrak.core.evaluate import Evaluation, evaluate_in, findings_in, question
from umbrak.core.memory.module import Module, alike, healthy, organisation
from umbrak.core.plan.actions import Action, Do, actions
from umbrak.core.plan.arrange import dealt_out, in_order, is_known, is_live, largest_first, orders
from umbrak.core.platform.machine import Layout, Machine, Unknown
from umbrak.core.platform.sheet import FillOrder, Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity, Verdict


@dataclass(frozen=True, slots=True)
class Cure:
    """A change that removes a finding."""

    #: What to do, without the modules that stay.
    actions: tuple[Action, ...]
    #: The layout that it leads to.
    layout: Layout
    #: Capacity that it costs, or brings; one of them is 0. [GiB]
    loses_gib: float
    gains_gib: float
    #: What the layout comes to then.
    verdict: Verdict


def cures(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    evaluation: Evaluation,
    statements: tuple[Statement, ...] = (),
    before: Layout | None = None,
    spares: Collection[Module] = (),
    ran: Layout | None = None,
) -> tuple[Cure | None, ...]:
    """A cure for each finding of the evaluation, in its order; None where none was found.

    An ask and a note have none: the one wants a fact, the other nothing.

    Parameters
        spares   modules that are to be had, on the shelf or by an offer
        ran      what is known to have run in this very machine, as for `evaluate`
    """
    tries: dict[Layout, _Tried] = {}
    near = question(sheet, machine, layout, statements, before, ran)
    evaluate_in(near)

    def judge(layout: Layout) -> _Tried:
        if layout not in tries:
            tries[layout] = _Tried(question(sheet, machine, layout, statements, before, ran, near.by_place))
        return tries[layout]

    kinds = tuple(dict.fromkeys(alike(m) for m in spares))
    q = _Sought(sheet=sheet, machine=machine, layout=layout, spares=kinds, orders=orders(sheet, machine))
    return tuple(_cure(q, f, evaluation, judge) for f in evaluation.findings)


@dataclass
class _Tried:
    """A proposal, judged as far as somebody asked: most do not cure, which one rule tells."""

    question: Context
    _found: dict[str, list[Finding]] = field(default_factory=dict)

    def found_by(self, code: str) -> list[Finding]:
        if code not in self._found:
            self._found[code] = findings_in(self.question, code)
        return self._found[code]

    @cached_property
    def evaluation(self) -> Evaluation:
        return evaluate_in(self.question)


@dataclass(frozen=True)
class _Sought:
    """What every finding's cure is looked for in. What several ask for is worked out once."""

    sheet: Sheet
    machine: Machine
    layout: Layout
    #: Kinds of module that are to be had.
    spares: tuple[Module, ...]
    #: The orders as they are for the sockets that work.
    orders: tuple[FillOrder, ...]
    _actions: dict[Layout, tuple[Action, ...]] = field(default_factory=dict)

    def actions(self, then: Layout) -> tuple[Action, ...]:
        """What leads to a layout, without the modules that stay."""
        if then not in self._actions:
            done = actions(self.sheet, self.layout, then)
            self._actions[then] = tuple(a for a in done if a.do is not Do.KEEP)
        return self._actions[then]

    @cached_property
    def put_in_order(self) -> tuple[tuple[FillOrder, Layout], ...]:
        """Each order that knows what its slots hold, with the layout where just its modules are put in order."""
        return tuple(
            (fill, in_order(self.sheet, self.layout, fill, largest_first(self.layout, fill.slots)))
            for fill in self.orders
            if is_known(self.layout, fill.slots)
        )

    @cached_property
    def dealt_out(self) -> Layout | None:
        return dealt_out(self.sheet, self.machine, self.layout)


_BETTER = {Verdict.GO: 0, Verdict.AT_RISK: 1, Verdict.UNDECIDED: 2, Verdict.NO_GO: 3}


def _cure(q: _Sought, finding: Finding, now: Evaluation, judge: Callable[[Layout], _Tried]) -> Cure | None:
    if finding.severity in (Severity.ASK, Severity.NOTE):
        return None
    # By code and severity, not by words: what moves from slot to slot with its module is nothing new.
    known = Counter((f.code, f.severity) for f in now.findings)

    def cured(proposals: Iterable[Layout]) -> Iterator[tuple[tuple[float, ...], Layout]]:
        """(How bad it is, less being better; the layout) of each proposal that cures."""
        for tried in dict.fromkeys(proposals):
            if tried == q.layout or not tried:
                continue  # an empty machine has no findings, but that is no cure
            left = judge(tried).found_by(finding.code)
            stays = sum(f.severity is finding.severity for f in left) >= known[finding.code, finding.severity]
            if stays or any(f.message == finding.message for f in left):
                continue
            then = judge(tried).evaluation
            new = Counter((f.code, f.severity) for f in then.findings) - known
            if not any(severity.rank <= finding.severity.rank for _, severity in new):
                loses = max(now.installed_gib - then.installed_gib, 0)
                yield (_BETTER[then.verdict], _BETTER[then.at_worst], sum(new.values()), loses), tried

    found = list(cured(_proposals(q, finding)))
    if not found and finding.code.startswith("order.") and len(q.sheet.slots) <= _TINY:
        found = list(cured(_every_arrangement(q)))
    if not found:
        return None
    least = min(bad for bad, _ in found)
    ways = [(q.actions(tried), tried) for bad, tried in found if bad == least]
    done, best = min(ways, key=lambda way: len(way[0]))
    then = judge(best).evaluation
    loses = now.installed_gib - then.installed_gib
    return Cure(done, best, max(loses, 0), max(-loses, 0), then.verdict)


#: Slots up to which every arrangement is tried where no way has led anywhere.
_TINY = 4


def _proposals(q: _Sought, finding: Finding) -> Iterator[Layout]:
    prefix = next((p for p in _WAYS if finding.code.startswith(p)), "")
    for way in _WAYS.get(prefix, ()):
        yield from way(q, finding)


# -- ways ---------------------------------------------------------------------------------------------


def _put_in_order(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """The modules of the order's group in the order's slots, larger ones first, those that stand right staying."""
    for fill, made in q.put_in_order:
        if set(fill.slots) & set(finding.slots):
            yield made


def _deal_out(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """All modules dealt over the sockets that have a processor, then each socket put in order."""
    if q.dealt_out is not None:
        yield q.dealt_out


def _move_one(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """One of the finding's modules to an empty slot of another channel, on a board small enough to try them all."""
    if len(q.sheet.slots) > _SMALL:
        return
    empty = [s for s in q.sheet.slots if s not in q.layout and is_live(q.machine, q.sheet.socket_of_slot[s])]
    for source in (s for s in q.sheet.slots if isinstance(q.layout.get(s), Module)):
        rest = {s: m for s, m in q.layout.items() if s != source}
        for target in empty:
            if q.sheet.slots[target].channel != q.sheet.slots[source].channel:
                yield Layout({**rest, target: q.layout[source]})


#: Slots up to which every single move, and every exchange of two, is tried.
_SMALL = 12


def _exchange(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """One of the finding's modules exchanged with an unlike one elsewhere: nothing is lost."""
    if len(q.sheet.slots) > _SMALL:
        return
    for slot in finding.slots:
        here = q.layout.get(slot)
        for other, there in q.layout.items():
            if isinstance(here, Module) and isinstance(there, Module) and here != there:
                yield Layout({**q.layout, slot: there, other: here})


def _last_first(q: _Sought, slots: Iterable[str]) -> list[str]:
    """Slots by their place in the order, the last to be filled first; without an order by the sheet's, backwards."""
    place = {s: i for fill in q.orders for i, s in enumerate(fill.slots)}
    order = q.sheet.slot_order
    return sorted(slots, key=lambda s: (-place.get(s, 0), -order.get(s, len(order))))


def _take_out(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """Without the finding's modules: without all of them, and without as many as suffice, of one size and of any, from the
    last places on; what then stands in wrong slots is put in order."""
    filled = _last_first(q, [s for s in finding.slots if s in q.layout])
    sizes: dict[float, list[str]] = {}
    for slot in filled:
        held = q.layout[slot]
        sizes.setdefault(0 if isinstance(held, Unknown) else held.capacity_gib or 0, []).append(slot)
    for group in (filled, *(slots for _, slots in sorted(sizes.items()))):
        for count in range(1, len(group) + 1):
            yield from _and_in_order(q, _without(q.layout, group[:count]))


def _without(layout: Layout, slots: Collection[str]) -> Layout:
    return Layout({s: m for s, m in layout.items() if s not in slots})


def _and_in_order(q: _Sought, layout: Layout) -> Iterator[Layout]:
    """The layout as it is, and with each group that its order fills otherwise put in order."""
    yield layout
    made = layout
    for fill in q.orders:
        if is_known(made, fill.slots):
            made = in_order(q.sheet, made, fill, largest_first(made, fill.slots))
    if made != layout:
        yield made


def _to_a_listed_count(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """Fewer modules, down to the next count that the order lists, the odd ones and the last places first; or more of
    those that are to be had, up to the next."""
    for fill in q.orders:
        held = [s for s in fill.slots if s in q.layout]
        if not set(fill.slots) & set(finding.slots) or not is_known(q.layout, fill.slots):
            continue
        smaller = max((c for c in fill.layouts if c < len(held)), default=None)
        larger = min((c for c in fill.layouts if c > len(held)), default=None)
        if smaller is not None:
            modules = largest_first(q.layout, held)
            odd = [s for s in _last_first(q, held) if modules.count(q.layout[s]) % 2]  # type: ignore[arg-type]
            for last in (_last_first(q, held), [*odd, *(s for s in _last_first(q, held) if s not in odd)]):
                rest = _without(q.layout, last[: len(held) - smaller])
                yield in_order(q.sheet, rest, fill, largest_first(rest, fill.slots))
        if larger is not None:
            fitted = largest_first(q.layout, held)
            for spare in _like_ones(q, fitted):
                more = [*fitted, *[spare] * (larger - len(held))]
                more.sort(key=lambda m: (-(m.capacity_gib or 0), -(m.package_ranks or 0)))
                yield in_order(q.sheet, q.layout, fill, more)


def _replace(q: _Sought, finding: Finding) -> Iterator[Layout]:
    """The finding's modules replaced by like ones that are to be had: a failed one by a sound one of its kind, another by a
    kind that stands in the machine already."""
    filled = [s for s in finding.slots if isinstance(q.layout.get(s), Module)]
    beside = [m for s, m in q.layout.items() if isinstance(m, Module) and s not in finding.slots]
    failed = any(isinstance(m := q.layout[s], Module) and m.failed for s in filled)
    wanted = [m for s in filled if isinstance(m := q.layout[s], Module)] if failed else beside
    for spare in _like_ones(q, wanted):
        yield Layout({**q.layout, **dict.fromkeys(filled, spare)})


def _like_ones(q: _Sought, modules: Iterable[Module]) -> list[Module]:
    """The kinds to be had that are of the organisation and rate of one of these modules, the very ones first."""
    wanted = [alike(healthy(m)) for m in modules]
    kinds = {(organisation(m), m.rate_mts) for m in wanted}
    found = [m for m in q.spares if (organisation(m), m.rate_mts) in kinds]
    return sorted(found, key=lambda m: m not in wanted)


def _every_arrangement(q: _Sought) -> Iterator[Layout]:
    """Every way in which the modules, or some of them, can stand in the slots of a very small board."""
    if not is_known(q.layout, q.sheet.slots):
        return
    modules = [m for m in q.layout.values() if isinstance(m, Module)]
    for count in range(len(modules), 0, -1):
        for chosen in set(combinations(modules, count)):
            for slots in permutations(q.sheet.slots, count):
                yield Layout(zip(slots, chosen, strict=True))


_Way = Callable[[_Sought, Finding], Iterator[Layout]]
#: Beginning of a code -> ways to try.
_WAYS: dict[str, tuple[_Way, ...]] = {
    "order.place": (_put_in_order, _to_a_listed_count),
    "order.gap": (_put_in_order, _to_a_listed_count),
    "order.set": (_put_in_order, _to_a_listed_count, _exchange, _replace),
    "order.larger-first": (_put_in_order, _exchange),
    "order.rank-far": (_put_in_order, _exchange),
    "order.balance": (_put_in_order, _move_one, _exchange),
    "order.channel-single": (_put_in_order, _move_one),
    "order.sockets": (_deal_out, _exchange),
    "order.socket-bare": (_deal_out,),
    "order.no-processor": (_deal_out, _take_out),
    "fit.failed": (_replace, _take_out),
    "fit.": (_exchange, _replace, _take_out),
    "power.rail": (_replace, _take_out),
    "kind.": (_exchange, _replace, _take_out),
    "limit.": (_exchange, _take_out),
    "speed.refused": (_replace, _take_out),
    "risk.": (_exchange, _replace, _take_out),
    "mode.unmet": (_put_in_order, _to_a_listed_count),
}
