"""risk: what may work, unsupported or at the expense of the warranty. (Limits stated by somebody: limit.py.)"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from umbrak.core.platform.fact import State
from umbrak.core.platform.machine import Occupant, kept_without_power
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.limit import unproved
from umbrak.core.rules.register import rule


@rule("risk.unlisted", applies=lambda ctx: bool(ctx.modules) and bool(ctx.sheet.listed))
def unlisted(ctx: Context) -> Iterator[Finding]:
    """A part that the maker's qualified list does not have; one that nobody named counts as such."""
    source = ctx.sheet.listed[0].source
    unnamed = [s for s, m in ctx.modules.items() if m.part is None]
    odd: dict[str, list[str]] = {}
    for slot, m in ctx.modules.items():
        if m.part is not None and not is_listed(ctx, m.part):
            odd.setdefault(m.part, []).append(slot)
    for part, slots in odd.items():
        message = f"{ctx.names(slots)}: part {part} is not on the maker's list"
        yield ctx.finding("risk.unlisted", Severity.RISK, slots, message, source)
    if unnamed:
        message = f"{ctx.names(unnamed)}: without a part number {ctx.are(unnamed, 'it counts', 'they count')} as not on the maker's list"
        yield ctx.finding("risk.unlisted", Severity.RISK, unnamed, message, source)


def is_listed(ctx: Context, part: str) -> bool:
    """Whether the maker's qualified list has the part."""
    return ctx.once(("listed", part), lambda: ctx.sheet.lists(part))


@rule("risk.warranty", applies=lambda ctx: ctx.before is not None and bool(ctx.layout.changed_from(ctx.before)))
def warranty(ctx: Context) -> Iterator[Finding]:
    """The change touches a slot whose opening ends the warranty."""
    if ctx.before is None:
        return
    by_way: dict[str, list[str]] = {}
    for slot in ctx.layout.changed_from(ctx.before):
        way = ctx.sheet.way_to(slot)
        if way and way.ends_warranty is not False:
            by_way.setdefault(way.id, []).append(slot)
    for name, slots in by_way.items():
        fact = f"access.{name}.ends_warranty"
        missing = ctx.sheet.not_told(fact)
        if missing is None:
            message = f"Opening the way to {ctx.names(slots)} ends the warranty"
            yield ctx.finding("risk.warranty", Severity.RISK, slots, message, ctx.sheet.memory.source)
        elif missing.state is State.OPEN:
            message = f"Whether opening the way to {ctx.names(slots)} ends the warranty is not told"
            yield ctx.ask("risk.warranty", slots, message, [f"sheet.{fact}"], Severity.RISK)
        else:
            message = f"Whether opening the way to {ctx.names(slots)} ends the warranty is told nowhere"
            yield ctx.finding("risk.warranty", Severity.RISK, slots, message)


@rule("risk.content", applies=lambda ctx: bool(kept_without_power(ctx.before or {})))
def content(ctx: Context) -> Iterator[Finding]:
    """The change takes out what keeps its content without power, and its content with it."""
    if ctx.before is None:
        return
    kept = kept_without_power(ctx.before)
    gone = [s for s in ctx.layout.changed_from(ctx.before) if s in kept]
    if gone:
        message = f"{ctx.names(gone)}: {kept[gone[0]]} keeps its content without power, and whoever takes it out takes that along"
        yield ctx.finding("risk.content", Severity.RISK, gone, message)


@rule("risk.mixed-makers", applies=lambda ctx: len(ctx.modules) > 1)
def mixed_makers(ctx: Context) -> Iterator[Finding]:
    """Modules of several makers; where nobody named the maker of one that comes in it is asked, not passed as alike. What
    the machine's maker lists was tried there, in whatever company."""
    makers: dict[str, list[str]] = {}
    for slot, m in ctx.modules.items():
        if m.maker:
            makers.setdefault(m.maker, []).append(slot)
    if len(makers) > 1:
        least = min(makers.values(), key=lambda slots: (len(slots), ctx.ordered(slots)))
        message = f"Modules of {' and '.join(sorted(makers))} together"
        yield ctx.finding("risk.mixed-makers", Severity.RISK, least, message)
        return
    nameless = without_maker(ctx)
    if makers and nameless:
        message = f"Who made {ctx.names(nameless)} is not known: {'it may be' if len(nameless) == 1 else 'they may be'} another maker's than what stands beside {'it' if len(nameless) == 1 else 'them'}"
        yield ctx.ask("risk.mixed-makers", nameless, message, [f"{s}.maker" for s in nameless], Severity.RISK)


def without_maker(ctx: Context) -> tuple[str, ...]:
    """Slots of what comes in whose maker nobody named, beside what may be another maker's. Of one part number modules are
    one maker's, whoever that is."""
    open_ = {s: m for s, m in ctx.modules.items() if not (m.part and is_listed(ctx, m.part))}
    if len({(m.maker, m.part) if m.maker or m.part else None for m in open_.values()}) < 2:
        return ()
    return tuple(s for s, m in open_.items() if m.maker is None and not ctx.known_here(m))


@rule("risk.mixed-kits", applies=lambda ctx: len(ctx.modules) > 1)
def mixed_kits(ctx: Context) -> Iterator[Finding]:
    """Modules of one maker that were not sold as one kit: of several part numbers, or of several revisions of one.

    What the machine's maker lists was tried there, in whatever company; a part nobody named is left out, and
    modules of several makers are `risk.mixed-makers`.
    """
    if len({m.maker for m in ctx.modules.values() if m.maker}) > 1:
        return
    kits: dict[tuple[str, str | None], list[str]] = {}
    for slot, m in ctx.modules.items():
        if m.part and not is_listed(ctx, m.part):
            kits.setdefault((m.part, m.revision), []).append(slot)
    if len(kits) > 1:
        least = min(kits.values(), key=lambda slots: (len(slots), ctx.ordered(slots)))
        names = " and ".join(sorted(f"{part} revision {rev}" if rev else part for part, rev in kits))
        yield ctx.finding("risk.mixed-kits", Severity.RISK, least, f"{names} were not sold as one kit")


@rule("risk.staging", applies=lambda ctx: ctx.before is not None and bool(ctx.layout.changed_from(ctx.before)))
def staging(ctx: Context) -> Iterator[Finding]:
    """Several modules go in at once on the strength of a claim that nobody has proved here: one first would prove it."""
    before: Mapping[str, Occupant] = ctx.before or {}
    coming = [s for s, m in ctx.modules.items() if before.get(s) != m]
    doubts = unproved(ctx)
    if len(coming) > 1 and doubts:
        first = ctx.names(coming[:1])
        message = (
            f"{doubts[0].source.title} states less: {first} first, proved, then the other {len(coming) - 1} risks less"
        )
        yield ctx.finding("risk.staging", Severity.NOTE, coming, message, doubts[0].source)
