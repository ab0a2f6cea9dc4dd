"""Doubts: what a layout rests on that neither a hard rule nor the machine itself has settled, each thing once.

However many findings point at one thing it is one doubt, so that one experiment settles all that it showed.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import inf

from umbrak.core.evaluate import Evaluation
from umbrak.core.evidence.ladder import Figure, Ladder
from umbrak.core.evidence.table import DoubtKind, Table
from umbrak.core.evidence.trial import Held, Trial
from umbrak.core.memory.module import Module, alike, amount, bus_of, member_words, organisation, usable_size
from umbrak.core.platform.fact import asked_of
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, fact_words
from umbrak.core.platform.sheet import ModuleTest, Sheet
from umbrak.core.platform.statement import SourceKind, Statement
from umbrak.core.rules.context import Context
from umbrak.core.rules.facts import Question, questions
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.limit import FigureUse, figures, hard_totals
from umbrak.core.rules.risk import without_maker

#: Ladder of modules -> the member that it is about, and its unit.
MEMBERS = {
    DoubtKind.SLOT: ("capacity_gib", "GB in one slot"),
    DoubtKind.DENSITY: ("die_gbit", "Gbit dies"),
    DoubtKind.STACK: ("stack_height", "dies in a stack"),
}
_OF_UNIT = {"Gbit": DoubtKind.DENSITY, "high": DoubtKind.STACK, "ranks": DoubtKind.RANKS}
#: Asked, and no reason why it should not run; or doubted as a mixture.
_ELSEWHERE = ("risk.warranty", "risk.mixed-makers")
_NOTHING: Mapping[str, bool] = {}
_NO_MOST: Mapping[str, float] = {}
_NO_LADDER = Ladder()
#: What a part's doubt is about where a list, or somebody, leaves it out.
OFF_LIST = "off the list"


@dataclass(frozen=True, slots=True)
class Doubt:
    """One thing that has to be true for a layout to run."""

    kind: DoubtKind
    #: In words: "Fjell N2 runs 40 GB".
    words: str
    sheet: str
    #: Processors that are fitted, by id.
    processors: tuple[str, ...]
    #: Of a ladder: how much of it is asked for, and what is known of its ceiling.
    asks: float = 0.0
    ladder: Ladder = _NO_LADDER
    #: Of a part, and of a ladder of modules: the module.
    module: Module | None = None
    #: Of what is no ladder: the number of the table that it starts from, and what it is about.
    number: str = ""
    about: str = ""
    #: Of a mixture: the makers or kits.
    together: frozenset[str] = frozenset()
    #: Of reach: how the modules that come in are organised, and the most in one slot, channel, socket. [GiB]
    organisations: frozenset[tuple[object, ...]] = frozenset()
    most: Mapping[str, float] = field(default_factory=lambda: _NO_MOST, hash=False)

    def prior(self, table: Table) -> float:
        """Probability that it works, before any trial."""
        return self.ladder.prior(self.asks, table) if not self.number else table[self.number]

    def passes(self, table: Table) -> Figure | None:
        """The figure that counts, of those that it passes."""
        return self.ladder.worst(self.asks, table)[1]

    def lacks_word(self, table: Table) -> bool:
        """Whether somebody states less, a list leaves it out, or nobody vouches for it; else it is only what is always
        doubted of something new."""
        if self.kind is DoubtKind.PART:
            return self.about == OFF_LIST
        return bool(self.number) or self.passes(table) is not None

    def amount_of(self, module: Module) -> float | None:
        """Where a module lies on this ladder of modules; None where it does not tell."""
        member = MEMBERS.get(self.kind)
        value = getattr(module, member[0]) if member else None
        return None if value is None else float(value)


@dataclass(frozen=True)
class Board:
    """What is known of a board beside any layout: its ladders, by which what failed is shared among its doubts."""

    sheet: Sheet
    processors: tuple[str, ...]
    firmware: str | None
    system: str | None
    ladders: Mapping[DoubtKind, Ladder]

    def blame(self, doubt: Doubt, t: Trial, table: Table) -> float:
        """This doubt's share in why a trial failed: by what was doubted of the trial beforehand."""
        shares = dict(self._doubted(t, table))
        key = (doubt.kind, doubt.about if doubt.kind is DoubtKind.UNTOLD else "")
        total = sum(shares.values())
        return shares.get(key, 0.0) / total if total else 0.0

    def _doubted(self, t: Trial, table: Table) -> Iterator[tuple[tuple[DoubtKind, str], float]]:
        """(doubt, how probable trouble of it was) of a trial, before any of them."""
        if t.total_gib is not None:
            yield (DoubtKind.REACH, ""), 1 - self.ladders[DoubtKind.REACH].prior(t.total_gib, table)
        for kind, (member, _) in MEMBERS.items():
            value = getattr(t.module, member) if t.module else None
            if value is not None and kind in self.ladders:
                yield (kind, ""), 1 - self.ladders[kind].prior(value, table)
        listed = self.sheet.lists(t.part)
        yield (DoubtKind.PART, ""), 1 - table["part.listed" if listed else "part.unlisted"]
        if len(t.held.makers) > 1:
            yield (DoubtKind.MIXED_MAKERS, ""), 1 - table["mixed.makers"]
        elif len(t.held.kits) > 1:
            yield (DoubtKind.MIXED_KITS, ""), 1 - table["mixed.kits"]
        for fact in t.held.facts:
            yield (DoubtKind.UNTOLD, fact), 1 - table["untold"]


