"""A plan as a page shows it, and as use cases open it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.cures import Cure
from umbrak.core.evaluate import Evaluation, after_proof
from umbrak.core.memory.parts import Part
from umbrak.core.plan.actions import actions
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.questions import Question, offered
from umbrak.core.rules.finding import Verdict
from umbrak.services.errors import NotFound
from umbrak.services.known.asked import asked_parts
from umbrak.services.known.judging import asked_first, judge, judge_cures
from umbrak.services.known.loading import Loaded, as_planned, layout_of, load_machine
from umbrak.services.known.moves import ActionView, action_views
from umbrak.services.known.summaries import known_at_proof
from umbrak.services.parts.known import Numbers
from umbrak.services.sheets.doubts import DoubtView, doubts_about
from umbrak.services.sheets.library import load_sheet
from umbrak.services.shelf.view import spares_of
from umbrak.store import plans as store
from umbrak.store.plans import CommandRow, PlanRow
from umbrak.store.purchases import Waits, waited_for
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
class PlanCures:
    """Cures of a plan, which come after its verdict: they take longer."""

    #: The plan's version that they are of.
    version: int
    #: For each finding of the goal's evaluation, in its order; None where there is none.
    cures: tuple[CureView | None, ...]


@dataclass(frozen=True, slots=True)
class StageView:
    """What is fitted and proved before what comes after it."""

    #: Slot -> what it holds after the stage, of those that it changes; None = nothing.
    changes: Mapping[str, Occupant | None]
    verdict: Verdict
    #: Slots that a later stage changes again.
    again: tuple[str, ...]


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
    #: What each stage changes, in order; empty = all at once.
    stages: tuple[StageView, ...]
    #: Clauses of its sheet that a machine's own proposal contradicted.
    doubts: tuple[DoubtView, ...]
    #: What to answer first.
    questions: tuple[Question, ...]
    #: Facts of the machine (firmware, system, processors, mode) that it will run with, where they are not today's.
    runs_with: Mapping[str, Any]
    #: What the goal comes to by what runs today; None where nothing else will run then.
    verdict_today: Verdict | None
    #: What it comes to since it was proved: what was open or at risk then, the machine has answered. None where it is not proved.
    verdict_proved: Verdict | None
    #: What is on order for it and has not come; None where nothing is.
    waits: Waits | None


@dataclass(frozen=True, slots=True)
class OpenPlan:
    """A plan being worked on inside a transaction."""

    row: PlanRow
    machine: Loaded
    now: Layout
    goal: Layout
    commands: tuple[CommandRow, ...]
    doubts: tuple[DoubtView, ...] = ()
    #: Codes of what was held against it when the work began that proved it; None where it is not proved.
    known_at_proof: frozenset[str] | None = None
    #: Key -> what is known of the parts of which its evaluation asks something.
    parts: Mapping[str, Part] = field(default_factory=dict)
    waits: Waits | None = None

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
    """What is fitted after each stage; the last is the goal. Stages are as somebody set them, also where the plan ends with
    something else in a slot; one that changes nothing is none."""
    found: list[Layout] = []
    for stage in (*plan.row.stages, plan.goal):
        if stage != (found[-1] if found else plan.now):
            found.append(stage)
    return tuple(found) or (plan.goal,)


def open_plan(db: Connection, key: UUID, lock: bool = False) -> OpenPlan:
    row = store.find_plan(db, key, lock)
    if row is None:
        raise NotFound("plan")
    machine = load_machine(db, row.machine_id)
    survey = machine.survey if machine.survey.id == row.survey_id else find_survey(db, row.survey_id)
    now = layout_of(survey.content)
    if machine.row.sheet_hash != row.sheet_hash:
        machine = replace(machine, sheet=Numbers.load(db).widened(load_sheet(db, row.sheet_hash)))
    doubts = doubts_about(db, machine.sheet.id)
    commands = tuple(store.commands_of(db, key))
    goal = row.goal
    parts = asked_parts(db, goal, judge(as_planned(machine, row.runs_with), goal, now))
    return OpenPlan(
        row=row, machine=machine, now=now, goal=goal, commands=commands, doubts=doubts,
        known_at_proof=known_at_proof(db, row), parts=parts, waits=waited_for(db, [key]).get(key),
    )  # fmt: skip


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
        verdict_proved=None if plan.known_at_proof is None else after_proof(judged, plan.known_at_proof).verdict,
        actions=action_views(actions(m.sheet, plan.now, plan.goal, m.survey.content.failed)),
        can_undo=bool(undoable),
        can_redo=bool(redoable),
        changed_by=plan.commands[-1].by if plan.commands else None,
        survey_changed=m.layout != plan.now,
        sheet_changed=m.row.sheet_hash != plan.row.sheet_hash,
        discarded=plan.discarded,
        stages=_stages(plan),
        doubts=plan.doubts,
        waits=plan.waits,
        questions=tuple(offered(q, plan.goal, plan.parts) for q in asked_first(plan.then, plan.goal, judged, plan.now)),
    )


def runs_with(plan: OpenPlan) -> dict[str, Any]:
    """Facts that the machine will have under the plan and has not today."""
    return plan.row.runs_with.model_dump(exclude_unset=True) if plan.row.runs_with else {}


def _stages(plan: OpenPlan) -> tuple[StageView, ...]:
    layouts = stage_layouts(plan)
    if len(layouts) < 2:
        return ()
    changed = [after.changed_from(before) for before, after in zip((plan.now, *layouts), layouts, strict=False)]
    return tuple(
        StageView(
            changes={s: after.get(s) for s in slots},
            verdict=judge(plan.then, after, plan.now).verdict,
            again=tuple(s for s in slots if any(s in later for later in changed[i + 1 :])),
        )
        for i, (after, slots) in enumerate(zip(layouts, changed, strict=True))
    )


def plan_cures(engine: Engine, key: UUID) -> PlanCures:
    """A cure for each finding of the goal's evaluation. Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, key)
        spares = spares_of(db)
    found = judge_cures(plan.then, plan.goal, plan.now, spares)
    return PlanCures(plan.row.version, _cure_views(found, plan.goal))


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
