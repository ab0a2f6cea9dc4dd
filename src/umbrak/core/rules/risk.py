"""risk: what may work, unsupported or at the expense of the warranty. (Limits stated by somebody: limit.py.)"""

from __future__ import annotations

from collections.abc import Iterator
from fnmatch import fnmatchcase

from umbrak.core.rules.catalogue import rule
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity


@rule("risk.unlisted", applies=lambda ctx: bool(ctx.modules) and bool(ctx.sheet.listed))
def unlisted(ctx: Context) -> Iterator[Finding]:
    """A part that the maker's qualified list does not have; a part nobody named is asked for."""
    patterns = [line.part for line in ctx.sheet.listed]
    source = ctx.sheet.listed[0].source
    unnamed = [s for s, m in ctx.modules.items() if m.part is None]
    odd: dict[str, list[str]] = {}
    for slot, m in ctx.modules.items():
        if m.part is not None and not any(fnmatchcase(m.part.upper(), p.upper()) for p in patterns):
            odd.setdefault(m.part, []).append(slot)
    for part, slots in odd.items():
        message = f"{ctx.names(slots)}: part {part} is not on the maker's list"
        yield ctx.finding("risk.unlisted", Severity.RISK, slots, message, source)
    if unnamed:
        message = (
            f"Whether {ctx.names(unnamed)} {ctx.are(unnamed)} on the maker's list cannot be told without a part number"
        )
        yield ctx.ask("risk.unlisted", unnamed, message, [f"{s}.part" for s in unnamed], Severity.RISK, source)


@rule("risk.warranty", applies=lambda ctx: ctx.before is not None and bool(ctx.layout.changed_from(ctx.before)))
def warranty(ctx: Context) -> Iterator[Finding]:
    """The change touches a slot whose opening ends the warranty."""
    if ctx.before is None:
        return
    by_way: dict[str, list[str]] = {}
    for slot in ctx.layout.changed_from(ctx.before):
        known = ctx.sheet.slots.get(slot)
        way = ctx.sheet.access.get(known.access) if known and known.access else None
        if way and way.ends_warranty:
            by_way.setdefault(way.id, []).append(slot)
    for slots in by_way.values():
        message = f"Opening the way to {ctx.names(slots)} ends the warranty"
        yield ctx.finding("risk.warranty", Severity.RISK, slots, message, ctx.sheet.memory.source)


@rule("risk.mixed-makers", applies=lambda ctx: len(ctx.modules) > 1)
def mixed_makers(ctx: Context) -> Iterator[Finding]:
    """Modules of several makers; those whose maker nobody named are left out."""
    makers: dict[str, list[str]] = {}
    for slot, m in ctx.modules.items():
        if m.maker:
            makers.setdefault(m.maker, []).append(slot)
    if len(makers) > 1:
        least = min(makers.values(), key=lambda slots: (len(slots), ctx.ordered(slots)))
        message = f"Modules of {' and '.join(sorted(makers))} together"
        yield ctx.finding("risk.mixed-makers", Severity.RISK, least, message)
