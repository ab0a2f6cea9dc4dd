"""Boards built by answers, for machines that no sheet knows."""

from __future__ import annotations

from uuid import UUID

from umbrak.formats.documents import HashOfSheet
from umbrak.formats.sheet.begun import Preset
from umbrak.server.bodies.sheets import BoardToBuild
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.parts.understanding import read_occupants
from umbrak.services.sheets.building import BegunView, BuiltView, from_intake, like_sheet, presets, see_built

router = api_router(prefix="/boards", tags=["boards"])


@router.get("/presets", responses=describe(401))
def common(_: Person) -> tuple[Preset, ...]:
    """Common architectures: shapes to begin from."""
    return presets()


@router.post("", responses=describe(401, 404, 422))
def built(body: BoardToBuild, engine: Db, _: Person) -> BuiltView:
    """What answers come to: the board as it would be drawn, what is wrong with them, what will be asked. Keeps nothing."""
    return see_built(engine, body.answers, read_occupants(engine, body.fitted, "fitted"), body.intake_id)


@router.get("/like/{sheet_hash}", responses=describe(401, 404, 422))
def like(sheet_hash: HashOfSheet, engine: Db, _: Person) -> BegunView:
    """The board of a sheet as answers, to begin another like it."""
    return like_sheet(engine, sheet_hash)


@router.get("/from/{intake_id}", responses=describe(401, 404, 422))
def reported(intake_id: UUID, engine: Db, _: Person) -> BegunView:
    """The board that a report shows, as answers."""
    return from_intake(engine, intake_id)
