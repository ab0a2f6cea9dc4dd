"""One module: what its label or its SPD says."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import File, UploadFile
from pydantic import BaseModel, Field

from umbrak.core.memory.module import Module
from umbrak.formats.spd import read_spd
from umbrak.formats.spd.decode import MAX_BYTES
from umbrak.formats.to_json import label_json
from umbrak.server.bodies.base import LabelText
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.parts.view import ModuleOfPart, see_label

router = api_router(tags=["module"])


class Piece(BaseModel):
    """A piece of the text, characters `from` to `to` (not included), and the member it told."""

    start: int = Field(alias="from")
    to: int
    field: str
    value: Any


class Left(BaseModel):
    """A piece of the text that said nothing known."""

    start: int = Field(alias="from")
    to: int
    text: str


class Label(BaseModel):
    text: str
    module: Module
    #: The module in a few words.
    short: str
    derived: list[str]
    contradictions: list[str]
    #: What was read otherwise than the text says, and why: a profile's volts.
    remarks: list[str]
    understood: list[Piece]
    not_understood: list[Left]
    kit: int | None
    #: What is known of the part number in it, beside what the label itself says.
    part: ModuleOfPart | None
    #: Known numbers that are nearly what was typed, where nothing in it is understood.
    near: list[str]


class Oddity(BaseModel):
    where: str
    message: str


class Spd(BaseModel):
    """What a module's SPD says of it."""

    module: Module
    short: str
    derived: list[str]
    crc_ok: bool
    warnings: list[Oddity]


@router.post("/spd", responses=describe(400, 401, 422), max_body_size=64 << 10)
def spd(file: Annotated[UploadFile, File(description="the SPD's bytes")], _: Person) -> Spd:
    """Decode the SPD of one module."""
    reading = read_spd(file.file.read(MAX_BYTES + 1))
    warnings = [Oddity(where=w.where, message=w.message) for w in reading.warnings]
    return Spd(
        module=reading.module,
        short=reading.module.short(),
        derived=list(reading.derived),
        crc_ok=reading.crc_ok,
        warnings=warnings,
    )


@router.post("/label", responses=describe(401, 422))
def decode(body: LabelText, engine: Db, _: Person) -> Label:
    """Read label text, with what is known of the part number in it."""
    told, part = see_label(engine, body.text)
    said = {
        **label_json(told.reading),
        "module": told.module,
        "short": told.module.short(),
        "contradictions": told.wrong,
    }
    return Label.model_validate({**said, "part": part, "near": told.near})
