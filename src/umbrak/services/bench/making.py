"""Runs begun: the run sheet of one stage made and kept, or only looked at."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.plan.sizing import duty_while_open
from umbrak.core.rules.finding import Verdict, could_harm
from umbrak.core.runsheet.make import run_sheet
from umbrak.core.runsheet.step import Minutes, Work
from umbrak.formats.documents import MachineDoc
from umbrak.formats.kept import Begun
from umbrak.services.bench.view import RunView, Stands, StepView, run_view, step_view
from umbrak.services.errors import Refused
from umbrak.services.evidence.trials import beliefs_of
from umbrak.services.known.judging import judge
from umbrak.services.known.rules_version import rules_version
from umbrak.services.known.summaries import refresh
from umbrak.services.people.accounts import Role, need
from umbrak.services.people.settings import evidence_table, money_settings
from umbrak.services.plans.approval import HARM, may_run
from umbrak.services.plans.view import OpenPlan, open_plan, stage_layouts
from umbrak.services.routes.sizing import duty_of
from umbrak.services.runs.entries import ON_DUTY, found_run
from umbrak.store import plans as plan_store
from umbrak.store import runs as store
from umbrak.store.accounts import Account
from umbrak.store.history import record


@dataclass(frozen=True, slots=True)
class PreviewView:
    """A run sheet before it is begun; no steps where the plan changes nothing."""

    steps: tuple[StepView, ...]
    down: Minutes
    hands_on: Minutes
    stages: int


def work_of(db: Connection, plan: OpenPlan, soak_days: float = 3.0) -> list[Work]:
    """What is to be done in each stage of a plan, with all that stands around it."""
    m = plan.machine
    stages = stage_layouts(plan)
    group = duty_of(db, m.row.id, m.row.about.duty_group)
    duty = None
    if group is not None and len(group.members) > 1:
        duty = duty_while_open([v.member() for v in group.members], m.row.name)
    today = datetime.now(UTC).date()
    content = m.survey.content
    table = evidence_table(db)
    claims = tuple(b.doubt.words for b in beliefs_of(db, m, plan.goal, plan.now) if b.doubt.lacks_word(table))
    first = Work(
        now=plan.now,
        goal=stages[0],
        failed=frozenset(content.failed),
        stages=len(stages),
        title=f"{m.row.name}: {plan.row.name}",
        bays={n: (d.serial or d.label) if d else "" for n, d in content.bays.items()},
        group=m.row.about.duty_group,
        duty=duty,
        claims=claims,
        backup_tiers=max(1, money_settings(db).backup_tiers),
        soak_days=soak_days,
        versions=versions_of(plan),
        under_warranty=m.row.about.warranty_end is not None and m.row.about.warranty_end >= today,
    )
    works = [first]
    for i, goal in enumerate(stages[1:], 2):
        works.append(replace(first, now=stages[i - 2], goal=goal, failed=frozenset(), stage=i))
    return works


def versions_of(plan: OpenPlan) -> tuple[tuple[str, str, str], ...]:
    """(what, as it is, as it will be) of the firmware and system that the plan runs with."""
    then, now = plan.row.runs_with or MachineDoc(), plan.machine.row.facts
    told = (("firmware", now.firmware, then.firmware), ("system", now.system, then.system))
    return tuple((what, old or "", new) for what, old, new in told if new)


def start_run(engine: Engine, account: Account, plan_id: UUID, soak_days: float = 3.0) -> RunView:
    """Make the run sheet of the plan's next stage and begin it.

    Raises
        NotFound
        Refused   there is nothing to do, or a stop against it; a lead has to approve it first; the machine is at work already; its
                  slots are not known to be what the plan starts from
    """
    need(account, Role.technician)
    with engine.begin() as db:
        plan = open_plan(db, plan_id, lock=True)
        m = plan.machine
        done = [r for r in store.runs_of_plan(db, plan_id) if r.state in ON_DUTY]
        _may_start(db, plan)
        works = work_of(db, plan, soak_days)
        # Proved stages are in the plan's `now` already.
        stage = len(done) + 1
        stages = len(done) + len(works)
        work = replace(works[0], stage=stage, stages=stages)
        _may_stage(plan, work)
        made = run_sheet(m.sheet, m.machine, work)
        if not any(s.action for s in made.steps):
            raise Refused("plan", "The plan changes nothing: plan modules in Fit first.")
        judged = judge(plan.then, plan.goal, plan.now)
        begun = Begun(
            sheet=made,
            now=work.now,
            goal=work.goal,
            failed=work.failed,
            bays=work.bays,
            soak_days=soak_days,
            verdict=judged.verdict,
            findings=tuple(sorted({f.code for f in judged.findings})),
            sheet_hash=m.sheet.hash,
            firmware=m.machine.firmware,
            rules=str(rules_version()),
        )
        key = store.add_run(db, m.row.id, plan_id, account.id, begun)
        if key is None:
            raise Refused("machine", f"{m.row.name} is on the bench already: end the run that is under way first.")
        plan_store.set_state(db, plan_id, "under way")
        refresh(db, m.row.id)
        record(db, "run started", account.id, m.row.id, plan_id, run=str(key), stage=stage, stages=stages)
        return run_view(db, found_run(db, key))


def _may_start(db: Connection, plan: OpenPlan) -> None:
    judged = judge(plan.then, plan.goal, plan.now)
    if plan.discarded or plan.row.ended:
        raise Refused("plan", f"This plan is {'discarded' if plan.discarded else plan.row.state}: start another one.")
    if plan.machine.layout != plan.now:
        raise Refused(
            "plan", "A newer survey found something else in the slots: make a new plan from what is fitted now."
        )
    if judged.verdict is Verdict.NO_GO:
        raise Refused("plan", "Something stops this plan: Fit says what. Nothing of it may be fitted.")
    if could_harm(judged.findings):
        raise Refused("plan", HARM)
    if why := may_run(db, plan):
        raise Refused("approval", why)


def _may_stage(plan: OpenPlan, work: Work) -> None:
    """A stage stands by itself for days: what stops it is not looked over because the whole plan will do."""
    judged = judge(plan.then, work.goal, plan.now)
    if judged.verdict is Verdict.NO_GO or could_harm(judged.findings):
        against = next((f.message for f in judged.findings), "")
        raise Refused("plan", f"Something stops stage {work.stage} by itself: {against} Change its stages in Fit.")


def preview(engine: Engine, plan_id: UUID) -> PreviewView:
    """The run sheet that the plan's next stage would have today. Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, plan_id)
        work = work_of(db, plan)[0]
        made = run_sheet(plan.machine.sheet, plan.machine.machine, work)
    changes = any(s.action for s in made.steps)
    return PreviewView(
        tuple(step_view(i, s, Stands()) for i, s in enumerate(made.steps, 1)) if changes else (),
        made.down,
        made.hands_on,
        work.stages,
    )
