"""Machines and their plans' beginnings."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Literal
from uuid import UUID

from fastapi import Query, Response

from umbrak.core.platform.known import Drive
from umbrak.core.targets import Target
from umbrak.formats.about import About
from umbrak.formats.documents import HashOfSheet
from umbrak.server.bodies.machines import (
    Acceptance,
    BaysSeen,
    Comparison,
    DriveBody,
    MachineChange,
    Merger,
    ModelChange,
    NewMachine,
    Retirement,
    Settlement,
    SurveyByHand,
)
from umbrak.server.bodies.planning import NewPlan, TargetsOf
from umbrak.server.bodies.sheets import SheetTaken
from umbrak.server.deps import Db, Person, Searched
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.errors import Refused
from umbrak.services.known.loading import load_machine
from umbrak.services.machines import making as service
from umbrak.services.machines.exports import MEDIA_TYPES, As, What
from umbrak.services.machines.exports import export as export_table
from umbrak.services.machines.filled import FilledModule, see_filled
from umbrak.services.machines.listing import MachinePage, list_machines
from umbrak.services.machines.making import make_machine
from umbrak.services.machines.merging import Twins, delete_machine, list_twins, merge_machines
from umbrak.services.machines.newer import ChangedVerdicts, NewerSheet, changed_verdicts, newer_sheet, take_newer_sheet
from umbrak.services.machines.page import MachineView, machine_history, machine_targets, see_machine
from umbrak.services.machines.remodel import OtherModel, change_model, see_other_model
from umbrak.services.machines.table import export_fleet
from umbrak.services.parts.understanding import read_occupants
from umbrak.services.plans.editing import start_plan
from umbrak.services.plans.proposals import PlanBrief, compare_plans
from umbrak.services.plans.view import CureView, PlanView, machine_cures
from umbrak.services.shelf.trail import see_elsewhere
from umbrak.services.surveys import by_hand, resurvey
from umbrak.services.surveys.resurvey import Difference, see_difference
from umbrak.store.history import HistoryLine
from umbrak.store.machines import Listing
from umbrak.store.whereabouts import ElsewhereRow

router = api_router(prefix="/machines", tags=["machines"])


@router.get("", responses=describe(401, 422))
def page(
    engine: Db,
    _: Person,
    q: Annotated[Searched, Query(description="text in name, model, place or duty group")] = "",
    page: Annotated[int, Query(ge=0, le=100_000)] = 0,
    order: Annotated[
        Literal["name", "worst", "oldest"],
        Query(description="by name, what is worst first, or the oldest survey first"),
    ] = "name",
    by: Annotated[Literal["place", "group", "model"] | None, Query(description="grouped by")] = None,
    want: Annotated[Literal["stop", "ask", "risk", "failed"] | None, Query(description="only these")] = None,
    retired: Annotated[bool, Query(description="the retired ones instead")] = False,
) -> MachinePage:
    """A page of machines."""
    return list_machines(engine, Listing(q.strip(), want, retired, order, by), page)


@router.post("", status_code=201, responses=describe(401, 403, 404, 422))
def make(body: NewMachine, engine: Db, account: Person) -> MachineView:
    """A machine from an intake, or by hand."""
    new = service.NewMachine(
        reports=body.slots,
        fitted=read_occupants(engine, body.fitted, "fitted"),
        emptied=[slot for slot, given in body.fitted.items() if given is None],
        about=About(**body.model_dump(include=set(About.model_fields))),
        board=body.board,
        bays=_bays(body.bays),
        **body.model_dump(exclude={"slots", "fitted", "board", "bays", *About.model_fields}),
    )
    return see_machine(engine, make_machine(engine, account, new))


@router.get("/verdicts/changed", responses=describe(401, 422))
def rejudged(
    engine: Db,
    _: Person,
    days: Annotated[int, Query(ge=1, le=3650, description="of how many days")] = 30,
    before: Annotated[int | None, Query(ge=1, le=1 << 62, description="id of the last change seen")] = None,
) -> ChangedVerdicts:
    """Layouts that are judged otherwise than before although nobody changed them, the newest first, a page at a time."""
    return changed_verdicts(engine, days, before)


@router.get("/twins", responses=describe(401))
def twins(engine: Db, _: Person) -> tuple[Twins, ...]:
    """Machines that share a serial number or asset tag, which only one can have."""
    return list_twins(engine)


@router.get("/file", responses={**describe(401), 200: {"content": {"text/csv": {}}}}, response_class=Response)
def export(engine: Db, _: Person) -> Response:
    """The machines that are looked after, as CSV: what a table of machines is read from, but for the slots."""
    headers = {"Content-Disposition": 'attachment; filename="machines.csv"'}
    return Response(export_fleet(engine), media_type="text/csv; charset=utf-8", headers=headers)


@router.get(
    "/exports/{what}",
    responses={**describe(401, 422), 200: {"content": {t: {} for t in MEDIA_TYPES.values()}}},
    response_class=Response,
)
def whole(what: What, engine: Db, _: Person, as_: Annotated[As, Query(alias="as")] = As.CSV) -> Response:
    """All machines, slots, modules or plans of what is looked after, as a table."""
    headers = {"Content-Disposition": f'attachment; filename="{what.value}.{as_.value}"'}
    return Response(export_table(engine, what, as_), media_type=MEDIA_TYPES[as_], headers=headers)


@router.get("/{machine_id}", responses=describe(401, 404, 422))
@while_unchanged
def see(machine_id: UUID, engine: Db, _: Person) -> MachineView:
    """One machine: its board, what is in it, what that comes to."""
    return see_machine(engine, machine_id)


@router.patch("/{machine_id}", responses=describe(401, 403, 404, 409, 422))
def change(machine_id: UUID, body: MachineChange, engine: Db, account: Person) -> MachineView:
    """Change what is given; `facts` is the whole of them."""
    changes = service.MachineChanges(
        name=body.name, site=body.site, zone=body.zone, facts=body.facts, about=body.about()
    )
    service.change_machine(engine, account, machine_id, body.version, changes)
    return see_machine(engine, machine_id)


@router.post("/{machine_id}/retirement", responses=describe(401, 403, 404, 409, 422))
def retire(machine_id: UUID, body: Retirement, engine: Db, account: Person) -> MachineView:
    """Take the machine from the list, or bring it back."""
    service.retire_machine(engine, account, machine_id, body.version, body.retired)
    return see_machine(engine, machine_id)


@router.post("/{machine_id}/merger", responses=describe(401, 403, 404, 409, 422))
def merge(machine_id: UUID, body: Merger, engine: Db, account: Person) -> MachineView:
    """Another machine is the same one: what is told of it is told of this one, and the other is no more."""
    merge_machines(engine, account, machine_id, body.version, body.other, body.other_version)
    return see_machine(engine, machine_id)


@router.delete("/{machine_id}", status_code=204, responses=describe(401, 403, 404, 409, 422))
def delete(machine_id: UUID, version: Annotated[int, Query(ge=1)], engine: Db, account: Person) -> None:
    """Take a machine that was made by mistake away for good; one that was worked on is refused."""
    delete_machine(engine, account, machine_id, version)


@router.post("/{machine_id}/surveys", responses=describe(401, 403, 404, 409, 422))
def survey(machine_id: UUID, body: SurveyByHand, engine: Db, account: Person) -> MachineView:
    """What somebody saw in some slots: a new survey over the newest one."""
    emptied = [slot for slot, given in body.slots.items() if given is None]
    by_hand.survey_by_hand(
        engine,
        account,
        machine_id,
        body.revision,
        read_occupants(engine, body.slots, "slots"),
        emptied,
        body.failed,
        body.by_part,
    )
    return see_machine(engine, machine_id)


@router.post("/{machine_id}/difference", responses=describe(401, 404, 422))
def difference(machine_id: UUID, body: Comparison, engine: Db, _: Person) -> Difference:
    """What an intake says beside what is known. Changes nothing."""
    return see_difference(engine, machine_id, body.intake_id, body.reports)


@router.post("/{machine_id}/acceptance", responses=describe(401, 403, 404, 409, 422))
def take_over(machine_id: UUID, body: Acceptance, engine: Db, account: Person) -> MachineView:
    """Take over what is chosen of a difference, as a new survey."""
    taken = resurvey.Acceptance(body.intake_id, body.revision, body.reports, body.slots, body.facts)
    resurvey.accept(engine, account, machine_id, taken)
    return see_machine(engine, machine_id)


@router.post("/{machine_id}/settlement", responses=describe(401, 403, 404, 409, 422))
def settle(machine_id: UUID, body: Settlement, engine: Db, account: Person) -> MachineView:
    """Settle what is disputed about a slot."""
    resurvey.settle(engine, account, machine_id, body.revision, body.slot, body.report)
    return see_machine(engine, machine_id)


@router.put("/{machine_id}/bays", responses=describe(401, 403, 404, 409, 422))
def bays(machine_id: UUID, body: BaysSeen, engine: Db, account: Person) -> MachineView:
    """Which drive is in which bay, as somebody saw it."""
    seen = _bays({n: d for n, d in body.bays.items() if not isinstance(d, str)})
    unknown = list(_bays({n: None for n, d in body.bays.items() if d == "unknown"}))
    by_hand.record_bays(engine, account, machine_id, body.revision, seen, unknown)
    return see_machine(engine, machine_id)


def _bays(given: Mapping[str, DriveBody | None]) -> dict[int, Drive | None]:
    """Drives by the number of their bay. Raises Refused for what is no number."""
    for number in given:
        if not re.fullmatch("[0-9]{1,5}", number):
            raise Refused(f"bays.{number}", "A bay is named by its number.")
    return {int(n): Drive(d.serial.strip(), d.label.strip()) if d else None for n, d in given.items()}


@router.get("/{machine_id}/history", responses=describe(401, 404, 422))
def history(
    machine_id: UUID, engine: Db, _: Person, before: Annotated[int | None, Query(ge=1, le=1 << 62)] = None
) -> list[HistoryLine]:
    """Who did what to the machine and its plans, newest first, a page at a time."""
    return machine_history(engine, machine_id, before)


@router.get("/{machine_id}/plans", responses=describe(401, 404, 422))
@while_unchanged
def plans(machine_id: UUID, engine: Db, _: Person) -> tuple[PlanBrief, ...]:
    """The machine as it is and its plans, side by side."""
    return compare_plans(engine, machine_id)


@router.post("/{machine_id}/plans", status_code=201, responses=describe(401, 403, 404, 422))
def plan(machine_id: UUID, body: NewPlan, engine: Db, account: Person) -> PlanView:
    """Start a plan; its goal is the machine as surveyed, or that of another plan."""
    goal = read_occupants(engine, body.goal, "goal") if body.goal is not None else None
    stages = [read_occupants(engine, s, f"stages.{i}") for i, s in enumerate(body.stages)]
    return start_plan(engine, account, machine_id, body.name, body.like, goal, stages)


@router.get("/{machine_id}/newer-sheet", responses=describe(401, 404, 422))
@while_unchanged
def newer(machine_id: UUID, engine: Db, _: Person) -> NewerSheet | None:
    """What a newer revision of its sheet would make of the machine and its plans; null where there is none."""
    with engine.connect() as db:
        return newer_sheet(db, load_machine(db, machine_id))


@router.post("/{machine_id}/newer-sheet", responses=describe(401, 403, 404, 409, 422))
def take_newer(machine_id: UUID, body: SheetTaken, engine: Db, account: Person) -> MachineView:
    """Bring the machine and its plans under the newest revision of its sheet."""
    take_newer_sheet(engine, account, machine_id, body.version)
    return see_machine(engine, machine_id)


@router.get("/{machine_id}/as/{sheet_hash}", responses=describe(401, 404, 422))
def as_other(machine_id: UUID, sheet_hash: HashOfSheet, engine: Db, _: Person) -> OtherModel:
    """What would become of it under the sheet of another model: where its slots seem to belong, what has no meaning there."""
    return see_other_model(engine, machine_id, sheet_hash)


@router.put("/{machine_id}/model", responses=describe(401, 403, 404, 409, 422))
def remodel(machine_id: UUID, body: ModelChange, engine: Db, account: Person) -> MachineView:
    """It is another model than it was taken for: bring it under that sheet, its slots where they belong there."""
    change_model(engine, account, machine_id, body.version, body.sheet_hash, body.slots)
    return see_machine(engine, machine_id)


@router.post("/{machine_id}/targets", responses=describe(401, 404, 422))
def where_to(machine_id: UUID, body: TargetsOf, engine: Db, _: Person) -> tuple[Target, ...]:
    """Every slot of the machine as it is, as a place for a module: allowed, or why not."""
    return machine_targets(engine, machine_id, body.module.value(), body.taken_from)


@router.get("/{machine_id}/known-parts", responses=describe(401, 404, 422))
def known_parts(machine_id: UUID, engine: Db, _: Person) -> list[FilledModule]:
    """What part numbers tell of its modules that is open in them, and nothing contradicts."""
    return see_filled(engine, machine_id)


@router.get("/{machine_id}/elsewhere", responses=describe(401, 404, 422))
def elsewhere(machine_id: UUID, engine: Db, _: Person) -> list[ElsewhereRow]:
    """Modules known to be in it, by their serial numbers, that another machine showed since: they are hardly here any more."""
    return see_elsewhere(engine, machine_id)


@router.get("/{machine_id}/cures", responses=describe(401, 404, 422))
@while_unchanged
def cures(machine_id: UUID, engine: Db, _: Person) -> tuple[CureView | None, ...]:
    """A cure for each finding of the machine as it is, in their order."""
    return machine_cures(engine, machine_id)
