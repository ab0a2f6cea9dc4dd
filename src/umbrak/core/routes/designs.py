"""Which class of module stands in which slot, told once for all layouts that the rules cannot tell apart.

    kinds      what can be had                                 16 GB 2R of three makers, 32 GB 2R of two
    classes    kinds that every rule of this sheet sees alike  16 GB 2R, 32 GB 2R
    design     a class or nothing for every slot               A1 32 GB, A2 16 GB; B1 32 GB, B2 16 GB; ...

Where sockets run at rates of their own, classes are of levels (`space.KindClass`), and a socket's are all of one: that of the
lowest rated module in it. What is rated higher serves there as well, so it is no class of its own, as it would be if each
rating were one: which of them it is, is a matter of what is bought. A level at which a socket runs no faster than at the one
below has no designs of its own.

Channels that are alike (same slots, same limits, same place in the population order, holding the same now) may change
places without any measure changing, so a design lists their contents in one order only; sockets that are alike too.
Where even layouts are asked for, the slots of a count are those that the order gives to it, a set is alike in what it
has to be, and the channels of a socket hold the same.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from math import inf
from types import MappingProxyType

from umbrak.core.bandwidth import balance
from umbrak.core.memory.module import Module
from umbrak.core.platform.sheet import Channel, FillOrder
from umbrak.core.routes.space import EMPTY, NO_LEVEL, Space
from umbrak.core.routes.units import Unit, channel_type, place_in_orders
from umbrak.core.rules.order import expected_sets


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
    #: Where the order is not told: whether just those slots are filled that are filled now.
    as_ran: bool
    #: Sockets that hold modules, of which nobody says whether they have a processor.
    maybe_bare: int


@dataclass(frozen=True, slots=True)
class _Filled:
    """What a channel comes to by itself."""

    gib: float
    #: The most that it may run at by the rate table; None where nobody tells. The lowest rating in it. [MT/s]
    reach: float | None
    rated: float
    #: The level of its classes (`KindClass.level`).
    level: int
    #: (class, how many there are of it)
    adds: tuple[tuple[int, int], ...]
    #: (fitted kind, slots that hold one now and a module of its class then)
    keeps: tuple[tuple[int, int], ...]


@dataclass(frozen=True)
class _Shape:
    """Which slots of a unit are filled, and which sets they belong to."""

    #: Slot -> must be filled (True), must stand empty (False); left out = either.
    filled: Mapping[str, bool]
    #: Slot -> sets that it belongs to, as (order, place of the set).
    sets: Mapping[str, tuple[tuple[int, int], ...]]


class UnitSearch:
    """Walks the designs of one unit, channel by channel. `pure`: only those with one class in each set; where slots
    belong to none, in the like slots of a socket's channels. `stays`: of slots, whether what nobody knows stays there;
    left out = either."""

    def __init__(
        self, space: Space, unit: Unit, even: bool, pure: bool, stays: Mapping[str, bool] = MappingProxyType({})
    ) -> None:
        self.space, self.unit, self.even, self.pure = space, unit, even, pure
        self.stays = stays
        self.sheet = space.sheet
        self.channels = [c for s in unit.sockets for c in self.sheet.channels_of[s]]
        self.fills: list[FillOrder] = [f for f in self.sheet.fills if set(f.slots) & set(unit.slots)] if even else []
        mode = next((m for m in self.sheet.memory.modes if m.id == space.machine.mode), None)
        self.mode = mode
        self._filled: dict[tuple[str, tuple[int, ...]], _Filled] = {}
        self._reaches: dict[object, float | None] = {}
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
            yield from self._walk(_Walk(self, shape, until))

    def _walk(self, walk: _Walk) -> Iterator[UnitDesign]:
        for fills in walk.fills():
            design = self._design(fills)
            if design is not None:
                yield design

    def _design(self, fills: Sequence[tuple[int, ...]]) -> UnitDesign | None:
        space = self.space
        parts = [self.filled(c, f) for c, f in zip(self.channels, fills, strict=True)]
        reach, per_mts, gib_of, at = inf, 0.0, {}, 0
        for socket in self.unit.sockets:
            here = parts[at : at + len(self.sheet.channels_of[socket])]
            at += len(here)
            gib = [p.gib for p in here]
            gib_of[socket] = sum(gib)
            told = [p.reach for p in here if p.reach is not None]
            if not gib_of[socket] or len(told) < len(here):
                continue
            rated = [] if space.one_rate else [p.rated for p in here]
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
        if self.even and not self._evens(parts):
            return None
        if not self._are_bound(parts):
            return None
        counts, kept = [0] * len(space.classes), [0] * len(space.fitted)
        for p in parts:
            for c, n in p.adds:
                counts[c] += n
            for k, n in p.keeps:
                kept[k] += n
        classes = tuple(c for fill in fills for c in fill)
        return UnitDesign(
            classes=classes,
            counts=tuple(counts),
            filled=sum(counts),
            gib=sum(gib_of.values()),
            kept=tuple(kept),
            reach=reach,
            per_mts=per_mts,
            shared=self._shared(classes, gib_of) if self.even else (),
            as_ran=self._ran is not None and self._ran == tuple(map(space.is_known, classes)),
            maybe_bare=sum(any(map(space.is_known, classes[a:b])) for a, b in self._maybe_bare),
        )

    def _are_bound(self, parts: Sequence[_Filled]) -> bool:
        """Whether each socket runs faster by its level, and holds what is rated no higher, unless the next level makes it no faster: a
        layout without it is of a higher one."""
        at = 0
        for socket in self.unit.sockets:
            here = parts[at : at + len(self.sheet.channels_of[socket])]
            at += len(here)
            level = max(p.level for p in here)
            if level == NO_LEVEL:
                continue
            told = [p.reach for p in here if p.reach is not None]
            reach = min(told) if len(told) == len(here) else None
            if not self.space.is_faster(level, reach):
                return False
            held = (self.space.classes[c] for p in here for c, _ in p.adds)
            if not any(c.is_bound for c in held if c.level == level) and self.space.is_faster(level + 1, reach):
                return False
        return True

    def filled(self, channel: Channel, fill: tuple[int, ...]) -> _Filled:
        """What the channel comes to by itself, filled like this; worked out once."""
        if (channel.id, fill) not in self._filled:
            held = [(s, c) for s, c in zip(channel.slots, fill, strict=True) if c != EMPTY]
            classes = [self.space.classes[c] for _, c in held]
            now, key = self.space.now_class, (channel.socket, channel.soldered, fill)
            if key not in self._reaches:  # channels of a socket are mostly alike
                self._reaches[key] = self.space.reach(channel, fill)
            self._filled[channel.id, fill] = _Filled(
                gib=((channel.soldered.capacity_gib or 0) if channel.soldered else 0)
                + sum(self.space.classes[c].gib for _, c in held),
                reach=self._reaches[key],
                rated=min([c.rated for c in classes], default=inf),
                level=max([c.level for c in classes], default=NO_LEVEL),
                adds=tuple(Counter(c for _, c in held).items()),
                keeps=tuple(Counter(now[s][1] for s, c in held if s in now and c in now[s][0]).items()),
            )
        return self._filled[channel.id, fill]

    @cached_property
    def _ran(self) -> tuple[bool, ...] | None:
        """Which slots of the unit were filled when it ran; None where the order is told."""
        ran = self.space.problem.has_run
        untold = self.sheet.not_told("population") is not None
        return tuple(isinstance(ran.get(s), Module) for s in self.unit.slots) if untold else None

    @cached_property
    def _maybe_bare(self) -> tuple[tuple[int, int], ...]:
        """Of the unit's sockets that may have no processor where the slots of each begin and end."""
        slots = {s: [x for c in self.sheet.channels_of[s] for x in c.slots] for s in self.unit.sockets}
        at = {s: self.unit.slots.index(held[0]) for s, held in slots.items() if held}
        return tuple((at[s], at[s] + len(slots[s])) for s in at if s in self.space.maybe_bare)

    def stops(self, channel: Channel, fill: tuple[int, ...]) -> bool:
        """Whether a channel filled like this stops by itself."""
        known = self._stopped[channel.id]
        if fill not in known:
            modules = {
                s: m
                for s, c in zip(channel.slots, fill, strict=True)
                if c != EMPTY and (m := self.space.classes[c].module)
            }
            known[fill] = len(modules) > 1 and self.space.stops(modules)
        return known[fill]

    @cached_property
    def _stopped(self) -> Mapping[str, dict[tuple[int, ...], bool]]:
        """Channel -> contents -> whether they stop; channels that are alike, and searches of one space, share it."""
        return {c.id: self.space.stopped.setdefault(channel_type(self.space, c), {}) for c in self.channels}

    def _evens(self, parts: Sequence[_Filled]) -> bool:
        """What the order asks of whole sockets, and of sets that come one after another."""
        if not any(p.adds for p in parts):
            return True
        at = 0
        least = max((e.least_per_processor for e in self.sheet.evens), default=0)
        for socket in self.unit.sockets:
            channels = self.sheet.channels_of[socket]
            here = parts[at : at + len(channels)]
            at += len(channels)
            seated = sum(n for p in here for c, n in p.adds if self._is_memory(c))
            seated += sum(1 for c in channels if c.soldered)
            # Whether one that may have no processor is bare is asked, and so is nothing against the order.
            sure = self.space.many_sockets and socket not in self.space.unsure
            if sure and seated < max(least, 1):
                return False
            single = len(channels) > 1 and sum(1 for p in here if p.gib) == 1
            if single and self.level[socket]:
                return False
        return True

    def _is_memory(self, at: int) -> bool:
        """Whether a class counts as modules of its processor: what only keeps its content does not."""
        module = self.space.classes[at].module
        return module is None or module.is_memory

    def _shared(self, classes: Sequence[int], gib_of: Mapping[str, float]) -> tuple[object, ...]:
        """What sockets must have in common; empty units have it with none but each other, unless nobody knows their processors."""
        shared: list[object] = [
            not self.space.unsure.issuperset(self.unit.sockets) and all(c == EMPTY for c in classes)
        ]
        for e in self.sheet.evens:
            if e.even_over_sockets:
                shared.append(tuple(sorted({g for g in gib_of.values() if g})))
            if e.symmetric:
                modules = [self.space.classes[c].module if c != EMPTY else None for c in classes]
                shared.append(tuple(m and (m.capacity_gib, m.package_ranks) for m in modules))
        return tuple(shared)


