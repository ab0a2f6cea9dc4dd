"""order: which slots come first, whole sets, even channels and sockets."""

from __future__ import annotations

from collections.abc import Iterator

from umbrak.core.bandwidth import balance
from umbrak.core.memory.module import amount, member_words
from umbrak.core.platform.machine import Unknown
from umbrak.core.platform.sheet import FillOrder
from umbrak.core.rules.catalogue import SHEET_SEVERITY
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.mode import mode_in_force
from umbrak.core.rules.register import rule


def _orders(ctx: Context) -> Iterator[tuple[FillOrder, list[str]]]:
    """Orders whose slots are all known, with the filled ones; a slot not known decides nothing (`fit.unknown`)."""

    def known() -> list[tuple[FillOrder, list[str]]]:
        fills = [f for f in live_orders(ctx) if f.slots and not set(ctx.unknown_slots).intersection(f.slots)]
        return [(f, [s for s in f.slots if s in ctx.modules]) for f in fills]

    yield from ctx.once("orders", known)


def live_orders(ctx: Context) -> tuple[FillOrder, ...]:
    """The orders as they are for the sockets that have, or may have, a processor."""

    if len(ctx.live_sockets) == len(ctx.sheet.sockets):
        return ctx.sheet.fills

    def alive() -> tuple[FillOrder, ...]:
        slots = {s for s, socket in ctx.sheet.socket_of_slot.items() if socket in ctx.live_sockets}
        return tuple(fill.within(slots) for fill in ctx.sheet.fills)

    return ctx.once("live orders", alive)


def expected_sets(fill: FillOrder, count: int) -> tuple[tuple[str, ...], ...]:
    """The sets that hold so many modules. For an unlisted count: those of the next smaller listed one, and as a
    last set the slots that the next larger one adds, of which any may stand empty."""
    if count in fill.layouts:
        return fill.layouts[count]
    smaller = max((c for c in fill.layouts if c < count), default=None)
    larger = min((c for c in fill.layouts if c > count), default=None)
    sets = fill.layouts[smaller] if smaller is not None else ()
    following = [s for each in fill.layouts[larger] for s in each] if larger is not None else fill.slots
    rest = tuple(s for s in following if s not in {s for each in sets for s in each})
    return (*sets, rest) if rest else sets


def _has_order(ctx: Context) -> bool:
    return bool(ctx.modules) and bool(ctx.sheet.fills)


def _misplaced(ctx: Context, fill: FillOrder, filled: list[str]) -> tuple[list[str], list[str], list[str]]:
    """(modules in wrong slots behind a gap, other modules in wrong slots, empty slots that come first)."""
    first = dict.fromkeys(s for each in expected_sets(fill, len(filled)) for s in each)
    if first.keys() == set(filled):
        return [], [], []
    wrong = [s for s in filled if s not in first]
    empty = [s for s in first if s not in filled]
    channel = {s: ctx.sheet.slots[s].channel for s in fill.slots}
    gap = [s for s in wrong if channel[s] in {channel[e] for e in empty}]
    return gap, [s for s in wrong if s not in gap], empty


def _places(ctx: Context) -> list[tuple[FillOrder, list[str], tuple[list[str], list[str], list[str]]]]:
    """(order, its filled slots, what of them is misplaced) for each whose slots are all known."""
    return ctx.once("places", lambda: [(fill, filled, _misplaced(ctx, fill, filled)) for fill, filled in _orders(ctx)])


@rule("order.place", _has_order)
def place(ctx: Context) -> Iterator[Finding]:
    """Wrong slots for this count of modules."""
    for fill, filled, (_, wrong, empty) in _places(ctx):
        if wrong:
            message = f"{ctx.names(wrong)} should be empty with {count_words(len(filled))}; {ctx.names(empty)} {ctx.are(empty, 'comes', 'come')} first"
            yield ctx.as_sheet_says(
                "order.place",
                word=fill.otherwise,
                clause="population.otherwise",
                slots=[*wrong, *empty],
                message=message,
                source=fill.source,
            )


