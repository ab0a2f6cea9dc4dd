"""Which class of module stands in which slot, told once for all layouts that the rules cannot tell apart.

    kinds      what can be had                                 16 GB 2R of three makers, 32 GB 2R of two
    classes    kinds that every rule of this sheet sees alike  16 GB 2R, 32 GB 2R
    design     a class or nothing for every slot               A1 32 GB, A2 16 GB; B1 32 GB, B2 16 GB; ...

Channels that are alike (same slots, same limits, same place in the population order, holding the same now) may change
places without any measure changing, so a design lists their contents in one order only; sockets that are alike too.
Where even layouts are asked for, the slots of a count are those that the order gives to it, a set is alike in what it
has to be, and the channels of a socket hold the same.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from math import inf

from umbrak.core.bandwidth import balance
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.core.platform.sheet import Channel, Clearance, FillOrder, Processor
from umbrak.core.routes.material import Kind
from umbrak.core.routes.problem import Problem
from umbrak.core.rules import RULES
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Severity
from umbrak.core.rules.order import expected_sets
from umbrak.core.solve import channel_rate, floor_rate

#: What no further module cures: these families only ever find more in a fuller layout.
_GROWING = ("fit.", "power.rail", "kind.", "limit.", "speed.refused")
#: Members that only tell whose a module is, or that only cap the rate: no rule about places looks at them unless the
#: sheet asks for it.
_OFF_CLASS = frozenset({"part", "maker", "maker_code", "revision", "serial", "made", "timing"})
EMPTY = -1


@dataclass(frozen=True)
class KindClass:
    """Kinds that every rule of the sheet about places sees alike."""

    index: int
    kinds: tuple[Kind, ...]

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
class UnitDesign:
    """The classes of one unit's slots and what follows for the measures."""

    classes: tuple[int, ...]
    counts: tuple[int, ...]
    filled: int
    gib: float
    #: Per fitted kind: slots that hold one now and a module of its class in the design.
    kept: tuple[int, ...]
    #: The most at which every channel may run, whatever the modules are rated. [MT/s]
    reach: float
    #: Of the sockets whose rate is told: GB/s for every MT/s.
    per_mts: float
    #: What other units must share, where the sheet asks for evenness over sockets.
    shared: tuple[object, ...]


@dataclass(frozen=True)
class Unit:
    """Sockets whose slots hang together through the population order."""

    sockets: tuple[str, ...]
    slots: tuple[str, ...]
    #: Equal for units that may change places.
    alike: object


