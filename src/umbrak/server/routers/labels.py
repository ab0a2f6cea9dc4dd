"""Label text."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.formats.to_json import label_json
from umbrak.server.bodies import LabelText
from umbrak.server.deps import Person
from umbrak.server.problems import describe

router = APIRouter(prefix="/label", tags=["label"])


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
    understood: list[Piece]
    not_understood: list[Left]
    kit: int | None


@router.post("", responses=describe(401, 422))
def decode(body: LabelText, _: Person) -> Label:
    """Decode label text."""
    reading = decode_label(body.text)
    return Label.model_validate({**label_json(reading), "module": reading.module, "short": reading.module.short()})
