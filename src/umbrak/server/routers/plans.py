"""Plans."""

from __future__ import annotations

from uuid import UUID

from umbrak.core.plan.brief import Brief
from umbrak.core.targets import Target
from umbrak.server.bodies.planning import (
    ArrangementOf,
    PlanAnswer,
    PlanDiscard,
    PlanEdit,
    PlanRename,
    PlanStages,
    PlanStep,
    RunsWith,
    TargetsOf,
)
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.parts.understanding import read_occupants
from umbrak.services.plans.another import MoreView, SameTotalView, more_for, same_total
from umbrak.services.plans.answers import answer_plan
from umbrak.services.plans.brief import see_plan_brief
from umbrak.services.plans.editing import (
    discard_plan,
    edit_plan,
    plan_targets,
    rename_plan,
    set_runs_with,
    stage_plan,
    step_plan,
)
from umbrak.services.plans.proposals import Arrangement, arrange_plan
from umbrak.services.plans.view import PlanCures, PlanView, plan_cures, see_plan
from umbrak.services.plans.weighed import WorthView, see_worth

router = api_router(prefix="/plans", tags=["plans"])


@router.get("/{plan_id}", responses=describe(401, 404, 422))
@while_unchanged
def see(plan_id: UUID, engine: Db, _: Person) -> PlanView:
    """A plan: what it starts from, its goal, what both come to."""
    return see_plan(engine, plan_id)


@router.get("/{plan_id}/cures", responses=describe(401, 404, 422))
@while_unchanged
def cures(plan_id: UUID, engine: Db, _: Person) -> PlanCures:
    """A cure for each finding of the plan, in their order."""
    return plan_cures(engine, plan_id)


@router.get("/{plan_id}/worth", responses=describe(401, 404, 422))
@while_unchanged
def worth(plan_id: UUID, engine: Db, _: Person) -> WorthView:
    """What the plan costs and risks."""
    return see_worth(engine, plan_id)


@router.get("/{plan_id}/more", responses=describe(401, 404, 422))
@while_unchanged
def more(plan_id: UUID, engine: Db, _: Person) -> MoreView | None:
    """What more would meet the machine's need; null where nothing is lacking, or nothing was found in two seconds."""
    return more_for(engine, plan_id)


@router.get("/{plan_id}/same-total", responses=describe(401, 404, 422))
@while_unchanged
def other_way(plan_id: UUID, engine: Db, _: Person) -> tuple[SameTotalView, ...]:
    """The plan and the other way to its total that opens the machine least; empty where there is none."""
    return same_total(engine, plan_id)


@router.get("/{plan_id}/brief", responses=describe(401, 404))
@while_unchanged
def brief(plan_id: UUID, engine: Db, _: Person) -> Brief:
    """What to look for in a shop for the plan: what would do as well, what nearly, what is wrong and why."""
    return see_plan_brief(engine, plan_id)


@router.patch("/{plan_id}", responses=describe(401, 403, 404, 409, 422))
def rename(plan_id: UUID, body: PlanRename, engine: Db, account: Person) -> PlanView:
    """Give the plan a name."""
    return rename_plan(engine, account, plan_id, body.version, body.name)


@router.post("/{plan_id}/edits", responses=describe(401, 403, 404, 409, 422))
def edit(plan_id: UUID, body: PlanEdit, engine: Db, account: Person) -> PlanView:
    """Put modules into slots, or empty slots, as one command that undo takes back."""
    emptied = [slot for slot, given in body.changes.items() if given is None]
    return edit_plan(engine, account, plan_id, body.version, read_occupants(engine, body.changes, "changes"), emptied)


@router.post("/{plan_id}/answers", responses=describe(401, 403, 404, 409, 422))
def answer(plan_id: UUID, body: PlanAnswer, engine: Db, account: Person) -> PlanView:
    """Answer a question: facts of the machine, or of modules in the plan and where they are fitted."""
    return answer_plan(engine, account, plan_id, body.version, body.facts, body.by_part)


@router.put("/{plan_id}/stages", responses=describe(401, 403, 404, 409, 422))
def stages(plan_id: UUID, body: PlanStages, engine: Db, account: Person) -> PlanView:
    """Set what is fitted and proved before the rest, stage by stage."""
    layouts = [read_occupants(engine, s, f"stages.{i}") for i, s in enumerate(body.stages)]
    changes = [{slot: layout.get(slot) for slot in s} for s, layout in zip(body.stages, layouts, strict=True)]
    return stage_plan(engine, account, plan_id, body.version, changes)


@router.put("/{plan_id}/runs-with", responses=describe(401, 403, 404, 409, 422))
def runs_with(plan_id: UUID, body: RunsWith, engine: Db, account: Person) -> PlanView:
    """Say with which firmware, system, processors and mode the machine will run: the plan is judged by those."""
    return set_runs_with(engine, account, plan_id, body.version, body.model_dump(exclude={"version"}))


@router.post("/{plan_id}/steps", responses=describe(401, 403, 404, 409, 422))
def step(plan_id: UUID, body: PlanStep, engine: Db, account: Person) -> PlanView:
    """Undo or redo."""
    return step_plan(engine, account, plan_id, body.version, body.step)


@router.post("/{plan_id}/targets", responses=describe(401, 404, 422))
def where_to(plan_id: UUID, body: TargetsOf, engine: Db, _: Person) -> tuple[Target, ...]:
    """Every slot as a place for a module: allowed, or why not."""
    return plan_targets(engine, plan_id, body.module.value(), body.taken_from)


@router.post("/{plan_id}/arrangements", responses=describe(401, 404, 422))
def arrange(plan_id: UUID, body: ArrangementOf, engine: Db, _: Person) -> Arrangement:
    """Propose to fill the order's next set, or to spread the modules over the sockets. Changes nothing."""
    return arrange_plan(engine, plan_id, body.kind, body.module.value() if body.module else None)


@router.post("/{plan_id}/discard", responses=describe(401, 403, 404, 409, 422))
def discard(plan_id: UUID, body: PlanDiscard, engine: Db, account: Person) -> PlanView:
    """Take the plan from sight, or bring it back."""
    discard_plan(engine, account, plan_id, body.version, body.discarded)
    return see_plan(engine, plan_id)