class Space:
    """The classes and units of one problem."""

    def __init__(self, problem: Problem, kinds: Sequence[Kind]) -> None:
        self.problem = problem
        self.sheet, self.machine, self.now = problem.sheet, problem.machine, problem.layout
        self._empty = Context(self.sheet, self.machine, Layout(), problem.statements)
        self.live = self._empty.live_sockets
        self.many_sockets = len(self.live) > 1
        self.one_rate = self.sheet.rate_alike == "machine" or not self.many_sockets
        self.classes = self._classes(kinds)
        self.class_of = {k.index: c for c in self.classes for k in c.kinds}
        #: Kinds that are fitted, by which kept modules are counted.
        self.fitted = tuple(k for c in self.classes for k in c.kinds if k.slots)

    # -- classes --------------------------------------------------------------------------------------

    @cached_property
    def _behind(self) -> bool:
        return any(s.behind for s in self.sheet.slots.values())

    @cached_property
    def _seen(self) -> tuple[str, ...]:
        """Members of a module that rules of this sheet may look at where it matters which slot the module is in."""
        sheet, memory = self.sheet, self.sheet.memory
        processors = sheet.processors.values()
        statements = [*sheet.limits, *self.problem.statements, *(s for p in processors for s in p.limits)]
        tests = [k.test for k in memory.accepts] + list(memory.refuses) + [t for n in memory.never_together for t in n]
        tests += [r.module for p in processors for r in p.rate_table]
        seen = {"generation", "form", "buffering", "ecc", "capacity_gib", "rails_v", "package_ranks"}
        seen |= {name for t in tests for name, _ in t.wanted}
        seen |= {m for f in sheet.fills for m in f.alike_in_set} | {m for x in memory.modes for m in x.alike}
        seen |= {"die_gbit"} if any(s.die_gbit for s in statements) else set()
        seen |= {"stack_height"} if any(s.stack_height for s in statements) else set()
        seen |= {"logical_ranks"} if any(m.spare_ranks for m in memory.modes) else set()
        seen |= {"height_mm"} if any(s.clearance != Clearance() for s in sheet.slots.values()) else set()
        seen |= set() if self.one_rate else {"rate_mts"}
        return tuple(sorted(seen))

    def _classes(self, kinds: Sequence[Kind]) -> tuple[KindClass, ...]:
        groups: dict[object, list[Kind]] = {}
        for k in kinds:
            where = self._allowed(k)
            if k.module is None:
                key: object = None
            elif not where:
                continue  # it stops wherever it is put
            elif self._behind:
                key = k.index  # which of the like slots keeps its module decides what has to be lifted
            else:
                members = tuple(getattr(k.module, n) for n in self._seen)
                key = (members, k.module.rate_mts is None, where)
            groups.setdefault(key, []).append(k)
        return tuple(KindClass(i, tuple(g)) for i, g in enumerate(groups.values()))

    @cached_property
    def _slot_groups(self) -> Mapping[object, tuple[str, ...]]:
        """Slots that take the same modules, by what makes them differ."""
        statements = [*self.sheet.limits, *self.problem.statements]
        places = {s.where for s in (*statements, *(x for p in self.sheet.processors.values() for x in p.limits))}
        domains = {c: d.id for d in self.sheet.memory.rail_domains for c in d.channels}
        groups: dict[object, list[str]] = {}
        for name, slot in self.sheet.slots.items():
            channel = self.sheet.channels[slot.channel]
            socket = channel.socket
            if socket in self.live:
                processor = getattr(self._empty.processors[socket], "id", None)
                named = tuple(x for x in (name, channel.id, channel.controller, socket) if x in places)
                key = (processor, domains.get(channel.id), slot.clearance, channel.soldered, named)
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
            known = [c.index for c in self.classes if c.module and group_of.get(slot) in where[c.index]]
            unknown = [c.index for c in self.classes if c.module is None and self.now.get(slot) is UNKNOWN]
            found[slot] = (*known, *unknown)
        return found

    @cached_property
    def now_class(self) -> Mapping[str, tuple[int, int]]:
        """Slot -> (class, place of its kind among the fitted) of what it holds now."""
        return {s: (self.class_of[k.index].index, i) for i, k in enumerate(self.fitted) for s in k.slots}

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
        return (*(getattr(kind.module, n) for n in self._seen), kind.module and kind.module.rate_mts)

    def stops(self, slots: Mapping[str, Module]) -> bool:
        """Whether these modules are stopped by something that no further module would cure."""
        return stops(Context(self.sheet, self.machine, Layout(slots), self.problem.statements))

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

    # -- units ----------------------------------------------------------------------------------------

    def units(self, even: bool) -> tuple[Unit, ...]:
        """Sockets joined by the population order; each socket by itself where the order is no matter."""
        groups = [{s} for s in self.live]
        for fill in self.sheet.fills if even else ():
            joined = {self.sheet.socket_of_slot[s] for s in fill.slots} & set(self.live)
            touched = [g for g in groups if g & joined]
            groups = [g for g in groups if not g & joined] + ([set().union(*touched)] if touched else [])
        units = []
        for group in sorted(groups, key=lambda g: min(self.live.index(s) for s in g)):
            sockets = tuple(s for s in self.live if s in group)
            slots = tuple(x for s in sockets for c in self.sheet.channels_of[s] for x in c.slots)
            kinds = self._by_first_domain(
                [self.channel_type(c, ()) for s in sockets for c in self.sheet.channels_of[s]]
            )
            places = tuple(self.place_in_orders(x, slots) for x in slots)
            held = tuple(self.now_class.get(x) for x in slots)
            units.append(Unit(sockets, slots, (len(sockets), kinds, places, held)))
        return tuple(units)

    def _by_first_domain(self, types: Sequence[tuple[object, ...]]) -> object:
        """Channel types of a unit with its supplies numbered as they come: those of another unit are other supplies."""
        order = list(dict.fromkeys(t[0] for t in types))
        return tuple((order.index(t[0]), *t[1:]) for t in types)

    def place_in_orders(self, slot: str, unit: Sequence[str]) -> object:
        """Which set of each count of each order the slot is in. An order within the unit's slots is told by what it
        asks, so that another unit's like order is equal to it; others by themselves."""
        found: list[object] = []
        within = [f for f in self.sheet.fills if set(f.slots) <= set(unit)]
        for i, f in enumerate(self.sheet.fills):
            if slot in f.slots:
                asks = (
                    f in within and within.index(f),
                    f.other_counts,
                    f.otherwise,
                    f.alike_in_set,
                    f.larger_first,
                    f.higher_ranks_far,
                )
                sets = tuple(
                    (n, next((k for k, each in enumerate(sets) if slot in each), None))
                    for n, sets in sorted(f.layouts.items())
                )
                found.append((asks if f in within else i, sets))
        return tuple(found)

    def channel_type(self, channel: Channel, extra: Sequence[object]) -> tuple[object, ...]:
        """Equal for channels that may change places; its supply first. `extra`: what the order makes of each slot."""
        sheet = self.sheet
        statements = [
            *sheet.limits,
            *self.problem.statements,
            *(x for p in sheet.processors.values() for x in p.limits),
        ]
        named = {s.where for s in statements if s.where}
        by_controller = any(s.scope == "controller" for s in statements)
        domain = next((i for i, d in enumerate(sheet.memory.rail_domains) if channel.id in d.channels), None)
        slots = []
        for x in channel.slots:
            slot, way = sheet.slots[x], sheet.way_to(x)
            slots.append(
                (
                    slot.position,
                    slot.clearance,
                    bool(way and way.ends_warranty),
                    x if self._behind or x in named else None,
                    self._held_now(x),
                    tuple(x in m.slots for m in sheet.memory.modes),
                )
            )
        return (
            domain,
            getattr(self._empty.processors[channel.socket], "id", None),
            channel.soldered,
            channel.controller if by_controller else None,
            channel.id if channel.id in named or channel.socket in named else None,
            tuple(slots),
            tuple(extra),
        )

    def _held_now(self, slot: str) -> object:
        """What the slot holds; where sockets must match slot for slot, what the like slots of all sockets hold."""
        if not any(e.symmetric for e in self.sheet.evens):
            return self.now_class.get(slot)
        channel = self.sheet.channels[self.sheet.slots[slot].channel]
        place = [x for c in self.sheet.channels_of[channel.socket] for x in c.slots].index(slot)
        rows = [[x for c in self.sheet.channels_of[s] for x in c.slots] for s in self.live]
        return tuple(self.now_class.get(row[place]) if place < len(row) else None for row in rows)

    # -- rates ----------------------------------------------------------------------------------------

    def reach(self, channel: Channel, fill: Sequence[int]) -> float | None:
        """The most that a channel filled like this may run at by the rate table, over the rails that are possible;
        None where the rate of its socket is never told. [MT/s]"""
        processor = self._empty.processors[channel.socket]
        if not isinstance(processor, Processor):
            return None
        here: list[tuple[str | None, Module]] = [(None, channel.soldered)] if channel.soldered else []
        for slot, c in zip(channel.slots, fill, strict=True):
            module = self.classes[c].module if c != EMPTY else None
            if c != EMPTY and (module is None or module.rate_mts is None):
                return None
            here += [(slot, module)] if module else []
        if not here:
            return inf
        rails = next((d.rails_v for d in self.sheet.memory.rail_domains if channel.id in d.channels), (None,))
        told = [r for v in rails if (r := channel_rate(processor, here, v)) is not None]
        soldered = (channel.soldered.rate_mts if channel.soldered else None) or inf
        return min(max(told), soldered, self.sheet.rate_cap_mts or inf) if told else None

    def floored(self, rate: float) -> float:
        """Down to the nearest rate that any of the processors has. [MT/s]"""
        processors = [p for s in self.live if isinstance(p := self._empty.processors[s], Processor)]
        if rate == inf or not processors:
            return rate
        return max(floor_rate(p, int(rate)) for p in processors)


