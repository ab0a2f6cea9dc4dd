"""Plans: every edit is a saved command, undo appends its inverse, a stale write is refused with both sides."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import BaseModel, Field
from sqlalchemy import Connection, Engine

from umbrak.core.cures import Cure
from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Action, Do, actions
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.questions import Question, questions_of
from umbrak.core.rules.finding import Verdict
from umbrak.core.targets import Target
from umbrak.formats.documents import MachineDoc, layout_json, read_layout
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.known.judging import judge, judge_cures, judge_targets
from umbrak.services.known.loading import Loaded, as_planned, check_facts, layout_of, load_machine, sound_layout
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import load_sheet
from umbrak.services.shelf.shelf import note_needs, spares_of
from umbrak.store import plans as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.plans import CommandRow, PlanRow
from umbrak.store.runs import doubts_of
from umbrak.store.surveys import find_survey


class ActionView(BaseModel):
    """An action under the names of the command line's contract: `from` is no name for a Python field."""

    do: Do
    module: Module | None
    source: str | None = Field(serialization_alias="from")
    target: str | None = Field(serialization_alias="to")


@dataclass(frozen=True, slots=True)
class DoubtView:
    """A clause of a sheet that a machine's own proposal contradicted."""

    id: UUID
    #: Of the rule that rests on it.
    code: str
    clause: str
    words: str
    by: str
    at: datetime


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


def start_plan(
    engine: Engine,
    account: Account,
    machine_id: UUID,
    name: str | None = None,
    like: UUID | None = None,
    wanted: Layout | None = None,
    first_stage: Layout | None = None,
) -> PlanView:
    """A new plan. Its goal is the layout wanted, that of a plan of the same machine (`like`), or what is fitted;
    `first_stage` is what is fitted and proved before the rest.

    Raises NotFound, or Refused when the name is taken or the goal names a slot that there is none of.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        m = load_machine(db, machine_id)
        model = store.find_plan(db, like) if like else None
        if like and (model is None or model.machine_id != machine_id):
            raise NotFound("plan")
        names = {p.name for p in store.plans_of(db, machine_id)}
        chosen = (name or "").strip() or next(n for i in range(1, len(names) + 2) if (n := f"Plan {i}") not in names)
        for slot in wanted or ():
            if slot not in m.sheet.slots:
                raise Refused(f"goal.{slot}", f"{m.sheet.title} has no slot {slot}.")
        goal = layout_json(wanted) if wanted is not None else model.slots if model else layout_json(m.layout)
        key = store.add_plan(db, machine_id, chosen, m.row.sheet_hash, m.survey.id, goal)
        if key is None:
            raise Refused("name", f"{m.row.name} has a plan {chosen} already.")
        for slot in first_stage or ():
            if slot not in m.sheet.slots:
                raise Refused(f"first_stage.{slot}", f"{m.sheet.title} has no slot {slot}.")
        stage: dict[str, Any] | None = model.first_stage if model else None
        if first_stage is not None:
            stage = layout_json(first_stage)
        store.set_first_stage(db, key, stage)
        note_needs(db, key, sound_layout(m), read_layout(goal))
        refresh(db, machine_id)
        record(db, "plan started", account.id, machine_id, key, name=chosen, version=1)
        return view_of_plan(open_plan(db, key))


def see_plan(engine: Engine, key: UUID) -> PlanView:
    """Raises NotFound."""
    with engine.connect() as db:
        return view_of_plan(open_plan(db, key))


def rename_plan(engine: Engine, account: Account, key: UUID, version: int, name: str) -> PlanView:
    """Give the plan a name. Raises Refused when it is empty or taken, Stale when the plan changed meanwhile."""
    need(account, Role.technician)
    name = name.strip()
    if not name:
        raise Refused("name", "Give the plan a name.")
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"name": name})
        if name != plan.row.name:
            if store.plan_named(db, plan.row.machine_id, name):
                raise Refused("name", f"{plan.machine.row.name} has a plan {name} already.")
            store.add_command(db, key, version + 1, "edit", {}, plan.row.slots, account.id)
            store.rename_plan(db, key, name, version + 1)
            refresh(db, plan.row.machine_id)
            record(db, "plan renamed", account.id, plan.row.machine_id, key, name=name, version=version + 1)
        return view_of_plan(open_plan(db, key))


def set_runs_with(engine: Engine, account: Account, key: UUID, version: int, facts: Mapping[str, Any]) -> PlanView:
    """Say with which firmware, system, processors and mode the machine will run under the plan: it is judged by those, and
    what is not so yet becomes a step before the modules.

    Raises NotFound, Stale as `edit_plan`; Refused for a processor or mode that the model does not have.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"runs_with": dict(facts)})
        may_change(plan)
        known = plan.machine.row.facts
        processors = {
            s: p for s, p in facts.get("processors", {}).items() if known.get("processors", {}).get(s, "") != p
        }
        other = {n: v for n, v in facts.items() if n != "processors" and v is not None and known.get(n) != v}
        wanted = {**other, **({"processors": processors} if processors else {})}
        check_facts(plan.machine.sheet, MachineDoc(**wanted))
        if wanted != (plan.row.runs_with or {}):
            store.add_command(db, key, version + 1, "edit", {}, plan.row.slots, account.id)
            store.set_runs_with(db, key, wanted, version + 1)
            refresh(db, plan.row.machine_id)
            record(db, "plan runs with", account.id, plan.row.machine_id, key, facts=wanted, version=version + 1)
        return view_of_plan(open_plan(db, key))


