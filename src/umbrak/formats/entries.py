"""What is entered of a run at the bench: ticks, notes, evidence. One shape for what comes in and what is kept."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import AfterValidator, ConfigDict, Field, StringConstraints, TypeAdapter, model_validator

from umbrak.core.memory.label import decode_label, serial_in
from umbrak.core.proof.suspects import Symptom
from umbrak.core.proof.wanted import Wanted
from umbrak.formats.bounds import MAX_DRIVES, MAX_SLOTS
from umbrak.formats.documents import Doc, Name, OccupantsDoc, Said, ShortText, Text

StepKey = Annotated[ShortText, Field(min_length=1)]
SlotName = Name
Words = Annotated[Text, AfterValidator(str.strip)]
Slots = Annotated[list[SlotName], Field(max_length=MAX_SLOTS)]
#: An id in text: of something taken in earlier.
Key = Annotated[str, StringConstraints(pattern="^[0-9a-fA-F-]{36}$")]
Amount = Annotated[float, Field(ge=0, le=1e9)]
Count = Annotated[int, Field(ge=0, le=10**12)]
SymptomName = Literal["no start", "coded beeps or lights", "total short", "slots of a channel gone", "memory test fails", "restarts under load", "counters rising"]  # fmt: skip
assert set(SymptomName.__args__) == set(Symptom)  # type: ignore[attr-defined]


#: What a lead can go on without; that nothing speaks against it is looked at when it is entered.
WaivedName = Literal["slots", "memory test", "slots after closing", "alerts", "soak", "run sheet"]
assert set(WaivedName.__args__) == set(Wanted) - {Wanted.SEARCH, Wanted.DUTY}  # type: ignore[attr-defined]


class Entry(Doc):
    """The base: built at once, since it is a request's body too."""

    model_config = ConfigDict(extra="forbid", strict=True, defer_build=False)


class DoneDoc(Entry):
    """A step is done."""

    kind: Literal["done"]
    step: StepKey
    #: Why nobody else looked, at a hold point that wants somebody else.
    alone: Words = ""


class UndoneDoc(Entry):
    """A tick is taken back."""

    kind: Literal["undone"]
    step: StepKey


class NotRightDoc(Entry):
    """Something is not as the step says."""

    kind: Literal["not-right"]
    step: StepKey
    text: Words = ""


class NoteDoc(Entry):
    kind: Literal["note"]
    step: StepKey | None = None
    text: Said


class DoubtDoc(Entry):
    """The machine is not as its sheet says."""

    kind: Literal["doubt"]
    step: StepKey | None = None
    text: Said
    #: Bays that had to come out beside those that the sheet names.
    bays: Annotated[list[Annotated[int, Field(ge=0, le=10_000)]], Field(max_length=MAX_DRIVES)] = []
    #: What is printed at the step's slot.
    printed: Annotated[ShortText, AfterValidator(str.strip)] = ""
    #: Whether opening it ends the warranty: a seal that breaks.
    seal: bool = False


class LabelDoc(Entry):
    """The label of the module that goes into a slot, and its serial."""

    kind: Literal["label"]
    slot: SlotName
    text: Words = ""
    serial: Annotated[ShortText, AfterValidator(serial_in)] = ""

    @model_validator(mode="after")
    def _of_the_label(self) -> LabelDoc:
        """A code or label that has the serial in it is enough."""
        self.serial = self.serial or decode_label(self.text).module.serial or ""
        return self


class ChangedDoc(Entry):
    """A module was changed or drawn beside the run sheet: what was seen before is of another machine."""

    kind: Literal["changed"]
    slots: Annotated[list[SlotName], Field(min_length=1, max_length=MAX_SLOTS)]
    #: Whether the rate or the supply changed with it.
    rate: bool = False
    text: Words = ""


class WaivedDoc(Entry):
    """A lead goes on without what the proof lacks."""

    kind: Literal["waived"]
    what: WaivedName
    reason: Said


class SurveyDoc(Entry):
    """What the machine shows after the work: a report that was taken in, or seen by hand."""

    kind: Literal["survey"]
    intake_id: Key | None = None
    #: Slot -> index of its report, where names do not tell.
    reports: Annotated[dict[SlotName, Annotated[int, Field(ge=0, le=1 << 20)]], Field(max_length=MAX_SLOTS)] = {}
    #: By hand: slot -> what is seen in it, null = nothing; slots left out were not looked at.
    slots: OccupantsDoc | None = None
    #: By hand: totals as the machine shows them. [GiB]
    installed_gib: Amount | None = None
    usable_gib: Amount | None = None


class MemoryTestDoc(Entry):
    """A memory test that ended; a log of one comes by itself and is read."""

    kind: Literal["memory-test"]
    tool: StepKey
    passes: Annotated[int, Field(ge=0, le=100_000)]
    errors: Count
    #: How much it went over; null = all that there is. [GiB]
    tested_gib: Amount | None = None
    text: Words = ""


class TestWithdrawnDoc(Entry):
    """A memory test's result was entered wrong, or is of something else: it counts no more."""

    kind: Literal["test-withdrawn"]
    test: Key
    text: Annotated[Words, Field(min_length=1)]


class ReadingDoc(Entry):
    """Counters and temperatures: from a report that was taken in, or by hand."""

    kind: Literal["reading"]
    intake_id: Key | None = None
    slots: Annotated[dict[SlotName, HealthDoc], Field(max_length=MAX_SLOTS)] = {}
    #: Counters that stand for a whole channel.
    channels: Annotated[dict[Name, HealthDoc], Field(max_length=MAX_SLOTS)] = {}