def stops(ctx: Context) -> bool:
    """Whether something is against a layout that no further module would cure."""
    return any(
        f.severity is Severity.STOP
        for code, rule in RULES.items()
        if code.startswith(_GROWING) and rule.applies(ctx)
        for f in rule.find(ctx)
    )


# -- the designs of a unit ------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Shape:
    """Which slots of a unit are filled, and which sets they belong to."""

    #: Slot -> must be filled (True), must stand empty (False); left out = either.
    filled: Mapping[str, bool]
    #: Slot -> sets that it belongs to, as (order, place of the set).
    sets: Mapping[str, tuple[tuple[int, int], ...]]


class UnitSearch:
    """Walks the designs of one unit, channel by channel. `pure`: only those with one class in each set; where slots
    belong to none, in the like slots of a socket's channels."""

    def __init__(self, space: Space, unit: Unit, even: bool, pure: bool) -> None:
        self.space, self.unit, self.even, self.pure = space, unit, even, pure
        self.sheet = space.sheet
        self.channels = [c for s in unit.sockets for c in self.sheet.channels_of[s]]
        self.fills: list[FillOrder] = [f for f in self.sheet.fills if set(f.slots) & set(unit.slots)] if even else []
        mode = next((m for m in self.sheet.memory.modes if m.id == space.machine.mode), None)
        self.mode = mode
        #: Whether the channels of a socket must hold the same.
        self.level = {
            s: even
            and not any(c.soldered for c in self.sheet.channels_of[s])
            and not (mode and mode.channels_used)
            for s in unit.sockets
        }  # fmt: skip

    def shapes(self) -> Iterator[_Shape]:
        counts = [sorted({0, *f.layouts}) for f in self.fills]
        for chosen in product(*counts):
            filled: dict[str, bool] = {}
            sets: dict[str, tuple[tuple[int, int], ...]] = {}
            agrees = True
            for i, (fill, n) in enumerate(zip(self.fills, chosen, strict=True)):
                place = {s: k for k, each in enumerate(expected_sets(fill, n) if n else ()) for s in each}
                agrees &= len(place) == n and all(self.space._is_live(s) for s in place)
                for s in fill.slots:
                    agrees &= filled.setdefault(s, s in place) == (s in place)
                    if s in place:
                        sets[s] = (*sets.get(s, ()), (i, place[s]))
            if agrees:
                yield _Shape(filled, sets)

    def designs(self, until: Callable[[], bool]) -> Iterator[UnitDesign]:
        """Every design of the unit, till `until` says that it is enough."""
        for shape in self.shapes():
            if until():
                return
            yield from self._walk(_Walk(self, shape), until)

    def _walk(self, walk: _Walk, until: Callable[[], bool]) -> Iterator[UnitDesign]:
        for fills in walk.fills(0):
            if until():
                return
            design = self._design(fills)
            if design is not None:
                yield design

    def _design(self, fills: Sequence[tuple[int, ...]]) -> UnitDesign | None:
        space = self.space
        classes = tuple(c for fill in fills for c in fill)
        counts = [0] * len(space.classes)
        kept = [0] * len(space.fitted)
        for slot, c in zip(self.unit.slots, classes, strict=True):
            if c != EMPTY:
                counts[c] += 1
                was = space.now_class.get(slot)
                if was and was[0] == c:
                    kept[was[1]] += 1
        if any(n > c.most for n, c in zip(counts, space.classes, strict=True)):
            return None
        if any(self._stops(c, f) for c, f in zip(self.channels, fills, strict=True)):
            return None
        reach, per_mts, gib_of, at = inf, 0.0, {}, 0
        for socket in self.unit.sockets:
            channels = self.sheet.channels_of[socket]
            here = fills[at : at + len(channels)]
            at += len(channels)
            gib = [self._gib(c, f) for c, f in zip(channels, here, strict=True)]
            gib_of[socket] = sum(gib)
            rates = [self._reach(c, f) for c, f in zip(channels, here, strict=True)]
            if not any(gib) or None in rates:
                continue
            told = [r for r in rates if r is not None]
            rated = [] if space.one_rate else [self._rated(f) for f in here]
            if space.one_rate:
                reach = min([reach, *told])
            even = balance(gib) or 0
            best = len(gib) * even
            if self.mode:
                used = self.mode.channels_used or len(gib)
                inner = balance(sorted(gib, reverse=True)[:used]) or 0
                best = max(best, used * inner * self.mode.bandwidth_factor)
            rate = 1.0 if space.one_rate else space.floored(min([*told, *rated]))
            per_mts += best * 8 / 1000 * rate
        if self.even and not self._evens(fills, gib_of):
            return None
        return UnitDesign(
            classes,
            tuple(counts),
            sum(counts),
            sum(gib_of.values()),
            tuple(kept),
            reach,
            per_mts,
            self._shared(classes, gib_of) if self.even else (),
        )

    def _gib(self, channel: Channel, fill: Sequence[int]) -> float:
        soldered = (channel.soldered.capacity_gib or 0) if channel.soldered else 0
        return soldered + sum(self.space.classes[c].gib for c in fill if c != EMPTY)

    def _rated(self, fill: Sequence[int]) -> float:
        """The lowest rating in a channel, where classes tell ratings apart."""
        modules = [self.space.classes[c].module for c in fill if c != EMPTY]
        return min([m.rate_mts for m in modules if m and m.rate_mts], default=inf)

    @cached_property
    def _reaches(self) -> dict[tuple[object, ...], float | None]:
        return {}

    def _stops(self, channel: Channel, fill: tuple[int, ...]) -> bool:
        """Whether a channel filled like this stops by itself."""
        key = (self._plain_types[channel.id], fill)
        if key not in self._stopped:
            modules = {
                s: m
                for s, c in zip(channel.slots, fill, strict=True)
                if c != EMPTY and (m := self.space.classes[c].module)
            }
            self._stopped[key] = len(modules) > 1 and self.space.stops(modules)
        return self._stopped[key]

    @cached_property
    def _plain_types(self) -> Mapping[str, object]:
        types = [self.space.channel_type(c, ()) for c in self.channels]
        return {c.id: types.index(t) for c, t in zip(self.channels, types, strict=True)}

    @cached_property
    def _stopped(self) -> dict[object, bool]:
        return {}

    def _reach(self, channel: Channel, fill: tuple[int, ...]) -> float | None:
        key = (channel.socket, channel.soldered, fill)
        if key not in self._reaches:
            self._reaches[key] = self.space.reach(channel, fill)
        return self._reaches[key]

    def _evens(self, fills: Sequence[tuple[int, ...]], gib_of: Mapping[str, float]) -> bool:
        """What the order asks of whole sockets, and of sets that come one after another."""
        filled = any(c != EMPTY for fill in fills for c in fill)
        if not filled:
            return True
        at = 0
        least = max((e.least_per_processor for e in self.sheet.evens), default=0)
        for socket in self.unit.sockets:
            channels = self.sheet.channels_of[socket]
            here = fills[at : at + len(channels)]
            at += len(channels)
            seated = sum(c != EMPTY for f in here for c in f) + sum(1 for c in channels if c.soldered)
            if self.space.many_sockets and seated < max(least, 1):
                return False
            single = len(channels) > 1 and sum(1 for c, f in zip(channels, here, strict=True) if self._gib(c, f)) == 1
            if single and self.level[socket]:
                return False
        return True

    def _shared(self, classes: Sequence[int], gib_of: Mapping[str, float]) -> tuple[object, ...]:
        """What sockets must have in common; empty units have it with none but each other."""
        shared: list[object] = [all(c == EMPTY for c in classes)]
        for e in self.sheet.evens:
            if e.even_over_sockets:
                shared.append(tuple(sorted({g for g in gib_of.values() if g})))
            if e.symmetric:
                modules = [self.space.classes[c].module if c != EMPTY else None for c in classes]
                shared.append(tuple(m and (m.capacity_gib, m.package_ranks) for m in modules))
        return tuple(shared)


