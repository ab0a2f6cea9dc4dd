"""Judgements, remembered: one layout is asked about by plan, summary and list within one request, and again by the
next. Everything that they depend on is in their arguments, so what is remembered is never out of date."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

from umbrak.core.cures import Cure, cures
from umbrak.core.evaluate import Evaluation, evaluate_in, question
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.questions import Question, questions_of
from umbrak.core.rules.context import ByPlace, Context
from umbrak.core.rules.finding import Severity
from umbrak.core.targets import Target, targets
from umbrak.services.known.loading import Loaded, sources_of

#: Evaluations kept: of the plans that a few dozen people have open. Each takes some ten kilobytes.
_KEPT = 512
_Statements = tuple[Statement, ...]


def judge(m: Loaded, layout: Layout, before: Layout | None = None) -> Evaluation:
    """A layout in this machine, by its sheet and by what is stated of it beside the sheet. See core.evaluate."""
    return _judge(m.sheet, m.machine, layout, before, m.statements, seen_running(m))


def judged_question(m: Loaded, layout: Layout, before: Layout | None = None) -> tuple[Context, Evaluation]:
    """`judge`, with the question for whoever asks more of it."""
    return question(m.sheet, m.machine, layout, m.statements, before, seen_running(m)), judge(m, layout, before)


def seen_running(m: Loaded) -> Layout:
    """What the machine itself reported, and so runs with: it needs no rule to be right."""
    sources = sources_of(m)
    return Layout({s: o for s, o in m.layout.items() if s in sources and sources[s].is_running})


def asked_first(m: Loaded, layout: Layout, judged: Evaluation, before: Layout | None = None) -> tuple[Question, ...]:
    """What to answer first of a layout that was judged; whether the machine runs as it is among it, where nobody saw that."""
    ran = seen_running(m)
    unseen = tuple(s for s in m.sheet.slots if isinstance(m.layout.get(s), Module) and s not in ran)
    if not unseen or not any(f.severity is Severity.ASK for f in judged.findings):
        return questions_of(m.sheet, layout, judged)
    running = _judge(
        m.sheet, m.machine, layout, before, m.statements, Layout({**ran, **{s: m.layout[s] for s in unseen}})
    )
    return questions_of(m.sheet, layout, judged, running, unseen)


def judge_cures(
    m: Loaded, layout: Layout, before: Layout | None = None, spares: tuple[Module, ...] = ()
) -> tuple[Cure | None, ...]:
    """A cure for each finding of `judge`, with the modules that are to be had. See core.cures."""
    return _cures(m.sheet, m.machine, layout, before, m.statements, spares, seen_running(m))


def judge_targets(
    m: Loaded, layout: Layout, module: Module, taken_from: str | None, before: Layout | None = None
) -> tuple[Target, ...]:
    """Every slot as a place for a module, judged as `judge` would. See core.targets."""
    return targets(m.sheet, m.machine, layout, module, m.statements, taken_from, before, seen_running(m))


@lru_cache(maxsize=_KEPT)
def _judge(
    sheet: Sheet, machine: Machine, layout: Layout, before: Layout | None, statements: _Statements, ran: Layout
) -> Evaluation:
    last = _judged_last(sheet, machine, statements, ran)
    asked = question(sheet, machine, layout, statements, before, ran, last.by_place)
    judged = evaluate_in(asked)
    last.by_place = asked.by_place
    return judged


@dataclass
class _Last:
    """What was worked out place by place for the layout judged last: the next one mostly differs from it in a slot."""

    by_place: ByPlace = field(default_factory=dict)


@lru_cache(maxsize=_KEPT // 4)
def _judged_last(sheet: Sheet, machine: Machine, statements: _Statements, ran: Layout) -> _Last:
    return _Last()


@lru_cache(maxsize=_KEPT)
def _cures(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    before: Layout | None,
    statements: _Statements,
    spares: tuple[Module, ...],
    ran: Layout,
) -> tuple[Cure | None, ...]:
    judged = _judge(sheet, machine, layout, before, statements, ran)
    return cures(sheet, machine, layout, judged, statements, before, spares, ran)
