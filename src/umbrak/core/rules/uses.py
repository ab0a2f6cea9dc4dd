"""Statements at their places: which hold for a unit, what each allows there and what is used of it.

One measure serves all scopes. `limit.py` says what it means where more is used than a statement allows.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import partial

from umbrak.core.memory.module import Buffering, Module, densest, most_ranks, usable_size
from umbrak.core.platform.machine import Unknown
from umbrak.core.platform.statement import Source, SourceKind, Statement
from umbrak.core.rules.context import Context


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
class Use:
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
    uses = [u for u in limit_uses(ctx) if u.holds and u.limit < math.inf]
    order = {"machine": 0, "socket": 1, "controller": 2, "channel": 3, "slot": 4, "die": 5, "stack": 6}
    uses.sort(key=lambda u: (order[u.scope], u.where, u.unit, u.limit, u.statement.source.trust, u.statement.id))
    return tuple([u.told or _tell(u) for u in uses])


def _tell(u: Use) -> LimitUse:
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


def limit_uses(ctx: Context) -> list[Use]:
    """All statements at all their places; one that another in force replaces does not hold. Computed once a context."""
    return ctx.once("limit uses", lambda: _all_uses(ctx))


def limit_uses_of(ctx: Context, code: str) -> list[Use]:
    """Those whose passing gives this code, the most trusted first."""

    def sort_out() -> dict[str, list[Use]]:
        by_code: dict[str, list[Use]] = {}
        for u in limit_uses(ctx):
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


def _all_uses(ctx: Context) -> list[Use]:
    told = [f for f in in_force(ctx) if f.statement.unsaid is None]
    within = [i for i, f in enumerate(told) if _is_within_sockets(f)]

    def on(socket: str) -> dict[int, list[Use]]:
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


def _uses_at(ctx: Context, f: InForce, socket: str | None) -> list[Use]:
    """A statement at its places, of one socket or all of them."""
    return [
        Use(statement=f.statement, scope=scope, where=where, limit=limit, used=used, unit=unit, slots=slots, needs=missing, holds=f.holds, condition_needs=f.needs, code=_code(f.statement, scope, unit))
        for scope, where, limit, used, unit, slots, missing in measured(ctx, f.statement, socket)
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


def measured(ctx: Context, s: Statement, socket: str | None) -> Iterator[_Measure]:
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
    used, missing, most = 0, [], 0
    for slot, m in seated:
        told = ctx.sheet.memory.load_reduced_counts_as
        counts_as = told if m.buffering is Buffering.LOAD_REDUCED else None
        if counts_as is not None:
            used += counts_as
        elif m.buffering is None and told is not None and (m.package_ranks or limit) > told and m.ecc is not False:
            # If it is load-reduced it takes fewer.
            used += min(told, m.package_ranks or told)
            most += most_ranks(None)
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
            most += most_ranks(m.buffering)
            missing.append(f"{slot or 'soldered'}.package_ranks")
    if "sheet.memory.load_reduced_counts_as" in missing:
        return used, tuple(sorted(set(missing)))
    return used + len(missing), tuple(missing) if used + most > limit else ()


def _untold_counting_matters(seated: Iterable[tuple[str | None, Module]], limit: int) -> bool:
    """Whether the modules would take more chip selects than there are, if each rank of a load-reduced one took one."""
    return sum(m.package_ranks or most_ranks(m.buffering) for _, m in seated) > limit


def _code(s: Statement, scope: str, unit: str) -> str:
    """The code that passing a statement gives: one fact, one code."""
    if s.hard:
        return {"ranks": "limit.ranks", "high": "limit.stack", "Gbit": "limit.die"}.get(unit, f"limit.{scope}")
    if unit == "Gbit":
        return "risk.density"
    if s.official:
        return "risk.over-official"
    return "risk.over-processor" if s.source.kind is SourceKind.PROCESSOR_MAKER else "risk.unproved"