class _Walk:
    """The contents of a unit's channels under one shape, one after another."""

    def __init__(self, search: UnitSearch, shape: _Shape) -> None:
        self.search, self.shape, self.space = search, shape, search.space
        self.types = [self._type(c) for c in search.channels]
        #: The channel of the same socket and type that comes before: its contents come first in order too.
        self.previous = [
            next((j for j in range(i - 1, -1, -1) if self.types[j] == t and self._socket(j) == self._socket(i)), None)
            for i, t in enumerate(self.types)
        ]
        self._options: dict[object, dict[float, list[tuple[int, ...]]]] = {}
        self._by_sets: dict[object, dict[tuple[tuple[object, ...], ...], list[tuple[int, ...]]]] = {}
        keys = [k for f in search.fills for k in f.alike_in_set]
        self.alike = [tuple(f.alike_in_set) for f in search.fills]
        modules = [c.module for c in self.space.classes]
        self.member = {k: [getattr(m, k) if m else None for m in modules] for k in keys}

    def _socket(self, i: int) -> str:
        return self.search.channels[i].socket

    def _type(self, channel: Channel) -> object:
        order: list[object] = [(self.shape.filled.get(s), self.shape.sets.get(s)) for s in channel.slots]
        if not self.search.even:
            # Layouts against the order may be allowed, but how bad they are still hangs on it.
            order = [self.space.place_in_orders(s, ()) for s in channel.slots]
        return self.space.channel_type(channel, order)

    def options(self, i: int) -> dict[float, list[tuple[int, ...]]]:
        """GiB -> contents that a channel of this type may have by itself."""
        if self.types[i] not in self._options:
            channel = self.search.channels[i]
            found: dict[float, list[tuple[int, ...]]] = {}
            for fill in self._products(channel, 0, ()):
                found.setdefault(self.search._gib(channel, fill), []).append(fill)
            self._options[self.types[i]] = found
        return self._options[self.types[i]]

    def _products(self, channel: Channel, at: int, made: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
        if at == len(channel.slots):
            yield made
            return
        slot = channel.slots[at]
        must = self.shape.filled.get(slot)
        choices = () if must is False else self.space.takes[slot]
        for c in (*choices, *(() if must else (EMPTY,))):
            others = [x for x in made if x != EMPTY]
            if c == EMPTY or all(self.space.together(c, x) for x in others):
                fill = (*made, c)
                if not self.search.even or self._in_order(channel, fill):
                    yield from self._products(channel, at + 1, fill)

    def _in_order(self, channel: Channel, fill: tuple[int, ...]) -> bool:
        """The last slot of a part of a channel beside the others: earlier sets larger, more ranks far, sets alike."""
        slots, last = self.space.sheet.slots, len(fill) - 1
        if fill[last] == EMPTY:
            return True
        classes = self.space.classes
        for k in range(last):
            if fill[k] == EMPTY:
                continue
            a, b = classes[fill[k]], classes[fill[last]]
            for i, j in product(
                self.shape.sets.get(channel.slots[k], ()), self.shape.sets.get(channel.slots[last], ())
            ):
                if i[0] != j[0]:
                    continue
                fill_order = self.search.fills[i[0]]
                if i[1] == j[1] and not self._alike(fill_order, fill[k], fill[last]):
                    return False
                first, later = (a, b) if i[1] < j[1] else (b, a)
                if fill_order.larger_first and i[1] != j[1] and later.gib > first.gib and first.gib:
                    return False
                ranks = [x.module.package_ranks if x.module else None for x in (a, b)]
                where = [slots[channel.slots[x]].position for x in (k, last)]
                if fill_order.higher_ranks_far and set(where) == {"near", "far"} and None not in ranks:
                    near, far = (ranks[0], ranks[1]) if where[0] == "near" else (ranks[1], ranks[0])
                    if near is not None and far is not None and near > far:
                        return False
        return True

    def _alike(self, fill: FillOrder, a: int, b: int) -> bool:
        """Whether two modules may stand in one set: alike in every member that both are known to have."""
        return all(
            (x := self.member[k][a]) is None or (y := self.member[k][b]) is None or x == y for k in fill.alike_in_set
        )

    def fills(self, at: int) -> Iterator[list[tuple[int, ...]]]:
        yield from self._next(0, [], {}, {})

    def _next(
        self,
        i: int,
        made: list[tuple[int, ...]],
        sets: Mapping[tuple[int, int], int],
        level: Mapping[str, float],
    ) -> Iterator[list[tuple[int, ...]]]:
        if i == len(self.search.channels):
            if self._sets_descend(sets):
                yield list(made)
            return
        channel = self.search.channels[i]
        previous = self.previous[i]
        least = made[previous] if previous is not None else None
        for fill in self._choices(i, channel, sets, level):
            if least is not None and fill < least:
                continue
            grown = self._joined(channel, fill, sets)
            if grown is None:
                continue
            gib = self.search._gib(channel, fill)
            levels = {**level, channel.socket: gib} if self.search.level[channel.socket] else level
            made.append(fill)
            yield from self._next(i + 1, made, grown, levels)
            made.pop()

    def _choices(
        self, i: int, channel: Channel, sets: Mapping[tuple[int, int], int], level: Mapping[str, float]
    ) -> Sequence[tuple[int, ...]]:
        options = self.options(i)
        if channel.socket in level:
            here: Sequence[tuple[int, ...]] = options.get(level[channel.socket], ())
        else:
            here = [f for fills in options.values() for f in fills]
        belongs = [self.shape.sets.get(s, ()) for s in channel.slots]
        if len(here) > 16 and belongs and all(len(b) == 1 and b[0] in sets for b in belongs):
            # Every set is decided: what fits is looked up instead of tried.
            keys = tuple(self._key(b[0][0], sets[b[0]]) for b in belongs)
            if not any(None in k for k in keys):
                table = self._by_sets.get((self.types[i], level.get(channel.socket)))
                if table is None:
                    table = {}
                    for fill in here:
                        table.setdefault(tuple(self._key(b[0][0], c) for b, c in zip(belongs, fill, strict=True)), []).append(fill)  # fmt: skip
                    self._by_sets[self.types[i], level.get(channel.socket)] = table
                # Members that are unknown fit with any: those fills are tried one by one.
                loose = [f for k, fills in table.items() if any(None in x for x in k) for f in fills]
                return [*table.get(keys, ()), *loose]
        return here

    def _key(self, fill: int, c: int) -> tuple[object, ...]:
        return tuple(self.member[k][c] for k in self.alike[fill])

    def _joined(
        self, channel: Channel, fill: tuple[int, ...], sets: Mapping[tuple[int, int], int]
    ) -> Mapping[tuple[int, int], int] | None:
        """The sets with this channel's modules; None where a module is unlike its set."""
        grown = sets
        for place, (slot, c) in enumerate(zip(channel.slots, fill, strict=True)):
            if c == EMPTY:
                continue
            belongs = self.shape.sets.get(slot, ())
            if self.search.pure and not belongs:
                belongs = ((-1 - self.search.unit.sockets.index(channel.socket), place),)
            for s in belongs:
                if s not in grown:
                    grown = {**grown, s: c}
                elif grown[s] != c and (self.search.pure or not self._alike(self.search.fills[s[0]], grown[s], c)):
                    return None
        return grown

    def _sets_descend(self, sets: Mapping[tuple[int, int], int]) -> bool:
        """A quick look at the first module of each set; whole sets are weighed later."""
        for (i, k), c in sets.items():
            if i < 0:
                continue
            after = sets.get((i, k + 1))
            larger = after is not None and self.space.classes[after].gib > self.space.classes[c].gib
            if self.search.fills[i].larger_first and larger and "capacity_gib" in self.alike[i]:
                return False
        return True
