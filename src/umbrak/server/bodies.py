"""Bodies of requests: no unknown fields, no lax types."""

from __future__ import annotations

from datetime import UTC, datetime, time
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import AfterValidator, AwareDatetime, ConfigDict, Field, StringConstraints

from umbrak.core.memory.label import MAX_LABEL_LENGTH, part_in
from umbrak.core.plan.sizing import Sizing, Workload
from umbrak.core.plan.symptoms import Symptoms
from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.about import About, AboutChanges
from umbrak.formats.bounds import MAX_DRIVES, MAX_PROCESSORS, MAX_SLOTS
from umbrak.formats.documents import (
    Doc,
    HashOfSheet,
    LabelledDoc,
    MachineDoc,
    ModuleDoc,
    Name,
    Said,
    ShortText,
    SourceDoc,
    SourceKindName,
    StatementDoc,
    Text,
)
from umbrak.formats.entries import EntryDoc, StepKey
from umbrak.formats.planning import WishesDoc
from umbrak.formats.quantities import (
    FIRST_DAY,
    LAST_DAY,
    BackupTiers,
    Cost,
    Currency,
    Day,
    KitSize,
    LeadDays,
    LineCount,
    Money,
    OnOffer,
    SoakDays,
    TotalGib,
)
from umbrak.formats.sheet.answers import Answer, NewSource
from umbrak.formats.sheet.built import BoardAnswers, ClassName
from umbrak.formats.sheet.questions import AnswerState
from umbrak.services.errors import Refused
from umbrak.services.machines.together import MOST, Change
from umbrak.services.rounds.asked import RoundAsked
from umbrak.store.machines import Listing

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


class LabelText(Body):
    text: Annotated[str, StringConstraints(max_length=MAX_LABEL_LENGTH)]


Reports = Annotated[dict[Name, Annotated[int, Field(ge=0, le=1 << 20)]], Field(max_length=MAX_SLOTS)]
Slots = Annotated[list[Name], Field(max_length=MAX_SLOTS)]


class SheetText(Body):
    text: Annotated[str, StringConstraints(min_length=1, max_length=1 << 20)]


class DraftText(SheetText):
    #: The version that it was written against.
    version: Annotated[int, Field(ge=1)]


class SheetAnswer(Body):
    """An answer to one question of a draft."""

    version: Annotated[int, Field(ge=1)]
    question: Annotated[str, StringConstraints(min_length=1, max_length=400)]
    state: AnswerState
    value: Any = None
    words: Text = ""
    looked: ShortText = ""
    source: Name | None = None
    new_source: SourceDoc | None = None
    clause: ShortText | None = None

    def answer(self) -> Answer:
        new = self.new_source
        return Answer(
            state=self.state,
            value=self.value,
            words=self.words,
            looked=self.looked,
            source=self.source,
            new_source=NewSource(new.title, new.kind, new.date) if new else None,
            clause=self.clause,
        )


class SettleDoubt(Body):
    #: Why it is not so.
    refused: ShortText = ""


class RetireSheet(Body):
    retired: bool
    why: ShortText = ""


class KeepDraft(Body):
    version: Annotated[int, Field(ge=1)]
    why: ShortText = ""


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


class BoardToBuild(Body):
    """Answers, and what is known to run in such a machine."""

    answers: BoardAnswers
    fitted: LabelledDoc = {}
    intake_id: Id | None = None


class NewDraft(Body):
    """Of a sheet of the library, or of one that is not there yet: its text, or its board by answers."""

    hash: HashOfSheet | None = None
    text: Annotated[str, StringConstraints(min_length=1, max_length=1 << 20)] | None = None
    board: BoardToBuild | None = None


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


StateName = Literal["new", "pulled", "suspect", "to-return"]


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


#: As typed, or out of a scanned code.
PartNumber = Annotated[Name, AfterValidator(part_in)]


class StockBody(Body):
    module: ModuleDoc = Field(description="may be empty where the part is known here")
    count: LineCount = 1
    state: StateName = "new"
    part: PartNumber | None = None
    place: ShortText = ""
    note: Text = ""


class StockChange(Body):
    version: Version
    count: Annotated[int, Field(ge=0, le=100_000, description="0 takes the line off")] | None = None
    state: StateName | None = None
    place: ShortText | None = None
    note: Text | None = None