class HealthDoc(Entry):
    correctable: Count | None = None
    uncorrectable: Count | None = None
    temperature_c: Annotated[float, Field(ge=-60, le=200)] | None = None


class SoakDoc(Entry):
    """The soak begins."""

    kind: Literal["soak"]
    days: Annotated[float, Field(gt=0, le=365)]


class CountingDoc(Entry):
    """Whether the machine counts errors where somebody can read it."""

    kind: Literal["counting"]
    counted: bool
    text: Words = ""


class RestartDoc(Entry):
    """A restart that nobody planned."""

    kind: Literal["restart"]
    text: Words = ""


class ScrubDoc(Entry):
    """A scrub of the array ended."""

    kind: Literal["scrub"]
    clean: bool


class AlertDoc(Entry):
    """An alert of the machine's own; `expected` where a person says so, else its words decide."""

    kind: Literal["alert"]
    text: Said
    expected: bool | None = None


class ClearedDoc(Entry):
    """Old alerts and lights were cleared, and read again."""

    kind: Literal["cleared"]
    #: What came back; "" = nothing did.
    back: Words = ""
    #: Whether that is what these parts are known to cause, where a person says so; else its words decide.
    expected: bool | None = None


class AllocationDoc(Entry):
    """One workload was given a share, and its use watched. [GiB]"""

    kind: Literal["allocation"]
    share_gib: Annotated[float, Field(gt=0, le=1e9)]
    used_gib: Amount
    text: Words = ""


class ProposalDoc(Entry):
    """The machine proposes other positions: from -> to."""

    kind: Literal["proposal"]
    moves: Annotated[dict[SlotName, SlotName], Field(min_length=1, max_length=500)]


class SymptomDoc(Entry):
    """A fault search begins, with the boot at which it was first seen."""

    kind: Literal["symptom"]
    symptom: SymptomName
    #: Slots at which it shows, where that is told.
    dark: Slots = []
    #: Slots that a light, a code or a log names.
    named: Slots = []


class BootDoc(Entry):
    """One boot of a fault search. Modules are named by the slot they were planned for."""

    kind: Literal["boot"]
    arrangement: Annotated[dict[SlotName, SlotName], Field(max_length=MAX_SLOTS)]
    reseated: Slots = []
    dark: Slots = []
    showed: bool = False
    #: Slots that a light, a code or a log names.
    named: Slots = []


class BootUndoneDoc(Entry):
    """A boot's answer was wrong: it counts no more."""

    kind: Literal["boot-undone"]
    boot: Key


class FoundDoc(Entry):
    """A fault search ended: what was done with the culprit."""

    kind: Literal["found"]
    text: Words = ""
    #: The module that was at fault, by the slot it was planned for: it leaves the machine, and its like goes in.
    module: SlotName | None = None
    fate: Literal["suspect", "to-return"] = "suspect"
    serial: Annotated[ShortText, AfterValidator(serial_in)] = ""
    reference: ShortText = ""
    due_on: date | None = None
    place: ShortText = ""


ReadingDoc.model_rebuild()
#: What a person, or the bench's page, sends.
EntryDoc = Annotated[
    DoneDoc | UndoneDoc | NotRightDoc | NoteDoc | DoubtDoc | LabelDoc | ChangedDoc | WaivedDoc | SurveyDoc | MemoryTestDoc
    | TestWithdrawnDoc | ReadingDoc
    | SoakDoc | CountingDoc | RestartDoc | ScrubDoc | AlertDoc | ClearedDoc | AllocationDoc | ProposalDoc | SymptomDoc | BootDoc
    | BootUndoneDoc | FoundDoc,
    Field(discriminator="kind"),
]  # fmt: skip
ENTRY: TypeAdapter[EntryDoc] = TypeAdapter(EntryDoc)


class PhotoDoc(Entry):
    """A photo of a step; the picture is its attachment."""

    kind: Literal["photo"]
    step: StepKey | None = None


class SignedDoc(Entry):
    """The proof was signed off."""

    kind: Literal["signed"]
    outcome: str
    note: str = ""
    #: What was waived, as it stood then.
    waived: list[str] = []


class TestLogDoc(MemoryTestDoc):
    """A memory test, with the lines of its log that told how it went; the log is its attachment."""

    because: list[str] = []


#: What is kept: also what came with a file, which is read here and not sent.
KeptEntry = Annotated[
    DoneDoc | UndoneDoc | NotRightDoc | NoteDoc | DoubtDoc | LabelDoc | ChangedDoc | WaivedDoc | SurveyDoc | TestLogDoc
    | TestWithdrawnDoc | ReadingDoc
    | SoakDoc | CountingDoc | RestartDoc | ScrubDoc | AlertDoc | ClearedDoc | AllocationDoc | ProposalDoc | SymptomDoc | BootDoc
    | BootUndoneDoc | FoundDoc | PhotoDoc | SignedDoc,
    Field(discriminator="kind"),
]  # fmt: skip
KEPT_ENTRY: TypeAdapter[KeptEntry] = TypeAdapter(KeptEntry)


def kept_entry(sent: EntryDoc) -> KeptEntry:
    """What was sent as it is kept."""
    return TestLogDoc(**sent.model_dump()) if isinstance(sent, MemoryTestDoc) else sent
