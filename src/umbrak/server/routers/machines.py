"""Machines and their plans' beginnings."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from umbrak.core.targets import Target
from umbrak.server.bodies import NewMachine, NewPlan, TargetsOf
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.services.machines import MachinePage, MachineView, list_machines, machine_targets, make_machine, see_machine
from umbrak.services.plans import PlanView, start_plan

router = APIRouter(prefix="/machines", tags=["machines"])


@router.get("", responses=describe(401, 422))
def page(
    engine: Db,
    _: Person,
    q: Annotated[str, Query(max_length=200, description="text in name, model or place")] = "",
    page: Annotated[int, Query(ge=0, le=100_000)] = 0,
) -> MachinePage:
    """A page of machines, by name."""
    return list_machines(engine, q, page)


@router.post("", status_code=201, responses=describe(401, 403, 404, 422))
def make(body: NewMachine, engine: Db, account: Person) -> MachineView:
    """A machine from an intake."""
    key = make_machine(
        engine,
        account,
        body.name,
        body.sheet_hash,
        body.intake_id,
        body.slots,
        body.processors,
        body.place,
        body.site,
        body.zone,
    )
    return see_machine(engine, key)


@router.get("/{machine_id}", responses=describe(401, 404, 422))
def see(machine_id: UUID, engine: Db, _: Person) -> MachineView:
    """One machine: its board, what is in it, what that comes to."""
    return see_machine(engine, machine_id)


@router.post("/{machine_id}/plans", status_code=201, responses=describe(401, 403, 404, 422))
def plan(machine_id: UUID, body: NewPlan, engine: Db, account: Person) -> PlanView:
    """Start a plan; its goal is the machine as surveyed."""
    return start_plan(engine, account, machine_id, body.name)


@router.post("/{machine_id}/targets", responses=describe(401, 404, 422))
def where_to(machine_id: UUID, body: TargetsOf, engine: Db, _: Person) -> tuple[Target, ...]:
    """Every slot of the machine as it is, as a place for a module: allowed, or why not."""
    return machine_targets(engine, machine_id, body.module.value(), body.taken_from)