class _Walk:
    """The contents of a unit's channels under one shape, one after another."""

    def __init__(self, search: UnitSearch, shape: _Shape, until: Callable[[], bool]) -> None:
        self.search, self.shape, self.space, self.until = search, shape, search.space, until
        self.types = [self._type(c) for c in search.channels]
        #: The channel of the same socket and type that comes before: its contents come first in order too.
        self.previous = [
            next((j for j in range(i - 1, -1, -1) if self.types[j] == t and self._socket(j) == self._socket(i)), None)
            for i, t in enumerate(self.types)
        ]
        self._options: dict[object, dict[float, list[tuple[int, ...]]]] = {}
        self._by_sets: dict[object, dict[tuple[tuple[object, ...], ...], list[tuple[int, ...]]]] = {}
        keys = [k for f in search.fills for k in f.alike_in_set]
        #: Class -> modules of it that can be had.
        self.most = [c.most for c in self.space.classes]
        self.alike = [tuple(f.alike_in_set) for f in search.fills]
        modules = [c.module for c in self.space.classes]
        self.member = {k: [getattr(m, k) if m else None for m in modules] for k in keys}

    def _socket(self, i: int) -> str:
        return self.search.channels[i].socket

    def _type(self, channel: Channel) -> object:
        order: list[object] = [(self.shape.filled.get(s), self.shape.sets.get(s)) for s in channel.slots]
        if not self.search.even:
            # Layouts against the order may be allowed, but how bad they are still hangs on it.
            order = [place_in_orders(self.space, s) for s in channel.slots]
        return channel_type(self.space, channel, order), tuple(map(self.search.stays.get, channel.slots))

    def options(self, i: int) -> dict[float, list[tuple[int, ...]]]:
        """GiB -> contents that a channel of this type may have by itself."""
        if self.types[i] not in self._options:
            channel = self.search.channels[i]
            found: dict[float, list[tuple[int, ...]]] = {}
            for fill in self._products(channel, 0, ()):
                if self.until():
                    break
                filled = self.search.filled(channel, fill)
                if self.space.is_faster(filled.level, filled.reach) and not self.search.stops(channel, fill):
                    found.setdefault(filled.gib, []).append(fill)
            self._options[self.types[i]] = found
        return self._options[self.types[i]]

    def _products(self, channel: Channel, at: int, made: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
        if at == len(channel.slots):
            yield made
            return
        slot = channel.slots[at]
        must = self.shape.filled.get(slot)
        if slot in self.space.problem.stays:
            if must is False:
                return
            must = True
        choices: Sequence[int] = () if must is False else self.space.takes[slot]
        if (stays := self.search.stays.get(slot)) is not None:
            choices = [c for c in choices if (self.space.classes[c].module is None) is stays]
            must = must or stays
        for c in (*choices, *(() if must else (EMPTY,))):
            others = [x for x in made if x != EMPTY]
            if c == EMPTY or all(self._is_of_level(c, x) and self.space.together(c, x) for x in others):
                fill = (*made, c)
                if not self.search.even or self._in_order(channel, fill):
                    yield from self._products(channel, at + 1, fill)

    def _is_of_level(self, a: int, b: int) -> bool:
        """Whether modules of two classes may stand in one socket by their levels."""
        levels = {self.space.classes[a].level, self.space.classes[b].level}
        return len(levels - {NO_LEVEL}) < 2

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

    def fills(self) -> Iterator[list[tuple[int, ...]]]:
        yield from self._next(0, [], {}, {}, {}, [0] * len(self.space.classes))

    def _next(
        self,
        i: int,
        made: list[tuple[int, ...]],
        sets: Mapping[tuple[int, int], int],
        level: Mapping[str, float],
        rated: Mapping[str, int],
        counts: list[int],
    ) -> Iterator[list[tuple[int, ...]]]:
        """The contents from channel `i` on, beside those `made`, which hold so many of each class, at these levels by socket."""
        if self.until():  # long ways may lead nowhere
            return
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
            filled = self.search.filled(channel, fill)
            its = rated.get(channel.socket, filled.level)
            if its != filled.level and NO_LEVEL not in (its, filled.level):
                continue
            if any(counts[c] + n > self.most[c] for c, n in filled.adds):
                continue
            grown = self._joined(channel, fill, sets)
            if grown is None:
                continue
            levels = {**level, channel.socket: filled.gib} if self.search.level[channel.socket] else level
            for c, n in filled.adds:
                counts[c] += n
            made.append(fill)
            yield from self._next(i + 1, made, grown, levels, {**rated, channel.socket: max(its, filled.level)}, counts)
            made.pop()
            for c, n in filled.adds:
                counts[c] -= n

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
