"""sheet.open and risk.untold: what a layout hangs on that its sheet does not tell.

Asked only where the layout makes a fact matter, not where trade habit is sure (the *usual* value), and not of what ran
in this very machine or, as the sheet's `seen` has it, in another of its model. Facts that a specific rule asks for
(rails, rate rows, what a wrong slot does, room above a slot, the warranty of a way) are left to it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from umbrak.core.memory.module import Buffering, Module, amount, densest, most_ranks
from umbrak.core.platform.fact import FACT_OF_AMOUNT, State, Unsaid, asked_of
from umbrak.core.platform.sheet import ModuleTest, Processor
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.kind import is_taken, kind_words
from umbrak.core.rules.limit import over_open_limits
from umbrak.core.rules.register import rule
from umbrak.core.rules.uses import in_force


@dataclass(frozen=True, slots=True)
class Question:
    """A fact that matters to the layout and is not told."""

    #: Its place in the sheet's text, as in core.platform.fact.FACTS.
    fact: str
    unsaid: Unsaid
    slots: tuple[str | None, ...]
    #: Why it matters to this layout.
    why: str
    #: The worst that it could hide.
    could_be: Severity = Severity.STOP


def questions(ctx: Context) -> tuple[Question, ...]:
    """What the layout hangs on that the sheet does not tell. Worked out once a context."""
    return ctx.once("questions of facts", lambda: _merged(_all(ctx)))


def _merged(found: Iterable[Question]) -> tuple[Question, ...]:
    """One question for each fact, however many places it matters at; the worst that it could hide there."""
    by_fact: dict[str, list[Question]] = {}
    for q in found:
        by_fact.setdefault(q.fact, []).append(q)
    return tuple(
        replace(
            same[0],
            slots=tuple(dict.fromkeys(s for q in same for s in q.slots)),
            why=", ".join(dict.fromkeys(q.why for q in same if q.why)),
            could_be=min((q.could_be for q in same), key=lambda s: s.rank),
        )
        for same in by_fact.values()
    )


def _all(ctx: Context) -> Iterator[Question]:
    if not ctx.modules or ctx.as_it_ran:
        return
    total = list(_total(ctx))
    for found in (_kinds(ctx), _channels(ctx), total, _open_limits(ctx), _order(ctx), _faster(ctx), _together(ctx)):
        yield from found
    if not total:  # an answer to the total tells what dies it needs
        yield from _dies(ctx)
    yield from _ranks(ctx)
    yield from _stacks(ctx)
    yield from _load_reduced(ctx)
    yield from _rates(ctx)
    yield from _mode(ctx)


def live_slots(ctx: Context) -> Sequence[str]:
    """Slots of the sockets that hold, or may hold, a processor."""
    return [s for s in ctx.sheet.slots if ctx.is_live(s)]


# -- kinds ------------------------------------------------------------------------------------------------


def _kinds(ctx: Context) -> Iterator[Question]:
    """Kinds that are not known to run there, where nobody tells which are taken."""
    if missing := ctx.sheet.not_told("memory.accepts"):
        ran = {(m.buffering, m.ecc) for m in ctx.ran_modules.values() if m.buffering is not None and m.ecc is not None}
        seen = [t for t in missing.seen if isinstance(t, ModuleTest)]
        odd = [
            s for s, m in ctx.modules.items() if (m.buffering, m.ecc) not in ran and not any(t.matches(m) for t in seen)
        ]
        if odd:
            kinds = sorted({kind_words(ctx.modules[s]) for s in odd})
            why = f"{' and '.join(kinds)} in {ctx.names(odd)} {ctx.are(odd, 'is', 'are')} not known to run there"
            yield Question("memory.accepts", missing, tuple(odd), why)


def _together(ctx: Context) -> Iterator[Question]:
    """Kinds that trade habit does not mix blindly: x4 beside x8, stacked beside plain, 24 or 48 GB beside binary sizes.

    What a label leaves out may be either, but among modules of one part number, which are alike.
    """
    missing = ctx.sheet.not_told("memory.never_together")
    modules = list(ctx.modules.values())  # what is soldered was made for its board
    one_part = len({m.part for m in modules}) == 1 and modules[0].part is not None
    if missing is None or len(modules) < 2 or one_part or all(ctx.known_here(m) for m in ctx.modules.values()):
        return
    if any(isinstance(g, tuple) and all(any(t.matches(m) for t in g) for m in modules) for g in missing.seen):
        return
    for what, member in MIXTURES:
        values = {member(m) for m in modules}
        if len(values) > 1 or values == {None}:
            slots = tuple(ctx.modules)
            yield Question(
                "memory.never_together", missing, slots, f"{what} {'may ' if None in values else ''}stand together"
            )
            return


def _is_x4(m: Module) -> bool | None:
    # No raw card of an unbuffered module has devices of 4 bits; the buffer of a fully buffered one hides them.
    if m.buffering is Buffering.FULLY_BUFFERED:
        return False
    return m.device_width == 4 if m.device_width else False if m.buffering is Buffering.UNBUFFERED else None


def _is_stacked(m: Module) -> bool | None:
    # Stacked dies are of DDR4 and later, and need a register.
    if m.stack_height:
        return m.stack_height > 1
    return None if m.generation in (None, "DDR4", "DDR5") and m.buffering is not Buffering.UNBUFFERED else False


def _is_odd_size(m: Module) -> bool | None:
    """Whether its size is no power of two: 24, 48, 96 GB. Only DDR5 has such."""
    if m.capacity_gib is None:
        return None if m.generation in (None, "DDR5") else False
    mib = round(m.capacity_gib * 1024)
    return mib & (mib - 1) != 0


MIXTURES = (
    ("modules of x4 and x8", _is_x4),
    ("modules stacked and plain", _is_stacked),
    ("sizes of 24 or 48 GB and others", _is_odd_size),
)


# -- places -----------------------------------------------------------------------------------------------


def _channels(ctx: Context) -> Iterator[Question]:
    """Which slots share a channel, where more than one is filled."""
    missing = ctx.sheet.not_told("channels")
    filled = ctx.live_modules
    if missing and len(filled) > 1 and not ctx.places_ran:
        could = [hidden for socket in ctx.live_sockets for hidden in _may_crowd(ctx, socket)]
        worst = next((s for s in (Severity.STOP, Severity.RISK) if s in could), Severity.SLOW)
        yield Question("channels", missing, tuple(filled), f"{len(filled)} slots are filled", worst)


#: The most slots that a channel has, by generation: what registered modules of it may load (fully buffered ones pass the bus on).
_SLOTS_OF_CHANNEL = {"DDR2": 8, "DDR3": 3, "DDR4": 3, "DDR5": 2}


def _may_crowd(ctx: Context, socket: str) -> Iterator[Severity]:
    """What it could hide that modules of a socket share a channel: one that takes fewer than the heaviest of them together, or more
    than every channel drives where nobody states how many ranks this one does. As many may share one as the guess has in one at
    most; where it has each by itself, as many as a channel has slots."""
    seated = [m for _, m in ctx.seated_on(socket)]
    share = max((len(c.slots) for c in ctx.channels(socket)), default=0)
    if share <= 1:
        share = _SLOTS_OF_CHANNEL[ctx.sheet.memory.generation]
    share += any(c.soldered is not None for c in ctx.channels(socket))
    selects = sorted((_selects(ctx, m) for m in seated), reverse=True)
    sizes = sorted((m.capacity_gib or math.inf for m in seated), reverse=True)
    channels = {c.id for c in ctx.channels(socket)}
    for s in (f.statement for f in in_force(ctx) if f.holds is not False and f.socket in (None, socket)):
        if s.scope not in ("channel", "controller"):
            continue
        at_most = share if s.scope == "channel" else len(seated)
        # What is denser or higher than one channel takes may be on that one.
        of_one = s.where in channels and s.capacity_gib is None and s.package_ranks is None
        if (
            of_one
            or (s.capacity_gib is not None and sum(sizes[:at_most]) > s.capacity_gib)
            or (s.package_ranks is not None and sum(selects[:at_most]) > s.package_ranks)
        ):
            yield Severity.STOP if s.hard else Severity.RISK
    if ctx.sheet.not_told("memory.package_ranks_per_channel"):
        covered = _stated(ctx, "package_ranks", with_open=True, of=[s for s, _ in ctx.seated_on(socket) if s])
        if not all(covered.values()) and not _usual(selects[:share]):
            yield Severity.STOP


def _usual(selects: Sequence[int]) -> bool:
    """Whether every channel drives so much, as trade habit has it: two modules of two ranks."""
    return len(selects) <= 2 and all(n <= 2 for n in selects)


def _order(ctx: Context) -> Iterator[Question]:
    """Which slots come first, where there is more than one choice for this count."""
    missing = ctx.sheet.not_told("population")
    if missing is None:
        return
    filled = ctx.live_modules
    live = live_slots(ctx)
    if len(filled) < len(live) and not ctx.places_ran and frozenset(filled) not in missing.seen:
        why = f"{len(filled)} of {len(live)} slots filled"
        yield Question("population", missing, tuple(filled), why)


# -- limits -----------------------------------------------------------------------------------------------


def _ran_gib(ctx: Context) -> float:
    """The most that is known to run there."""
    missing = ctx.sheet.not_told("limits")
    return max([ctx.ran_gib, *(n for n in (missing.seen if missing else ()) if isinstance(n, int | float))])


def asks_total(ctx: Context, gib: float) -> bool:
    """Whether so much hangs on a limit that nobody tells, whatever it is made of."""
    if ctx.sheet.not_told("limits") is None or any(s.official and s.capacity_gib for s in ctx.statements):
        return False
    return gib > _ran_gib(ctx)


def _total(ctx: Context) -> Iterator[Question]:
    """More than ran there, where the machine's maker states no total. Where nobody at all does it may not be seen; where
    somebody else does it is the maker's word that may be missing."""
    missing, ran = ctx.sheet.not_told("limits"), _ran_gib(ctx)
    if missing is not None and asks_total(ctx, ctx.installed_gib):
        bare = tuple(s for s, told in _stated(ctx, "capacity_gib", with_open=True).items() if not told)
        why = f"{amount(ctx.installed_gib)} GB" + (
            f" is more than the {amount(ran)} that ran there" if ran else " is fitted"
        )
        yield Question(
            "limits", missing, bare or tuple(ctx.live_modules), why, Severity.STOP if bare else Severity.RISK
        )


