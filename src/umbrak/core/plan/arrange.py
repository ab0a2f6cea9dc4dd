"""Whole arrangements by the sheet's order: modules put in order, the next set filled, modules dealt over sockets."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine, Unknown
from umbrak.core.platform.sheet import FillOrder, Sheet
from umbrak.core.rules.order import expected_sets


def is_live(machine: Machine, socket: str) -> bool:
    """Whether the socket holds, or may hold, a processor."""
    return machine.processors.get(socket, "?") is not None


def orders(sheet: Sheet, machine: Machine) -> tuple[FillOrder, ...]:
    """The sheet's orders as they are for the sockets that hold, or may hold, a processor."""
    alive = {s for s, socket in sheet.socket_of_slot.items() if is_live(machine, socket)}
    return tuple(f for fill in sheet.fills if (f := fill.within(alive)).slots)


def is_known(layout: Layout, slots: Iterable[str]) -> bool:
    return not any(isinstance(layout.get(s), Unknown) for s in slots)


def largest_first(layout: Layout, slots: Iterable[str]) -> list[Module]:
    """Modules in these slots, the largest and those of most ranks first."""
    return _sorted(m for s in slots if isinstance(m := layout.get(s), Module))


def _sorted(modules: Iterable[Module]) -> list[Module]:
    return sorted(modules, key=lambda m: (-(m.capacity_gib or 0), -(m.package_ranks or 0)))


def in_order(sheet: Sheet, layout: Layout, fill: FillOrder, modules: Sequence[Module]) -> Layout:
    """The modules in the slots that the order gives to so many, the first ones into the first set; what stands
    right stays. Slots outside the order keep what they hold."""
    ordered = frozenset(fill.slots)
    slots = {s: m for s, m in layout.items() if s not in ordered}
    waiting = list(modules)
    for each in expected_sets(fill, len(modules)):
        share, waiting = waiting[: len(each)], waiting[len(each) :]
        # Within a set the far slots take the more ranks; a module that is in one of the set's slots stays there.
        open_slots = (
            sorted(each, key=lambda s: sheet.slots[s].position != "far")[: len(share)]
            if len(share) < len(each)
            else list(each)
        )
        for slot in list(open_slots):
            here = layout.get(slot)
            if isinstance(here, Module) and here in share:
                slots[slot] = here
                share.remove(here)
                open_slots.remove(slot)
        slots |= dict(zip(open_slots, share, strict=False))
    return Layout(slots)


def dealt_out(sheet: Sheet, machine: Machine, layout: Layout) -> Layout | None:
    """All modules dealt over the sockets that have a processor, each socket put in order.

    None where the sheet has no order for each socket, a slot is not known, or the modules do not divide.
    """
    fills = [f for f in orders(sheet, machine) if f.where in sheet.sockets]
    slots = [s for f in sheet.fills for s in f.slots]
    modules = largest_first(layout, slots)
    if not fills or not is_known(layout, slots) or len(modules) % len(fills):
        return None
    dealt: dict[str, list[Module]] = {f.where: [] for f in fills}
    for module in modules:
        poorest = min(dealt, key=lambda w: (len(dealt[w]), sum(m.capacity_gib or 0 for m in dealt[w])))
        dealt[poorest].append(module)
    made = Layout({s: m for s, m in layout.items() if s not in slots})
    for fill in fills:
        part = in_order(sheet, layout, fill, _sorted(dealt[fill.where]))
        made = Layout({**made, **{s: m for s, m in part.items() if s in fill.slots}})
    return made


def next_set(sheet: Sheet, machine: Machine, layout: Layout, module: Module) -> Layout | None:
    """The layout with one more set of the order filled with such modules, in the place that has fewest.

    The order's next count may want fitted modules elsewhere: they are moved. Where the sheet has no order, a set is
    one slot of each channel of a socket. None where there is no room, or a slot concerned is not known.
    """
    grown: list[tuple[int, int, Layout]] = []
    for i, fill in enumerate(orders(sheet, machine)):
        fitted = largest_first(layout, fill.slots)
        count = min((c for c in fill.layouts if c > len(fitted)), default=None)
        if count is not None and is_known(layout, fill.slots):
            wanted = _sorted([*fitted, *[module] * (count - len(fitted))])
            grown.append((len(fitted), i, in_order(sheet, layout, fill, wanted)))
    if not sheet.fills:
        for i, socket in enumerate(sheet.sockets):
            empty = [_first_empty(sheet, layout, c.slots) for c in sheet.channels_of[socket]]
            slots = [s for s in empty if s is not None]
            if slots and is_live(machine, socket):
                fitted_here = sum(len([s for s in c.slots if s in layout]) for c in sheet.channels_of[socket])
                grown.append((fitted_here, i, Layout({**layout, **dict.fromkeys(slots, module)})))
    return min(grown, key=lambda g: g[:2])[2] if grown else None


def _first_empty(sheet: Sheet, layout: Layout, slots: Iterable[str]) -> str | None:
    """The empty slot of a channel that is filled first: the far one where the sheet says which that is."""
    empty = [s for s in slots if s not in layout]
    return min(empty, key=lambda s: sheet.slots[s].position != "far", default=None)
