"""What of a machine is alike: units of sockets, and channels and slots that may change places without any measure changing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from umbrak.core.platform.sheet import Channel
from umbrak.core.routes.space import Space


@dataclass(frozen=True)
class Unit:
    """Sockets whose slots hang together through the population order."""

    sockets: tuple[str, ...]
    slots: tuple[str, ...]
    #: Equal for units that may change places.
    alike: object


def units_of(space: Space, even: bool) -> tuple[Unit, ...]:
    """Sockets joined by the population order; each socket by itself where the order is no matter."""
    sheet, live = space.sheet, space.live
    groups = [{s} for s in live]
    for fill in sheet.fills if even else ():
        joined = {sheet.socket_of_slot[s] for s in fill.slots} & set(live)
        touched = [g for g in groups if g & joined]
        groups = [g for g in groups if not g & joined] + ([set().union(*touched)] if touched else [])
    units = []
    for group in sorted(groups, key=lambda g: min(live.index(s) for s in g)):
        sockets = tuple(s for s in live if s in group)
        slots = tuple(x for s in sockets for c in sheet.channels_of[s] for x in c.slots)
        types = _by_first_domain([channel_type(space, c) for s in sockets for c in sheet.channels_of[s]])
        places = tuple(place_in_orders(space, x, slots) for x in slots)
        held = tuple(_told_of(space, x) for x in slots)
        units.append(Unit(sockets, slots, (len(sockets), types, places, held)))
    return tuple(units)


def _by_first_domain(types: Sequence[tuple[object, ...]]) -> object:
    """Channel types of a unit with its supplies numbered as they come: those of another unit are other supplies."""
    order = list(dict.fromkeys(t[0] for t in types))
    return tuple((order.index(t[0]), *t[1:]) for t in types)


def place_in_orders(space: Space, slot: str, unit: Sequence[str] = ()) -> object:
    """Which set of each count of each order the slot is in. An order within the unit's slots is told by what it
    asks, so that another unit's like order is equal to it; others by themselves."""
    found: list[object] = []
    within = [f for f in space.sheet.fills if set(f.slots) <= set(unit)]
    for i, f in enumerate(space.sheet.fills):
        if slot not in f.slots:
            continue
        asks = (f.other_counts, f.otherwise, f.alike_in_set, f.larger_first, f.higher_ranks_far)
        which = (within.index(f), asks) if f in within else i
        sets = tuple(
            (n, next((k for k, each in enumerate(sets) if slot in each), None)) for n, sets in sorted(f.layouts.items())
        )
        found.append((which, sets))
    return tuple(found)


def channel_type(space: Space, channel: Channel, extra: Sequence[object] = ()) -> tuple[object, ...]:
    """Equal for channels that may change places; its supply first. `extra`: what the order makes of each slot."""
    sheet = space.sheet
    named = {s.where for s in space.statements if s.where}
    by_controller = any(s.scope == "controller" for s in space.statements)
    domain = next((i for i, d in enumerate(sheet.memory.rail_domains) if channel.id in d.channels), None)
    slots = []
    for x in channel.slots:
        slot, way = sheet.slots[x], sheet.way_to(x)
        slots.append(
            (
                slot.position,
                slot.clearance,
                bool(way and way.ends_warranty),
                x if space.behind or x in named else None,
                _held_now(space, x),
                tuple(x in m.slots for m in sheet.memory.modes),
            )
        )
    return (
        domain,
        tuple(p.id for p in space.may_hold[channel.socket]),
        channel.socket in space.maybe_bare,
        channel.soldered,
        channel.controller if by_controller else None,
        channel.id if channel.id in named or channel.socket in named else None,
        tuple(slots),
        tuple(extra),
    )


def _held_now(space: Space, slot: str) -> object:
    """What the slot holds; where sockets must match slot for slot, what the like slots of all sockets hold."""
    sheet = space.sheet
    if not any(e.symmetric for e in sheet.evens):
        return _told_of(space, slot)
    channel = sheet.channels[sheet.slots[slot].channel]
    place = [x for c in sheet.channels_of[channel.socket] for x in c.slots].index(slot)
    rows = [[x for c in sheet.channels_of[s] for x in c.slots] for s in space.live]
    return tuple(_told_of(space, row[place]) if place < len(row) else None for row in rows)


def _told_of(space: Space, slot: str) -> object:
    """What a slot holds of the classes and whether it ran so, since what ran at a place answers for it; where nobody tells which
    slots come first or share a channel, also whether it was filled when it ran: filled just so it may be again."""
    held = space.now_class.get(slot), slot in space.problem.has_run
    if space.places_seen is None:
        return held
    return *held, slot in space.now, *(slot in places for places in space.places_seen)