@rule("order.gap", _has_order)
def gap(ctx: Context) -> Iterator[Finding]:
    """A slot is filled while one of its channel that comes first is empty."""
    for fill, _, (behind, _, empty) in _places(ctx):
        if behind:
            first = [e for e in empty if any(ctx.sheet.slots[e].channel == ctx.sheet.slots[s].channel for s in behind)]
            message = f"{ctx.names(behind)} {ctx.are(behind)} filled while {ctx.names(first)}, which {ctx.are(first, 'comes', 'come')} first in the channel, {ctx.are(first)} empty"
            yield ctx.as_sheet_says(
                "order.gap",
                word=fill.otherwise,
                clause="population.otherwise",
                slots=[*behind, *first],
                message=message,
                source=fill.source,
            )


@rule("order.set", _has_order)
def sets(ctx: Context) -> Iterator[Finding]:
    """A count that the order does not list, or unlike modules within a set."""
    for fill, filled in _orders(ctx):
        count = len(filled)
        if count and count not in fill.layouts:
            where = "the machine" if fill.where == "machine" else fill.where
            message = f"{count_words(count)} in {where}: the order knows {_counts(sorted(fill.layouts))}"
            yield ctx.as_sheet_says(
                "order.set",
                word=fill.other_counts,
                clause="population.other_counts",
                slots=filled,
                message=message,
                source=fill.source,
            )
        for each in expected_sets(fill, count):
            here = [s for s in each if s in ctx.modules]
            objects = {id(m): m for s in here if (m := ctx.modules[s])}.values()
            for member in fill.alike_in_set:
                if len(held := {getattr(m, member) for m in objects}) == 1 and None not in held:
                    continue
                values: dict[object, list[str]] = {}
                for s in here:
                    values.setdefault(getattr(ctx.modules[s], member), []).append(s)
                lacking = values.pop(None, [])
                if len(values) > 1:
                    least = min(values.values(), key=lambda slots: (len(slots), ctx.ordered(slots)))
                    words = member_words(member)
                    message = f"{ctx.names(least)} {ctx.are(least, 'differs', 'differ')} in {words} from the rest of its set ({ctx.names(here)})"
                    yield ctx.as_sheet_says(
                        "order.set",
                        word=fill.otherwise,
                        clause="population.otherwise",
                        slots=least,
                        message=message,
                        source=fill.source,
                    )
                    break
                if lacking and len(here) > 1 and member != "capacity_gib" and fill.otherwise != "slower":
                    words = member_words(member)
                    message = f"A set must be alike in {words}; that of {ctx.names(lacking)} is not known"
                    could = Severity.STOP if fill.otherwise != "unsupported" else Severity.RISK
                    yield ctx.ask("order.set", lacking, message, [f"{s}.{member}" for s in lacking], could, fill.source)
                    break


def count_words(count: int) -> str:
    return f"{count} module{'' if count == 1 else 's'}"


def _counts(counts: list[int]) -> str:
    return ", ".join(map(str, counts[:-1])) + f" and {counts[-1]}" if len(counts) > 1 else str(counts[0])


@rule("order.larger-first", applies=lambda ctx: _has_order(ctx) and any(f.larger_first for f in ctx.sheet.fills))
def larger_first(ctx: Context) -> Iterator[Finding]:
    """A later set holds larger modules than an earlier one."""
    for fill, filled in _orders(ctx):
        if not fill.larger_first:
            continue
        smallest: float | None = None
        for each in expected_sets(fill, len(filled)):
            sizes = [c for s in each if s in ctx.modules and (c := ctx.modules[s].capacity_gib) is not None]
            larger = [
                s
                for s in each
                if s in ctx.modules and smallest is not None and (ctx.modules[s].capacity_gib or 0) > smallest
            ]
            if larger and smallest is not None:
                message = f"{ctx.names(larger)} {ctx.are(larger, 'holds', 'hold')} larger modules than an earlier set ({amount(smallest)} GB)"
                yield ctx.finding("order.larger-first", Severity.SLOW, larger, message, fill.source)
            smallest = min([*sizes, *([smallest] if smallest is not None else [])], default=None)