def _stated(ctx: Context, member: str, with_open: bool = False, of: Iterable[str] | None = None) -> Mapping[str, bool]:
    """Slot -> whether anybody states a limit of this amount that is about it: a number, or that there is none; of some slots,
    or of all on live sockets."""
    stated = [
        (f.statement, f.socket)
        for f in in_force(ctx)
        if f.why_not not in ("version", "processor") and (with_open or f.statement.unsaid is None)
    ]
    stated = [(s, at) for s, at in stated if getattr(s, member) is not None]
    found: dict[str, bool] = {}
    by_channel: dict[str, bool] = {}
    of_slots = {s.where for s, _ in stated} & ctx.sheet.slots.keys()
    for slot in of if of is not None else ctx.live_modules:
        name = ctx.sheet.slots[slot].channel
        if name in by_channel and slot not in of_slots:
            found[slot] = by_channel[name]
            continue
        channel = ctx.sheet.channels[name]
        places = (None, slot, channel.id, channel.controller, channel.socket)
        found[slot] = any(at in (None, channel.socket) and s.where in places for s, at in stated)
        if slot not in of_slots:
            by_channel[name] = found[slot]
    return found


_UNITS = {"capacity_gib": "GB", "die_gbit": "Gbit dies", "package_ranks": "ranks", "stack_height": "dies high"}


