"""speed: what the memory runs at, and what holds it there. The rates are solved in core.solve."""

from __future__ import annotations

from collections.abc import Iterator

from umbrak.core.memory.rates import STANDARD_RATES_MTS
from umbrak.core.platform.fact import State
from umbrak.core.platform.sheet import Processor
from umbrak.core.rules.context import Context
from umbrak.core.rules.facts import hides_refusal
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.register import rule
from umbrak.core.solve import RateSolution, floor_rate


def _sockets(ctx: Context, by: str) -> Iterator[tuple[RateSolution, Processor, list[tuple[str | None, int]]]]:
    """Sockets whose rate is told and bound by this, with processor and every module's rating."""
    for socket, solved in ctx.rates.items():
        processor = ctx.processors[socket]
        if (
            solved.rate_mts is not None
            and isinstance(processor, Processor)
            and any(b.by == by for b in solved.bound_by)
        ):
            yield solved, processor, [(s, m.rate_mts) for s, m in ctx.seated_on(socket) if m.rate_mts is not None]


def _slots(solved: RateSolution, by: str) -> tuple[str, ...]:
    return tuple(s for b in solved.bound_by if b.by == by for s in b.slots)


@rule("speed.refused")
def refused(ctx: Context) -> Iterator[Finding]:
    """A grade that the processor does not slow down but refuses."""
    for socket, fitted in ctx.processors.items():
        rated = [(s, m.rate_mts) for s, m in ctx.seated_on(socket)]
        if isinstance(fitted, Processor):
            limit, lowest = refused_above(fitted), min(fitted.rates_mts, default=0)
            slow = [s for s, rate in rated if rate and rate < lowest]
            if slow:
                message = (
                    f"{ctx.names(slow)} {ctx.are(slow)} rated below {lowest} MT/s, the lowest that {fitted.title} runs"
                )
                yield ctx.finding("speed.refused", Severity.STOP, slow, message, fitted.source)
            slots = [s for s, rate in rated if limit and rate and rate > limit]
            if slots:
                message = f"{ctx.names(slots)}: {fitted.title} refuses modules rated above {limit} MT/s"
                yield ctx.finding("speed.refused", Severity.STOP, slots, message, fitted.source)
            unrated = [s for s, rate in rated if limit and rate is None]
            if unrated:
                message = f"{fitted.title} refuses modules rated above {limit} MT/s; the rating of {ctx.names(unrated)} is not known"
                needs = [f"{s or 'soldered'}.rate_mts" for s in unrated]
                yield ctx.ask("speed.refused", unrated, message, needs, Severity.STOP, fitted.source)
        elif fitted is not None:
            for choice in (ctx.sheet.processors[name] for name in ctx.sheet.sockets[socket].processors):
                limit = refused_above(choice)
                slots = [s for s, rate in rated if limit and (rate is None or rate > limit)]
                if slots:
                    message = (
                        f"If {socket} holds {choice.title}, it refuses {ctx.names(slots)}: rated above {limit} MT/s"
                    )
                    needs = [f"machine.processors.{socket}"]
                    yield ctx.ask("speed.refused", slots, message, needs, Severity.STOP, choice.source)


def refused_above(processor: Processor) -> int | None:
    """What a processor may refuse modules that are rated higher than; None where it is known to refuse none. [MT/s]"""
    if processor.refuses_above_mts is None and processor.faster_modules == "refused":
        return max(processor.rates_mts, default=None)
    return processor.refuses_above_mts


@rule("speed.mixed", applies=lambda ctx: len(ctx.all_seated) > 1)
def mixed(ctx: Context) -> Iterator[Finding]:
    """The slowest module holds faster ones back that the machine would run faster."""
    groups: dict[tuple[int, int], list[str]] = {}
    for solved, processor, rated in _sockets(ctx, "module"):
        fastest = max(rate for _, rate in rated)
        reach = floor_rate(processor, min(fastest, solved.machine_mts or fastest))
        if solved.rate_mts is not None and reach > solved.rate_mts:
            groups.setdefault((solved.rate_mts, reach), []).extend(_slots(solved, "module"))
    for (rate, reach), slots in groups.items():
        message = f"{ctx.names(slots)} {ctx.are(slots, 'holds', 'hold')} all back: rated {rate} among modules that would run at {reach} MT/s"
        yield ctx.finding("speed.mixed", Severity.SLOW, slots, message, ctx.sheet.memory.source)


@rule("speed.module")
def module(ctx: Context) -> Iterator[Finding]:
    """All modules are rated alike, below what the machine would run."""
    groups: dict[tuple[int, int], list[str]] = {}
    for solved, processor, rated in _sockets(ctx, "module"):
        alike = len({floor_rate(processor, rate) for _, rate in rated}) == 1
        if alike and solved.rate_mts is not None and (solved.machine_mts or 0) > solved.rate_mts:
            groups.setdefault((solved.rate_mts, solved.machine_mts or 0), []).extend(_slots(solved, "module"))
    for (rate, reach), slots in groups.items():
        message = f"The modules are rated {rate} MT/s; filled like this, the machine would run {reach}"
        yield ctx.finding("speed.module", Severity.SLOW, slots, message, ctx.sheet.memory.source)


