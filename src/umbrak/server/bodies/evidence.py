"""Bodies of requests about limits, trials and part numbers."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from umbrak.formats.documents import ModuleDoc, Name, ShortText, SourceKindName, StatementDoc, Text
from umbrak.formats.quantities import Day, SoakDays, TotalGib
from umbrak.server.bodies.base import Body, Id

OutcomeName = Literal["fine", "quirks", "not-seen", "unstable"]


class TrialBody(Body):
    sheet_id: Name = Field(description="the model that it was tried on")
    outcome: OutcomeName
    who: SourceKindName
    tried_on: Day
    processor: Name | None = None
    part: Name | None = None
    revision: Name | None = None
    module: ModuleDoc | None = None
    total_gib: TotalGib | None = None
    soak_days: SoakDays = 0
    note: Text = ""
    source: Text = Field("", description="where it is told: a thread, a document, a machine")
    firmware: Name | None = Field(None, description="the firmware that it ran with")


class LinkBody(Body):
    """The page that a statement or a trial stands on."""

    statement_id: Id | None = None
    trial_id: Id | None = None
    link: Annotated[str, Field(min_length=1, max_length=2000)]
    name: ShortText = ""


class EvidenceBody(Body):
    numbers: Annotated[dict[ShortText, Annotated[float, Field(allow_inf_nan=False)]], Field(max_length=200)] = Field(
        description="name -> what this installation sets it to; those left out are as they ship"
    )


class TriedBody(Body):
    """That something was tried on this machine's model, and how it went."""

    outcome: OutcomeName
    who: SourceKindName
    tried_on: Day
    total_gib: TotalGib | None = None
    part: Name | None = None
    module: ModuleDoc | None = None
    soak_days: SoakDays = 0
    firmware: Name | None = None
    source: Text = ""
    note: Text = ""


class NewStatement(Body):
    """What somebody knows: a limit, that something was tried, or both; kept together or not at all."""

    statement: StatementDoc | None = None
    of_model: bool = Field(default=False, description="of every machine of the model, not of this one alone")
    tried: TriedBody | None = None


class PartWordBody(Body):
    """What somebody tells of a part number: another number of the same thing, or what it is."""

    number: Name
    same: Name | None = None
    module: ModuleDoc | None = None
    source: Annotated[ShortText, Field(min_length=1, description="where it is written")]
