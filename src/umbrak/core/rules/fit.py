"""fit: whether the module goes into the slot at all."""

from __future__ import annotations

import math
from collections.abc import Iterator

from umbrak.core.memory.module import IN_USE, MAPPED_OUT, Form, Module, amount, bus_of
from umbrak.core.platform.sheet import Channel, Clearance
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.register import rule

#: A SO-DIMM is no taller by its very form (JEDEC MO-268, MO-310, with tolerance), so its height needs asking only
#: where there is less room. A DIMM may carry a heat spreader of any height. [mm]
_TALLEST_OF_FORM_MM = {Form.SO_DIMM: 30.2}
#: As tall as the outlines of the standards make a module without a heat spreader (MO-269, MO-309, MO-329; MO-268, MO-310):
#: what every board clears unless its sheet tells less. [mm]
_STANDARD_MM = {Form.DIMM: 31.25, Form.SO_DIMM: 30.2}


@rule("fit.slot-unknown", applies=lambda ctx: len(ctx.layout) > 0)
def slot_unknown(ctx: Context) -> Iterator[Finding]:
    """A module stands in a slot that the sheet does not have."""
    soldered = _soldered_names(ctx)
    for slot in ctx.layout:
        if slot not in ctx.sheet.slots and slot not in soldered:
            yield ctx.finding(
                "fit.slot-unknown",
                Severity.STOP,
                [slot],
                f"{ctx.sheet.title} has no slot {slot}",
                ctx.sheet.memory.source,
            )


def _soldered_names(ctx: Context) -> dict[str, Channel]:
    """Names by which soldered memory may be meant: those of a channel that has it and no slot."""
    channels = [c for c in ctx.sheet.channels.values() if c.soldered and not c.slots]
    return {c.name: c for c in channels} | {c.id: c for c in channels}


@rule("fit.soldered", applies=lambda ctx: bool(_soldered_names(ctx)))
def soldered(ctx: Context) -> Iterator[Finding]:
    """A module is planned for where memory is soldered: there is no slot."""
    for slot in ctx.layout:
        if (channel := _soldered_names(ctx).get(slot)) and slot not in ctx.sheet.slots and channel.soldered:
            size = channel.soldered.capacity_gib
            held = f"{amount(size)} GB soldered" if size else "soldered memory"
            message = f"{slot} is {held}: nothing can be put in or taken out there"
            yield ctx.finding("fit.soldered", Severity.STOP, [slot], message, ctx.sheet.memory.source)


@rule("fit.unknown", applies=lambda ctx: len(ctx.layout) > 0)
def occupant_unknown(ctx: Context) -> Iterator[Finding]:
    """What sits in a slot is not known, or how large it is: said once for all such slots."""
    if slots := ctx.unknown_slots:
        yield ctx.ask(
            "fit.unknown",
            slots,
            f"What sits in {ctx.names(slots)} is not known; it may be empty or hold any module",
            slots,
            Severity.STOP,
        )
    if bare := [c for c in ctx.sheet.channels.values() if c.soldered and c.soldered.capacity_gib is None]:
        yield ctx.ask(
            "fit.unknown",
            (),
            f"How much memory is soldered on {' and '.join(c.name for c in bare)} is not known; totals leave it out",
            [f"sheet.channels.{c.id}.soldered" for c in bare],
            Severity.STOP,
        )
    if sizeless := [s for s, m in ctx.modules.items() if m.is_sizeless]:
        yield ctx.ask(
            "fit.unknown",
            sizeless,
            f"How large the module in {ctx.names(sizeless)} is, is not known; totals leave it out",
            [f"{s}.capacity_gib" for s in sizeless],
            Severity.STOP,
        )


def _wrong(ctx: Context, code: str, *, member: str, wanted: str, what: str) -> Iterator[Finding]:
    """Modules whose member is not the sheet's; what is unknown is asked for."""
    source = ctx.sheet.memory.source
    by_value: dict[object, list[str]] = {}
    for module, slots in ctx.groups:
        by_value.setdefault(getattr(module, member), []).extend(slots)
    for value, where in by_value.items():
        if value is None:
            message = f"The {what} of {ctx.names(where)} is not known; the slots take {wanted}"
            yield ctx.ask(code, where, message, [f"{s}.{member}" for s in where], Severity.STOP, source)
        elif value != wanted:
            message = f"{ctx.names(where)}: {value} does not go into a {wanted} slot"
            yield ctx.finding(code, Severity.STOP, where, message, source)


@rule("fit.generation")
def generation(ctx: Context) -> Iterator[Finding]:
    """Another generation than the board's: other notch, pins and signals."""
    return _wrong(ctx, "fit.generation", member="generation", wanted=ctx.sheet.memory.generation, what="generation")


@rule("fit.form")
def form(ctx: Context) -> Iterator[Finding]:
    """Another form than the slots'; and of DDR5 DIMMs, registered (12 V) and unbuffered (5 V) ones,
    whose notches differ (JESD79-5, JESD305, JESD308)."""
    yield from _wrong(ctx, "fit.form", member="form", wanted=ctx.sheet.memory.form, what="form")
    keyed: dict[str, list[str]] = {}
    for m, slots in ctx.groups:
        if wrong_notch(ctx, m):
            keyed.setdefault(str(m.buffering), []).extend(slots)
    for kind, wrong in keyed.items():
        memory, buses = ctx.sheet.memory, _buses_taken(ctx)
        bus = next(iter(buses))
        than = f"the slot ({_INPUT_V[bus]} V input)" if memory.accepts else f"the {bus} modules that ran there"
        message = f"{ctx.names(wrong)}: a DDR5 {kind} module has its notch elsewhere than {than}"
        yield ctx.finding("fit.form", Severity.STOP, wrong, message, memory.source if memory.accepts else None)