def _open_limits(ctx: Context) -> Iterator[Question]:
    """Limits that the sheet names without their number, where more is used than ran."""
    for limit, slots, used, place in over_open_limits(ctx):
        member = next(n for n in _UNITS if getattr(limit, n) is not None)
        why = f"{place} has {amount(used)} {_UNITS[member]}"
        if member == "package_ranks" and any(ctx.modules[s].buffering is Buffering.LOAD_REDUCED for s in slots if s):
            why = f"{place} holds load-reduced modules"
        if limit.unsaid:
            could = Severity.STOP if limit.hard else Severity.RISK
            yield Question(FACT_OF_AMOUNT[member], limit.unsaid, slots, why, could)


def _dies(ctx: Context) -> Iterator[Question]:
    """Dies denser than any that ran, is listed, or that the stated total needs, where nobody states a density."""
    ran = max((m.die_gbit or densest(m) or 0 for m in ctx.ran_modules.values()), default=0)
    live = ctx.live_modules
    denser: list[str] = []
    for m, slots in ctx.groups:
        density = m.die_gbit or densest(m)
        if density is not None and density <= ran:
            continue
        if not (density is not None and density <= _needed(ctx, m)) and not ctx.sheet.lists(m.part):
            denser += [s for s in slots if s in live]
    covered = _stated(ctx, "die_gbit", with_open=True, of=denser)
    odd = [s for s in denser if not covered[s]]
    if odd:
        known = [d for s in odd if (d := ctx.modules[s].die_gbit)]
        has = f"{ctx.names(odd)} {ctx.are(odd, 'has', 'have')}"
        why = (
            f"{has} {amount(max(known))} Gbit dies"
            if known
            else f"the dies of {ctx.names(odd)} may be denser than any that ran"
        )
        yield Question("limits.die_gbit", Unsaid(State.OPEN, named=False), tuple(odd), why)