@dataclass(frozen=True, slots=True)
class Resting:
    """What a layout rests on."""

    doubts: tuple[Doubt, ...]
    #: Modules that come into the machine: each may fail early.
    comes: int
    #: Of those, how many ran elsewhere before and fail more often; a layout does not say where its modules come from.
    pulled: int = 0


def board_of(sheet: Sheet, machine: Machine, statements: Iterable[Statement] = ()) -> Board:
    """A board's ladders whatever the layout."""
    ctx = Context(
        sheet=sheet, machine=machine, layout=Layout(), statements=tuple(sorted(statements, key=lambda s: s.id))
    )
    uses = figures(ctx)
    totals: dict[str, list[FigureUse]] = {}
    for u in uses:
        if u.unit == "GiB" and u.scope != "slot":
            totals.setdefault(u.statement.id, []).append(u)
    reach = [_figure(ctx, us[0], sum(u.limit for u in us)) for us in totals.values() if _is_whole(ctx, us)]
    hard: dict[str, float] = {}
    for s, limit, _ in hard_totals(ctx):
        if s.where is None:
            hard[s.id] = hard.get(s.id, 0.0) + limit
    ladders = {DoubtKind.REACH: Ladder(_distinct(reach), min(hard.values(), default=inf), 0.0, "base")}
    for kind in (DoubtKind.SLOT, DoubtKind.DENSITY, DoubtKind.STACK):
        own = [_figure(ctx, u, u.limit) for u in uses if _ladder_of(u) is kind]
        ladders[kind] = Ladder(_distinct(own))
    processors = tuple(sorted({p for p in machine.processors.values() if p}))
    return Board(sheet, processors, machine.firmware, machine.system, ladders)


def as_it_runs(board: Board, runs: float) -> Board:
    """The board of a machine in which so much runs now: where nobody states a figure of its total, that is the one. [GiB]"""
    reach = board.ladders[DoubtKind.REACH]
    known = replace(reach, figures=_beside_what_ran(reach.figures, runs))
    return replace(board, ladders={**board.ladders, DoubtKind.REACH: known})


def reach_ladder_at_best(sheet: Sheet, machine: Machine, statements: Iterable[Statement], now: Layout) -> Ladder:
    """A ladder of the machine's total that is never below that of any layout in it.

    Figures of smaller scopes are passed at a larger total at best (their places summed up). Where what runs now passes one
    already, only the step beyond it counts for a layout, which may be less than any figure of the machine's own: then no
    figure is left.
    """
    statements = tuple(statements)
    reach = board_of(sheet, machine, statements).ladders[DoubtKind.REACH]
    ctx = Context(sheet=sheet, machine=machine, layout=now, statements=tuple(sorted(statements, key=lambda s: s.id)))
    most = most_of(ctx)
    passed = any(
        _ladder_of(u) is DoubtKind.REACH and u.scope != "machine" and most[u.scope] > u.limit for u in figures(ctx)
    )
    found = () if passed else reach.figures
    # Where nobody states any, what ran is the figure of every layout.
    stated = [_figure(ctx, u, u.limit) for u in figures(ctx) if _ladder_of(u) is DoubtKind.REACH]
    of_all = set(_beside_what_ran(stated, ctx.installed_gib)) - set(stated)
    return replace(reach, figures=_distinct([*found, *of_all]), runs=ctx.installed_gib)