class OfferBody(Body):
    part: PartNumber
    module: ModuleDoc = Field(description="may be empty where the part is known here")
    supplier: ShortText = ""
    price: Money = Field(description="of one kit, in the installation's currency")
    kit: KitSize = 1
    stock: OnOffer | None = None
    lead_days: LeadDays | None = None
    listed: bool | None = None
    priced_on: Day | None = None


class MoneyBody(Body):
    currency: Currency
    hour: Cost = 0
    downtime_hour: Cost = 0
    returned: Cost = 0
    data: Cost = 0
    backup_tiers: BackupTiers = 0
    official_per_gb: Cost = 0
    third_party_per_gb: Cost = 0


Seconds = Annotated[float, Field(gt=0, le=60, description="after which the best so far is told")]


class RoutesOf(Body):
    wishes: WishesDoc = Field(default_factory=WishesDoc)
    seconds: Seconds = 5
    assume: Annotated[
        bool | None,
        Field(
            description="whether to look among what the standards have instead of what is at hand; null: where nothing at hand goes in"
        ),
    ] = None


class WholeLayout(Body):
    slots: LabelledDoc = Field(description="slot -> module: the whole layout that the machine is to have")


class OfVersion(Body):
    version: Version


class NewRoundBody(Body):
    name: ShortText = Field(default="", description="empty: the next number")
    asked: RoundAsked


class RoundBody(Body):
    version: Version
    asked: RoundAsked


class PurchaseBody(Body):
    supplier: ShortText
    reference: ShortText = ""
    ordered_on: Day
    due_on: Day | None = None
    plans: Annotated[
        list[Id], Field(max_length=1000, description="what it is for; none = all that lack something")
    ] = []
    cost: Money = Field(description="what it came to when it was looked at")


class ArrivalBody(Body):
    label: Annotated[str, StringConstraints(max_length=MAX_LABEL_LENGTH)] = Field(
        default="", description="label, part number or code as read; or `spd`"
    )
    spd: ModuleDoc | None = Field(default=None, description="the module as its SPD tells it")
    serial: ShortText = Field(default="", description="where the label does not have it; a scanned code may")
    place: ShortText = Field(default="", description="where on the Shelf it goes")


class DecisionBody(Body):
    keep: bool
    reference: ShortText = Field(default="", description="under which it goes back")
    place: ShortText = ""


class TotalsOf(Body):
    seconds: Seconds = 5


class WorkloadBody(Body):
    kind: ShortText = ""
    count: Annotated[int, Field(ge=0, le=1_000_000)]
    gib: Annotated[float, Field(ge=0, le=1 << 20)]
    busy: Annotated[float, Field(ge=0, le=1, description="share that is busy at once")] = 1


class SizingBody(Body):
    version: Annotated[int, Field(ge=0, le=2**31 - 2, description="0 where nobody said anything yet")]
    workloads: Annotated[list[WorkloadBody], Field(max_length=100)] = []
    base_gib: Annotated[float, Field(ge=0, le=1 << 20)] = 0
    cache_gib: Annotated[float, Field(ge=0, le=1 << 20)] = 0
    growth: Annotated[float, Field(ge=0, le=10, description="a year, as a share")] = 0
    years: Annotated[float, Field(ge=0, le=20)] = 0
    headroom: Annotated[float, Field(ge=0, le=10, description="as a share")] = 0
    used_gib: Annotated[float, Field(ge=0, le=1 << 20)] | None = None

    def value(self) -> Sizing:
        rest = self.model_dump(exclude={"version", "workloads"})
        return Sizing(tuple(Workload(**w.model_dump()) for w in self.workloads), **rest)


_Amount = Annotated[float, Field(ge=0, le=1 << 20)]
_Share = Annotated[float, Field(ge=0, le=1)]


class SymptomsBody(Body):
    """What the machine shows at its worst time; what was not looked at is left out."""

    used_gib: _Amount | None = Field(default=None, description="in use without what caches hold")
    swapped_gib: _Amount | None = None
    pages: bool | None = Field(default=None, description="whether pages come back from swap all the time")
    cache_gib: _Amount | None = None
    cache_hit: _Share | None = Field(default=None, description="share of reads that the cache answers")
    hit_wanted: _Share | None = None
    refused: Annotated[int, Field(ge=0, le=1_000_000)] | None = Field(default=None, description="loads without room")
    refused_gib: _Amount | None = Field(default=None, description="what each of them takes")

    def value(self) -> Symptoms:
        return Symptoms(**self.model_dump())


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