def _needed(ctx: Context, module: Module) -> float:
    """The density that the stated total cannot be reached without: as many ranks of the narrowest devices as the kind has. [Gbit]"""
    stated = [
        f.statement.capacity_gib
        for f in in_force(ctx)
        if f.holds and f.statement.scope == "machine" and f.statement.capacity_gib
    ]
    stated = stated or [f.statement.capacity_gib * max(1, len(ctx.live_sockets)) for f in in_force(ctx) if f.holds and f.statement.scope == "socket" and f.statement.capacity_gib]  # fmt: skip
    slots = len(live_slots(ctx))
    if not stated or not slots:
        return 0
    # Unbuffered modules have two ranks of x8 devices at most, others four of x4 (JEDEC raw cards).
    devices = 16 if module.buffering is Buffering.UNBUFFERED else 64
    return max(stated) / slots * 8 / devices


def _ranks(ctx: Context) -> Iterator[Question]:
    """More than two modules of one or two ranks in a channel, or any of more, where nobody states how many it drives. Where the
    channels are a guess too, as it has them: to know less of the board asks no less."""
    fact = "memory.package_ranks_per_channel"
    missing = ctx.sheet.not_told(fact)
    if missing is None:
        return
    guess = ctx.sheet.not_told("channels")
    covered = _stated(ctx, "package_ranks", with_open=True)
    for channel, seated in ctx.seated.items():
        slots = [s for s, _ in seated if s in covered]
        if not slots or all(covered[s] for s in slots if s):
            continue
        ran = [m for s, m in ctx.ran_modules.items() if s in ctx.sheet.slots and ctx.sheet.slots[s].channel == channel]
        if not _usual([_selects(ctx, m) for _, m in seated]) and not _load(ctx, seated) <= max(
            _load(ctx, ((None, m) for m in ran)), _seen_number(missing)
        ):
            name = ctx.sheet.channels[channel].name
            count, load = len(seated), amount(_load(ctx, seated))
            holds = f"{count} modules of {load} ranks in all" if count > 1 else f"a module of {load} ranks"
            where = f"what may be channel {name}" if guess else f"channel {name}"
            yield Question(fact, missing, tuple(slots), f"{where} holds {holds}")
            return


