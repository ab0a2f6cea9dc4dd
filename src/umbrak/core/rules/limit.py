"""limit and risk.over-*: what it means where more is used than a statement allows at its place (`uses.py`).

A hard statement that is passed stops (`limit.*`); a soft one is a risk, named by who states it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from umbrak.core.memory.module import amount
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import SourceKind, Statement, Versions, version_key
from umbrak.core.rules.context import Context, listed
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.register import rule
from umbrak.core.rules.uses import Use, in_force, limit_uses, limit_uses_of, measured

_UNIT = {"GiB": "GB", "Gbit": "Gbit", "ranks": "package ranks", "high": "dies high"}


def _sentence(ctx: Context, same: list[Use]) -> str:
    """What one statement says of one or several places that come to the same."""
    u = same[0]
    if u.scope == "machine":
        place, several = "The machine", False
    elif u.scope in ("die", "stack"):
        slots = _slots_of(same)
        place, several = ctx.names(slots) or "A module", len(ctx.ordered(slots)) > 1
    elif u.scope == "slot":
        place, several = ctx.names(_slots_of(same)), len(same) > 1
    else:
        place, several = listed([place_words(ctx.sheet, u.scope, x.where) for x in same]), len(same) > 1
    each = " each" if several and u.scope not in ("die", "stack") else ""
    used = f"{amount(u.used)} {_UNIT[u.unit]}{each}"
    return f"{place[:1].upper()}{place[1:]} {'have' if several else 'has'} {used}; {u.statement.source.title} states {amount(u.limit)}"


def place_words(sheet: Sheet, scope: str, where: str) -> str:
    """A place for people: "channel A of CPU1", "CPU1"."""
    if scope != "channel":
        return where
    channel = sheet.channels[where]
    return f"channel {channel.name}" + (f" of {channel.socket}" if len(sheet.sockets) > 1 else "")


def _slots_of(same: Iterable[Use]) -> list[str | None]:
    return [s for u in same for s in u.slots]


def _alike(uses: Iterable[Use]) -> list[list[Use]]:
    """Uses that come to the same thing at several places, together: one finding says it of all."""
    found: dict[object, list[Use]] = {}
    for u in uses:
        s = u.statement
        about = (u.scope, u.unit, u.limit, u.used, u.holds, s.hard, s.source, s.firmware, s.system, u.condition_needs)
        found.setdefault(about, []).append(u)
    return list(found.values())


def _met_by_version(ctx: Context, u: Use) -> Statement | None:
    """A statement that would allow this much, were the firmware or system a version that is still to come for this unit: what
    a newer release took back is no reason to go back."""
    return next((o.statement for o in _allowed_otherwise(ctx, u) if not _is_past(ctx, o.statement)), None)


def _allowed_otherwise(ctx: Context, u: Use) -> Iterator[Use]:
    """Uses of the same place within the limit of a statement that another version is about."""
    for other in limit_uses(ctx):
        s = other.statement
        if (
            other.scope == u.scope
            and other.where == u.where
            and other.unit == u.unit
            and s.conditions_hold(ctx.machine.firmware, ctx.machine.system) is False
            and (u.statement.id in s.replaces or (s.official and u.statement.official))
            and other.used <= other.limit
        ):
            yield other


def _is_past(ctx: Context, s: Statement) -> bool:
    """Whether the versions that a statement is about lie before the one that is fitted."""
    return any(
        span.until is not None and version is not None and version_key(version) >= version_key(span.until)
        for span, version in ((s.firmware, ctx.machine.firmware), (s.system, ctx.machine.system))
    )


def _vouched_for(ctx: Context, u: Use) -> bool:
    """Whether somebody more trusted states that so much is in order there: a machine's tables often carry the claim of
    another board, and are then no reason for doubt. People who say less keep being shown."""
    return u.statement.source.kind is SourceKind.SURVEY and any(
        other.holds
        and other.statement.source.trust < u.statement.source.trust
        and (other.scope, other.where, other.unit) == (u.scope, u.where, u.unit)
        and not other.over
        for other in limit_uses(ctx)
    )


def _find(ctx: Context, code: str) -> Iterator[Finding]:
    """Statements passed whose code is this one; of several at one place, the most trusted."""
    by_place: dict[tuple[str, str, str], Use] = {}
    for u in limit_uses_of(ctx, code):
        if u.over and u.holds is not False and not _vouched_for(ctx, u):
            by_place.setdefault((u.scope, u.where, str(u.holds)), u)
        elif u.needs and u.holds is not False:
            severity = Severity.STOP if u.statement.hard else Severity.RISK
            what = {"ranks": "ranks", "Gbit": "die density", "high": "stack height"}[u.unit]
            if "sheet.memory.load_reduced_counts_as" in u.needs:
                message = f"{place_words(ctx.sheet, u.scope, u.where)}: how the ranks of load-reduced modules count is not told; {u.statement.source.title} states {amount(u.limit)} package ranks"
                yield ctx.ask(code, u.slots, message, u.needs, severity, u.statement.source)
                continue
            unknown = [n.rsplit(".", 1)[0] for n in u.needs if not n.startswith("soldered.")]
            verb = "are" if what == "ranks" else "is"
            message = f"The {what} of {ctx.names(unknown) or 'the soldered memory'} {verb} not known; {u.statement.source.title} states {amount(u.limit)} {_UNIT[u.unit]}"
            yield ctx.ask(code, unknown, message, u.needs, severity, u.statement.source)
    for same in _alike(by_place.values()):
        u, slots = same[0], _slots_of(same)
        source, severity = u.statement.source, Severity.STOP if u.statement.hard else Severity.RISK
        if u.holds is None:
            if not any(n.startswith("machine.processors") for n in u.condition_needs):
                continue  # hangs on a version: `limit.firmware` asks
            message = f"{_sentence(ctx, same)}, if that processor is fitted; which one is fitted is not known"
            yield ctx.ask(code, slots, message, u.condition_needs, severity, source)
        elif u.statement.hard or _met_by_version(ctx, u) is None:
            clause = f" ({u.statement.condition_words()})" if u.statement.condition_words() else ""
            yield ctx.finding(code, severity, slots, _sentence(ctx, same) + clause + _taken_back(ctx, u), source)


def _taken_back(ctx: Context, u: Use) -> str:
    """That an older version allowed more, which is no advice to go back to it."""
    older = next((o.statement for o in _allowed_otherwise(ctx, u) if _is_past(ctx, o.statement)), None)
    return f"; {older.source.title} allowed more, and was taken back" if older else ""


def over_open_limits(ctx: Context) -> Iterator[tuple[Statement, tuple[str | None, ...], float, str]]:
    """(limit, slots, used, place) of the limits whose number nobody tells, where more is used than is known to run."""
    if not ctx.sheet.limits_without:
        return
    ran = Context(sheet=ctx.sheet, machine=ctx.machine, layout=ctx.ran) if ctx.ran is not None else None
    for f in in_force(ctx):
        if f.statement.unsaid is None or f.holds is False:
            continue
        ran_there = {where: used for _, where, _, used, _, _, _ in measured(ran, f.statement, f.socket)} if ran else {}
        for scope, where, most, used, _, slots, missing in measured(ctx, f.statement, f.socket):
            if used > max(most, ran_there.get(where, 0)) or missing:
                place = {"machine": "the machine", "die": "a module", "stack": "a module"}.get(scope) or (
                    ctx.names([where]) if scope == "slot" else place_words(ctx.sheet, scope, where)
                )
                yield f.statement, slots or tuple(ctx.modules), used, place


def unproved(ctx: Context) -> list[Statement]:
    """Soft statements in force that the layout passes, the most trusted first."""
    passed = [
        u.statement for u in limit_uses(ctx) if u.over and u.holds and not u.statement.hard and not _vouched_for(ctx, u)
    ]
    return sorted(dict.fromkeys(passed), key=lambda s: (s.source.trust, s.id))


def over_official(ctx: Context) -> bool | None:
    """Whether the layout passes what the machine's maker states, at any scope, for the versions and processors fitted.

    None where nobody knows: no official statement of a capacity holds, it hangs on a version or processor that nobody
    gave, or on a member of a module that is not known. What another version would allow pardons nothing.
    """
    official = [u for u in limit_uses(ctx) if u.statement.official and u.holds is not False]
    if any(u.over and u.holds for u in official):
        return True
    open_ = any((u.over and u.holds is None) or u.needs for u in official)
    # One that only may be replaced tells too: where it is, the one that replaces it holds.
    versions = (ctx.machine.firmware, ctx.machine.system)
    told = any(u.unit == "GiB" and u.statement.conditions_hold(*versions) for u in official)
    return None if open_ or not told or ctx.unknown_slots or _sizeless(ctx) else False


def _sizeless(ctx: Context) -> bool:
    return any(m.is_sizeless for m in ctx.modules.values())


def _register(code: str) -> None:
    def find(ctx: Context) -> Iterator[Finding]:
        return _find(ctx, code)

    find.__doc__ = f"Statements whose passing is {code}."
    rule(code, applies=lambda ctx: any(u.holds is not False for u in limit_uses_of(ctx, code)))(find)


for _name in (
    "limit.machine", "limit.socket", "limit.controller", "limit.channel", "limit.slot", "limit.die", "limit.ranks",
    "limit.stack", "risk.over-official", "risk.over-processor", "risk.density", "risk.unproved",
):  # fmt: skip
    _register(_name)


def _of_some_version(ctx: Context) -> list[Use]:
    def of_versions() -> list[Use]:
        named = {f.statement.id for f in in_force(ctx) if f.statement.of_version}
        return [u for u in limit_uses(ctx) if u.statement.id in named and u.statement.of_version] if named else []

    return ctx.once("limits of versions", of_versions)


@rule("limit.firmware", applies=lambda ctx: bool(_of_some_version(ctx)))
def firmware(ctx: Context) -> Iterator[Finding]:
    """A total met only by another firmware or system version, or nobody knows which version runs. A hard limit of the
    version that is fitted is `limit.*` alone: what another allows pardons nothing."""
    passed = [u for u in limit_uses(ctx) if u.over and u.holds is not False]
    for same in _alike(u for u in passed if u.holds is None):
        u = same[0]
        if any(n.startswith("machine.") and "processors" not in n for n in u.condition_needs):
            message = f"{_sentence(ctx, same)}; whether that holds hangs on the version, which is not known"
            could = Severity.STOP if u.statement.hard else Severity.RISK
            yield ctx.ask("limit.firmware", _slots_of(same), message, u.condition_needs, could, u.statement.source)
    for same in _alike(u for u in passed if u.holds and not u.statement.hard):
        other = _met_by_version(ctx, same[0])
        if other is not None:
            message = f"{_sentence(ctx, same)}; allowed by {other.source.title} with {other.condition_words()}"
            yield ctx.finding("limit.firmware", Severity.RISK, _slots_of(same), message, other.source)


@rule("limit.os-width", applies=lambda ctx: bool(ctx.modules))
def os_width(ctx: Context) -> Iterator[Finding]:
    """A 32-bit operating system addresses 4 GiB, or what its address extension and edition allow; and where the board does
    not move what lies under its devices' addresses, that is lost."""
    if ctx.sheet.memory.remaps_hole is False and ctx.machine.device_hole_mib is None and ctx.installed_gib >= 4:
        message = "How much of the first 4 GB lies under the devices' addresses is not known; this board does not move it above"
        needs = ["machine.device_hole_mib"]
        yield ctx.ask("limit.os-width", (), message, needs, Severity.SLOW, ctx.sheet.memory.source)
    cap = ctx.machine.os_cap_gib or 4
    if ctx.machine.os_bits == 32 and ctx.installed_gib > cap:
        message = f"A 32-bit system sees about {amount(cap)} GB of the {amount(ctx.installed_gib)} GB"
        yield ctx.finding("limit.os-width", Severity.SLOW, (), message)


