"""Plans: every edit is a saved command, undo appends its inverse, a stale write is refused with both sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.targets import Target
from umbrak.formats.documents import MachineDoc
from umbrak.formats.kept import Change, occupant_json
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.known.judging import judge_targets
from umbrak.services.known.loading import Loaded, check_facts, load_machine, sound_layout
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.plans.view import OpenPlan, PlanView, _stacks, open_plan, runs_with, view_of_plan
from umbrak.services.sheets.library import load_sheet
from umbrak.services.shelf.changing import note_needs
from umbrak.store import plans as store
from umbrak.store.accounts import Account
from umbrak.store.history import record


def start_plan(
    engine: Engine,
    account: Account,
    machine_id: UUID,
    name: str | None = None,
    like: UUID | None = None,
    wanted: Layout | None = None,
    stages: Sequence[Layout] = (),
) -> PlanView:
    """A new plan. Its goal is the layout wanted, that of a plan of the same machine (`like`), or what is fitted;
    `stages` is what is fitted and proved before the rest, one after the other.

    Raises NotFound, or Refused when the name is taken or the goal names a slot that there is none of.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        return start_plan_within(db, account, machine_id, name=name, like=like, wanted=wanted, stages=stages)


def start_plan_within(
    db: Connection,
    account: Account,
    machine_id: UUID,
    *,
    name: str | None = None,
    like: UUID | None = None,
    wanted: Layout | None = None,
    stages: Sequence[Layout] = (),
) -> PlanView:
    """`start_plan` within a transaction of somebody else's."""
    m = load_machine(db, machine_id)
    model = store.find_plan(db, like) if like else None
    if like and (model is None or model.machine_id != machine_id):
        raise NotFound("plan")
    names = {p.name for p in store.plans_of(db, machine_id)}
    chosen = (name or "").strip() or next(n for i in range(1, len(names) + 2) if (n := f"Plan {i}") not in names)
    for slot in wanted or ():
        if slot not in m.sheet.slots:
            raise Refused(f"goal.{slot}", f"{m.sheet.title} has no slot {slot}.")
    goal = wanted if wanted is not None else model.goal if model else m.layout
    key = store.add_plan(db, machine_id, chosen, m.row.sheet_hash, m.survey.id, goal)
    if key is None:
        raise Refused("name", f"{m.row.name} has a plan {chosen} already.")
    _check_stages(m, stages)
    store.set_stages(db, key, stages or (model.stages if model else ()))
    note_needs(db, key, sound_layout(m), goal)
    refresh(db, machine_id)
    record(db, "plan started", account.id, machine_id, key, name=chosen, version=1)
    return view_of_plan(open_plan(db, key))


#: A plan of more stages is a plan for each module.
MAX_STAGES = 12


def _check_stages(m: Loaded, stages: Sequence[Layout]) -> None:
    if len(stages) >= MAX_STAGES:
        raise Refused("stages", f"A plan has at most {MAX_STAGES} stages.")
    for i, stage in enumerate(stages):
        for slot in stage:
            if slot not in m.sheet.slots:
                raise Refused(f"stages.{i}.{slot}", f"{m.sheet.title} has no slot {slot}.")


