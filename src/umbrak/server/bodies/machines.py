"""Bodies of requests about machines, what is in them, and how they are asked."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import ConfigDict, Field, StringConstraints

from umbrak.formats.about import About, AboutChanges
from umbrak.formats.bounds import MAX_DRIVES, MAX_PROCESSORS, MAX_SLOTS
from umbrak.formats.documents import HashOfSheet, LabelledDoc, MachineDoc, Name, ShortText
from umbrak.formats.sheet.built import BoardAnswers, ClassName
from umbrak.server.bodies.base import Body, Id, Reports, Slots, Version
from umbrak.services.errors import Refused
from umbrak.services.machines.together import MOST, Change
from umbrak.store.machines import Listing


class DriveBody(Body):
    serial: ShortText = ""
    label: ShortText = ""


class NewMachine(About):
    """From an intake, or by hand: what was found in the slots that somebody looked into."""

    id: Id | None = Field(None, description="made by who sends it: sent twice, one machine is made")
    name: Name
    sheet_hash: HashOfSheet | None = Field(None, description="its sheet; or `board`, where none knows it")
    board: BoardAnswers | None = None
    waiting_id: Id | None = Field(None, description="it was kept before its model was known, under this id")
    intake_id: Id | None = None
    slots: Reports = Field(default={}, description="slot -> index of its report in the intake")
    fitted: LabelledDoc = Field(default={}, description="slot -> label text, module, or null where it is empty")
    processors: dict[Name, Name | None] = Field(
        default={}, max_length=MAX_PROCESSORS, description="socket -> processor, null where it is empty"
    )
    bays: dict[Name, DriveBody | None] = Field(
        default={},
        max_length=MAX_DRIVES,
        description="bay -> the drive in it, null where it is empty; left out: not looked at",
    )
    site: ShortText | None = None
    zone: Name = "UTC"


class WaitingBody(About):
    """A machine of which no sheet is known yet."""

    name: Name
    id: Id | None = Field(None, description="made by who sends it: sent twice, it is kept once")
    kind: ClassName | None = None
    make: ShortText = ""
    model: ShortText = ""
    intake_id: Id | None = None
    site: ShortText | None = None
    zone: Name = "UTC"


class ToSettle(Body):
    """Machines that wait, and the sheet of their model."""

    machines: Annotated[list[Id], Field(min_length=1, max_length=1000)]
    sheet_hash: HashOfSheet


class MachineChange(AboutChanges):
    """What is left out stays as it is; a day that is null is taken away."""

    model_config = ConfigDict(defer_build=False)

    version: Version
    name: Name | None = None
    site: ShortText | None = None
    zone: Name | None = None
    facts: MachineDoc | None = None

    def about(self) -> dict[str, Any]:
        """The fields of `About` that change; of those that are text, null says nothing."""
        told = {n: getattr(self, n) for n in About.model_fields if n in self.model_fields_set}
        return {n: v for n, v in told.items() if v is not None or About.model_fields[n].default is None}


class ModelChange(Body):
    version: Version
    sheet_hash: HashOfSheet
    slots: dict[Name, Name] = Field(max_length=MAX_SLOTS, description="slot as it is called now -> slot of that sheet")


class Retirement(Body):
    version: Version
    retired: bool


class SurveyByHand(Body):
    revision: Annotated[int, Field(ge=1, description="the survey that this one is laid over")]
    slots: LabelledDoc = Field(default={}, description="slot -> label text, module, null (empty) or unknown")
    failed: Slots | None = Field(default=None, description="every slot whose module is at fault; null = as before")
    by_part: bool = Field(default=False, description="it adds what is known of part numbers, and nobody saw it")


class BaysSeen(Body):
    revision: Annotated[int, Field(ge=1)]
    bays: dict[Name, DriveBody | Literal["unknown"] | None] = Field(
        max_length=MAX_DRIVES, description="bay number -> its drive, null where it is empty, or unknown"
    )


class Comparison(Body):
    intake_id: Id
    reports: Reports = Field(default={}, description="slot -> index of its report, where the names do not tell")


class Acceptance(Comparison):
    revision: Annotated[int, Field(ge=1, description="the survey that the difference was seen against")]
    slots: Slots = Field(description="slots whose report is taken over; others that differ stay disputed")
    facts: Slots = []


class Settlement(Body):
    revision: Annotated[int, Field(ge=1)]
    slot: Name
    report: Annotated[bool, Field(description="true: the report is right; false: what was known is")]


Secret = Annotated[str, StringConstraints(max_length=1000)]


class AccessBody(Body):
    """Where a machine's service is and how to be let in; what a kind does not use stays empty."""

    address: Name = Field(description="host, host:port or address such as https://10.4.0.7")
    user: ShortText = ""
    authority: Annotated[str, StringConstraints(max_length=100_000)] = Field(
        default="", description="Redfish: certificates of authorities that vouch for it, PEM"
    )
    fingerprint: ShortText = Field(default="", description="Redfish: SHA-256 of its own certificate")
    authentication: Literal["SHA", "SHA-224", "SHA-256", "SHA-384", "SHA-512"] = Field(
        default="SHA", description="SNMP v3: the hash of its user's passphrase"
    )
    password: Secret = Field(default="", description="Redfish: password; SNMP v3: authentication passphrase")
    community: Secret = Field(default="", description="SNMP v2c")
    privacy_password: Secret = Field(default="", description="SNMP v3: privacy passphrase")


class Found(Body):
    """Machines as the list finds them, over all its pages."""

    q: ShortText = ""
    want: Literal["stop", "ask", "risk", "failed"] | None = None
    retired: bool = False

    def listing(self) -> Listing:
        return Listing(self.q.strip(), self.want, self.retired)


class ManyChanges(Body):
    """One change of many machines: of those named, or of all that the list finds."""

    change: Change
    machines: Annotated[list[Id], Field(min_length=1, max_length=MOST)] | None = None
    found: Found | None = None

    def which(self) -> list[UUID] | Listing:
        """Raises Refused unless one of the two is given."""
        if self.machines is not None and self.found is None:
            return self.machines
        if self.found is not None and self.machines is None:
            return self.found.listing()
        raise Refused("machines", "Name the machines, or say what they are found by: one of the two.")


class Merger(Body):
    """A machine that is the same one as the machine that stays."""

    version: Version
    other: Id
    other_version: Version


class Polling(Body):
    machines: Annotated[list[Id], Field(max_length=10_000)] | None = Field(
        default=None, description="those to ask; null = every one that can be asked"
    )


class ReadAs(Body):
    """As which a report is read: one of GET /api/intakes/kinds."""

    kind: Annotated[str, Field(max_length=40)]