class NewPlan(Body):
    name: Name | None = None
    like: Id | None = Field(default=None, description="a plan of the same machine whose goal it takes over")
    goal: LabelledDoc | None = Field(default=None, description="slot -> module: the whole goal, as of a route")
    stages: list[LabelledDoc] = Field(
        default=[],
        max_length=12,
        description="slot -> module, of each stage but the last: what is fitted and proved first",
    )


class PlanStages(Body):
    version: Version
    stages: list[LabelledDoc] = Field(
        max_length=12,
        description="of each stage but the last the slots that it changes: slot -> module, null = nothing; none = all at once",
    )


class PlanDiscard(Body):
    version: Version
    discarded: bool


class ArrangementOf(Body):
    kind: Literal["next-set", "spread"]
    module: ModuleDoc | None = None


class PlanRename(Body):
    version: Version
    name: Name


class RunsWith(Body):
    """What the machine will run with; what is left out, or as it is today, stays."""

    version: Version
    firmware: Name | None = None
    system: Name | None = None
    mode: Name | None = None
    processors: dict[Name, Name | None] = Field(default={}, max_length=MAX_PROCESSORS)


class PlanEdit(Body):
    version: Version
    changes: LabelledDoc = Field(description="slot -> label text, module, or null to empty it")


FactValue = bool | int | float | ShortText | Annotated[list[float], Field(max_length=8)] | None


class PlanAnswer(Body):
    version: Version
    facts: Annotated[dict[Name, FactValue], Field(min_length=1, max_length=2 * MAX_SLOTS)] = Field(
        description="need (SLOT.member, machine.member) -> value"
    )
    by_part: bool = Field(default=False, description="they are taken from what is known of the modules' part numbers")


class PlanStep(Body):
    version: Version
    step: Literal["undo", "redo"]


class TargetsOf(Body):
    module: ModuleDoc
    taken_from: Name | None = None


class RunStart(Body):
    soak_days: Annotated[float, Field(gt=0, le=365)] = 3.0


class RunWindow(Body):
    """The maintenance window; null = none."""

    start: Moment | None
    end: Moment | None


class ReadAs(Body):
    """As which a report is read: one of GET /api/intakes/kinds."""

    kind: Annotated[str, Field(max_length=40)]


class LightBody(Body):
    """The locator light, on or off."""

    on: bool


class RunEntry(Body):
    """Something entered at the bench; `at` is the bench's own clock."""

    at: Moment
    entry: EntryDoc


class SecondTick(Body):
    """Somebody else ticks a step on this device, by a sign-in of their own."""

    at: Moment
    step: StepKey
    name: Name
    password: Annotated[str, StringConstraints(min_length=1, max_length=1000)]
    #: Asked for where their account has a second factor.
    code: Code | None = None


class BackOut(Body):
    reason: Said
    outcome: Literal["not-seen", "unstable"] | None = Field(default=None, description="noted as a trial where given")


class ReturnBody(Body):
    reference: ShortText = ""
    due_on: Day | None = None


class SignOffBody(Body):
    outcome: Literal["fine", "quirks"]
    note: Text = ""
    place: ShortText = Field(default="", description="where what came out is put")
    returns: dict[Name, ReturnBody] = Field(default={}, description="slot -> return of the module that came out of it")


class PlanApproval(Body):
    version: Version


class SheetTaken(Body):
    version: Version


class ModuleBody(Body):
    module: ModuleDoc


class PartWordBody(Body):
    """What somebody tells of a part number: another number of the same thing, or what it is."""

    number: Name
    same: Name | None = None
    module: ModuleDoc | None = None
    source: Annotated[ShortText, Field(min_length=1, description="where it is written")]


class WaitingLines(Body):
    """What becomes of lines that wait for a model."""

    model: Name
    into: SheetHash | None = Field(default=None, description="the sheet that they go into; null = forget them")
