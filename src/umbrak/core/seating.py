"""Who sits where: a sheet, a machine and a layout, and what follows from them without any rule."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from umbrak.core.memory.module import Module, alike, usable_size
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Unknown
from umbrak.core.platform.sheet import Channel, Mode, Processor, RailDomain, Sheet

#: A module where it sits; the slot of soldered memory is None.
Seated = tuple[str | None, Module]


@dataclass(frozen=True)
class Seating:
    """A layout in a machine: named questions, each answered once."""

    sheet: Sheet
    machine: Machine
    layout: Layout
    #: What is known to have run in this very machine: it needs no rule to be right.
    ran: Layout | None = field(default=None, kw_only=True)

    # -- who sits where -----------------------------------------------------------------------------

    @cached_property
    def modules(self) -> Mapping[str, Module]:
        """Known modules in slots of the sheet, in the sheet's order."""
        return {s: m for s in self.sheet.slots if isinstance(m := self.layout.get(s), Module)}

    @cached_property
    def groups(self) -> tuple[tuple[Module, tuple[str, ...]], ...]:
        """The modules as (module, its slots), one entry a value object: what hangs on a module alone is asked once.

        Equal modules need not be one object, so a group may be told in several entries.
        """
        found: dict[int, tuple[Module, list[str]]] = {}
        for slot, module in self.modules.items():
            found.setdefault(id(module), (module, []))[1].append(slot)
        return tuple((module, tuple(slots)) for module, slots in found.values())

    @cached_property
    def unknown_slots(self) -> tuple[str, ...]:
        unknown = {s for s, occupant in self.layout.items() if occupant is UNKNOWN}
        return tuple(s for s in self.sheet.slots if s in unknown) if unknown else ()

    @cached_property
    def processors(self) -> Mapping[str, Processor | Unknown | None]:
        """Socket -> its processor, None where there is none, UNKNOWN where nobody said.

        A socket that can hold only one processor and is never bare needs nobody to say.
        """
        found: dict[str, Processor | Unknown | None] = {}
        for socket in self.sheet.sockets.values():
            if socket.id in self.machine.processors:
                named = self.machine.processors[socket.id]
                found[socket.id] = None if named is None else self.sheet.processors.get(named, UNKNOWN)
            elif len(socket.processors) == 1 and not socket.may_be_absent:
                found[socket.id] = self.sheet.processors[socket.processors[0]]
            else:
                found[socket.id] = UNKNOWN
        return found

    @cached_property
    def live_sockets(self) -> tuple[str, ...]:
        """Sockets that hold, or may hold, a processor."""
        return tuple(s for s, p in self.processors.items() if p is not None)

    @cached_property
    def seated(self) -> Mapping[str, tuple[Seated, ...]]:
        """Channel -> its modules, soldered first, then by slot."""
        found: dict[str, tuple[Seated, ...]] = {}
        for channel in self.sheet.channels.values():
            here: list[Seated] = [(None, channel.soldered)] if channel.soldered else []
            here += [(s, self.modules[s]) for s in channel.slots if s in self.modules]
            found[channel.id] = tuple(here)
        return found

    @cached_property
    def unsure_channels(self) -> frozenset[str]:
        """Channels with a slot whose occupant is not known."""
        return frozenset(self.sheet.slots[s].channel for s in self.unknown_slots)

    @cached_property
    def live_modules(self) -> Mapping[str, Module]:
        """`modules` of sockets that hold, or may hold, a processor: those of others run nowhere, whatever slot they are in."""
        return self.modules if self._all_live else {s: m for s, m in self.modules.items() if self.is_live(s)}

    @cached_property
    def _all_live(self) -> bool:
        return len(self.live_sockets) == len(self.sheet.sockets)

    def is_live(self, slot: str) -> bool:
        """Whether a slot's socket holds, or may hold, a processor."""
        return self._all_live or self.sheet.socket_of_slot.get(slot) in self.live_sockets

    def channels(self, socket: str) -> tuple[Channel, ...]:
        return self.sheet.channels_of[socket]

    def seated_on(self, socket: str) -> tuple[Seated, ...]:
        return self._seated_on[socket]

    @cached_property
    def _seated_on(self) -> Mapping[str, tuple[Seated, ...]]:
        return {
            socket: tuple([s for c in channels for s in self.seated[c.id]])
            for socket, channels in self.sheet.channels_of.items()
        }

    @cached_property
    def all_seated(self) -> tuple[Seated, ...]:
        """Everything that counts: slots and soldered memory of live sockets."""
        return tuple(s for socket in self.live_sockets for s in self.seated_on(socket))

    @cached_property
    def all_groups(self) -> tuple[tuple[Module, tuple[str | None, ...]], ...]:
        """`groups` of everything that counts: the slot of soldered memory is None."""
        if len(self.all_seated) == len(self.modules) and self._all_live:
            return self.groups
        found: dict[int, tuple[Module, list[str | None]]] = {}
        for slot, module in self.all_seated:
            found.setdefault(id(module), (module, []))[1].append(slot)
        return tuple((module, tuple(slots)) for module, slots in found.values())

    # -- what ran in this machine ------------------------------------------------------------------

    @cached_property
    def ran_modules(self) -> Mapping[str, Module]:
        """Slot -> module, alike, of what is known to have run in this very machine: on sockets that have a processor."""
        ran = (self.ran or {}).items()
        return {s: alike(m) for s, m in ran if isinstance(m, Module) and not m.failed and self.is_live(s)}

    @cached_property
    def ran_gib(self) -> float:
        return Seating(self.sheet, self.machine, self.ran).installed_gib if self.ran is not None else 0

    @cached_property
    def places_ran(self) -> bool:
        """Whether just these slots were filled when it ran, as far as their sockets have a processor."""
        return self.ran is not None and self.live_modules.keys() == self.ran_modules.keys()

    @cached_property
    def as_it_ran(self) -> bool:
        """Whether modules and places are those that ran: such a layout needs no rule to be right."""
        if not self.places_ran:
            return False
        return Counter(alike(m) for m in self.live_modules.values()) == Counter(self.ran_modules.values())

    def known_here(self, module: Module) -> bool:
        """Whether a module alike ran in this machine."""
        return bool(self.ran_modules) and alike(module) in self._ran_kinds

    @cached_property
    def _ran_kinds(self) -> frozenset[Module]:
        return frozenset(self.ran_modules.values())

    def ran_within(self, rails_v: Collection[float], channels: Collection[str]) -> bool:
        """Whether some module that ran on one of these channels runs at no other rails: whichever their supply gives, it is one
        of these. What ran on another supply shows nothing of this one."""
        ran = (
            m.rails_v
            for s, m in self.ran_modules.items()
            if s in self.sheet.slots and self.sheet.slots[s].channel in channels
        )
        return any(rails and set(rails) <= set(rails_v) for rails in ran)

    def stood_there(self, slot: str, module: Module) -> bool:
        """Whether a module alike was in this slot, whether or not its socket has a processor: its height clears."""
        was = self.ran.get(slot) if self.ran is not None else None
        return isinstance(was, Module) and not was.failed and alike(was) == alike(module)

    # -- capacity -----------------------------------------------------------------------------------

    @cached_property
    def channel_gib(self) -> Mapping[str, float]:
        return {c: sum(usable_size(m) for _, m in here) for c, here in self.seated.items()}

    def socket_gib(self, socket: str) -> float:
        return sum(self.channel_gib[c.id] for c in self.channels(socket))

    @cached_property
    def installed_gib(self) -> float:
        """What is fitted on sockets that have, or may have, a processor; unknown sizes count nothing."""
        return sum(self.socket_gib(s) for s in self.live_sockets)

    def fed_by(self, domain: RailDomain) -> tuple[Seated, ...]:
        """Everything that one supply feeds; what is of another generation does not go in at all (`fit.generation`)."""
        live, wanted = self.live_sockets, self.sheet.memory.generation
        channels = (self.sheet.channels[c] for c in domain.channels)
        seated = (s for c in channels if c.socket in live for s in self.seated[c.id])
        return tuple((slot, m) for slot, m in seated if m.generation in (None, wanted))

    @cached_property
    def mode(self) -> Mode | None:
        """The mode that is asked for, where the sheet has it; whether it is met is another matter."""
        return next((m for m in self.sheet.memory.modes if m.id == self.machine.mode), None)

    def ordered(self, slots: Iterable[str | None]) -> tuple[str, ...]:
        order, names = self.sheet.slot_order, {s for s in slots if s is not None}
        if names <= order.keys():
            return tuple(sorted(names, key=order.__getitem__))
        return tuple(sorted(names, key=lambda s: (order.get(s, len(order)), s)))