def stage_plan(
    engine: Engine, account: Account, key: UUID, version: int, stages: Sequence[Mapping[str, Occupant | None]]
) -> PlanView:
    """Set what is fitted and proved before the rest.

    Parameters
        stages   of each stage but the last what it changes, on top of those before it; none = all at once

    Raises NotFound, Refused, Stale.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, key, lock=True)
        not_stale(plan, version, {"stages": len(stages)})
        may_change(plan)
        layouts: list[Layout] = []
        for changes in stages:
            layouts.append(Layout({**(layouts[-1] if layouts else plan.now), **changes}))
        _check_stages(plan.machine, [Layout(dict(changes)) for changes in stages])
        store.set_stages(db, key, layouts)
        store.add_command(db, key, version + 1, "edit", {}, plan.goal, account.id)
        refresh(db, plan.row.machine_id)
        record(db, "plan staged", account.id, plan.row.machine_id, key, stages=len(layouts) + 1, version=version + 1)
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
            store.add_command(db, key, version + 1, "edit", {}, plan.goal, account.id)
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
        wanted = _other_than(plan.machine.row.facts, facts)
        check_facts(plan.machine.sheet, MachineDoc(**wanted))
        if wanted != runs_with(plan):
            store.add_command(db, key, version + 1, "edit", {}, plan.goal, account.id)
            store.set_runs_with(db, key, MachineDoc(**wanted) if wanted else None, version + 1)
            refresh(db, plan.row.machine_id)
            record(db, "plan runs with", account.id, plan.row.machine_id, key, facts=wanted, version=version + 1)
        return view_of_plan(open_plan(db, key))


def _other_than(known: MachineDoc, facts: Mapping[str, Any]) -> dict[str, Any]:
    """Of some facts those that are told and not what is known already."""
    processors = {s: p for s, p in facts.get("processors", {}).items() if known.processors.get(s, "") != p}
    other = {n: v for n, v in facts.items() if n != "processors" and v is not None and getattr(known, n) != v}
    return {**other, **({"processors": processors} if processors else {})}


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
        undo = kind == "undo"
        back = {s: (c.after, c.before) if undo else (c.before, c.after) for s, c in stack[-1].changes.items()}
        append_command(db, plan, account, kind, back)
        return view_of_plan(open_plan(db, key))


def discard_plan(engine: Engine, account: Account, key: UUID, version: int, discarded: bool) -> None:
    """Take a plan from sight, or bring it back. Raises NotFound, Stale, Refused when its name is in use again."""
    need(account, Role.technician)
    with engine.begin() as db:
        discard_plan_within(db, account, key, version, discarded)


def discard_plan_within(db: Connection, account: Account, key: UUID, version: int, discarded: bool) -> None:
    """`discard_plan` within a transaction of somebody else's."""
    plan = open_plan(db, key, lock=True)
    not_stale(plan, version, {"discarded": discarded})
    may_change(plan)
    if not discarded and plan.discarded and store.plan_named(db, plan.row.machine_id, plan.row.name):
        raise Refused("name", f"{plan.machine.row.name} has another plan {plan.row.name} by now.")
    if not discarded and load_sheet(db, plan.row.sheet_hash).id != plan.machine.sheet.id:
        raise Refused("name", f"{plan.row.name} was made while {plan.machine.row.name} was taken for another model.")
    store.add_command(db, key, version + 1, "edit", {}, plan.goal, account.id)
    store.discard_plan(db, key, version + 1, discarded)
    refresh(db, plan.row.machine_id)
    action = "plan discarded" if discarded else "plan brought back"
    record(db, action, account.id, plan.row.machine_id, key, name=plan.row.name, version=version + 1)


def plan_targets(engine: Engine, key: UUID, module: Module, taken_from: str | None) -> tuple[Target, ...]:
    """Every slot as a place for a module (see core.targets). Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, key)
    return judge_targets(plan.then, plan.goal, module, taken_from, plan.now)


def may_change(plan: OpenPlan) -> None:
    """What is on the bench, or was, stays as it was when its run sheet was made."""
    if plan.row.state == "under way" or plan.row.ended:
        raise Refused("plan", f"This plan is {plan.row.state}: start another one like it.")


def not_stale(plan: OpenPlan, version: int, yours: dict[str, Any]) -> None:
    if version != plan.row.version:
        by = plan.commands[-1].by if plan.commands else None
        raise Stale(
            f"{by or 'Somebody'} changed this plan meanwhile; nothing of yours was saved.", view_of_plan(plan), yours
        )


def append_command(
    db: Connection,
    plan: OpenPlan,
    account: Account,
    kind: str,
    moves: Mapping[str, tuple[Occupant | None, Occupant | None]],
) -> None:
    goal = Layout({**plan.goal, **{slot: after for slot, (_, after) in moves.items()}})
    changes = {slot: Change(before, after) for slot, (before, after) in moves.items()}
    store.add_command(db, plan.row.id, plan.row.version + 1, kind, changes, goal, account.id)
    failed = plan.machine.survey.content.failed
    note_needs(db, plan.row.id, Layout({s: o for s, o in plan.now.items() if s not in failed}), goal)
    refresh(db, plan.row.machine_id)
    told = {"slots": sorted(changes), "version": plan.row.version + 1}
    record(db, f"plan {kind}", account.id, plan.row.machine_id, plan.row.id, **told)


def _occupants_json(occupants: Mapping[str, Occupant | None]) -> dict[str, Any]:
    return {slot: occupant_json(o) for slot, o in occupants.items()}
