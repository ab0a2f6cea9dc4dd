"""Machines that can be asked over the network."""

from __future__ import annotations

from uuid import UUID

from umbrak.server.bodies.machines import AccessBody
from umbrak.server.deps import Db, Out, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.machines.page import MachineView, see_machine
from umbrak.services.surveys.intake import Intake
from umbrak.services.surveys.network import Access, ServiceKind, ask_machine, ask_once, drop_service, keep_service

router = api_router(tags=["services"])


@router.post("/intakes/asked/{kind}", status_code=201, responses=describe(401, 403, 422, 502))
def once(kind: ServiceKind, body: AccessBody, engine: Db, outside: Out, account: Person) -> Intake:
    """Ask a machine that is not kept yet, and take in what it answers. Its secrets are not kept."""
    return ask_once(engine, account, outside, kind, Access(**body.model_dump()))


@router.put("/machines/{machine_id}/services/{kind}", responses=describe(401, 403, 404, 422))
def keep(
    machine_id: UUID, kind: ServiceKind, body: AccessBody, engine: Db, outside: Out, account: Person
) -> MachineView:
    """Keep how a machine is asked; secrets left empty stay as they were."""
    keep_service(engine, account, outside, machine_id, kind, Access(**body.model_dump()))
    return see_machine(engine, machine_id)


@router.delete("/machines/{machine_id}/services/{kind}", responses=describe(401, 403, 404, 422))
def forget(machine_id: UUID, kind: ServiceKind, engine: Db, account: Person) -> MachineView:
    """Forget how a machine is asked."""
    drop_service(engine, account, machine_id, kind)
    return see_machine(engine, machine_id)


@router.post(
    "/machines/{machine_id}/services/{kind}/asking", status_code=201, responses=describe(401, 403, 404, 422, 502)
)
def ask(machine_id: UUID, kind: ServiceKind, engine: Db, outside: Out, account: Person) -> Intake:
    """Ask it now, and take in what it answers; what is known changes only when that is accepted."""
    return ask_machine(engine, account, outside, machine_id, kind)