def _beside_what_ran(stated: Sequence[Figure], runs: float) -> tuple[Figure, ...]:
    """Figures of a total, and where nobody states one but perhaps the machine's own tables, what runs there now. [GiB]"""
    if not runs or not all(f.claimed for f in stated):
        return _distinct(stated)
    number = "figure.claimed" if stated else "figure.other"
    return _distinct([*stated, Figure(runs, number, f"{amount(runs)} GB runs there now")])


def _is_whole(ctx: Context, uses: list[FigureUse]) -> bool:
    """Whether a statement is about every place of its scope: only then its places add up to the machine."""
    return uses[0].statement.where is None and (uses[0].scope == "machine" or uses[0].statement.processor is None)


def _ladder_of(u: FigureUse) -> DoubtKind | None:
    if u.unit == "GiB":
        return DoubtKind.SLOT if u.scope == "slot" else DoubtKind.REACH
    return _OF_UNIT.get(u.unit)


def _figure(ctx: Context, u: FigureUse, value: float) -> Figure:
    s = u.statement
    by_processor = s.source.kind is SourceKind.PROCESSOR_MAKER or any(
        s in p.limits for p in ctx.sheet.processors.values()
    )
    name = (
        "version" if u.of_version
        else "density" if u.unit == "Gbit"
        else "official" if s.official
        else "processor" if by_processor
        else "other"
    )  # fmt: skip
    claimed = s.source.kind is SourceKind.SURVEY
    return Figure(value, f"figure.{name}", f"{s.source.title} states {amount(u.limit)}", u.of_version, claimed)


def _distinct(found: Iterable[Figure]) -> tuple[Figure, ...]:
    """A figure that several repeat counts once; sorted, so that their order does not matter."""
    return tuple(sorted(dict.fromkeys(found), key=lambda f: (f.value, f.number, f.words)))


def resting_of(
    ctx: Context, judged: Evaluation, before: Layout | None = None, listed: Mapping[str, bool] = _NOTHING
) -> Resting:
    """What a layout rests on; nothing where nothing in it is new to the machine.

    Parameters
        judged    `evaluate` of the layout
        before    what runs in the machine now: it has settled for itself that its parts, its densities, its makers
                  together and as much as its total run there, and where nothing new comes in, everything
        listed    part -> whether the machine's maker lists it, where somebody told so beside the sheet
    """
    ran = Ran(ctx.sheet, ctx.machine, before)
    comes = ran.lacking(ctx.live_modules.values())
    if before is not None and not comes:
        return Resting((), 0)
    of = _Of(ctx, ran)
    found = [
        *of.reach(),
        *of.of_modules(),
        *of.ranks(),
        *of.parts(listed),
        *of.mixtures(judged.findings, listed),
        *of.untold(judged.findings),
    ]
    return Resting(tuple(sorted(found, key=lambda d: (d.kind, d.words, d.about))), sum(comes.values()))


class Ran:
    """What runs in the machine now, and so needs nobody's word."""

    def __init__(self, sheet: Sheet, machine: Machine, before: Layout | None) -> None:
        # What is soldered runs as it was made, whatever is known of the slots.
        now = Context(sheet=sheet, machine=machine, layout=Layout() if before is None else before)
        self.kinds = Counter(alike(m) for m in now.live_modules.values() if not m.failed)
        #: Whose modules run together, and which that were not sold as one kit.
        self.makers = frozenset(m.maker for m in self.kinds if m.maker)
        self.kits = frozenset(kit for m in self.kinds if (kit := kit_of(sheet, m)))
        self.total, self.most, self.ranks = now.installed_gib, most_of(now), _most_ranks(now)

    def lacking(self, modules: Iterable[Module]) -> Counter[Module]:
        """Modules of a layout that the machine does not hold."""
        wanted = Counter(alike(m) for m in modules)
        return wanted - self.kinds

    def highest(self, member: str) -> float:
        return max((getattr(m, member) or 0 for m in self.kinds), default=0.0)


