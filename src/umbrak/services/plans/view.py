"""A plan as a page shows it, and as use cases open it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.cures import Cure
from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import actions
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.questions import Question, questions_of
from umbrak.core.rules.finding import Verdict
from umbrak.services.errors import NotFound
from umbrak.services.known.judging import judge, judge_cures
from umbrak.services.known.loading import Loaded, as_planned, layout_of, load_machine
from umbrak.services.known.moves import ActionView, action_views
from umbrak.services.sheets.doubts import DoubtView, doubts_about
from umbrak.services.sheets.library import load_sheet
from umbrak.services.shelf.view import spares_of
from umbrak.store import plans as store
from umbrak.store.plans import CommandRow, PlanRow
from umbrak.store.surveys import find_survey


@dataclass(frozen=True, slots=True)
class CureView:
    """A cure as an edit: what to do in words of actions, and the slots that it changes."""

    actions: tuple[ActionView, ...]
    #: Slot -> what it shall hold, None = nothing.
    changes: Mapping[str, Occupant | None]
    loses_gib: float
    gains_gib: float
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class PlanView:
    """A plan with what it starts from and what it comes to."""

    id: UUID
    machine_id: UUID
    name: str
    state: str
    version: int
    updated_at: datetime
    #: The layout that the plan starts from, and its goal; slots left out are empty.
    now: Mapping[str, Occupant]
    goal: Mapping[str, Occupant]
    evaluation_now: Evaluation
    evaluation: Evaluation
    #: For each finding of the goal's evaluation, in its order; None where there is none.
    cures: tuple[CureView | None, ...]
    #: From now to the goal: kept modules first, then in workable order.
    actions: tuple[ActionView, ...]
    can_undo: bool
    can_redo: bool
    #: Who changed it last; None when nobody has.
    changed_by: str | None
    #: True when a newer survey found something else in the slots, or the machine has another sheet, than it was made with.
    survey_changed: bool
    sheet_changed: bool
    discarded: bool
    #: Slots that the first of two stages changes; empty = all at once.
    first_stage: tuple[str, ...]
    #: Clauses of its sheet that a machine's own proposal contradicted.
    doubts: tuple[DoubtView, ...]
    #: What to answer first.
    questions: tuple[Question, ...]
    #: Facts of the machine (firmware, system, processors, mode) that it will run with, where they are not today's.
    runs_with: Mapping[str, Any]
    #: What the goal comes to by what runs today; None where nothing else will run then.
    verdict_today: Verdict | None


@dataclass(frozen=True, slots=True)
class OpenPlan:
    """A plan being worked on inside a transaction."""

    row: PlanRow
    machine: Loaded
    now: Layout
    goal: Layout
    commands: tuple[CommandRow, ...]
    doubts: tuple[DoubtView, ...] = ()
    #: Kinds of module that are on the shelf or offered.
    spares: tuple[Module, ...] = ()

    @property
    def then(self) -> Loaded:
        """The machine as the plan will have it run."""
        return as_planned(self.machine, self.row.runs_with)

    @property
    def discarded(self) -> bool:
        return self.row.discarded_at is not None


def see_plan(engine: Engine, key: UUID) -> PlanView:
    """Raises NotFound."""
    with engine.connect() as db:
        return view_of_plan(open_plan(db, key))


def stage_layouts(plan: OpenPlan) -> tuple[Layout, ...]:
    """What is fitted after each stage; the last is the goal. Of a first stage only what is still part of the goal counts:
    the plan may have been changed since."""
    wanted = plan.row.first_stage
    if wanted is None:
        return (plan.goal,)
    first = Layout(
        {s: wanted.get(s) if wanted.get(s) == plan.goal.get(s) else plan.now.get(s) for s in plan.machine.sheet.slots}
    )
    return (plan.goal,) if first in (plan.now, plan.goal) else (first, plan.goal)


def open_plan(db: Connection, key: UUID, lock: bool = False) -> OpenPlan:
    row = store.find_plan(db, key, lock)
    if row is None:
        raise NotFound("plan")
    machine = load_machine(db, row.machine_id)
    survey = machine.survey if machine.survey.id == row.survey_id else find_survey(db, row.survey_id)
    now = layout_of(survey.content)
    if machine.row.sheet_hash != row.sheet_hash:
        machine = replace(machine, sheet=load_sheet(db, row.sheet_hash))
    doubts = doubts_about(db, machine.sheet.id)
    commands = tuple(store.commands_of(db, key))
    return OpenPlan(
        row=row, machine=machine, now=now, goal=row.goal, commands=commands, doubts=doubts, spares=spares_of(db)
    )


def view_of_plan(plan: OpenPlan) -> PlanView:
    m = plan.machine
    undoable, redoable = _stacks(plan.commands)
    judged = judge(plan.then, plan.goal, plan.now)
    return PlanView(
        id=plan.row.id,
        machine_id=plan.row.machine_id,
        name=plan.row.name,
        state=plan.row.state,
        version=plan.row.version,
        updated_at=plan.row.updated_at,
        now=dict(plan.now),
        goal=dict(plan.goal),
        evaluation_now=judge(m, plan.now),
        evaluation=judged,
        runs_with=runs_with(plan),
        verdict_today=judge(m, plan.goal, plan.now).verdict if plan.row.runs_with else None,
        cures=_cures(plan),
        actions=action_views(actions(m.sheet, plan.now, plan.goal, m.survey.content.failed)),
        can_undo=bool(undoable),
        can_redo=bool(redoable),
        changed_by=plan.commands[-1].by if plan.commands else None,
        survey_changed=m.layout != plan.now,
        sheet_changed=m.row.sheet_hash != plan.row.sheet_hash,
        discarded=plan.discarded,
        first_stage=_first_stage(plan),
        doubts=plan.doubts,
        questions=questions_of(m.sheet, plan.goal, judged),
    )


def runs_with(plan: OpenPlan) -> dict[str, Any]:
    """Facts that the machine will have under the plan and has not today."""
    return plan.row.runs_with.model_dump(exclude_unset=True) if plan.row.runs_with else {}


def _first_stage(plan: OpenPlan) -> tuple[str, ...]:
    stages = stage_layouts(plan)
    return stages[0].changed_from(plan.now) if len(stages) > 1 else ()


def _cures(plan: OpenPlan) -> tuple[CureView | None, ...]:
    return _cure_views(judge_cures(plan.then, plan.goal, plan.now, plan.spares), plan.goal)


def machine_cures(engine: Engine, machine_id: UUID) -> tuple[CureView | None, ...]:
    """A cure for each finding of the machine as it is. Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, machine_id)
        return _cure_views(judge_cures(m, m.layout, None, spares_of(db)), m.layout)


def _cure_views(found: Iterable[Cure | None], goal: Layout) -> tuple[CureView | None, ...]:
    return tuple(
        None
        if c is None
        else CureView(
            actions=action_views(c.actions),
            changes={s: c.layout.get(s) for s in c.layout.changed_from(goal)},
            loses_gib=c.loses_gib,
            gains_gib=c.gains_gib,
            verdict=c.verdict,
        )
        for c in found
    )


def _stacks(commands: Sequence[CommandRow]) -> tuple[list[CommandRow], list[CommandRow]]:
    """(edits that can be undone, edits that can be redone), each with the next one last."""
    undoable: list[CommandRow] = []
    redoable: list[CommandRow] = []
    for command in commands:
        if not command.changes:
            continue  # a new name is no move on the board
        if command.kind == "edit":
            undoable.append(command)
            redoable.clear()
        elif command.kind == "undo":
            redoable.append(undoable.pop())
        else:
            undoable.append(redoable.pop())
    return undoable, redoable
