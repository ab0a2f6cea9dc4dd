"""power: rails, one finding a supply. The supplies are solved in core.solve."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from umbrak.core.memory.module import Module
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.register import rule
from umbrak.core.solve import RailSolution, RateSolution


def volts(rails: Sequence[float]) -> str:
    """Rails as people write them: "1.35 or 1.5 V"."""
    return " or ".join(f"{v:g}" for v in rails) + " V"


def _fed(ctx: Context, rail: RailSolution) -> tuple[tuple[str | None, Module], ...]:
    return ctx.fed_by(rail.domain)


@rule("power.rail")
def rail_common(ctx: Context) -> Iterator[Finding]:
    """No rail of the board at which every module of the domain may run."""
    source, setting = ctx.sheet.memory.source, ctx.machine.rail_setting
    for rail in ctx.rails:
        board = rail.domain.rails_v
        if ctx.sheet.memory.rail_policy == "setting" and setting is not None:
            board = tuple(v for v in board if v == setting)
        # What may run at a rail that serves all is alien to none.
        fed = _fed(ctx, rail) if not set(rail.possible) & set(board) else ()
        alien = [(s, m) for s, m in fed if m.rails_v and not set(m.rails_v) & set(board)]
        if alien:
            theirs = sorted({v for _, m in alien for v in m.rails_v})
            slots = [s for s, _ in alien]
            gives = "the board gives" if rail.domain.seen_v is None else "a board of this generation gives"
            message = f"{ctx.names(slots)} {ctx.are(slots, 'runs', 'run')} at {volts(theirs)}; {gives} {volts(board) if board else 'no such rail'} and no other"
            yield ctx.finding("power.rail", Severity.STOP, slots, message, source)
        elif not rail.possible:
            slots = [s for s, m in _fed(ctx, rail) if m.rails_v]
            yield ctx.finding(
                "power.rail", Severity.STOP, slots, f"No rail of {volts(board)} suits every module at once", source
            )
        elif rail.board_untold:
            theirs = sorted({v for s, m in _fed(ctx, rail) if s in rail.board_untold for v in m.rails_v})
            slots = list(rail.board_untold)
            message = f"{ctx.names(slots)} {ctx.are(slots, 'runs', 'run')} at {volts(theirs)}; which rails the board wires is not told"
            yield ctx.ask("power.rail", slots, message, ["sheet.memory.rails_v"], Severity.STOP, source)
        elif rail.setting_untold:
            slots = [s for s, m in _fed(ctx, rail) if m.rails_v and not set(rail.domain.rails_v) <= set(m.rails_v)]
            runs = f"{ctx.names(slots)} {ctx.are(slots, 'runs', 'run')} at {volts(rail.possible)} alone"
            policy = ctx.sheet.memory.rail_policy is None
            message = (
                f"{runs}; which of {volts(rail.domain.rails_v)} the board uses is not said by the sheet"
                if policy
                else f"{runs}; the firmware's setting may be {volts(rail.domain.rails_v)} and is not known"
            )
            needs = ["sheet.memory.rail_policy" if policy else "machine.rail_setting"]
            yield ctx.ask("power.rail", slots, message, needs, Severity.STOP, source)
        if rail.untold and not alien:
            yield ctx.ask(
                "power.rail",
                rail.untold,
                f"The volts of {ctx.names(rail.untold)} are not known; "
                + (
                    f"the board gives {volts(board)}"
                    if rail.domain.seen_v is None
                    else "nor which rails the board wires"
                ),
                [f"{s or 'soldered'}.rails_v" for s in rail.untold],
                Severity.STOP,
                source,
            )


@rule("power.mixed", applies=lambda ctx: bool(ctx.modules) and any(len(r.domain.rails_v) > 1 for r in ctx.rails))
def rail_mixed(ctx: Context) -> Iterator[Finding]:
    """Low-voltage modules held at a higher rail by others."""
    for rail in ctx.rails:
        lower = [v for v in rail.domain.rails_v if rail.volts is not None and v < rail.volts]
        fed = _fed(ctx, rail)
        held = [s for s, m in fed if any(v in m.rails_v for v in lower)]
        holding = [s for s, m in fed if not any(v in m.rails_v for v in lower)]
        if held and holding and rail.volts is not None:
            message = f"All run at {volts([rail.volts])} because {ctx.names(holding)} cannot run at {volts(lower)}"
            yield ctx.finding("power.mixed", Severity.NOTE, holding, message, ctx.sheet.memory.source)


@rule("power.policy", applies=lambda ctx: bool(ctx.modules) and any(len(r.possible) > 1 for r in ctx.rails))
def rail_policy(ctx: Context) -> Iterator[Finding]:
    """Several rails are possible: nobody says which is used, or the one used costs rate."""
    source = ctx.sheet.memory.source
    for rail in ctx.rails:
        sockets = dict.fromkeys(ctx.sheet.channels[c].socket for c in rail.domain.channels)
        rates = [ctx.rates[s] for s in sockets if s in ctx.rates]
        slots = [s for s, _ in _fed(ctx, rail)]
        if rail.unchosen and rail.domain.seen_v is not None and not _rail_matters(rates):
            continue  # which rails the board wires makes no difference to these modules
        if rail.unchosen:
            setting = ctx.sheet.memory.rail_policy == "setting"
            yield ctx.ask(
                "power.policy",
                slots,
                f"{volts(rail.possible)} are both possible; which one the board uses is "
                + ("a firmware setting that is not known" if setting else "not said by the sheet"),
                ["machine.rail_setting" if setting else "sheet.memory.rail_policy"]
                if rail.domain.seen_v is None
                else ["sheet.memory.rails_v"],
                Severity.SLOW,
                source,
            )
            continue
        for solved in rates:
            if rail.volts is None or not solved.by_rail or solved.rate_mts is None:
                continue
            faster = {v: r for v, r in solved.by_rail.items() if r > solved.rate_mts}
            if faster:
                best = max(faster, key=lambda v: faster[v])
                message = f"At {volts([rail.volts])} the memory runs at {solved.rate_mts} MT/s; at {volts([best])} it would run at {faster[best]}"
                yield ctx.finding(
                    "power.policy", Severity.SLOW, [s for s, _ in ctx.seated_on(solved.socket)], message, source
                )


def _rail_matters(rates: Iterable[RateSolution]) -> bool:
    """Whether a socket runs faster at one of its possible rails, or cannot be solved without knowing which."""
    return any("machine.rail_setting" in r.needs or len(set((r.by_rail or {}).values())) > 1 for r in rates)