def most_of(ctx: Context) -> Mapping[str, float]:
    """slot, channel, controller, socket -> the most that one of them holds. [GiB]"""
    sockets = [sum(usable_size(m) for _, m in ctx.seated_on(s)) for s in ctx.live_sockets]
    channels = [sum(usable_size(m) for _, m in seated) for seated in ctx.seated.values()]
    slots = [usable_size(m) for m in ctx.modules.values()]
    controllers: dict[str, float] = {}
    for name, seated in ctx.seated.items():
        if controller := ctx.sheet.channels[name].controller:
            controllers[controller] = controllers.get(controller, 0.0) + sum(usable_size(m) for _, m in seated)
    found = {"slot": slots, "channel": channels, "controller": [*controllers.values()], "socket": sockets}
    return {scope: max(gib, default=0.0) for scope, gib in found.items()}


def held_by(ctx: Context, judged: Evaluation, before: Layout) -> Held:
    """What a layout that runs shows besides its total: what is in it together runs together, over all that nobody told."""
    modules = list(ctx.modules.values())
    facts = (d.about for d in resting_of(ctx, judged, before).doubts if d.kind is DoubtKind.UNTOLD)
    return Held(
        most=most_of(ctx),
        makers=frozenset(x.maker for x in modules if x.maker),
        kits=kits_of(modules),
        facts=frozenset(facts),
        firmware=ctx.machine.firmware,
        system=ctx.machine.system,
    )


def shown_by(total: float, held: Mapping[str, float], asked: float, most: Mapping[str, float]) -> float:
    """How much of a total that ran counts for another layout: it shows what it held, and no total that has more on any
    slot, channel or socket than that. [GiB]

    Parameters
        held, most    slot, channel, controller, socket -> the most in one of them, there and in the layout asked for
    """
    return min([total, *(asked * gib / most[scope] for scope, gib in held.items() if most.get(scope))])


def _most_ranks(ctx: Context) -> int:
    return max((sum(m.package_ranks or 0 for _, m in seated) for seated in ctx.seated.values()), default=0)


