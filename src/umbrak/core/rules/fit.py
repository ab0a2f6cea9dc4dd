"""fit: whether the module goes into the slot at all."""

from __future__ import annotations

from collections.abc import Iterator

from umbrak.core.memory.module import Form
from umbrak.core.rules.catalogue import rule
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity

#: Tallest module of each form by the outlines of JEDEC MO-309 / MO-310 and their kin, with tolerance. [mm]
#: A module whose height nobody gave is taken to be no taller: only what stands in less room is asked for.
_TALLEST_STANDARD_MM = {Form.DIMM: 31.4, Form.SO_DIMM: 30.2}


@rule("fit.slot-unknown", applies=lambda ctx: len(ctx.layout) > 0)
def slot_unknown(ctx: Context) -> Iterator[Finding]:
    """A module stands in a slot that the sheet does not have."""
    for slot in ctx.layout:
        if slot not in ctx.sheet.slots:
            yield ctx.finding(
                "fit.slot-unknown",
                Severity.STOP,
                [slot],
                f"{ctx.sheet.title} has no slot {slot}",
                ctx.sheet.memory.source,
            )


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
    if sizeless := [s for s, m in ctx.modules.items() if m.capacity_gib is None]:
        yield ctx.ask(
            "fit.unknown",
            sizeless,
            f"How large the module in {ctx.names(sizeless)} is, is not known; totals leave it out",
            [f"{s}.capacity_gib" for s in sizeless],
            Severity.STOP,
        )


def _wrong(ctx: Context, code: str, member: str, wanted: str, what: str) -> Iterator[Finding]:
    """Modules whose member is not the sheet's; what is unknown is asked for."""
    source = ctx.sheet.memory.source
    by_value: dict[object, list[str]] = {}
    for slot, module in ctx.modules.items():
        by_value.setdefault(getattr(module, member), []).append(slot)
    for value, slots in by_value.items():
        if value is None:
            yield ctx.ask(
                code,
                slots,
                f"The {what} of {ctx.names(slots)} is not known; the slots take {wanted}",
                [f"{s}.{member}" for s in slots],
                Severity.STOP,
                source,
            )
        elif value != wanted:
            yield ctx.finding(
                code, Severity.STOP, slots, f"{ctx.names(slots)}: {value} does not go into a {wanted} slot", source
            )


@rule("fit.generation")
def generation(ctx: Context) -> Iterator[Finding]:
    """Another generation than the board's: other notch, pins and signals."""
    return _wrong(ctx, "fit.generation", "generation", ctx.sheet.memory.generation, "generation")


@rule("fit.form")
def form(ctx: Context) -> Iterator[Finding]:
    """Another form than the slots'; and of DDR5 DIMMs, registered (12 V) and unbuffered (5 V) ones,
    whose notches differ (JESD79-5, JESD305, JESD308)."""
    yield from _wrong(ctx, "fit.form", "form", ctx.sheet.memory.form, "form")
    if ctx.sheet.memory.generation != "DDR5" or ctx.sheet.memory.form != Form.DIMM:
        return
    notches = {
        _ddr5_notch(value) for k in ctx.sheet.memory.accepts for name, value in k.test.wanted if name == "buffering"
    }
    if len(notches) != 1:
        return
    notch = notches.pop()
    for slot, m in ctx.modules.items():
        if m.generation == "DDR5" and m.form is Form.DIMM and m.buffering and _ddr5_notch(m.buffering) != notch:
            yield ctx.finding(
                "fit.form",
                Severity.STOP,
                [slot],
                f"{ctx.names([slot])}: a DDR5 {m.buffering} module has its notch elsewhere than the slot ({notch} V input)",
                ctx.sheet.memory.source,
            )


def _ddr5_notch(buffering: object) -> int:
    """Input of the module's own regulator. [V]"""
    return 5 if buffering == "unbuffered" else 12


@rule("fit.height", applies=lambda ctx: any(ctx.sheet.slots[s].clearance.fitted for s in ctx.modules))
def height(ctx: Context) -> Iterator[Finding]:
    """Taller than the room above the slot; only taller than the way in is a note."""
    tallest = _TALLEST_STANDARD_MM.get(Form(ctx.sheet.memory.form), 0)
    for slot, module in ctx.modules.items():
        room = ctx.sheet.slots[slot].clearance
        source = ctx.sheet.memory.source
        if module.height_mm is None:
            if room.fitted is not None and room.fitted < tallest:
                yield ctx.ask(
                    "fit.height",
                    [slot],
                    f"{ctx.names([slot])} has {room.fitted:g} mm of room, and the module's height is not known",
                    [f"{slot}.height_mm"],
                    Severity.STOP,
                    source,
                )
        elif room.fitted is not None and module.height_mm > room.fitted:
            message = f"{ctx.names([slot])}: the module is {module.height_mm:g} mm tall, the room {room.fitted:g} mm"
            yield ctx.finding("fit.height", Severity.STOP, [slot], message, source)
        elif room.on_the_way is not None and module.height_mm > room.on_the_way:
            message = f"{ctx.names([slot])}: the module is {module.height_mm:g} mm tall, the way in {room.on_the_way:g} mm; free the way first"
            yield ctx.finding("fit.height", Severity.NOTE, [slot], message, source)


@rule("fit.facing", applies=lambda ctx: any(ctx.sheet.slots[s].facing for s in ctx.modules))
def facing(ctx: Context) -> Iterator[Finding]:
    """A slot whose modules face a way worth telling."""
    by_way: dict[str, list[str]] = {}
    for slot in ctx.modules:
        if way := ctx.sheet.slots[slot].facing:
            by_way.setdefault(way, []).append(slot)
    for way, slots in by_way.items():
        yield ctx.finding("fit.facing", Severity.NOTE, slots, f"{ctx.names(slots)}: {way}", ctx.sheet.memory.source)
