"""`evaluate`: what a layout on a machine comes to, by its sheet and what people state."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace

from umbrak.core.bandwidth import Region, balance, peak_gbs, regions
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Mode, Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.rules import CATALOGUE, RULES
from umbrak.core.rules.context import ByPlace, Context
from umbrak.core.rules.finding import Finding, Severity, Verdict, at_worst_of, verdict_of
from umbrak.core.rules.limit import over_official
from umbrak.core.rules.mode import mode_in_force, spared_gib
from umbrak.core.rules.uses import LimitUse, limits_in_force
from umbrak.core.solve import Bound, RateSolution

_MIB = 1 / 1024


def findings_in(ctx: Context, code: str) -> list[Finding]:
    """What one rule alone finds, worst first: for a question about one code, cheaper than `evaluate_in`."""
    found = list(RULES[code].find(ctx)) if RULES[code].applies(ctx) else []
    return sorted(found, key=lambda f: _worst_first(ctx.sheet, f))


@dataclass(frozen=True, slots=True)
class Rail:
    """What a supply runs at; None when undecided, impossible, or nothing is fitted."""

    domain: str
    volts: float | None
    #: Rails of the board at which every module whose rails are known may run.
    possible: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class SocketResult:
    id: str
    processor: str | None
    gib: float
    #: Channel name within the socket -> GiB.
    channels: dict[str, float]
    data_rate_mts: int | None
    bound_by: tuple[Bound, ...]
    peak_gbs: float | None
    sustained_gbs: float | None
    #: None when empty.
    balance: float | None
    #: True where the sheet lists no interleave ways: the sustained figure is an upper bound.
    at_best: bool
    regions: tuple[Region, ...]


@dataclass(frozen=True, slots=True)
class Evaluation:
    """All that is said of one layout."""

    verdict: Verdict
    #: What the verdict would be if every missing fact turned out as bad as it can.
    at_worst: Verdict
    #: Whether it passes what the maker states for the versions fitted; None where nobody knows.
    over_official: bool | None
    installed_gib: float
    #: Slots, and channels with soldered memory, of whose size nobody knows: totals count nothing of them, and are at least so much.
    not_counted: int
    usable_gib: float
    #: By how much the usable figure may be off; None where the sheet gives no reserve.
    tolerance_gib: float | None
    rails: tuple[Rail, ...]
    #: The lowest over sockets; None when none is told.
    data_rate_mts: int | None
    bound_by: tuple[Bound, ...]
    #: Smallest socket total over the largest; None when empty.
    evenness: float | None
    sockets: tuple[SocketResult, ...]
    limits: tuple[LimitUse, ...]
    #: Worst first, then in the catalogue's order and by slots.
    findings: tuple[Finding, ...]
    #: Codes whose rule had something to look at and found nothing.
    held: tuple[str, ...]

    @property
    def rates_told(self) -> bool:
        """Whether every socket that holds memory tells its bandwidth: of what is not told a sum counts nothing."""
        return all(s.sustained_gbs is not None for s in self.sockets if s.gib)


def evaluate(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    statements: Iterable[Statement] = (),
    before: Layout | None = None,
    without_rules: Collection[str] = (),
    ran: Layout | None = None,
    near: ByPlace | None = None,
) -> Evaluation:
    """What a layout comes to. Pure, total and deterministic; the order of slots or statements does not matter.

    Parameters
        sheet, machine   the model and the unit
        layout           slot -> module or UNKNOWN; slots left out are empty
        statements       limits stated beside the sheet's own
        before           the layout that this one changes, for findings about the change itself
        without_rules    codes to leave out (the tests show that each one matters)
        ran              what is known to have run in this very machine; where it is not given, `before`: what is in a
                         machine that is to be changed runs there
        near             `by_place` of another layout's question, alike but in `layout`: makes it quicker, and no different

    Returns
        Evaluation; every input gives one
    """
    return evaluate_in(question(sheet, machine, layout, statements, before, ran, near), without_rules)


def question(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    statements: Iterable[Statement] = (),
    before: Layout | None = None,
    ran: Layout | None = None,
    near: ByPlace | None = None,
) -> Context:
    """What `evaluate` judges. Parameters as there."""
    return Context(
        sheet=sheet,
        machine=machine,
        layout=layout,
        statements=tuple(sorted(statements, key=lambda s: s.id)),
        before=before,
        ran=before if ran is None else ran,
        near=near or {},
    )


def evaluate_in(ctx: Context, without_rules: Collection[str] = ()) -> Evaluation:
    """`evaluate` of a question that is put together already, for who asks more of it afterwards."""
    sheet = ctx.sheet
    findings: list[Finding] = []
    held: list[str] = []
    for code, rule in RULES.items():
        if code in without_rules or not rule.applies(ctx):
            continue
        found = list(rule.find(ctx))
        findings += found
        if not found:
            held.append(code)
    findings.sort(key=lambda f: _worst_first(sheet, f))

    sockets = tuple(_socket(ctx, s) for s in ctx.live_sockets)
    told = [s.data_rate_mts for s in sockets if s.data_rate_mts is not None]
    lowest = min(told) if told and all(s.data_rate_mts is not None for s in sockets if s.gib) else None
    usable, tolerance = _usable(ctx)
    return Evaluation(
        verdict=verdict_of(findings),
        at_worst=at_worst_of(findings),
        over_official=over_official(ctx),
        installed_gib=ctx.installed_gib,
        not_counted=len(ctx.unknown_slots) + sum(m.is_sizeless for seated in ctx.seated.values() for _, m in seated),
        usable_gib=usable,
        tolerance_gib=tolerance,
        rails=tuple(Rail(r.domain.id, r.volts, r.possible) for r in ctx.rails),
        data_rate_mts=lowest,
        bound_by=_bounds(ctx, sockets, lowest),
        evenness=_evenness([s.gib for s in sockets]),
        sockets=sockets,
        limits=limits_in_force(ctx),
        findings=tuple(findings),
        held=tuple(held),
    )


def _evenness(totals: list[float]) -> float | None:
    fullest = max(totals, default=0.0)
    return round(min(totals) / fullest, 4) if fullest else None


_CATALOGUE_ORDER = {code: i for i, code in enumerate(CATALOGUE)}


def _worst_first(sheet: Sheet, f: Finding) -> tuple[object, ...]:
    """Severity, then what an ask could hide, then the catalogue's order (what goes in before how fast it runs)."""
    could_be = f.could_be.rank if f.could_be else 0
    return (
        f.severity.rank,
        could_be,
        _CATALOGUE_ORDER[f.code],
        [sheet.slot_order.get(s, 1 << 30) for s in f.slots],
        f.message,
    )