class _Of:
    """The doubts of one layout, kind by kind."""

    def __init__(self, ctx: Context, ran: Ran) -> None:
        self.ctx, self.ran, self.sheet = ctx, ran, ctx.sheet
        self.processors = tuple(sorted({p for p in ctx.machine.processors.values() if p}))
        self.uses = figures(ctx)
        self.comes = ran.lacking(ctx.live_modules.values())

    def _doubt(self, kind: DoubtKind, words: str, **more: object) -> Doubt:
        return Doubt(kind=kind, words=words, sheet=self.sheet.id, processors=self.processors, **more)  # type: ignore[arg-type]

    def reach(self) -> Iterator[Doubt]:
        total, most = self.ctx.installed_gib, most_of(self.ctx)
        runs = shown_by(self.ran.total, self.ran.most, total, most)
        if total <= runs or not total:
            return
        by_statement: dict[str, list[FigureUse]] = {}
        for u in self.uses:
            if _ladder_of(u) is DoubtKind.REACH and u.used > 0:
                by_statement.setdefault(u.statement.id, []).append(u)
        # A smaller scope's figure counts by its ratio: how often the fullest of its places could be filled so.
        found = [_figure(self.ctx, us[0], total * min(u.limit / u.used for u in us)) for us in by_statement.values()]
        hard = min((total * limit / used for _, limit, used in hard_totals(self.ctx) if used), default=inf)
        yield self._doubt(
            DoubtKind.REACH,
            f"{self.sheet.title} runs {amount(total)} GB",
            asks=total,
            ladder=Ladder(_beside_what_ran(found, self.ran.total), hard, runs, "base"),
            organisations=frozenset(organisation(m) for m in self.comes),
            most=most,
        )

    def of_modules(self) -> Iterator[Doubt]:
        """Each figure of modules that is passed: a density, a stack, a slot's size."""
        titles = {u.statement.source.title for u in self.uses if u.scope == "machine" and u.used > u.limit}
        for kind, (member, unit) in MEMBERS.items():
            own = [u for u in self.uses if _ladder_of(u) is kind]
            if kind is DoubtKind.SLOT:
                # Of who states a total as well, the total that is passed says it all.
                own = [u for u in own if u.statement.source.title not in titles]
            passed = [u for u in own if u.used > u.limit]
            asks = max((u.used for u in passed), default=0.0)
            if asks > self.ran.highest(member):
                module = max(self.comes, key=lambda m: (getattr(m, member) or 0, m.part or ""))
                yield self._doubt(
                    kind,
                    f"{self.sheet.title} takes {amount(asks)} {unit}",
                    asks=asks,
                    ladder=Ladder(_distinct(_figure(self.ctx, u, u.limit) for u in own), runs=self.ran.highest(member)),
                    module=module,
                )

    def ranks(self) -> Iterator[Doubt]:
        own = [u for u in self.uses if _ladder_of(u) is DoubtKind.RANKS]
        asks = max((u.used for u in own if u.used > u.limit), default=0.0)
        if asks > self.ran.ranks:
            yield self._doubt(
                DoubtKind.RANKS,
                f"{self.sheet.title} drives {amount(asks)} package ranks in one channel",
                asks=asks,
                ladder=Ladder(_distinct(_figure(self.ctx, u, u.limit) for u in own), runs=self.ran.ranks),
            )

    def parts(self, listed: Mapping[str, bool]) -> Iterator[Doubt]:
        """Each part that does not run here, in the order of the slots."""
        for m in dict.fromkeys(alike(m) for m in self.ctx.live_modules.values()):
            if m in self.ran.kinds:
                continue
            told = listed.get(m.part or "")
            yield part_doubt(self.sheet, self.processors, m, told)

    def mixtures(self, found: Iterable[Finding], listed: Mapping[str, bool]) -> Iterator[Doubt]:
        codes = {f.code for f in found}
        modules = list(self.ctx.modules.values())
        makers = frozenset(m.maker for m in modules if m.maker)
        kits = frozenset(kit for m in modules if (kit := kit_of(self.sheet, m)))
        if len(makers) > 1 and not makers <= self.ran.makers and "risk.mixed-makers" in codes:
            yield mixture_doubt(self.sheet, self.processors, DoubtKind.MIXED_MAKERS, makers)
        elif nameless := [s for s in without_maker(self.ctx) if not listed.get(self.ctx.modules[s].part or "")]:
            # It may be a mixture: less is known than of one, and so as much is doubted.
            what = sorted({m.part or m.short() for m in map(self.ctx.modules.__getitem__, nameless)})
            words = f"Nobody tells who made {', '.join(what)}"
            yield self._doubt(DoubtKind.UNTOLD, words, number="mixed.makers", about=f"maker of {', '.join(what)}")
        elif len(kits) > 1 and not kits <= self.ran.kits and codes & {"risk.mixed-makers", "risk.mixed-kits"}:
            yield mixture_doubt(self.sheet, self.processors, DoubtKind.MIXED_KITS, kits_of(modules))

    def untold(self, found: Iterable[Finding]) -> Iterator[Doubt]:
        """Facts that nobody tells and that could hide a stop or a risk, each once: the sheet's, and what is open of modules
        that come in and of the machine."""
        about: dict[str, tuple[str, str]] = {}
        for q in questions(self.ctx):
            if q.could_be in (Severity.STOP, Severity.RISK):
                about.setdefault(f"sheet.{q.fact}", (number_of(self.ctx, q), self._what(q.fact)))
        for f in found:
            if f.severity is Severity.ASK and f.could_be in (Severity.STOP, Severity.RISK) and f.code not in _ELSEWHERE:
                for need in f.needs:
                    if (told := self._need(need)) is not None:
                        about.setdefault(told[0], ("untold", told[1]))
        for m in self.comes:
            if m.is_sizeless:
                about.setdefault(*self._of_module("capacity_gib", m))
        kinds = sorted({m.short() for m in self.comes})
        for key, (number, words) in about.items():
            yield self._doubt(
                DoubtKind.UNTOLD,
                f"Nobody tells {words}",
                number=number,
                about=f"{key} of {', '.join(kinds)}",
            )

    def _what(self, fact: str) -> str:
        """A fact in words, and of which processor it is."""
        asked = asked_of(fact)
        what = asked.what if asked else fact.replace("_", " ")
        parts = fact.split(".")
        processor = self.sheet.processors.get(parts[1]) if parts[0] == "processors" and len(parts) > 1 else None
        return f"{what} ({processor.title})" if processor else what

    def _need(self, need: str) -> tuple[str, str] | None:
        """(what it is about, in words) of a fact that a finding needs; None where it is of a slot that stays as it is."""
        place, _, member = need.partition(".")
        if place in ("sheet", "machine"):
            return need, self._what(member) if place == "sheet" else fact_words(member)
        if self.ctx.layout.get(place) is UNKNOWN:
            # One look at them settles all.
            unknown = [s for s in self.sheet.slots if self.ctx.layout.get(s) is UNKNOWN]
            return f"slots {', '.join(unknown)}", f"what sits in {self.ctx.names(unknown)}"
        module = self.ctx.modules.get(place)
        if module is None or alike(module) in self.ran.kinds:
            return None
        key, (_, words) = self._of_module(member, module)
        return key, words

    def _of_module(self, member: str, module: Module) -> tuple[str, tuple[str, str]]:
        name = module.part or module.short()
        return f"{member} of {name}", ("untold", f"the {member_words(member)} of {name}")


