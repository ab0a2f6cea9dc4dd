"""What is known of a board beside any layout: the figures that people state, as ladders, and how far what ran shows more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from math import inf

from umbrak.core.evidence.doubt import MEMBERS, Doubt
from umbrak.core.evidence.ladder import Figure, Ladder
from umbrak.core.evidence.table import DoubtKind, Table
from umbrak.core.evidence.trial import Trial
from umbrak.core.memory.module import amount, usable_size
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import SourceKind, Statement
from umbrak.core.rules.context import Context
from umbrak.core.rules.limit import FigureUse, figures, hard_totals

_OF_UNIT = {"Gbit": DoubtKind.DENSITY, "high": DoubtKind.STACK, "ranks": DoubtKind.RANKS}


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
    reach = [figure_of(ctx, us[0], sum(u.limit for u in us)) for us in totals.values() if _is_whole(ctx, us)]
    hard: dict[str, float] = {}
    for s, limit, _ in hard_totals(ctx):
        if s.where is None:
            hard[s.id] = hard.get(s.id, 0.0) + limit
    ladders = {DoubtKind.REACH: Ladder(distinct(reach), min(hard.values(), default=inf), 0.0, "base")}
    for kind in (DoubtKind.SLOT, DoubtKind.DENSITY, DoubtKind.STACK):
        own = [figure_of(ctx, u, u.limit) for u in uses if ladder_of(u) is kind]
        ladders[kind] = Ladder(distinct(own))
    processors = tuple(sorted({p for p in machine.processors.values() if p}))
    return Board(sheet, processors, machine.firmware, machine.system, ladders)


def as_it_runs(board: Board, runs: float) -> Board:
    """The board of a machine in which so much runs now: where nobody states a figure of its total, that is the one. [GiB]"""
    reach = board.ladders[DoubtKind.REACH]
    known = replace(reach, figures=beside_what_ran(reach.figures, runs))
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
        ladder_of(u) is DoubtKind.REACH and u.scope != "machine" and most[u.scope] > u.limit for u in figures(ctx)
    )
    found = () if passed else reach.figures
    # Where nobody states any, what ran is the figure of every layout.
    stated = [figure_of(ctx, u, u.limit) for u in figures(ctx) if ladder_of(u) is DoubtKind.REACH]
    of_all = set(beside_what_ran(stated, ctx.installed_gib)) - set(stated)
    return replace(reach, figures=distinct([*found, *of_all]), runs=ctx.installed_gib)


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


def beside_what_ran(stated: Sequence[Figure], runs: float) -> tuple[Figure, ...]:
    """Figures of a total, and where nobody states one but perhaps the machine's own tables, what runs there now. [GiB]"""
    if not runs or not all(f.claimed for f in stated):
        return distinct(stated)
    number = "figure.claimed" if stated else "figure.other"
    return distinct([*stated, Figure(runs, number, f"{amount(runs)} GB runs there now")])


def _is_whole(ctx: Context, uses: list[FigureUse]) -> bool:
    """Whether a statement is about every place of its scope: only then its places add up to the machine."""
    return uses[0].statement.where is None and (uses[0].scope == "machine" or uses[0].statement.processor is None)


def ladder_of(u: FigureUse) -> DoubtKind | None:
    """On which ladder a figure lies; None where it is about nothing that is doubted by one."""
    if u.unit == "GiB":
        return DoubtKind.SLOT if u.scope == "slot" else DoubtKind.REACH
    return _OF_UNIT.get(u.unit)


def figure_of(ctx: Context, u: FigureUse, value: float) -> Figure:
    """A stated figure as a ladder has it, at `value` of the ladder's unit, doubted by who states it."""
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


def distinct(found: Iterable[Figure]) -> tuple[Figure, ...]:
    """A figure that several repeat counts once; sorted, so that their order does not matter."""
    return tuple(sorted(dict.fromkeys(found), key=lambda f: (f.value, f.number, f.words)))


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


def shown_by(total: float, held: Mapping[str, float], asked: float, most: Mapping[str, float]) -> float:
    """How much of a total that ran counts for another layout: it shows what it held, and no total that has more on any
    slot, channel or socket than that. [GiB]

    Parameters
        held, most    slot, channel, controller, socket -> the most in one of them, there and in the layout asked for
    """
    return min([total, *(asked * gib / most[scope] for scope, gib in held.items() if most.get(scope))])