@dataclass(frozen=True, slots=True)
class FigureUse:
    """A soft statement at one place: what it allows, what is used of it, and whether it is a version's."""

    statement: Statement
    scope: str
    where: str
    limit: float
    used: float
    #: GiB, Gbit, ranks or high.
    unit: str
    #: firmware, system: what of brought it, or allows more or less in another version.
    of_version: tuple[str, ...]


def figures(ctx: Context) -> tuple[FigureUse, ...]:
    """Every soft statement with a number that holds, or may hold, at each of its places; passed or not. Left out is what
    somebody more trusted vouches against. Computed once a context."""
    return ctx.once("figures", lambda: tuple(_figures(ctx)))


def _figures(ctx: Context) -> Iterator[FigureUse]:
    of_versions = _of_some_version(ctx)
    # What a version says instead may be a number that nobody has told yet.
    instead = [f.statement for f in in_force(ctx) if f.statement.of_version and f.statement.unsaid is not None]
    for u in limit_uses(ctx):
        if u.holds is False or u.statement.hard or (u.over and _vouched_for(ctx, u)):
            continue
        yield FigureUse(
            statement=u.statement, scope=u.scope, where=u.where, limit=u.limit, used=u.used, unit=u.unit,
            of_version=_of_version(u, of_versions, instead),
        )  # fmt: skip


def _of_version(u: Use, of_versions: Iterable[Use], instead: Iterable[Statement]) -> tuple[str, ...]:
    s = u.statement
    said = [s, *(x for x in instead if s.id in x.replaces)] + [
        other.statement
        for other in of_versions
        if (other.scope, other.where, other.unit) == (u.scope, u.where, u.unit)
        and (s.id in other.statement.replaces or (other.statement.official and s.official))
    ]
    named = (n for x in said for n in ("firmware", "system") if getattr(x, n) != Versions())
    return tuple(sorted(set(named)))


def hard_totals(ctx: Context) -> tuple[tuple[Statement, float, float], ...]:
    """(statement, limit, used) of the hard limits of capacity that hold, at each place but single slots. [GiB]"""
    return tuple(
        (u.statement, u.limit, u.used)
        for u in limit_uses(ctx)
        if u.holds and u.statement.hard and u.unit == "GiB" and u.scope != "slot"
    )