def _selects(ctx: Context, m: Module) -> int:
    """Chip selects that a module takes; of unknown ranks as many as its kind may have."""
    told = ctx.sheet.memory.load_reduced_counts_as
    if m.buffering is Buffering.LOAD_REDUCED and told is not None:
        return told
    return m.package_ranks or most_ranks(m.buffering)


def _load(ctx: Context, seated: Iterable[tuple[str | None, Module]]) -> int:
    return sum(_selects(ctx, m) for _, m in seated)


def _seen_number(missing: Unsaid) -> float:
    return max((n for n in missing.seen if isinstance(n, int | float)), default=0)


def _stacks(ctx: Context) -> Iterator[Question]:
    """Stacked dies, where nobody states how high they may be."""
    ran = max((m.stack_height or 1 for m in ctx.ran_modules.values()), default=1)
    live = ctx.live_modules
    higher = [s for m, slots in ctx.groups if _may_be_higher(ctx, m, ran) for s in slots]
    covered = _stated(ctx, "stack_height", with_open=True) if higher else {}
    odd = tuple(s for s in higher if s in live and not covered[s])
    if odd:
        known = max(ctx.modules[s].stack_height or 1 for s in odd)
        why = (
            f"{ctx.names(odd)}: dies stacked {known} high"
            if known > 1
            else f"the dies of {ctx.names(odd)} may be stacked"
        )
        yield Question("limits.stack_height", Unsaid(State.OPEN, named=False), odd, why)


def _may_be_higher(ctx: Context, m: Module, ran: int) -> bool:
    """Whether a module's dies are, or may be, stacked higher than any that ran or is listed."""
    if ctx.sheet.lists(m.part):
        return False
    return m.stack_height > ran if m.stack_height else _is_stacked(m) is None and not ctx.known_here(m)


def _load_reduced(ctx: Context) -> Iterator[Question]:
    """How the ranks of load-reduced modules count, where somebody looked in vain; where it is open `limit.ranks` asks."""
    fact = "memory.load_reduced_counts_as"
    missing = ctx.sheet.not_told(fact)
    slots = tuple(s for s, m in ctx.modules.items() if m.buffering is Buffering.LOAD_REDUCED and not ctx.known_here(m))
    if (
        missing
        and missing.state is State.UNTOLD
        and slots
        and any(f.statement.package_ranks and f.statement.unsaid is None for f in in_force(ctx))
    ):
        yield Question(fact, missing, slots, f"{ctx.names(slots)} {ctx.are(slots)} load-reduced")


# -- rates and modes --------------------------------------------------------------------------------------


def _faster(ctx: Context) -> Iterator[Question]:
    """Modules rated above the processor's list, where nobody tells whether they are slowed; unbuffered ones usually are."""
    asked: dict[str, list[str | None]] = {}
    for socket in ctx.live_sockets:
        fitted = ctx.processors[socket]
        choices = (
            [fitted]
            if isinstance(fitted, Processor)
            else [ctx.sheet.processors[n] for n in ctx.sheet.sockets[socket].processors]
        )
        for p in choices:
            top, ran = highest_rate(p), highest_that_ran(ctx, p)
            # Without any list `speed.untold` asks, and what it could hide is told there.
            if ctx.sheet.not_told(f"processors.{p.id}.faster_modules") is None or p.refuses_above_mts or not top:
                continue
            slots = [
                s
                for s, m in ctx.seated_on(socket)
                if may_be_refused(m)
                and is_taken(ctx, m)[0] is not False
                and (m.rate_mts is None or m.rate_mts > max(top, ran))
                and not ctx.known_here(m)
            ]
            if slots:
                asked.setdefault(p.id, []).extend(slots)
    for name, slots in asked.items():
        fact = f"processors.{name}.faster_modules"
        p, missing = ctx.sheet.processors[name], ctx.sheet.not_told(fact)
        if missing:
            yield Question(
                fact,
                missing,
                tuple(slots),
                f"{ctx.names(slots)} {ctx.are(slots)} rated above {highest_rate(p)} MT/s, the highest of {p.title}",
            )