@rule("order.rank-far", applies=lambda ctx: _has_order(ctx) and any(f.higher_ranks_far for f in ctx.sheet.fills))
def rank_far(ctx: Context) -> Iterator[Finding]:
    """A module of more ranks sits nearer to the processor than one of fewer, in a channel of two slots or three."""
    asked = {s for f in ctx.sheet.fills if f.higher_ranks_far for s in f.slots}
    for channel, seated in ctx.seated.items():
        ranks = {ctx.sheet.slots[s].position: (s, m.package_ranks) for s, m in seated if s in asked and m.package_ranks}
        placed = [ranks[p] for p in ("far", "middle", "near") if p in ranks]
        unlike = [(n, f) for i, f in enumerate(placed) for n in placed[i + 1 :] if n[1] > f[1]]
        if unlike:
            # The two that differ most: exchanging these does most.
            (near, more), (far, fewer) = max(unlike, key=lambda pair: pair[0][1] - pair[1][1])
            name = ctx.sheet.channels[channel].name
            message = f"Channel {name}: {ctx.names([near])} ({more} ranks) belongs farther from the processor than {ctx.names([far])} ({fewer})"
            yield ctx.finding("order.rank-far", Severity.SLOW, [near, far], message, ctx.sheet.memory.source)


@rule(
    "order.sockets",
    applies=lambda ctx: bool(ctx.modules) and any(e.even_over_sockets or e.symmetric for e in ctx.sheet.evens),
)
def sockets_even(ctx: Context) -> Iterator[Finding]:
    """Sockets with memory hold unlike totals, or unlike modules in like slots, where the sheet asks for the same."""
    totals = {s: gib for s in ctx.live_sockets if (gib := ctx.socket_gib(s))}
    for even in ctx.sheet.evens:
        if even.even_over_sockets and len(set(totals.values())) > 1:
            poorest = [s for s, gib in totals.items() if gib == min(totals.values())]
            message = "Sockets are uneven: " + ", ".join(f"{s} {amount(gib)} GB" for s, gib in totals.items())
            slots = [slot for s in poorest for c in ctx.channels(s) for slot in c.slots]
            yield ctx.finding("order.sockets", Severity.SLOW, slots, message, even.source)
        elif even.symmetric and (unlike := _unlike_slots(ctx)):
            message = (
                f"{ctx.names(unlike)} {ctx.are(unlike, 'differs', 'differ')} from the like slots of the other sockets"
            )
            yield ctx.finding("order.sockets", Severity.SLOW, unlike, message, even.source)


def _unlike_slots(ctx: Context) -> list[str]:
    """Slots whose module differs in size or ranks from the first socket's slot of the same place, sockets with memory only."""
    filled = [s for s in ctx.live_sockets if ctx.seated_on(s)]
    places = {s: [slot for c in ctx.channels(s) for slot in c.slots] for s in filled}

    def what(slot: str) -> object:
        m = ctx.modules.get(slot)
        return m and (m.capacity_gib, m.package_ranks)

    return [b for s in filled[1:] for a, b in zip(places[filled[0]], places[s], strict=False) if what(a) != what(b)]


@rule("order.socket-bare", applies=lambda ctx: bool(ctx.modules) and len(ctx.live_sockets) > 1)
def socket_bare(ctx: Context) -> Iterator[Finding]:
    """A processor without memory, or with fewer modules than the sheet asks for."""
    for socket in ctx.live_sockets:
        if any(c.id in ctx.unsure_channels for c in ctx.channels(socket)) or not ctx.all_seated:
            continue
        slots = [slot for c in ctx.channels(socket) for slot in c.slots]
        count = sum(1 for _, m in ctx.seated_on(socket) if m.is_memory)
        even = next((e for e in ctx.sheet.evens if count < e.least_per_processor), None)
        if not even and count:
            continue
        if isinstance(ctx.processors[socket], Unknown):
            message = f"{socket} has {count_words(count)}; whether it has a processor that needs more is not known"
            could = SHEET_SEVERITY[even.otherwise or "slower"] if even else Severity.SLOW
            yield ctx.ask("order.socket-bare", slots, message, [f"machine.processors.{socket}"], could)
        elif even:
            message = f"{socket} has {count_words(count)}; each processor needs at least {even.least_per_processor}"
            yield ctx.as_sheet_says(
                "order.socket-bare",
                word=even.otherwise or "slower",
                clause="population.otherwise",
                slots=slots,
                message=message,
                source=even.source,
            )
        else:
            message = f"{socket} has no memory of its own; its threads reach over for all of it"
            yield ctx.finding("order.socket-bare", Severity.SLOW, slots, message)


