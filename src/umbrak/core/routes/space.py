"""The space that is searched: classes of kinds, which slots take which, and how fast a channel runs with them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import inf

from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import UNKNOWN, Layout, Unknown
from umbrak.core.platform.sheet import Channel, Clearance, Processor
from umbrak.core.platform.statement import Statement
from umbrak.core.routes.material import Kind
from umbrak.core.routes.problem import Problem
from umbrak.core.rules import RULES
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Severity
from umbrak.core.rules.speed import refused_above
from umbrak.core.solve import channel_rate, floor_rate

#: What no further module cures: these families only ever find more in a fuller layout.
_GROWING = ("fit.", "power.rail", "kind.", "limit.", "speed.refused")
EMPTY = -1


#: Level of what has no place among the levels: it stands beside any.
NO_LEVEL = -1


@dataclass(frozen=True)
class KindClass:
    """Kinds that every rule of the sheet about places sees alike. Where sockets run at rates of their own a class is of a level:
    what is rated so or higher; what is rated higher is of the classes of lower levels too."""

    index: int
    kinds: tuple[Kind, ...]
    #: Which `Sort` it is part of.
    sort: int
    level: int = NO_LEVEL
    #: Whether some kind of it is rated just so, and not higher.
    is_bound: bool = False
    #: What sockets that hold it run at, at the most, by its rating. [MT/s]
    rated: float = inf

    @property
    def module(self) -> Module | None:
        return self.kinds[0].module

    @cached_property
    def gib(self) -> float:
        return (self.module.capacity_gib or 0) if self.module else 0

    @cached_property
    def most(self) -> int:
        """Modules of the class that can be had."""
        return sum(len(k.cost) - 1 for k in self.kinds)


@dataclass(frozen=True)
class Sort:
    """Kinds whose classes share them: every rule of the sheet about places sees them alike, but for how fast they are rated."""

    index: int
    kinds: tuple[Kind, ...]
    #: Indices of its classes, that of the lowest level first.
    classes: tuple[int, ...]
    #: Of each kind, the highest of these classes that it is in (place among `classes`).
    levels: tuple[int, ...]

    @cached_property
    def most(self) -> int:
        """Modules of the sort that can be had."""
        return sum(len(k.cost) - 1 for k in self.kinds)


class Space:
    """The classes of one problem, and where they may stand."""

    def __init__(self, problem: Problem, kinds: Sequence[Kind]) -> None:
        self.problem = problem
        self.sheet, self.machine, self.now = problem.sheet, problem.machine, problem.layout
        self._empty = Context(sheet=self.sheet, machine=self.machine, layout=Layout(), statements=problem.statements)
        self.live = self._empty.live_sockets
        self.many_sockets = len(self.live) > 1
        self.one_rate = self.sheet.rate_alike == "machine" or not self.many_sockets
        #: The least rating of each level. [MT/s]
        self._level_rates: tuple[int, ...] = ()
        self.classes, self.sorts = self._classes(kinds)
        #: What a channel may not hold by itself, as far as it was looked at (`UnitSearch.stops`).
        self.stopped: dict[object, dict[tuple[int, ...], bool]] = {}
        #: Kinds that are fitted, by which kept modules are counted.
        self.fitted = tuple(k for s in self.sorts for k in s.kinds if k.slots)

    # -- classes --------------------------------------------------------------------------------------

    @cached_property
    def behind(self) -> bool:
        """Whether some slots are behind others."""
        return any(s.behind for s in self.sheet.slots.values())

    @cached_property
    def statements(self) -> tuple[Statement, ...]:
        """All that somebody says of how much a place takes."""
        of_processors = (x for p in self.sheet.processors.values() for x in p.limits)
        return (*self.sheet.limits, *self.problem.statements, *of_processors)

    @cached_property
    def _seen(self) -> tuple[str, ...]:
        """Members of a module that rules of this sheet may look at where it matters which slot the module is in."""
        sheet, memory = self.sheet, self.sheet.memory
        tests = [k.test for k in memory.accepts] + list(memory.refuses) + [t for n in memory.never_together for t in n]
        tests += [r.module for p in sheet.processors.values() for r in p.rate_table]
        seen = {"generation", "form", "buffering", "ecc", "capacity_gib", "rails_v", "package_ranks"}
        seen |= {name for t in tests for name, _ in t.wanted}
        seen |= {m for f in sheet.fills for m in f.alike_in_set} | {m for x in memory.modes for m in x.alike}
        seen |= {"die_gbit"} if any(s.die_gbit for s in self.statements) else set()
        seen |= {"stack_height"} if any(s.stack_height for s in self.statements) else set()
        seen |= {"logical_ranks"} if any(m.spare_ranks for m in memory.modes) else set()
        seen |= {"height_mm"} if any(s.clearance != Clearance() for s in sheet.slots.values()) else set()
        return tuple(sorted(seen))

    def _classes(self, kinds: Sequence[Kind]) -> tuple[tuple[KindClass, ...], tuple[Sort, ...]]:
        groups: dict[object, list[Kind]] = {}
        for k in kinds:
            where = self._allowed(k)
            if k.module is None:
                key: object = None
            elif not where:
                continue  # it stops wherever it is put
            elif self.behind or k.module in self._staying:
                key = k.index  # which of the like slots keeps its module decides what has to be lifted, or is settled
            else:
                members = tuple(getattr(k.module, n) for n in self._seen)
                rating = self._rating(k.module)
                key = (members, rating is None if self._levelled else rating, where, self._may_refuse(k.module))
            groups.setdefault(key, []).append(k)
        levels = self._levels(kinds)
        classes: list[KindClass] = []
        sorts: list[Sort] = []
        for group in groups.values():
            its = [levels.get(k.index, NO_LEVEL) for k in group]
            first = len(classes)
            for level in range(max(its) + 1) if max(its) > NO_LEVEL else (NO_LEVEL,):
                of = tuple(k for k, top in zip(group, its, strict=True) if top >= level)
                rated = min([k.module.rate_mts for k in of if k.module and k.module.rate_mts], default=inf)
                classes.append(
                    KindClass(
                        index=len(classes), kinds=of, sort=len(sorts), level=level, is_bound=level in its, rated=rated
                    )
                )
            tops = tuple(max(top, 0) for top in its)
            sorts.append(Sort(len(sorts), tuple(group), tuple(range(first, len(classes))), tops))
        return tuple(classes), tuple(sorts)

    def _levels(self, kinds: Sequence[Kind]) -> Mapping[int, int]:
        """Kind -> its place among all ratings, the lowest first; without those whose rating is no matter or not told."""
        told = {k.index: r for k in kinds if k.module and (r := self._rating(k.module)) is not None}
        order = sorted(set(told.values()))
        if not self._levelled:
            return {}
        rates = {k.index: k.module.rate_mts or 0 for k in kinds if k.module}
        self._level_rates = tuple(min(rates[k] for k, its in told.items() if its == r) for r in order)
        return {k: order.index(r) for k, r in told.items()}

    def is_faster(self, level: int, reach: float | None) -> bool:
        """Whether a socket that may run at `reach` at the most [MT/s], None where that is not told, may run faster with modules of a
        level than with those of the one below: otherwise that one stands for both, since whatever serves here serves there."""
        if level <= 0:
            return True
        if reach is None or level >= len(self._level_rates):
            return False
        below, its = self._level_rates[level - 1 : level + 1]
        return self.floored(min(reach, its)) > self.floored(min(reach, below))

    @cached_property
    def _levelled(self) -> bool:
        """Whether kinds that differ in rating alone share their classes. Not where it matters which module stays in which slot: what
        is rated higher may be wanted elsewhere."""
        ways = self.sheet.slots and any((w := self.sheet.way_to(s)) and w.ends_warranty for s in self.sheet.slots)
        return not (self.one_rate or self.behind or ways)

    def _rating(self, module: Module) -> tuple[int, ...] | None:
        """What of its rating decides how fast a socket is: down to what its processor has, and no more than its table reaches;
        None where it is not told. Where all sockets run alike only whether it is told."""
        rate = module.rate_mts
        if rate is None or self.one_rate:
            return None if rate is None else ()
        tables = ((p, max(r.rate_mts for r in p.rate_table)) for p in self._possible if p.rate_table)
        return tuple(floor_rate(p, min(rate, top)) for p, top in tables)

    def _may_refuse(self, module: Module) -> frozenset[str]:
        """Processors that may be where nobody says which, and that would refuse it there (`speed.refused` asks)."""
        limits = {p.id: limit for s in self.unsure for p in self.may_hold[s] if (limit := refused_above(p))}
        return frozenset(p for p, limit in limits.items() if module.rate_mts is None or module.rate_mts > limit)

    def places_of(self, kind: Kind) -> tuple[str, ...]:
        """One slot of each group of slots that takes a kind."""
        allowed = self._allowed(kind)
        return tuple(slots[0] for group, slots in self._slot_groups.items() if group in allowed)

    def slots_of(self, kind: Kind) -> tuple[str, ...]:
        """Every slot that takes a kind."""
        allowed = self._allowed(kind)
        return tuple(s for group, slots in self._slot_groups.items() if group in allowed for s in slots)

    @cached_property
    def _slot_groups(self) -> Mapping[object, tuple[str, ...]]:
        """Slots that take the same modules, by what makes them differ."""
        places = {s.where for s in self.statements}
        domains = {c: d.id for d in self.sheet.memory.rail_domains for c in d.channels}
        groups: dict[object, list[str]] = {}
        for name, slot in self.sheet.slots.items():
            channel = self.sheet.channels[slot.channel]
            socket = channel.socket
            if socket in self.live:
                processor = tuple(p.id for p in self.may_hold[socket])
                named = tuple(x for x in (name, channel.id, channel.controller, socket) if x in places)
                stays = name if name in self.problem.stays else None
                key = (processor, domains.get(channel.id), slot.clearance, channel.soldered, named, stays)
                groups.setdefault(key, []).append(name)
        return {key: tuple(slots) for key, slots in groups.items()}

    def _allowed(self, kind: Kind) -> frozenset[object]:
        """Groups of slots in which a module of the kind does not stop by itself."""
        if kind.module is None:
            return frozenset({UNKNOWN})
        key = self._members(kind)
        if key not in self._where:
            module = kind.module
            self._where[key] = frozenset(g for g, x in self._slot_groups.items() if not self.stops({x[0]: module}))
        return self._where[key]

    @cached_property
    def _where(self) -> dict[object, frozenset[object]]:
        return {}

    @cached_property
    def takes(self) -> Mapping[str, tuple[int, ...]]:
        """Slot -> classes that may stand in it."""
        group_of = {s: key for key, slots in self._slot_groups.items() for s in slots}
        where = {c.index: self._allowed(c.kinds[0]) for c in self.classes}
        found = {}
        for slot in self.sheet.slots:
            # What stays goes nowhere else, and nothing else comes to where it is.
            held = alike(m) if isinstance(m := self.problem.stays.get(slot), Module) else None
            known = [
                c.index
                for c in self.classes
                if c.module
                and group_of.get(slot) in where[c.index]
                and (c.kinds[0].module == held if held else not self._is_staying(c))
            ]
            unknown = [c.index for c in self.classes if c.module is None and self.now.get(slot) is UNKNOWN]
            found[slot] = (*known, *unknown)
        return found

    @cached_property
    def may_hold(self) -> Mapping[str, tuple[Processor, ...]]:
        """Socket -> the processor that it has; where nobody says which, each that it may have; () where it has none."""

        def of(socket: str, fitted: Processor | Unknown | None) -> tuple[Processor, ...]:
            if isinstance(fitted, Processor):
                return (fitted,)
            choices = self.sheet.sockets[socket].processors if fitted is UNKNOWN else ()
            return tuple(self.sheet.processors[p] for p in choices)

        return {s: of(s, fitted) for s, fitted in self._empty.processors.items()}

    @cached_property
    def _possible(self) -> tuple[Processor, ...]:
        """Every processor that may be in the machine."""
        return tuple({p.id: p for of in self.may_hold.values() for p in of}.values())

    @cached_property
    def unsure(self) -> frozenset[str]:
        """Sockets of which nobody says which processor they have."""
        return frozenset(s for s in self.live if self._empty.processors[s] is UNKNOWN)

    @cached_property
    def maybe_bare(self) -> frozenset[str]:
        """Sockets of which nobody says whether they have a processor (`order.no-processor` asks)."""
        return frozenset(s for s in self.unsure if self.sheet.sockets[s].may_be_absent)

    @cached_property
    def sizeless(self) -> frozenset[int]:
        """Classes of which nobody knows how large they are."""
        return frozenset(c.index for c in self.classes if c.module and c.module.is_sizeless)

    def _is_staying(self, c: KindClass) -> bool:
        """Whether every module of a class stays where it is."""
        return any(k.module in self._staying and len(k.cost) - 1 <= k.fitted for k in c.kinds)

    @cached_property
    def _staying(self) -> frozenset[Module]:
        return frozenset(alike(m) for m in self.problem.stays.values() if isinstance(m, Module))

    @cached_property
    def now_class(self) -> Mapping[str, tuple[frozenset[int], int]]:
        """Slot -> (classes, place of its kind among the fitted) of what it holds now."""
        of = {k.index: frozenset(c.index for c in self.classes if k in c.kinds) for k in self.fitted}
        return {s: (of[k.index], i) for i, k in enumerate(self.fitted) for s in k.slots}

    def together(self, i: int, j: int) -> bool:
        """Whether modules of two classes may live in one machine: some pair of slots holds both without a stop."""
        a, b = self.classes[i], self.classes[j]
        if i == j or a.module is None or b.module is None:
            return True
        key = frozenset({self._members(a.kinds[0]), self._members(b.kinds[0])})
        if key not in self._together:
            self._together[key] = any(
                i in self.takes[x] and j in self.takes[y] and not self.stops({x: a.module, y: b.module})
                for x, y in self._pairs
            )
        return self._together[key]

    @cached_property
    def _together(self) -> dict[object, bool]:
        return {}

    def _members(self, kind: Kind) -> tuple[object, ...]:
        members = (*(getattr(kind.module, n) for n in self._seen), kind.module and kind.module.rate_mts)
        return (*members, kind.module) if kind.module in self._staying else members

    def stops(self, slots: Mapping[str, Module]) -> bool:
        """Whether these modules are stopped by something that no further module would cure."""
        return stops(
            Context(sheet=self.sheet, machine=self.machine, layout=Layout(slots), statements=self.problem.statements)
        )

    def _is_live(self, slot: str) -> bool:
        return self.sheet.socket_of_slot[slot] in self.live

    @cached_property
    def _pairs(self) -> Sequence[tuple[str, str]]:
        """Of pairs of slots one for each way in which they can be related: same channel, same socket, or neither, and
        each pair of slot groups. What may not stand in one channel may in two."""
        found: dict[object, tuple[str, str]] = {}
        group_of = {s: key for key, slots in self._slot_groups.items() for s in slots}
        first: dict[object, str] = {}
        for s, key in group_of.items():
            first.setdefault((key, self.sheet.slots[s].channel), s)
        for a in first.values():
            for b in group_of:
                x, y = self.sheet.slots[a].channel, self.sheet.slots[b].channel
                same = (x == y, self.sheet.channels[x].socket == self.sheet.channels[y].socket)
                if a != b:
                    found.setdefault((same, group_of[a], group_of[b]), (a, b))
        return tuple(found.values())

    def is_known(self, at: int) -> bool:
        """Whether a class, or nothing, is modules that somebody knows."""
        return at != EMPTY and self.classes[at].module is not None

    @cached_property
    def places_seen(self) -> tuple[frozenset[object], ...] | None:
        """Sets of slots that were seen filled, where nobody tells which come first or share a channel; None where it is told."""
        untold = [u for f in ("population", "channels") if (u := self.sheet.not_told(f))]
        return tuple(s for u in untold for s in u.seen if isinstance(s, frozenset)) if untold else None

    # -- rates ----------------------------------------------------------------------------------------

    def reach(self, channel: Channel, fill: Sequence[int]) -> float | None:
        """The most that a channel filled like this may run at by the rate table, over the rails that are possible;
        None where the rate of its socket is never told. [MT/s]

        Where nobody says which processor is there, it is told if it is the same with each that may be.
        """
        here: list[tuple[str | None, Module]] = [(None, channel.soldered)] if channel.soldered else []
        for slot, c in zip(channel.slots, fill, strict=True):
            module = self.classes[c].module if c != EMPTY else None
            if c != EMPTY and (module is None or module.rate_mts is None):
                return None
            here += [(slot, module)] if module else []
        if not here:
            return inf
        rails = next((d.rails_v for d in self.sheet.memory.rail_domains if channel.id in d.channels), (None,))
        processors = self.may_hold[channel.socket]
        told = [[r for v in rails if (r := channel_rate(p, here, v)) is not None] for p in processors]
        soldered = (channel.soldered.rate_mts if channel.soldered else None) or inf
        return min(*map(max, told), soldered, self.sheet.rate_cap_mts or inf) if all(told) else None

    def floored(self, rate: float) -> float:
        """Down to the nearest rate that any of the processors has. [MT/s]"""
        if rate == inf or not self._possible:
            return rate
        return max(floor_rate(p, int(rate)) for p in self._possible)


def stops(ctx: Context) -> bool:
    """Whether something is against a layout that no further module would cure."""
    return any(
        f.severity is Severity.STOP
        for code, rule in RULES.items()
        if code.startswith(_GROWING) and rule.applies(ctx)
        for f in rule.find(ctx)
    )