def edit_plan(
    engine: Engine, account: Account, key: UUID, version: int, changes: Layout, emptied: Sequence[str]
) -> PlanView:
    """Put modules into slots and empty others, as one command.

    Raises
        NotFound   no such plan
        Refused    a slot that the sheet does not have; names it
        Stale      the plan is not at `version` any more; carries the plan as it is and the changes asked for
    """
    need(account, Role.technician)
    wanted: dict[str, Occupant | None] = {**dict.fromkeys(emptied), **changes}
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"changes": _occupants_json(wanted)})
        may_change(plan)
        for slot in wanted:
            if slot not in plan.machine.sheet.slots:
                raise Refused(f"changes.{slot}", f"{plan.machine.sheet.title} has no slot {slot}.")
        goal = Layout({**plan.goal, **wanted})
        changed = goal.changed_from(plan.goal)
        if changed:
            append_command(db, plan, account, "edit", {s: (plan.goal.get(s), goal.get(s)) for s in changed})
        return view_of_plan(open_plan(db, key))


def step_plan(engine: Engine, account: Account, key: UUID, version: int, kind: str) -> PlanView:
    """Undo or redo (`kind`) the last edit. Raises Refused when there is none, Stale as `edit_plan`."""
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"step": kind})
        may_change(plan)
        undoable, redoable = _stacks(plan.commands)
        stack = undoable if kind == "undo" else redoable
        if not stack:
            raise Refused("step", f"There is nothing to {kind}.")
        origin, into = ("to", "from") if kind == "undo" else ("from", "to")
        back = {slot: (_occupant(c[origin]), _occupant(c[into])) for slot, c in stack[-1].changes.items()}
        append_command(db, plan, account, kind, back)
        return view_of_plan(open_plan(db, key))


def discard_plan(engine: Engine, account: Account, key: UUID, version: int, discarded: bool) -> None:
    """Take a plan from sight, or bring it back. Raises NotFound, Stale, Refused when its name is in use again."""
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"discarded": discarded})
        may_change(plan)
        if not discarded and plan.discarded and store.plan_named(db, plan.row.machine_id, plan.row.name):
            raise Refused("name", f"{plan.machine.row.name} has another plan {plan.row.name} by now.")
        store.add_command(db, key, version + 1, "edit", {}, plan.row.slots, account.id)
        store.discard_plan(db, key, version + 1, discarded)
        refresh(db, plan.row.machine_id)
        action = "plan discarded" if discarded else "plan brought back"
        record(db, action, account.id, plan.row.machine_id, key, name=plan.row.name, version=version + 1)


def plan_targets(engine: Engine, key: UUID, module: Module, taken_from: str | None) -> tuple[Target, ...]:
    """Every slot as a place for a module (see core.targets). Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, key)
    return judge_targets(plan.then, plan.goal, module, taken_from)


def stage_layouts(plan: OpenPlan) -> tuple[Layout, ...]:
    """What is fitted after each stage; the last is the goal. Of a first stage only what is still part of the goal counts:
    the plan may have been changed since."""
    wanted = read_layout(plan.row.first_stage) if plan.row.first_stage else None
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
    return OpenPlan(row, machine, now, read_layout(row.slots), commands, doubts, spares_of(db))


def doubts_about(db: Connection, sheet_id: str) -> tuple[DoubtView, ...]:
    return tuple(DoubtView(d.id, d.code, d.clause, d.words, d.by, d.at) for d in doubts_of(db, sheet_id))


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
        runs_with=plan.row.runs_with or {},
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


def _first_stage(plan: OpenPlan) -> tuple[str, ...]:
    stages = stage_layouts(plan)
    return stages[0].changed_from(plan.now) if len(stages) > 1 else ()


def action_views(done: Iterable[Action]) -> tuple[ActionView, ...]:
    return tuple(ActionView(do=a.do, module=a.module, source=a.source, target=a.target) for a in done)


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


def may_change(plan: OpenPlan) -> None:
    """What is on the bench, or was, stays as it was when its run sheet was made."""
    if plan.row.state in ("under way", "proved", "backed out"):
        raise Refused("plan", f"This plan is {plan.row.state}: start another one like it.")


def not_stale(plan: OpenPlan, version: int, yours: dict[str, Any]) -> None:
    if version != plan.row.version:
        by = plan.commands[-1].by if plan.commands else None
        raise Stale(
            f"{by or 'Somebody'} changed this plan meanwhile; nothing of yours was saved.", view_of_plan(plan), yours
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


def append_command(
    db: Connection,
    plan: OpenPlan,
    account: Account,
    kind: str,
    moves: Mapping[str, tuple[Occupant | None, Occupant | None]],
) -> None:
    goal = Layout({**plan.goal, **{slot: after for slot, (_, after) in moves.items()}})
    changes = {slot: {"from": _json(before), "to": _json(after)} for slot, (before, after) in moves.items()}
    store.add_command(db, plan.row.id, plan.row.version + 1, kind, changes, layout_json(goal), account.id)
    failed = plan.machine.survey.content.failed
    note_needs(db, plan.row.id, Layout({s: o for s, o in plan.now.items() if s not in failed}), goal)
    refresh(db, plan.row.machine_id)
    told = {"slots": sorted(changes), "version": plan.row.version + 1}
    record(db, f"plan {kind}", account.id, plan.row.machine_id, plan.row.id, **told)


def _json(occupant: Occupant | None) -> Any:
    return layout_json(Layout({"x": occupant})).get("x")


def _occupant(document: Any) -> Occupant | None:
    return read_layout({"x": document}).get("x")


def _occupants_json(occupants: Mapping[str, Occupant | None]) -> dict[str, Any]:
    return {slot: None if o is None else "unknown" if o is UNKNOWN else _json(o) for slot, o in occupants.items()}
