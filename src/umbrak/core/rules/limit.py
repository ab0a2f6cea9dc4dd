"""limit and risk.over-*: every statement whose conditions hold, checked at its scope.

A hard statement that is passed stops (`limit.*`); a soft one is a risk, named by who states it. One
checker serves all scopes; `_SCOPES` says what each counts.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import partial

from umbrak.core.memory.module import Buffering, Module, amount, densest, usable_size
from umbrak.core.platform.machine import Unknown
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Source, SourceKind, Statement, Versions, version_key
from umbrak.core.rules.context import Context, listed
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.register import rule


@dataclass(frozen=True, slots=True)
class LimitUse:
    """A statement at one place: what it allows and what is used of it."""

    scope: str
    where: str
    limit: float
    used: float
    #: GiB, Gbit, ranks or high.
    unit: str
    source: Source
    trust: int
    hard: bool


@dataclass(slots=True)  # not frozen: a hundred are made in each evaluation, and that is a tenth of it
class _Use:
    """A statement at one place, with all that the rules need of it."""

    statement: Statement
    scope: str
    where: str
    limit: float
    used: float
    unit: str
    slots: tuple[str | None, ...]
    #: "SLOT.member" whose value could raise `used` over the limit.
    needs: tuple[str, ...]
    #: Whether it holds for this unit: None where that hangs on an unknown version or processor.
    holds: bool | None
    condition_needs: tuple[str, ...]
    #: The code that passing it gives.
    code: str
    #: What is told of it, made when it is asked for.
    told: LimitUse | None = None

    @property
    def over(self) -> bool:
        return self.used > self.limit


def limits_in_force(ctx: Context) -> tuple[LimitUse, ...]:
    """Every statement that holds, with what is used of it, by scope and place, tightest first within a place."""
    uses = [u for u in _uses(ctx) if u.holds and u.limit < math.inf]
    order = {"machine": 0, "socket": 1, "controller": 2, "channel": 3, "slot": 4, "die": 5, "stack": 6}
    uses.sort(key=lambda u: (order[u.scope], u.where, u.unit, u.limit, u.statement.source.trust, u.statement.id))
    return tuple([u.told or _tell(u) for u in uses])


def _tell(u: _Use) -> LimitUse:
    u.told = LimitUse(
        scope=u.scope,
        where=u.where,
        limit=u.limit,
        used=u.used,
        unit=u.unit,
        source=u.statement.source,
        trust=u.statement.source.trust,
        hard=u.statement.hard,
    )
    return u.told


def _statements(ctx: Context) -> Iterator[tuple[Statement, str | None, bool | None]]:
    """(statement, the one socket it is about or None, whether its processor is the one fitted)."""
    for s in (*ctx.sheet.limits, *ctx.sheet.limits_without, *ctx.statements):
        if s.processor is None:
            yield s, None, True
            continue
        for socket in ctx.live_sockets:
            p = ctx.processors[socket]
            yield s, socket, None if isinstance(p, Unknown) else p is not None and p.id == s.processor
    for socket in ctx.live_sockets:
        p = ctx.processors[socket]
        if isinstance(p, Unknown):
            for name in ctx.sheet.sockets[socket].processors:
                for s in ctx.sheet.processors[name].limits:
                    yield s, socket, None
        elif p is not None:
            for s in p.limits:
                yield s, socket, True


def _uses(ctx: Context) -> list[_Use]:
    """All statements at all their places; one that another in force replaces does not hold. Computed once a context."""
    return ctx.once("limit uses", lambda: _all_uses(ctx))


def _uses_of(ctx: Context, code: str) -> list[_Use]:
    """Those whose passing gives this code, the most trusted first."""

    def sort_out() -> dict[str, list[_Use]]:
        by_code: dict[str, list[_Use]] = {}
        for u in _uses(ctx):
            by_code.setdefault(u.code, []).append(u)
        for uses in by_code.values():
            uses.sort(key=lambda u: (u.statement.source.trust, u.limit, u.statement.id))
        return by_code

    return ctx.once("limit uses by code", sort_out).get(code, [])


@dataclass(frozen=True, slots=True)
class InForce:
    """A statement, and whether it holds for this unit."""

    statement: Statement
    #: The one socket whose processor it is about; None = every one.
    socket: str | None
    #: None where that hangs on a version or processor that nobody gave.
    holds: bool | None
    #: What it hangs on.
    needs: tuple[str, ...]
    #: Why it does not hold: version, processor, replaced; "" where it does.
    why_not: str


def in_force(ctx: Context) -> list[InForce]:
    """Every statement with whether it holds; one that another in force replaces does not. Computed once a context."""
    return ctx.once("statements in force", lambda: _in_force(ctx))


def _in_force(ctx: Context) -> list[InForce]:
    versions = (ctx.machine.firmware, ctx.machine.system)
    told = list(_statements(ctx))
    silenced: set[str] = set()
    doubted: dict[str, Statement] = {}
    for statement, _, fitted in told:
        holds = _all_hold(statement.conditions_hold(*versions), fitted)
        for name in statement.replaces:
            if holds:
                silenced.add(name)
            elif holds is None:
                doubted[name] = statement
    found = []
    for statement, socket, fitted in told:
        conditions = statement.conditions_hold(*versions)
        replaced = statement.id in silenced
        holds = False if replaced else _all_hold(conditions, fitted)
        why = "version" if conditions is False else "processor" if fitted is False else "replaced" if replaced else ""
        needs = _version_needs(ctx, statement, conditions) if conditions is None else ()
        if fitted is None and socket:
            needs += (f"machine.processors.{socket}",)
        if holds and (doubt := doubted.get(statement.id)):
            holds, needs = None, _version_needs(ctx, doubt, None)
        found.append(InForce(statement, socket, holds, needs, why))
    return found


def _all_uses(ctx: Context) -> list[_Use]:
    told = [f for f in in_force(ctx) if f.statement.unsaid is None]
    within = [i for i, f in enumerate(told) if _is_within_sockets(f)]

    def on(socket: str) -> dict[int, list[_Use]]:
        return {i: _uses_at(ctx, told[i], socket) for i in within if told[i].socket in (None, socket)}

    on_socket = {s: ctx.at_place(("limit uses", s), ctx.seated_on(s), partial(on, s)) for s in ctx.live_sockets}
    found = []
    for i, f in enumerate(told):
        if not _is_within_sockets(f):
            found += _uses_at(ctx, f, f.socket)
            continue
        for socket in (f.socket,) if f.socket else ctx.live_sockets:
            found += on_socket[socket][i]
    return found


def _is_within_sockets(f: InForce) -> bool:
    """Whether each of its places lies within one socket."""
    s = f.statement
    return s.scope != "machine" and (f.socket is not None or (s.die_gbit is None and s.stack_height is None))


def _uses_at(ctx: Context, f: InForce, socket: str | None) -> list[_Use]:
    """A statement at its places, of one socket or all of them."""
    return [
        _Use(statement=f.statement, scope=scope, where=where, limit=limit, used=used, unit=unit, slots=slots, needs=missing, holds=f.holds, condition_needs=f.needs, code=_code(f.statement, scope, unit))
        for scope, where, limit, used, unit, slots, missing in _measure(ctx, f.statement, socket)
    ]  # fmt: skip


def _all_hold(*answers: bool | None) -> bool | None:
    return False if False in answers else None if None in answers else True


def _version_needs(ctx: Context, statement: Statement, conditions: bool | None) -> tuple[str, ...]:
    needs = []
    if conditions is None and statement.firmware.holds(ctx.machine.firmware) is None:
        needs.append("machine.firmware")
    if conditions is None and statement.system.holds(ctx.machine.system) is None:
        needs.append("machine.system")
    return tuple(needs)


_Measure = tuple[str, str, float, float, str, tuple[str | None, ...], tuple[str, ...]]


def _measure(ctx: Context, s: Statement, socket: str | None) -> Iterator[_Measure]:
    """(scope, where, limit, used, unit, slots, what is unknown) of a statement at each of its places."""
    sockets = (socket,) if socket else ctx.live_sockets
    if s.package_ranks is not None:
        alike: dict[tuple[int, ...], tuple[int, tuple[str, ...]]] = {}
        for where, seated in _places(ctx, s.scope, sockets):
            if s.where in (None, where):
                filled = tuple([id(m) for _, m in seated])
                used, missing = alike.get(filled) or _chip_selects(ctx, seated, s.package_ranks)
                if not missing:  # what is missing names slots: not the same for another channel
                    alike[filled] = used, missing
                yield s.scope, where, s.package_ranks, used, "ranks", tuple(x for x, _ in seated), missing
    elif s.die_gbit is not None or s.stack_height is not None:
        member, unit, scope = (
            ("die_gbit", "Gbit", "die") if s.die_gbit is not None else ("stack_height", "high", "stack")
        )
        limit = s.die_gbit if s.die_gbit is not None else s.stack_height
        # Soldered memory runs as it was made; density and stacks are a matter of what is put in.
        everything = [x for place in sockets for x in ctx.seated_on(place) if x[0] is not None]
        concerned = everything if s.where is None else [x for x in everything if _within(ctx, x[0], s.where)]
        kinds = {id(m): m for _, m in concerned}
        values: dict[int, float | None] = {key: getattr(m, member) for key, m in kinds.items()}
        highest = max((v for v in values.values() if v is not None), default=0)
        dense = {key for key, v in values.items() if v is not None and limit is not None and v > limit}
        # A size bounds how dense its dies can be: what cannot pass the limit is not asked for.
        open_ = {
            key
            for key, v in values.items()
            if v is None and not (member == "die_gbit" and (densest(kinds[key]) or math.inf) <= (limit or 0))
        }
        over = tuple(x for x, m in concerned if id(m) in dense) if dense else ()
        untold = tuple(x for x, m in concerned if id(m) in open_) if open_ else ()
        missing = tuple(f"{x or 'soldered'}.{member}" for x in untold)
        yield scope, s.where or (socket or "machine"), float(limit or 0), highest, unit, over or untold, missing
    elif s.capacity_gib is not None:
        for where, seated in _places(ctx, s.scope, sockets):
            if s.where in (None, where):
                total = ctx.channel_gib[where] if s.scope == "channel" else sum(usable_size(m) for _, m in seated)
                yield s.scope, where, s.capacity_gib, total, "GiB", tuple(x for x, _ in seated), ()


def _within(ctx: Context, slot: str | None, where: str) -> bool:
    if slot is None:
        return False
    return where in (slot, ctx.sheet.slots[slot].channel, ctx.sheet.socket_of_slot[slot])


def _places(
    ctx: Context, scope: str, sockets: Iterable[str]
) -> Iterator[tuple[str, tuple[tuple[str | None, Module], ...]]]:
    """The places of a scope and what sits in each."""
    if scope == "machine":
        yield "machine", ctx.all_seated
        return
    for socket in sockets:
        if scope == "socket":
            yield socket, ctx.seated_on(socket)
        elif scope == "controller":
            by_controller: dict[str, list[tuple[str | None, Module]]] = {}
            for c in ctx.channels(socket):
                if c.controller:
                    by_controller.setdefault(c.controller, []).extend(ctx.seated[c.id])
            yield from ((name, tuple(seated)) for name, seated in by_controller.items())
        elif scope == "channel":
            yield from ((c.id, ctx.seated[c.id]) for c in ctx.channels(socket))
        elif scope == "slot":
            yield from ((x, ((x, m),)) for x, m in ctx.seated_on(socket) if x is not None)


def _chip_selects(ctx: Context, seated: Iterable[tuple[str | None, Module]], limit: int) -> tuple[int, tuple[str, ...]]:
    """Chip selects that the modules take, and whose unknown ranks could take more than there are."""
    used, missing = 0, []
    for slot, m in seated:
        told = ctx.sheet.memory.load_reduced_counts_as
        counts_as = told if m.buffering is Buffering.LOAD_REDUCED else None
        if counts_as is not None:
            used += counts_as
        elif m.buffering is None and told is not None and (m.package_ranks or limit) > told and m.ecc is not False:
            # If it is load-reduced it takes fewer.
            used += min(told, m.package_ranks or told)
            missing.append(f"{slot or 'soldered'}.buffering")
        elif m.buffering is Buffering.LOAD_REDUCED and not _untold_counting_matters(seated, limit):
            used += m.package_ranks or 1
        elif m.buffering is Buffering.LOAD_REDUCED:
            # Its buffer hides ranks behind fewer selects; how many, the sheet does not say.
            used += 1
            missing.append("sheet.memory.load_reduced_counts_as")
        elif m.package_ranks is not None:
            used += m.package_ranks
        else:
            missing.append(f"{slot or 'soldered'}.package_ranks")
    if "sheet.memory.load_reduced_counts_as" in missing:
        return used, tuple(sorted(set(missing)))
    # A module has one rank at least and four at most in every standard organisation but stacked ones.
    return used + len(missing), tuple(missing) if used + 4 * len(missing) > limit else ()


def _untold_counting_matters(seated: Iterable[tuple[str | None, Module]], limit: int) -> bool:
    """Whether the modules would take more chip selects than there are, if each rank of a load-reduced one took one."""
    return sum(m.package_ranks or 4 for _, m in seated) > limit


_UNIT = {"GiB": "GB", "Gbit": "Gbit", "ranks": "package ranks", "high": "dies high"}


def _sentence(ctx: Context, same: list[_Use]) -> str:
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


def _slots_of(same: Iterable[_Use]) -> list[str | None]:
    return [s for u in same for s in u.slots]


def _alike(uses: Iterable[_Use]) -> list[list[_Use]]:
    """Uses that come to the same thing at several places, together: one finding says it of all."""
    found: dict[object, list[_Use]] = {}
    for u in uses:
        s = u.statement
        about = (u.scope, u.unit, u.limit, u.used, u.holds, s.hard, s.source, s.firmware, s.system, u.condition_needs)
        found.setdefault(about, []).append(u)
    return list(found.values())


def _code(s: Statement, scope: str, unit: str) -> str:
    """The code that passing a statement gives: one fact, one code."""
    if s.hard:
        return {"ranks": "limit.ranks", "high": "limit.stack", "Gbit": "limit.die"}.get(unit, f"limit.{scope}")
    if unit == "Gbit":
        return "risk.density"
    if s.official:
        return "risk.over-official"
    return "risk.over-processor" if s.source.kind is SourceKind.PROCESSOR_MAKER else "risk.unproved"


def _met_by_version(ctx: Context, u: _Use) -> Statement | None:
    """A statement that would allow this much, were the firmware or system a version that is still to come for this unit: what
    a newer release took back is no reason to go back."""
    return next((o.statement for o in _allowed_otherwise(ctx, u) if not _is_past(ctx, o.statement)), None)


def _allowed_otherwise(ctx: Context, u: _Use) -> Iterator[_Use]:
    """Uses of the same place within the limit of a statement that another version is about."""
    for other in _uses(ctx):
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


def _vouched_for(ctx: Context, u: _Use) -> bool:
    """Whether somebody more trusted states that so much is in order there: a machine's tables often carry the claim of
    another board, and are then no reason for doubt. People who say less keep being shown."""
    return u.statement.source.kind is SourceKind.SURVEY and any(
        other.holds
        and other.statement.source.trust < u.statement.source.trust
        and (other.scope, other.where, other.unit) == (u.scope, u.where, u.unit)
        and not other.over
        for other in _uses(ctx)
    )


def _find(ctx: Context, code: str) -> Iterator[Finding]:
    """Statements passed whose code is this one; of several at one place, the most trusted."""
    by_place: dict[tuple[str, str, str], _Use] = {}
    for u in _uses_of(ctx, code):
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


def _taken_back(ctx: Context, u: _Use) -> str:
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
        ran_there = {where: used for _, where, _, used, _, _, _ in _measure(ran, f.statement, f.socket)} if ran else {}
        for scope, where, most, used, _, slots, missing in _measure(ctx, f.statement, f.socket):
            if used > max(most, ran_there.get(where, 0)) or missing:
                place = {"machine": "the machine", "die": "a module", "stack": "a module"}.get(scope) or (
                    ctx.names([where]) if scope == "slot" else place_words(ctx.sheet, scope, where)
                )
                yield f.statement, slots or tuple(ctx.modules), used, place


def unproved(ctx: Context) -> list[Statement]:
    """Soft statements in force that the layout passes, the most trusted first."""
    passed = [
        u.statement for u in _uses(ctx) if u.over and u.holds and not u.statement.hard and not _vouched_for(ctx, u)
    ]
    return sorted(dict.fromkeys(passed), key=lambda s: (s.source.trust, s.id))


def over_official(ctx: Context) -> bool | None:
    """Whether the layout passes what the machine's maker states, at any scope, for the versions and processors fitted.

    None where nobody knows: no official statement of a capacity holds, it hangs on a version or processor that nobody
    gave, or on a member of a module that is not known. What another version would allow pardons nothing.
    """
    official = [u for u in _uses(ctx) if u.statement.official and u.holds is not False]
    if any(u.over and u.holds for u in official):
        return True
    open_ = any((u.over and u.holds is None) or u.needs for u in official)
    # One that only may be replaced tells too: where it is, the one that replaces it holds.
    versions = (ctx.machine.firmware, ctx.machine.system)
    told = any(u.unit == "GiB" and u.statement.conditions_hold(*versions) for u in official)
    return None if open_ or not told or ctx.unknown_slots or _sizeless(ctx) else False


def _sizeless(ctx: Context) -> bool:
    return any(m.capacity_gib is None for m in ctx.modules.values())


def _register(code: str) -> None:
    def find(ctx: Context) -> Iterator[Finding]:
        return _find(ctx, code)

    find.__doc__ = f"Statements whose passing is {code}."
    rule(code, applies=lambda ctx: any(u.holds is not False for u in _uses_of(ctx, code)))(find)


for _name in (
    "limit.machine", "limit.socket", "limit.controller", "limit.channel", "limit.slot", "limit.die", "limit.ranks",
    "limit.stack", "risk.over-official", "risk.over-processor", "risk.density", "risk.unproved",
):  # fmt: skip
    _register(_name)


def _of_some_version(ctx: Context) -> list[_Use]:
    def of_versions() -> list[_Use]:
        named = {f.statement.id for f in in_force(ctx) if f.statement.of_version}
        return [u for u in _uses(ctx) if u.statement.id in named and u.statement.of_version] if named else []

    return ctx.once("limits of versions", of_versions)


@rule("limit.firmware", applies=lambda ctx: bool(_of_some_version(ctx)))
def firmware(ctx: Context) -> Iterator[Finding]:
    """A total met only by another firmware or system version, or nobody knows which version runs. A hard limit of the
    version that is fitted is `limit.*` alone: what another allows pardons nothing."""
    passed = [u for u in _uses(ctx) if u.over and u.holds is not False]
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
    for u in _uses(ctx):
        if u.holds is False or u.statement.hard or (u.over and _vouched_for(ctx, u)):
            continue
        yield FigureUse(
            statement=u.statement, scope=u.scope, where=u.where, limit=u.limit, used=u.used, unit=u.unit,
            of_version=_of_version(u, of_versions),
        )  # fmt: skip


def _of_version(u: _Use, of_versions: Iterable[_Use]) -> tuple[str, ...]:
    s = u.statement
    said = [s] + [
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
        for u in _uses(ctx)
        if u.holds and u.statement.hard and u.unit == "GiB" and u.scope != "slot"
    )
