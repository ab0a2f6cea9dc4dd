"""What to look for in a shop: for a machine's plan, or for any layout that it is to have."""

from __future__ import annotations

from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.plan.brief import Brief, brief_of
from umbrak.core.platform.machine import Layout
from umbrak.services.known.judging import seen_running
from umbrak.services.known.loading import load_machine, sound_layout
from umbrak.services.plans.view import open_plan


def see_brief(engine: Engine, machine_id: UUID, goal: Layout) -> Brief:
    """Of a layout, beyond what is fitted and sound. Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, machine_id)
    return brief_of(m.sheet, m.machine, sound_layout(m), goal, m.statements, seen_running(m))


def see_plan_brief(engine: Engine, plan_id: UUID) -> Brief:
    """Of a plan, with the machine as it will run under it. Raises NotFound."""
    with engine.connect() as db:
        plan = open_plan(db, plan_id)
    m = plan.then
    return brief_of(m.sheet, m.machine, plan.now, plan.goal, m.statements, seen_running(m))
