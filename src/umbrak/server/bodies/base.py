"""What bodies of requests share: no unknown fields, no lax types."""

from __future__ import annotations

from datetime import UTC, datetime, time
from typing import Annotated
from uuid import UUID

from fastapi import Form
from pydantic import AfterValidator, AwareDatetime, ConfigDict, Field, StringConstraints

from umbrak.core.memory.label import MAX_LABEL_LENGTH, part_in
from umbrak.formats.bounds import MAX_SLOTS
from umbrak.formats.documents import Doc, ModuleDoc, Name
from umbrak.formats.quantities import FIRST_DAY, LAST_DAY
from umbrak.formats.spreadsheet import MAX_COLUMNS
from umbrak.services.errors import Refused

# An id comes as text in JSON, which a strict field would refuse.
Id = Annotated[UUID, Field(strict=False)]

#: Times of this trade: what lies outside is a slip of the keys, or cannot be reckoned with.
_FIRST, _LAST = (datetime.combine(d, time(), UTC) for d in (FIRST_DAY, LAST_DAY))

Moment = Annotated[AwareDatetime, Field(strict=False, ge=_FIRST, le=_LAST)]

Version = Annotated[int, Field(ge=1, description="the version that this change was made against")]


class Body(Doc):
    """A document that is built at once: FastAPI asks a body's model for its shape before its first use."""

    model_config = ConfigDict(defer_build=False)


#: Of an authenticator, or for when it is lost.
Code = Annotated[str, StringConstraints(strip_whitespace=True, max_length=40)]


Meant = Annotated[
    tuple[str, ...],
    Form(
        max_length=MAX_COLUMNS,
        description="“column=meaning”, where a column’s name does not say: one of the answer’s `meanings`; in a table of machines also `slot` (a module’s label) or `own`, in others `left out`",
        examples=[["seriennummer=serial", "dimm1=slot"]],
    ),
]


def meant_by(said: tuple[str, ...]) -> dict[str, str]:
    """Column of a table -> what it is said to mean. Raises Refused."""
    parts = [s.rpartition("=") for s in said]
    if any(not equals for _, equals, _ in parts):
        raise Refused("meant", "Say what a column means as “column=meaning”.")
    return {column: meaning for column, _, meaning in parts}


class LabelText(Body):
    text: Annotated[str, StringConstraints(max_length=MAX_LABEL_LENGTH)]


Reports = Annotated[dict[Name, Annotated[int, Field(ge=0, le=1 << 20)]], Field(max_length=MAX_SLOTS)]

Slots = Annotated[list[Name], Field(max_length=MAX_SLOTS)]

#: As typed, or out of a scanned code.
PartNumber = Annotated[Name, AfterValidator(part_in)]

Seconds = Annotated[float, Field(gt=0, le=60, description="after which the best so far is told")]


class OfVersion(Body):
    version: Version


class ModuleBody(Body):
    module: ModuleDoc