#: Bus of a DDR5 DIMM -> input of its own regulator, by which its notch is. [V]
_INPUT_V = {"unbuffered": 5, "registered": 12}


def wrong_notch(ctx: Context, module: Module) -> bool:
    """Whether a DDR5 DIMM's notch is that of the other input: 5 V unbuffered, 12 V registered."""
    memory, its = ctx.sheet.memory, _INPUT_V.get(bus_of(module.buffering) or "")
    if its is None or module.generation != "DDR5" or module.form is not Form.DIMM:
        return False
    if (memory.generation, memory.form) != ("DDR5", "DIMM"):
        return False
    taken = {_INPUT_V.get(b) for b in _buses_taken(ctx)}
    return len(taken) == 1 and its not in taken


def _buses_taken(ctx: Context) -> set[str]:
    """What of a DDR5 board's DIMMs the sheet tells; where it does not, what went into its slots and ran."""
    accepts = ctx.sheet.memory.accepts
    told = [value for k in accepts for name, value in k.test.wanted if name == "buffering"]
    ran = (m for m in ctx.ran_modules.values() if m.form is Form.DIMM and m.generation == "DDR5")
    kinds: list[object] = told if accepts else [m.buffering for m in ran]
    return {bus for kind in kinds if (bus := bus_of(kind)) and bus in _INPUT_V}


@rule(
    "fit.height",
    applies=lambda ctx: (
        any(m.height_mm for m, _ in ctx.groups)
        or (ctx.sheet.tells_room and any(ctx.sheet.slots[s].clearance != Clearance() for s in ctx.modules))
    ),
)
def height(ctx: Context) -> Iterator[Finding]:
    """Taller than the room above the slot; only taller than the way in is a note. Where nobody tells the room, a module of
    the standard's height is taken to clear it, and a taller one is asked about."""
    yield from _taller_than_usual(ctx)
    tallest = _TALLEST_OF_FORM_MM.get(Form(ctx.sheet.memory.form), math.inf)
    source = ctx.sheet.memory.source
    unsure: dict[float, list[str]] = {}
    for slot, module in ctx.modules.items():
        room, tall, name = ctx.sheet.slots[slot].clearance, module.height_mm, ctx.names([slot])
        if tall is None:
            if room.fitted is not None and room.fitted < tallest:
                unsure.setdefault(room.fitted, []).append(slot)
        elif room.fitted is not None and tall > room.fitted:
            message = f"{name}: the module is {tall:g} mm tall, the room {room.fitted:g} mm"
            yield ctx.finding("fit.height", Severity.STOP, [slot], message, source)
        elif room.on_the_way is not None and tall > room.on_the_way:
            message = f"{name}: the module is {tall:g} mm tall, the way in {room.on_the_way:g} mm; free the way first"
            yield ctx.finding("fit.height", Severity.NOTE, [slot], message, source)
    for fitted, slots in unsure.items():
        message = f"{ctx.names(slots)} {ctx.are(slots, 'has', 'have')} {fitted:g} mm of room; how tall the modules are is not known"
        yield ctx.ask("fit.height", slots, message, [f"{s}.height_mm" for s in slots], Severity.STOP, source)


def _taller_than_usual(ctx: Context) -> Iterator[Finding]:
    """Modules taller than the standard's outline above which nobody tells how much room there is."""
    usual = _STANDARD_MM.get(Form(ctx.sheet.memory.form), math.inf)
    tall: dict[float, list[str]] = {}
    for slot, module in ctx.modules.items():
        room = ctx.sheet.slots[slot].clearance.fitted
        if room is None and module.height_mm and module.height_mm > usual and not ctx.stood_there(slot, module):
            tall.setdefault(module.height_mm, []).append(slot)
    for height_mm, slots in tall.items():
        message = f"{ctx.names(slots)}: {height_mm:g} mm is taller than the standard's {usual:g}; how much room there is, is not told"
        needs = [f"sheet.slots.{s}.clearance_mm" for s in slots]
        yield ctx.ask("fit.height", slots, message, needs, Severity.STOP, ctx.sheet.memory.source)


@rule("fit.failed")
def failed(ctx: Context) -> Iterator[Finding]:
    """A module that has failed and is still in: without capacity where the machine has mapped it out; still in use, it may
    lose data at any time. It is the module that has failed, wherever it stands, and not its slot."""
    out = [s for s, m in ctx.modules.items() if m.failed == MAPPED_OUT]
    if out:
        message = f"{ctx.names(out)}: the module{'s have' if len(out) > 1 else ' has'} failed, and {ctx.are(out, 'gives', 'give')} no memory; slot, load and ranks count"
        yield ctx.finding("fit.failed", Severity.STOP, out, message)
    failing = [s for s, m in ctx.modules.items() if m.failed == IN_USE]
    if failing:
        message = f"{ctx.names(failing)}: the module{'s are' if len(failing) > 1 else ' is'} failing, and still in use"
        yield ctx.finding("fit.failed", Severity.RISK, failing, message)


@rule("fit.facing", applies=lambda ctx: any(ctx.sheet.slots[s].facing for s in ctx.modules))
def facing(ctx: Context) -> Iterator[Finding]:
    """A slot whose modules face a way worth telling."""
    by_way: dict[str, list[str]] = {}
    for slot in ctx.modules:
        if way := ctx.sheet.slots[slot].facing:
            by_way.setdefault(way, []).append(slot)
    for way, slots in by_way.items():
        yield ctx.finding("fit.facing", Severity.NOTE, slots, f"{ctx.names(slots)}: {way}", ctx.sheet.memory.source)
