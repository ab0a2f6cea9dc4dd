"""Bodies of requests: no unknown fields, no lax types."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from pydantic import ConfigDict, Field, StringConstraints

from umbrak.core.memory.label import MAX_LABEL_LENGTH
from umbrak.formats.documents import Doc, ModuleDoc, Name, OccupantsDoc, ShortText

# An id comes as text in JSON, which a strict field would refuse.
Id = Annotated[UUID, Field(strict=False)]
Version = Annotated[int, Field(ge=1, description="the version that this change was made against")]


class Body(Doc):
    """A document that is built at once: FastAPI asks a body's model for its shape before its first use."""

    model_config = ConfigDict(extra="forbid", strict=True, defer_build=False)


class SignIn(Body):
    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    password: Annotated[str, StringConstraints(min_length=1, max_length=1000)]


class LabelText(Body):
    text: Annotated[str, StringConstraints(max_length=MAX_LABEL_LENGTH)]


class NewMachine(Body):
    name: Name
    sheet_hash: Name
    intake_id: Id
    slots: dict[Name, Annotated[int, Field(ge=0)]] = Field(description="slot -> index of its report in the intake")
    processors: dict[Name, Name | None] = Field(default={}, description="socket -> processor, null where it is empty")
    place: ShortText = ""
    site: ShortText | None = None
    zone: Name = "UTC"


class NewPlan(Body):
    name: Name | None = None


class PlanRename(Body):
    version: Version
    name: Name


class PlanEdit(Body):
    version: Version
    changes: OccupantsDoc = Field(description="slot -> label text, module, or null to empty it")


class PlanStep(Body):
    version: Version
    step: Literal["undo", "redo"]


class TargetsOf(Body):
    module: ModuleDoc
    taken_from: Name | None = None
