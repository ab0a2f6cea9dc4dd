"""What a layout rests on that neither a hard rule nor the machine itself has settled, each thing once.

However many findings point at one thing it is one doubt, so that one experiment settles all that it showed.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from math import inf

from umbrak.core.evaluate import Evaluation
from umbrak.core.evidence.board import beside_what_ran, distinct, figure_of, ladder_of, most_of, shown_by
from umbrak.core.evidence.doubt import MEMBERS, Doubt, kit_of, kits_of, mixture_doubt, part_doubt
from umbrak.core.evidence.ladder import Ladder
from umbrak.core.evidence.table import DoubtKind
from umbrak.core.evidence.trial import Held
from umbrak.core.memory.module import Module, alike, amount, bus_of, member_words, organisation
from umbrak.core.platform.fact import asked_of
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, fact_words
from umbrak.core.platform.sheet import ModuleTest, Sheet
from umbrak.core.rules.context import Context
from umbrak.core.rules.facts import Question, questions
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.limit import FigureUse, figures, hard_totals
from umbrak.core.rules.risk import without_maker

#: Asked, and no reason why it should not run; or doubted as a mixture.
_ELSEWHERE = ("risk.warranty", "risk.mixed-makers")
_NOTHING: Mapping[str, bool] = {}


@dataclass(frozen=True, slots=True)
class Resting:
    """What a layout rests on."""

    doubts: tuple[Doubt, ...]
    #: Modules that come into the machine: each may fail early.
    comes: int
    #: Of those, how many ran elsewhere before and fail more often; a layout does not say where its modules come from.
    pulled: int = 0


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
            if ladder_of(u) is DoubtKind.REACH and u.used > 0:
                by_statement.setdefault(u.statement.id, []).append(u)
        # A smaller scope's figure counts by its ratio: how often the fullest of its places could be filled so.
        found = [figure_of(self.ctx, us[0], total * min(u.limit / u.used for u in us)) for us in by_statement.values()]
        hard = min((total * limit / used for _, limit, used in hard_totals(self.ctx) if used), default=inf)
        yield self._doubt(
            DoubtKind.REACH,
            f"{self.sheet.title} runs {amount(total)} GB",
            asks=total,
            ladder=Ladder(beside_what_ran(found, self.ran.total), hard, runs, "base"),
            organisations=frozenset(organisation(m) for m in self.comes),
            most=most,
        )

    def of_modules(self) -> Iterator[Doubt]:
        """Each figure of modules that is passed: a density, a stack, a slot's size."""
        titles = {u.statement.source.title for u in self.uses if u.scope == "machine" and u.used > u.limit}
        for kind, (member, unit) in MEMBERS.items():
            own = [u for u in self.uses if ladder_of(u) is kind]
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
                    ladder=Ladder(
                        distinct(figure_of(self.ctx, u, u.limit) for u in own), runs=self.ran.highest(member)
                    ),
                    module=module,
                )

    def ranks(self) -> Iterator[Doubt]:
        own = [u for u in self.uses if ladder_of(u) is DoubtKind.RANKS]
        asks = max((u.used for u in own if u.used > u.limit), default=0.0)
        if asks > self.ran.ranks:
            yield self._doubt(
                DoubtKind.RANKS,
                f"{self.sheet.title} drives {amount(asks)} package ranks in one channel",
                asks=asks,
                ladder=Ladder(distinct(figure_of(self.ctx, u, u.limit) for u in own), runs=self.ran.ranks),
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