@rule(
    "order.no-processor",
    applies=lambda ctx: bool(ctx.modules) and any(s.may_be_absent for s in ctx.sheet.sockets.values()),
)
def no_processor(ctx: Context) -> Iterator[Finding]:
    """Modules on a socket without processor: they are not seen; where nobody says whether there is one, asked."""
    for socket, processor in ctx.processors.items():
        slots = [s for s in ctx.modules if ctx.sheet.socket_of_slot[s] == socket]
        if isinstance(processor, Unknown) and ctx.sheet.sockets[socket].may_be_absent and slots:
            message = f"{ctx.names(slots)} {ctx.are(slots, 'hangs', 'hang')} on {socket}; whether it has a processor is not known"
            needs = [f"machine.processors.{socket}"]
            yield ctx.ask("order.no-processor", slots, message, needs, Severity.STOP, ctx.sheet.memory.source)
        elif processor is None and slots:
            message = (
                f"{ctx.names(slots)} {ctx.are(slots, 'hangs', 'hang')} on {socket}, which has no processor: not seen"
            )
            yield ctx.finding("order.no-processor", Severity.STOP, slots, message, ctx.sheet.memory.source)


def _channels(ctx: Context) -> Iterator[tuple[str, list[float]]]:
    """Sockets whose memory is known, with the GiB of the channels that the mode in force uses."""
    mode = mode_in_force(ctx)
    if ctx.sheet.not_told("channels"):
        return  # `sheet.open` asks which slots share one
    for socket in ctx.live_sockets:
        if not any(c.id in ctx.unsure_channels for c in ctx.channels(socket)):
            gib = [ctx.channel_gib[c.id] for c in ctx.channels(socket)]
            yield socket, sorted(gib, reverse=True)[: mode.channels_used] if mode and mode.channels_used else gib


@rule(
    "order.channel-single",
    applies=lambda ctx: any(len(ctx.channels(s)) > 1 and ctx.socket_gib(s) for s in ctx.live_sockets),
)
def channel_single(ctx: Context) -> Iterator[Finding]:
    """Only one of several channels holds memory."""
    for socket, gib in _channels(ctx):
        filled = [c for c in ctx.channels(socket) if any(m.is_memory for _, m in ctx.seated[c.id])]
        if len(gib) > 1 and len(filled) == 1:
            others = [s for c in ctx.channels(socket) if c not in filled for s in c.slots]
            message = f"{socket}: only channel {filled[0].name} of {len(gib)} works; {1 / len(gib):.0%} of the peak"
            yield ctx.finding(
                "order.channel-single", Severity.SLOW, [*(s for s, _ in ctx.seated[filled[0].id]), *others], message
            )


@rule(
    "order.balance", applies=lambda ctx: any(len(ctx.channels(s)) > 1 and ctx.socket_gib(s) for s in ctx.live_sockets)
)
def channels_even(ctx: Context) -> Iterator[Finding]:
    """Channels of a socket hold unlike totals: reading all of it waits for the fullest."""
    for socket, gib in _channels(ctx):
        even = balance(gib)
        sizeless = any(m.is_sizeless for _, m in ctx.seated_on(socket))  # `fit.unknown` asks
        if even is None or even == 1 or sizeless or sum(1 for g in gib if g) == 1:
            continue
        fullest = max(gib)
        short = [c for c in ctx.channels(socket) if ctx.channel_gib[c.id] < fullest]
        names = ", ".join(f"{c.name} {amount(ctx.channel_gib[c.id])}" for c in ctx.channels(socket))
        message = f"{socket}: channels hold {names} GB; reading all of it sustains {even:.0%} of the peak"
        yield ctx.finding("order.balance", Severity.SLOW, [s for c in short for s in c.slots], message)