def highest_rate(p: Processor) -> int:
    """The highest rate that a processor's list or table names; 0 where it names none. [MT/s]"""
    return max([*p.rates_mts, *(r.rate_mts for r in p.rate_table)], default=0)


def may_be_refused(m: Module) -> bool:
    """Whether a module rated above a processor's list may be refused: unbuffered ones are slowed, as trade habit has it."""
    return m.buffering is not Buffering.UNBUFFERED


def _rates(ctx: Context) -> Iterator[Question]:
    """What it runs at, where somebody looked in vain; where it is open `speed.untold` asks."""
    for name, p in ctx.sheet.processors.items():
        fact = f"processors.{name}.rate_table"
        missing = ctx.sheet.not_told(fact)
        if missing is None or missing.state is not State.UNTOLD:
            continue
        slots = [s for socket in ctx.live_sockets if ctx.processors[socket] is p for s, _ in ctx.seated_on(socket)]
        if slots:
            refused = hides_refusal(ctx, p, slots)
            yield Question(fact, missing, tuple(slots), "", Severity.STOP if refused else Severity.SLOW)


def hides_refusal(ctx: Context, p: Processor, slots: Iterable[str | None]) -> bool:
    """Whether a processor without any list of rates might refuse one of these modules for its rate."""
    told = p.faster_modules or p.refuses_above_mts or highest_rate(p)
    modules = [m for s in slots if (m := ctx.modules.get(s or ""))]
    ran = highest_that_ran(ctx, p)
    return not told and any(
        may_be_refused(m) and not ctx.known_here(m) and (m.rate_mts is None or m.rate_mts > ran) for m in modules
    )


def highest_that_ran(ctx: Context, p: Processor) -> int:
    """The highest rating of what ran with a processor in this machine: it refuses nothing that is rated no higher. [MT/s]"""
    ran = (m for s, m in ctx.ran_modules.items() if ctx.processors.get(ctx.sheet.socket_of_slot.get(s, "")) is p)
    return max((m.rate_mts or 0 for m in ran), default=0)


def _mode(ctx: Context) -> Iterator[Question]:
    """What the mode in use keeps back."""
    fact = f"memory.modes.{ctx.machine.mode}"
    missing = ctx.sheet.not_told(fact)
    if ctx.mode and missing:
        yield Question(fact, missing, tuple(ctx.modules), f"the machine is to run in {ctx.mode.id}", Severity.RISK)


# -- saying so --------------------------------------------------------------------------------------------


def _sentence(q: Question) -> str:
    asked = asked_of(q.fact)
    return "; ".join(w for w in (q.why, asked.what if asked else q.fact) if w)


def _applies(ctx: Context) -> bool:
    return bool(ctx.modules)


@rule("sheet.open", _applies)
def open_facts(ctx: Context) -> Iterator[Finding]:
    """A fact that nobody has looked up, and that this layout hangs on."""
    for q in questions(ctx):
        if q.unsaid.state is State.OPEN:
            yield ctx.ask(
                "sheet.open", q.slots, f"{_capital(_sentence(q))} is not told", [f"sheet.{q.fact}"], q.could_be
            )


@rule("risk.untold", _applies)
def untold_facts(ctx: Context) -> Iterator[Finding]:
    """A fact that somebody looked for in vain: at one's own risk, until something ran."""
    for q in questions(ctx):
        if q.unsaid.state is State.UNTOLD:
            severity = max(Severity.RISK, q.could_be, key=lambda s: s.rank)
            looked = f" ({q.unsaid.words})" if q.unsaid.words else ""
            yield ctx.finding("risk.untold", severity, q.slots, f"{_capital(_sentence(q))} is told nowhere{looked}")


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
