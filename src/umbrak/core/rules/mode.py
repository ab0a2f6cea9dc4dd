"""mode: mirroring, sparing and their kin, and whether the layout meets their matching rule."""

from __future__ import annotations

from collections.abc import Iterator

from umbrak.core.rules.catalogue import rule
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity


@rule("mode.unmet", applies=lambda ctx: ctx.machine.mode is not None and bool(ctx.modules))
def unmet(ctx: Context) -> Iterator[Finding]:
    """The mode asked for does not exist here, or count, likeness or ranks do not meet its rule."""
    mode, source = ctx.mode, ctx.sheet.memory.source
    if mode is None:
        yield ctx.finding("mode.unmet", Severity.RISK, (), f"{ctx.sheet.title} has no mode {ctx.machine.mode}", source)
        return
    for socket in ctx.live_sockets:
        seated = ctx.seated_on(socket)
        slots = [s for s, _ in seated]
        if not seated:
            continue
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
                message = f"{mode.id} needs modules alike in {member.replace('_', ' ')} on {socket}"
                yield ctx.finding("mode.unmet", Severity.RISK, slots, message, source)
            elif None in values:
                lacking = [s for s, m in seated if getattr(m, member) is None]
                message = f"{mode.id} needs modules alike in {member.replace('_', ' ')}; that of {ctx.names(lacking)} is not known"
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
                # Sparing needs a rank to spare beside one in use.
                if here and all(m.logical_ranks for _, m in here) and ranks < mode.spare_ranks + 1:
                    message = f"{mode.id} needs at least {mode.spare_ranks + 1} ranks in channel {channel.name}; it has {ranks}"
                    yield ctx.finding("mode.unmet", Severity.RISK, [s for s, _ in here], message, source)
