"""mode: mirroring, sparing and their kin, and whether the layout meets their matching rule."""

from __future__ import annotations

from collections.abc import Iterator

from umbrak.core.memory.module import Module, member_words
from umbrak.core.platform.sheet import Mode
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.register import rule


@rule("mode.unmet", applies=lambda ctx: ctx.machine.mode is not None and bool(ctx.modules))
def unmet(ctx: Context) -> Iterator[Finding]:
    """The mode asked for does not exist here, or count, likeness or ranks do not meet its rule."""
    mode, source = ctx.mode, ctx.sheet.memory.source
    if mode is None:
        yield ctx.finding("mode.unmet", Severity.RISK, (), f"{ctx.sheet.title} has no mode {ctx.machine.mode}", source)
        return
    if mode.slots and (outside := [s for s in ctx.modules if s not in mode.slots]):
        message = f"{mode.id} works with other slots; {ctx.names(outside)} {ctx.are(outside)} not of them"
        yield ctx.finding("mode.unmet", Severity.RISK, outside, message, source)
    for socket in ctx.live_sockets:
        seated = ctx.seated_on(socket)
        slots = [s for s, _ in seated]
        if not seated:
            continue
        filled = [c for c in ctx.channels(socket) if ctx.seated[c.id]]
        if mode.channels_used and not mode.slots and len(filled) > mode.channels_used:
            message = f"{mode.id} uses {mode.channels_used} channels of {socket}; {len(filled)} are filled"
            yield ctx.finding("mode.unmet", Severity.RISK, slots, message, source)
        if mode.counts and len(seated) not in mode.counts:
            wanted = " or ".join(map(str, mode.counts))
            yield ctx.finding(
                "mode.unmet",
                Severity.RISK,
                slots,
                f"{mode.id} needs {wanted} modules on {socket}; it has {len(seated)}",
                source,
            )
        for member in mode.alike:
            values = {getattr(m, member) for _, m in seated}
            if len(values - {None}) > 1:
                message = f"{mode.id} needs modules of one {member_words(member)} on {socket}: theirs differ"
                yield ctx.finding("mode.unmet", Severity.RISK, slots, message, source)
            elif None in values:
                lacking = [s for s, m in seated if getattr(m, member) is None]
                message = (
                    f"{mode.id} needs modules of one {member_words(member)}; that of {ctx.names(lacking)} is not known"
                )
                yield ctx.ask(
                    "mode.unmet",
                    lacking,
                    message,
                    [f"{s or 'soldered'}.{member}" for s in lacking],
                    Severity.RISK,
                    source,
                )
        if mode.spare_ranks:
            for channel in ctx.channels(socket):
                here = ctx.seated[channel.id]
                ranks = sum(m.logical_ranks or 0 for _, m in here)
                if lacking := [s for s, m in here if not m.logical_ranks]:
                    message = f"{mode.id} keeps {mode.spare_ranks} of the ranks in channel {channel.name}; those of {ctx.names(lacking) or 'the soldered memory'} are not known"
                    needs = [f"{s or 'soldered'}.package_ranks" for s in lacking]
                    yield ctx.ask("mode.unmet", lacking, message, needs, Severity.RISK, source)
                # Sparing needs a rank to spare beside one in use.
                if here and all(m.logical_ranks for _, m in here) and ranks < mode.spare_ranks + 1:
                    message = f"{mode.id} needs at least {mode.spare_ranks + 1} ranks in channel {channel.name}; it has {ranks}"
                    yield ctx.finding("mode.unmet", Severity.RISK, [s for s, _ in here], message, source)


def mode_in_force(ctx: Context) -> Mode | None:
    """The mode that the machine runs in: the one asked for, unless its rule is broken (it falls back to independent
    channels). Where only a fact is missing it is taken to hold: its figures are the lower ones."""

    def solve() -> Mode | None:
        broken = ctx.mode is not None and any(f.severity is not Severity.ASK for f in unmet(ctx))
        return None if broken else ctx.mode

    return ctx.once("mode in force", solve)


def spared_gib(ctx: Context, mode: Mode) -> float:
    """What sparing keeps back: in every filled channel the spare ranks, each as large as its largest rank. [GiB]

    A sheet that gives the usable share has said it already.
    """
    if not mode.spare_ranks or mode.usable_share < 1:
        return 0
    channels = (ctx.seated[c.id] for s in ctx.live_sockets for c in ctx.channels(s))
    return sum(mode.spare_ranks * max((_rank_gib(m) for _, m in here), default=0) for here in channels)


def _rank_gib(module: Module) -> float:
    """How large a rank is; of unknown ranks as large as it can be with one to spare: half the module."""
    return (module.capacity_gib or 0) / (module.logical_ranks or 2)
