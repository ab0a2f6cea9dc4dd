"""Staged routes: some of it first, proved, then the rest; so that a doubt costs one module and not all of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from umbrak.core.evaluate import Evaluation, evaluate_in
from umbrak.core.evidence.doubts import held_by, resting_of
from umbrak.core.evidence.table import Outcome
from umbrak.core.evidence.trial import Trial
from umbrak.core.evidence.trouble import Trouble
from umbrak.core.memory.module import Module, alike, usable_size
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.statement import SourceKind
from umbrak.core.routes.problem import Origin, Problem
from umbrak.core.routes.weighing import Scales, Weighed
from umbrak.core.rules.finding import Severity

#: Slots tried for a single module.
_TRIES = 8
#: A doubt is lessened where its chance rises by so much.
_LESSENED = 0.005


class How(StrEnum):
    ONE = "one first"
    EACH = "one of each kind"
    HALF = "half first"
    SMALLER = "smaller first"


@dataclass(frozen=True, slots=True)
class Shown:
    """A doubt of the goal that a stage settles or lessens."""

    words: str
    works: float
    #: Once the stage ran; None where it rests on it no longer.
    then_works: float | None


@dataclass(frozen=True, slots=True)
class Stage:
    layout: Layout
    #: Probability that this stage does not run, those before it having run. Early failures left out.
    doubted: float
    shows: tuple[Shown, ...]
    #: Probability that the goal does not run, once this stage ran.
    left: float


@dataclass(frozen=True, slots=True)
class Staging:
    how: How
    #: Without the last, which is the goal.
    stages: tuple[Stage, ...]


def first_stage(problem: Problem, route: Weighed) -> Layout | None:
    """What is fitted with the first of a route's new modules in its place: None where nothing is doubted, where fewer
    than two come in, or where no single one works by itself."""
    if not route.trouble.beliefs or _new(problem, route.layout).total() < 2:
        return None
    return _with_one(problem, problem.layout, route.layout, route.trouble, list(_new(problem, route.layout)))


def stagings(problem: Problem, goal: Layout) -> tuple[Staging, ...]:
    """Every way to come to a layout in stages of which none stops, each with what it shows. None where nothing comes in."""
    rests = _trouble(problem, goal)
    ways = {
        How.ONE: _one(problem, goal, rests),
        How.EACH: _each(problem, goal, rests),
        How.HALF: _half(problem, goal),
        How.SMALLER: _smaller(problem, goal),
    }
    found: dict[tuple[Layout, ...], How] = {}
    for how, layouts in ways.items():
        if layouts and goal not in layouts:
            found.setdefault(tuple(layouts), how)
    return tuple(Staging(how, tuple(_proved(problem, goal, rests, layouts))) for layouts, how in found.items())


# -- what the stages hold ---------------------------------------------------------------------------------


def _new(problem: Problem, goal: Layout) -> Counter[Module]:
    """Modules that come in, by kind."""
    fitted = Counter(alike(m) for m in problem.layout.values() if isinstance(m, Module))
    return Counter(alike(m) for m in goal.values() if isinstance(m, Module)) - fitted


def _one(problem: Problem, goal: Layout, rests: Trouble) -> list[Layout]:
    new = _new(problem, goal)
    one = _with_one(problem, problem.layout, goal, rests, list(new)) if new.total() > 1 else None
    return [one] if one else []


def _each(problem: Problem, goal: Layout, rests: Trouble) -> list[Layout]:
    """One module of each kind that comes in, one after another."""
    kinds = list(_new(problem, goal))
    layout, stages = problem.layout, list[Layout]()
    for kind in kinds if len(kinds) > 1 else ():
        grown = _with_one(problem, layout, goal, rests, [kind])
        if grown is None:
            return []
        layout = grown
        stages.append(layout)
    return stages


def _half(problem: Problem, goal: Layout) -> list[Layout]:
    """A part of the slots that change, near to half of them: that which is least against the order."""
    sheet = problem.sheet
    rank = {s: k for f in sheet.fills for k, each in enumerate(f.layouts[max(f.layouts)]) for s in each}
    changed = [s for s in sheet.slots if problem.layout.get(s) != goal.get(s)]
    if len(changed) < 4:
        return []
    # By the order; where there is none one slot of every channel before the next.
    in_channel = {s: k for c in sheet.channels.values() for k, s in enumerate(c.slots)}
    changed.sort(key=lambda s: (rank.get(s, in_channel[s]), list(sheet.slots).index(s)))
    found = []
    for n in range(2, len(changed) - 1):
        grown = dict(problem.layout)
        for s in changed[:n]:
            if s in goal:
                grown[s] = goal[s]
            else:
                grown.pop(s, None)
        layout = Layout(grown)
        judged = _judged(problem, layout)
        if not _stops(judged) and judged.installed_gib > 0:
            against = sum(f.code.startswith("order.") for f in judged.findings)
            found.append((against, abs(2 * n - len(changed)), n, layout))
    return [min(found, key=lambda f: f[:3])[3]] if found else []


def _smaller(problem: Problem, goal: Layout) -> list[Layout]:
    """Something smaller that is on the Shelf, in the slot where the largest that comes in is to be."""
    new = _new(problem, goal)
    shelf = sorted((c.module for c in problem.candidates if c.origin is Origin.SHELF), key=usable_size, reverse=True)
    placed = [(usable_size(m), s) for s in _changed(problem, goal) if (m := _module(goal, s)) in new and m]
    for size, slot in sorted(placed, reverse=True)[:1]:
        for module in [m for m in shelf if 0 < usable_size(m) < size][:_TRIES]:
            layout = Layout({**problem.layout, slot: alike(module)})
            if not _stops(_judged(problem, layout)):
                return [layout]
    return []


def _with_one(problem: Problem, layout: Layout, goal: Layout, rests: Trouble, kinds: Sequence[Module]) -> Layout | None:
    """A layout with one module of these kinds where the goal has it: that which is believed least shows most."""
    doubted: dict[Module, float] = {b.doubt.module: b.works for b in rests.beliefs if b.doubt.module is not None}
    slots = [s for s in _changed(problem, goal) if _module(goal, s) in kinds]
    slots.sort(key=lambda s: doubted.get(_module(goal, s) or Module(), 1.0))
    for slot in slots[:_TRIES]:
        grown = Layout({**layout, slot: goal[slot]})
        if not _stops(_judged(problem, grown)):
            return grown
    return None


def _changed(problem: Problem, goal: Layout) -> list[str]:
    return [s for s in problem.sheet.slots if s in goal and problem.layout.get(s) != goal[s]]


def _judged(problem: Problem, layout: Layout) -> Evaluation:
    return evaluate_in(problem.question(layout))


def _stops(judged: Evaluation) -> bool:
    return any(f.severity is Severity.STOP for f in judged.findings)


def _module(layout: Layout, slot: str) -> Module | None:
    occupant = layout.get(slot)
    return alike(occupant) if isinstance(occupant, Module) else None


# -- what they show ---------------------------------------------------------------------------------------


def _proved(problem: Problem, goal: Layout, rests: Trouble, layouts: Sequence[Layout]) -> Iterator[Stage]:
    """Each stage by what those before it showed, as if each ran."""
    before = {(b.doubt.kind, b.doubt.words): b for b in rests.beliefs}
    for layout in layouts:
        own = _trouble(problem, layout)
        problem = _having_run(problem, layout)
        then = _trouble(problem, goal)
        left = {(b.doubt.kind, b.doubt.words): b.works for b in then.beliefs}
        yield Stage(
            layout=layout,
            doubted=own.doubted,
            shows=tuple(
                Shown(b.doubt.words, b.works, left.get(about))
                for about, b in before.items()
                if about not in left or left[about] > b.works + _LESSENED
            ),
            left=then.doubted,
        )


def _trouble(problem: Problem, layout: Layout) -> Trouble:
    """What a layout rests on, whether or not its modules are at hand."""
    ctx = problem.question(layout)
    scales = Scales(problem)
    return scales.trouble(resting_of(ctx, evaluate_in(ctx), problem.layout, scales.listed))


def _having_run(problem: Problem, layout: Layout) -> Problem:
    """The problem once a stage ran fine in the machine; not yet soaked."""
    ctx = problem.question(layout)
    judged = evaluate_in(ctx)
    shown = Trial(
        id="stage",
        sheet=problem.sheet.id,
        outcome=Outcome.FINE,
        who=SourceKind.OWN_PROOF,
        date=problem.today,
        processor=next((p for p in problem.machine.processors.values() if p), None),
        total_gib=judged.installed_gib,
        source="stage",
        held=held_by(ctx, judged, problem.layout),
    )
    came = list(_new(problem, layout))
    trials = [
        replace(shown, id=f"stage {i}", part=m.part, revision=m.revision, module=m) for i, m in enumerate(came)
    ] or [shown]
    return replace(problem, layout=layout, ran=layout, trials=(*problem.trials, *trials))