def _held_below_rating(ctx: Context, by: str) -> Iterator[tuple[int, int, list[str], str, Processor]]:
    """(rate, lowest rating, slots, clause, processor) where a constraint holds every module below its rating."""
    groups: dict[tuple[int, int, str, str], list[str]] = {}
    for solved, processor, rated in _sockets(ctx, by):
        lowest = min(rate for _, rate in rated)
        if solved.rate_mts is not None and lowest > solved.rate_mts:
            clause = next(b.clause or "" for b in solved.bound_by if b.by == by)
            slots = _slots(solved, by) or tuple(s for s, _ in rated if s)
            groups.setdefault((solved.rate_mts, lowest, clause, processor.id), []).extend(slots)
    for (rate, lowest, clause, name), held in groups.items():
        yield rate, lowest, held, clause, ctx.sheet.processors[name]


@rule("speed.population")
def population(ctx: Context) -> Iterator[Finding]:
    """More modules or ranks in a channel than it drives at full rate."""
    for rate, lowest, slots, clause, processor in _held_below_rating(ctx, "population"):
        message = f"With {clause} the memory runs at {rate} MT/s; the modules are rated {lowest}"
        yield ctx.finding("speed.population", Severity.SLOW, slots, message, processor.source)


@rule("speed.processor")
def processor_slower(ctx: Context) -> Iterator[Finding]:
    """Processor or board runs less than any module is rated for."""
    for rate, lowest, slots, _, processor in _held_below_rating(ctx, "processor"):
        message = f"{processor.title} runs {rate} MT/s here; the modules are rated {lowest}"
        yield ctx.finding("speed.processor", Severity.SLOW, slots, message, processor.source)
    for rate, lowest, slots, _, _ in _held_below_rating(ctx, "board"):
        message = f"The board runs no more than {rate} MT/s; the modules are rated {lowest}"
        yield ctx.finding("speed.processor", Severity.SLOW, slots, message, ctx.sheet.memory.source)


_FACT_WORDS = {
    "rate_mts": "rated data rate",
    "package_ranks": "ranks",
    "rate_table": "rate table",
    "rail_setting": "rail",
}


@rule("speed.untold")
def untold(ctx: Context) -> Iterator[Finding]:
    """A fact that decides the rate is missing: a module's rating or ranks, the processor, a row of the table."""
    groups: dict[tuple[str, ...], tuple[list[str], list[str | None]]] = {}
    for socket, solved in ctx.rates.items():
        # An undecided rail is asked for by the power rules; one fact gives one code.
        needs = [n for n in solved.needs if n != "machine.rail_setting" and not _told_nowhere(ctx, n)]
        if not needs:
            continue
        kinds = tuple(
            sorted(
                {
                    f"processor of {socket}" if n.startswith("machine.processors") else n.rsplit(".", 1)[-1]
                    for n in needs
                }
            )
        )
        into = groups.setdefault(kinds, ([], []))
        into[0].extend(needs)
        into[1].extend(solved.untold)
    for kinds, (needs, slots) in groups.items():
        words = " and ".join(_FACT_WORDS.get(k, k.replace("_", " ")) for k in kinds)
        what = f" of {ctx.names(slots)}" if ctx.ordered(slots) and not kinds[0].startswith("processor of") else ""
        message = f"The data rate cannot be told: {words}{what} {'is' if len(kinds) == 1 else 'are'} not known"
        if any(k == "rate_table" for k in kinds):
            bare = [
                p
                for p in ctx.sheet.processors.values()
                if not p.rate_table and f"sheet.processors.{p.id}.rate_table" in needs
            ]
            message = (
                f"The data rate cannot be told: nobody tells what rates {' and '.join(p.title for p in bare)} runs"
                if bare
                else f"The data rate cannot be told: no row of the rate table covers {ctx.names(slots)} as filled"
            )
        could = (
            Severity.STOP if any(n.endswith(".rate_mts") for n in needs) and _may_be_too_slow(ctx) else Severity.SLOW
        )
        for p in ctx.sheet.processors.values():
            if f"sheet.processors.{p.id}.rate_table" in needs and hides_refusal(ctx, p, slots):
                message += f"; {p.title} might refuse modules rated above its list"
                could = Severity.STOP
        yield ctx.ask("speed.untold", slots, message, needs, could)


def _may_be_too_slow(ctx: Context) -> bool:
    """Whether a module whose rating is not known may be rated below all that a processor that may be fitted runs."""
    names = {n for s in ctx.live_sockets for n in ctx.sheet.sockets[s].processors}
    slowest = min(STANDARD_RATES_MTS[ctx.sheet.memory.generation])
    return any(slowest < min(ctx.sheet.processors[n].rates_mts, default=0) for n in names)


def _told_nowhere(ctx: Context, need: str) -> bool:
    """Whether somebody looked for this fact in vain: then `risk.untold` says so."""
    missing = ctx.sheet.not_told(need.removeprefix("sheet."))
    return missing is not None and missing.state is State.UNTOLD