def number_of(ctx: Context, asked: Question) -> str:
    """By which number of the table what a fact hides is doubted that nobody tells."""
    if asked.fact.endswith(".faster_modules"):
        return "untold.faster"
    if asked.fact == "memory.accepts":
        ran = {bus for m in ctx.ran_modules.values() if (bus := bus_of(m.buffering))}
        seen = (value for t in asked.unsaid.seen if isinstance(t, ModuleTest) for _, value in t.wanted)
        ran |= {bus for value in seen if (bus := bus_of(value))}
        comes = {bus_of(m.buffering) for s, m in ctx.modules.items() if s in asked.slots}
        return "untold.kind" if not ran else "untold" if comes <= ran else "untold.bus"
    return "untold"


def part_doubt(sheet: Sheet, processors: tuple[str, ...], module: Module, told: bool | None = None) -> Doubt:
    """That a part runs on a board. `told`: whether the maker lists it, where somebody says so beside the sheet."""
    listed = told if told is not None else sheet.lists(module.part)
    return Doubt(
        kind=DoubtKind.PART,
        words=f"{module.part or module.short()} runs on {sheet.title}",
        sheet=sheet.id,
        processors=processors,
        module=module,
        number="part.listed" if listed else "part.unlisted",
        about=OFF_LIST if told is False or (not listed and sheet.listed) else "",
    )


def reach_doubt(board: Board, total: float, runs: float = 0.0, ladder: Ladder | None = None) -> Doubt:
    """That a board runs so much, whatever the modules. [GiB]

    Parameters
        runs     what runs in it now
        ladder   instead of the board's own
    """
    return Doubt(
        kind=DoubtKind.REACH,
        words=f"{board.sheet.title} runs {amount(total)} GB",
        sheet=board.sheet.id,
        processors=board.processors,
        asks=total,
        ladder=ladder or replace(board.ladders[DoubtKind.REACH], runs=runs),
    )


def mixture_doubt(sheet: Sheet, processors: tuple[str, ...], kind: DoubtKind, together: frozenset[str]) -> Doubt:
    """That makers, or kits of one maker, run together on a board: one doubt for a layout."""
    number, what = {
        DoubtKind.MIXED_MAKERS: ("mixed.makers", "modules of several makers"),
        DoubtKind.MIXED_KITS: ("mixed.kits", "modules of several kits"),
    }[kind]
    return Doubt(
        kind=kind,
        words=f"{what.capitalize()} run together on {sheet.title}",
        sheet=sheet.id,
        processors=processors,
        number=number,
        together=together,
    )


def kit_of(sheet: Sheet, module: Module) -> tuple[str, str] | None:
    """What `risk.mixed-kits` tells kits apart by, part and revision; None for what it leaves out."""
    if not module.part or sheet.lists(module.part):
        return None
    return module.part, module.revision or ""


def kits_of(modules: Iterable[Module]) -> frozenset[str]:
    return frozenset(f"{m.part} {m.revision or ''}".strip() for m in modules if m.part)