def _socket(ctx: Context, socket: str) -> SocketResult:
    rate, mode = ctx.rates[socket], mode_in_force(ctx)
    hangs_on = (ctx.seated_on(socket), rate, mode)
    return ctx.at_place(("socket", socket), hangs_on, lambda: _result(ctx, socket, rate, mode))


def _result(ctx: Context, socket: str, rate: RateSolution, mode: Mode | None) -> SocketResult:
    channels = ctx.channels(socket)
    gib = [ctx.channel_gib[c.id] for c in channels]
    ways = ctx.sheet.interleave_ways.get(socket, ())
    wired = mode.channels_used if mode and mode.channels_used else len(channels)
    # A mode that uses fewer channels leaves the emptiest out.
    told = ctx.sheet.not_told("channels") is None
    even = balance(sorted(gib, reverse=True)[:wired]) if told else None
    factor = mode.bandwidth_factor if mode else 1.0
    peak = peak_gbs(wired, rate.rate_mts, factor) if rate.rate_mts and told else None
    processor = ctx.processors[socket]
    return SocketResult(
        id=socket,
        processor=getattr(processor, "id", None),
        gib=sum(gib),
        channels={c.name: g for c, g in zip(channels, gib, strict=True)},
        data_rate_mts=rate.rate_mts,
        bound_by=rate.bound_by,
        peak_gbs=round(peak, 3) if peak is not None else None,
        sustained_gbs=round(peak * even, 3) if peak is not None and even is not None else None,
        balance=round(even, 4) if even is not None else None,
        at_best=not ways,
        regions=regions(gib, ways) if told else (),
    )


def _bounds(ctx: Context, sockets: Iterable[SocketResult], lowest: int | None) -> tuple[Bound, ...]:
    """Every constraint at the machine's rate, over the sockets that set it."""
    merged: dict[tuple[str, str | None], Bound] = {}
    for socket in sockets:
        for b in socket.bound_by:
            if b.rate_mts != lowest or b.by == "socket":
                continue
            known = merged.get((b.by, b.clause))
            merged[b.by, b.clause] = Bound(
                b.by, b.rate_mts, ctx.ordered((*(known.slots if known else ()), *b.slots)), b.clause
            )
    return tuple(merged.values())


def _usable(ctx: Context) -> tuple[float, float | None]:
    """(what the machine can use, its tolerance): `usable_gib` of what the mode leaves. [GiB]"""
    gib = ctx.installed_gib
    if mode := mode_in_force(ctx):
        gib = gib * mode.usable_share - spared_gib(ctx, mode)
    reserve = ctx.sheet.reserve
    tolerance = round(reserve.tolerance_mib * _MIB, 4) if reserve else None
    return usable_gib(ctx.sheet, ctx.machine, ctx.installed_gib, gib), tolerance


def usable_gib(sheet: Sheet, machine: Machine, installed: float, left: float) -> float:
    """What the machine can use of its memory: what the mode leaves of it, capped by the operating system, less the
    hole below 4 GiB where the board does not remap it, less the reserve. Never falls when `left` rises. [GiB]"""
    gib = left
    if machine.os_bits == 32:
        gib = min(gib, machine.os_cap_gib or 4)
    if machine.device_hole_mib and sheet.memory.remaps_hole is False:
        hole = machine.device_hole_mib * _MIB
        # Devices shadow the top of the first 4 GiB: a machine with less loses only what reaches into the hole.
        gib -= min(hole, max(gib - (4 - hole), 0))
    if sheet.reserve is None:
        return round(gib, 4)
    gib -= sheet.reserve.fixed_mib * _MIB + sheet.reserve.share * installed
    return round(max(gib, 0), 4)


#: What a proof settles: a claim that was at risk or open runs, or it would not have been proved. What stops is never looked over.
_SETTLED = (Severity.ASK, Severity.RISK)


def after_proof(evaluation: Evaluation, known: Collection[str]) -> Evaluation:
    """An evaluation of what was proved: without what was open or at risk when the work began (`known`, codes), which the machine
    itself has answered since. What came up later stands."""
    left = tuple(f for f in evaluation.findings if f.severity not in _SETTLED or f.code not in known)
    return replace(evaluation, findings=left, verdict=verdict_of(left), at_worst=at_worst_of(left))


def worst(evaluation: Evaluation) -> Finding | None:
    """The finding to show first; None when nothing is against the layout."""
    return next((f for f in evaluation.findings if f.severity is not Severity.NOTE), None)
