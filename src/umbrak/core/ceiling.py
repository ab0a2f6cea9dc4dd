"""How high a machine can go, and on whose word: official, by its processors, by what can be built at all.

A ceiling is the most that fits under every statement of its class at once: a limit of the machine over the sum of its
sockets, of each socket over the sum of its channels, and so on down to the largest module that a slot can take. So a
channel's figure times the channels does not pass the processor's total, and the other way round.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from math import inf

from umbrak.core.memory.module import DIE_GBIT, Buffering, Form, Generation
from umbrak.core.memory.organised import ORGANISED, SOLD_GIB, kinds_of
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Channel, Sheet
from umbrak.core.platform.statement import Source, SourceKind, Statement
from umbrak.core.rules.context import Context
from umbrak.core.rules.uses import InForce, in_force


class CeilingKind(StrEnum):
    #: What the machine's maker vouches for.
    OFFICIAL = "official"
    #: What its processors are said to address.
    PROCESSOR = "processor"
    #: What can be built: hard limits, slots, and the largest module that is made of the standard's dies.
    PHYSICAL = "physical"


@dataclass(frozen=True, slots=True)
class Stated:
    """One statement as it bears on this machine."""

    statement: Statement
    #: sheet, processor, or here (stated beside both).
    origin: str
    #: What the whole machine may hold by it alone; None where it gives no capacity, or is about one place of several. [GiB]
    total_gib: float | None
    #: At how many places it is in force.
    places: int
    holds: bool | None
    needs: tuple[str, ...]
    why_not: str
    #: Kinds of ceiling that would be higher without it.
    binds: tuple[CeilingKind, ...]


@dataclass(frozen=True, slots=True)
class Ceiling:
    kind: CeilingKind
    #: None where nobody states one. [GiB]
    gib: float | None
    #: Statements without which it would be higher; none where the slots and the largest module alone bind.
    binding: tuple[str, ...]
    #: Facts that could change it.
    needs: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Lift:
    """What would raise a ceiling, and to where."""

    kind: CeilingKind
    gib: float
    #: firmware, system or processor.
    by: str
    #: The version from which, or the processor.
    to: str
    source: Source


@dataclass(frozen=True, slots=True)
class Ceilings:
    stated: tuple[Stated, ...]
    ceilings: tuple[Ceiling, ...]
    lifts: tuple[Lift, ...]
    #: Largest module that a slot can take, by standard and hard limits. [GiB]
    largest_module_gib: float


def ceilings(sheet: Sheet, machine: Machine, statements: Iterable[Statement] = ()) -> Ceilings:
    """Every statement about what the machine may hold, and what they come to. Pure and total."""
    question = _Question(sheet, machine, tuple(sorted(statements, key=lambda s: s.id)))
    found = tuple(question.ceiling(kind) for kind in CeilingKind)
    binds: dict[str, list[CeilingKind]] = {}
    for c in found:
        for name in c.binding:
            binds.setdefault(name, []).append(c.kind)
    stated: dict[tuple[str, str], Stated] = {}
    for f in question.told:
        # A processor's statement comes once a socket: the same words once.
        key = (f.statement.id, f.statement.processor or (f.socket and _processor_of(question.ctx, f.socket)) or "")
        places = question.places(f)
        before = stated.get(key)
        count = places + (before.places if before else 0)
        one = f.statement.capacity_gib if f.statement.where is None and f.statement.capacity_gib else None
        stated[key] = Stated(
            statement=f.statement,
            origin=question.origin(f.statement),
            total_gib=one * count if one is not None and count else None,
            places=count,
            holds=f.holds,
            needs=f.needs,
            why_not=f.why_not,
            binds=tuple(binds.get(f.statement.id, ())),
        )
    order = sorted(stated.values(), key=lambda x: (x.total_gib or inf, x.statement.source.trust, x.statement.id))
    return Ceilings(tuple(order), found, tuple(_lifts(question, found)), question.largest_gib(CeilingKind.PHYSICAL, ()))


def _processor_of(ctx: Context, socket: str) -> str | None:
    return getattr(ctx.processors[socket], "id", None)


class _Question:
    def __init__(self, sheet: Sheet, machine: Machine, statements: tuple[Statement, ...]) -> None:
        self.sheet, self.machine, self.statements = sheet, machine, statements
        self.ctx = Context(sheet=sheet, machine=machine, layout=Layout(), statements=statements)
        self.told: Sequence[InForce] = in_force(self.ctx)
        self._processors = {s.id for p in sheet.processors.values() for s in p.limits}

    def origin(self, statement: Statement) -> str:
        if statement in self.statements:
            return "here"
        return "processor" if statement.id in self._processors else "sheet"

    def of_class(self, kind: CeilingKind) -> list[InForce]:
        """Statements of a class that hold, or may hold. Hard ones are in every class."""
        return [f for f in self.told if f.holds is not False and (f.statement.hard or self._is(kind, f.statement))]

    def _is(self, kind: CeilingKind, s: Statement) -> bool:
        if kind is CeilingKind.OFFICIAL:
            return s.official
        by_processor = s.source.kind is SourceKind.PROCESSOR_MAKER or s.id in self._processors
        return kind is CeilingKind.PROCESSOR and by_processor

    def ceiling(self, kind: CeilingKind) -> Ceiling:
        told = self.of_class(kind)
        states = any(f.statement.capacity_gib and self._is(kind, f.statement) for f in told)
        if kind is not CeilingKind.PHYSICAL and not states:
            return Ceiling(kind, None, (), ())
        total = self.total(kind, told)
        binding = [
            name
            for name in dict.fromkeys(f.statement.id for f in told)
            if self.total(kind, [f for f in told if f.statement.id != name]) > total
        ]
        needs = dict.fromkeys(n for f in told if f.holds is None for n in f.needs)
        return Ceiling(kind, total, tuple(binding), tuple(needs))

    def total(self, kind: CeilingKind, told: Sequence[InForce]) -> float:
        """The most that fits under all of them. [GiB]"""
        sockets = sum(self._socket(kind, told, s) for s in self.ctx.live_sockets)
        return min([sockets, *self._caps(told, "machine", "machine", None)])

    def _socket(self, kind: CeilingKind, told: Sequence[InForce], socket: str) -> float:
        groups: dict[str | None, float] = {}
        for channel in self.sheet.channels_of[socket]:
            groups[channel.controller] = groups.get(channel.controller, 0) + self._channel(kind, told, socket, channel)
        total = 0.0
        for controller, gib in groups.items():
            caps = self._caps(told, "controller", controller, socket) if controller else []
            total += min([gib, *caps])
        return min([total, *self._caps(told, "socket", socket, socket)])

    def _channel(self, kind: CeilingKind, told: Sequence[InForce], socket: str, channel: Channel) -> float:
        soldered = (channel.soldered.capacity_gib or 0) if channel.soldered else 0
        largest = self.largest_gib(kind, told, socket)
        slots = [min([largest, *self._caps(told, "slot", s, socket)]) for s in channel.slots]
        ranks = [
            f.statement.package_ranks
            for f in told
            if f.statement.package_ranks and f.statement.where in (None, channel.id) and f.socket in (None, socket)
        ]
        fits = sum(slots)
        if ranks and slots:
            fits = min(fits, self._by_chip_selects(kind, told, socket, len(slots), min(ranks)))
        return min([soldered + fits, *self._caps(told, "channel", channel.id, socket)])

    def _caps(self, told: Iterable[InForce], scope: str, where: str, socket: str | None) -> list[float]:
        return [
            f.statement.capacity_gib
            for f in told
            if f.statement.capacity_gib is not None
            and f.statement.scope == scope
            and f.statement.where in (None, where)
            and (f.socket is None or socket is None or f.socket == socket)
        ]

    def _organisations(self, told: Sequence[InForce], socket: str | None) -> Iterator[tuple[Buffering, int, float]]:
        """(buffering, package ranks, GiB) of modules of each kind that the sheet takes, as large as they can be made."""
        memory = self.sheet.memory
        here = [f.statement for f in told if socket is None or f.socket in (None, socket)]
        gbit = min([max(DIE_GBIT[memory.generation]), *(s.die_gbit for s in here if s.die_gbit)])
        # Where nobody says that stacks are not addressed they can be built.
        height = min([s.stack_height for s in here if s.stack_height], default=inf)
        kinds = {dict(k.test.wanted).get("buffering") for k in memory.accepts} or {None}
        for buffering in kinds_of(Generation(memory.generation), Form(memory.form)):
            if None in kinds or buffering in kinds:
                for ranks, width, stack in ORGANISED[buffering]:
                    if stack <= height:
                        gib = ranks * stack * (64 / width) * gbit / 8
                        yield buffering, ranks, min(gib, SOLD_GIB[memory.generation][-1])

    def largest_gib(self, kind: CeilingKind, told: Sequence[InForce], socket: str | None = None) -> float:
        hard = told or self.of_class(kind)
        return max((gib for _, _, gib in self._organisations(hard, socket)), default=0.0)

    def _by_chip_selects(
        self, kind: CeilingKind, told: Sequence[InForce], socket: str, slots: int, limit: int
    ) -> float:
        """The most in a channel of so many slots whose chip selects are limited."""
        counts_as = self.sheet.memory.load_reduced_counts_as
        best = 0.0
        for buffering, ranks, gib in self._organisations(told, socket):
            each = counts_as if counts_as and buffering is Buffering.LOAD_REDUCED else ranks
            best = max(best, min(slots, limit // each) * gib)
        return best

    def places(self, f: InForce) -> int:
        """At how many places of this machine a statement is in force, or would be."""
        s, sockets = f.statement, [f.socket] if f.socket else list(self.ctx.live_sockets)
        channels = [c for name in sockets for c in self.sheet.channels_of[name]]
        count: Callable[[], int] = {
            "machine": lambda: 1,
            "socket": lambda: len(sockets),
            "controller": lambda: len({c.controller for c in channels if c.controller}),
            "channel": lambda: len(channels),
            "slot": lambda: sum(len(c.slots) for c in channels),
        }.get(s.scope, lambda: 0)
        return count()


def _lifts(q: _Question, now: tuple[Ceiling, ...]) -> Iterator[Lift]:
    """Another version or processor under which a ceiling is higher; of several that lead as high the first version."""
    reached: dict[tuple[CeilingKind, str], float] = {}

    def higher(machine: Machine, by: str, to: str, source: Source) -> Iterator[Lift]:
        other = _Question(q.sheet, machine, q.statements)
        for c in now:
            gib = other.ceiling(c.kind).gib
            least = max(c.gib or inf, reached.get((c.kind, by), 0))
            if gib is not None and c.gib is not None and gib > least:
                reached[c.kind, by] = gib
                yield Lift(c.kind, gib, by, to, source)

    for f in q.told:
        s = f.statement
        if f.why_not == "version" and s.firmware.first and s.firmware.holds(q.machine.firmware) is False:
            yield from higher(replace(q.machine, firmware=s.firmware.first), "firmware", s.firmware.first, s.source)
        if f.why_not == "version" and s.system.first and s.system.holds(q.machine.system) is False:
            yield from higher(replace(q.machine, system=s.system.first), "system", s.system.first, s.source)
    for processor in q.sheet.processors.values():
        fitted = {
            s: processor.id
            for s in q.ctx.live_sockets
            if processor.id in q.sheet.sockets[s].processors and not q.sheet.sockets[s].soldered
        }
        if fitted and any(q.machine.processors.get(s) != p for s, p in fitted.items()):
            machine = replace(q.machine, processors={**q.machine.processors, **fitted})
            yield from higher(machine, "processor", processor.title, processor.source)
