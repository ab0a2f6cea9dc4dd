"""Checked documents of modules, machines and statements: the shapes that cases, sheets and requests share."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, TypeAdapter, model_validator

from umbrak.core.memory.label import LabelReading, decode_label
from umbrak.core.memory.module import (
    FIELD_NAMES,
    Buffering,
    Form,
    Generation,
    Made,
    MakerCode,
    Module,
    against_itself,
    alike,
    complete,
    healthy,
    without_profile,
)
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine, Occupant, Unknown
from umbrak.core.platform.sheet import SheetHash
from umbrak.core.platform.statement import Source, SourceKind, Statement, Versions
from umbrak.formats.bounds import MAX_PROCESSORS
from umbrak.formats.to_json import jsonable

#: No control characters: they cannot be read on a screen, and a database refuses the first of them.
PRINTED = r"^[^\x00-\x08\x0b\x0c\x0e-\x1f\x7f]*$"
#: Of a sheet's content, as a request or a file names it.
HashOfSheet = Annotated[
    SheetHash, StringConstraints(min_length=1, max_length=120, strip_whitespace=True, pattern=PRINTED)
]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True, pattern=PRINTED)]
Text = Annotated[str, StringConstraints(max_length=2000, pattern=PRINTED)]
ShortText = Annotated[str, StringConstraints(max_length=200, pattern=PRINTED)]
#: Text that must say something.
Said = Annotated[str, StringConstraints(min_length=1, max_length=2000, strip_whitespace=True, pattern=PRINTED)]
#: Where in a source something stands; a bare number is one too.
Clause = ShortText | Annotated[int, Field(ge=0, le=10**9)] | Annotated[float, Field(ge=0, le=10**9)] | None
#: From a megabyte, smaller than any module, to far more than any machine: reckoning with either stays finite.
Gib = Annotated[float, Field(ge=1 / 1024, le=1 << 24)]
#: Of a die: from a quarter of the smallest that a standard here knows.
Gbit = Annotated[float, Field(ge=1 / 16, le=1024)]
Mts = Annotated[int, Field(gt=0, le=100_000)]
Volts = Annotated[float, Field(ge=0.1, le=20)]
Millimetres = Annotated[float, Field(ge=1, le=500)]

GenerationName = Literal["DDR2", "DDR3", "DDR4", "DDR5"]
FormName = Literal["DIMM", "SO-DIMM", "other"]
BufferingName = Literal["unbuffered", "registered", "load-reduced", "fully-buffered", "other"]
SourceKindName = Literal[
    "own-proof", "machine-maker", "processor-maker", "module-maker", "board-maker", "named", "survey", "hearsay"
]


class Doc(BaseModel):
    """No unknown fields, no lax types."""

    model_config = ConfigDict(extra="forbid", strict=True, defer_build=True, allow_inf_nan=False)


#: For pydantic's dataclasses that hold values of core: what bounds a form bounds a script too.
CHECKED = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, arbitrary_types_allowed=True)


def _a_member(name: str) -> str:
    if name not in FIELD_NAMES:
        raise ValueError(f"“{name}” is nothing that is told of a module")
    return name


MemberName = Annotated[str, AfterValidator(_a_member)]


class MakerCodeDoc(Doc):
    bank: Annotated[int, Field(ge=1, le=127)]
    code: Annotated[int, Field(ge=0, le=255)]


class MadeDoc(Doc):
    year: Annotated[int, Field(ge=1990, le=2200)]
    week: Annotated[int, Field(ge=1, le=53)] | None = None


class ModuleDoc(Doc):
    """A module, field by field; what is left out or null is unknown."""

    generation: GenerationName | None = None
    form: FormName | None = None
    buffering: BufferingName | None = None
    ecc: bool | None = None
    ecc_bits: Literal[0, 4, 8] | None = None
    capacity_gib: Gib | None = None
    package_ranks: Annotated[int, Field(ge=1, le=16)] | None = None
    stack_height: Annotated[int, Field(ge=1, le=16)] | None = None
    logical_ranks: Annotated[int, Field(ge=1, le=256)] | None = None
    device_width: Literal[4, 8, 16, 32] | None = None
    die_gbit: Gbit | None = None
    rate_mts: Mts | None = None
    timing: Name | None = None
    rails_v: Annotated[list[Volts], Field(max_length=8)] | None = None
    height_mm: Millimetres | None = None
    maker: Name | None = None
    maker_code: MakerCodeDoc | None = None
    part: Name | None = None
    revision: Name | None = None
    serial: Name | None = None
    made: MadeDoc | None = None
    keeps: Name | None = Field(
        None,
        description="what a module is called that keeps its content without power: no main memory, or only in part",
    )
    failed: Literal["mapped-out", "in-use"] | None = None
    by_number: Annotated[list[MemberName], Field(max_length=64)] | None = Field(
        None, description="members that nobody read off it: they are as its part number is known"
    )

    def said(self) -> Module:
        """The module with just what the document says."""
        known: dict[str, Any] = {k: v for k in type(self).model_fields if (v := getattr(self, k)) is not None}
        for name, kind in (("generation", Generation), ("form", Form), ("buffering", Buffering)):
            if name in known:
                known[name] = kind(known[name])
        if "rails_v" in known:
            known["rails_v"] = tuple(sorted(set(known["rails_v"])))
        if "by_number" in known:
            known["by_number"] = tuple(n for n in FIELD_NAMES if n in known["by_number"])
        if "maker_code" in known:
            known["maker_code"] = MakerCode(**known["maker_code"].model_dump())
        if "made" in known:
            known["made"] = Made(**known["made"].model_dump())
        for name in ("capacity_gib", "die_gbit"):
            if name in known and known[name] == int(known[name]):
                known[name] = int(known[name])
        return Module(**known)

    def value(self) -> Module:
        """The module with what follows from what the document says."""
        return complete(without_profile(self.said())[0])[0]


#: How a label's text is read.
ReadLabel = Callable[[str], LabelReading]


def module_from(given: str | ModuleDoc, read_label: ReadLabel = decode_label) -> Module:
    """A module from label text or a document. Raises ValueError for text in which no module is understood."""
    if isinstance(given, ModuleDoc):
        return given.value()
    reading = read_label(given)
    if not reading.understood:
        raise ValueError(f"“{given}” is no label text: nothing in it was understood")
    return reading.module


def oddities(given: str | ModuleDoc | None, kit: int = 1) -> Iterator[str]:
    """What is to be said of an occupant, or a module that can be had, as somebody wrote it: what cannot all be true of it, what
    was not understood, and a text that tells of more modules than `kit`."""
    if isinstance(given, ModuleDoc):
        yield from [c.message for c in against_itself(given.value())]
        yield from filter(None, [without_profile(given.said())[1]])
    elif given not in (None, "unknown"):
        yield from label_oddities(decode_label(given), kit)


def kit_taken(of: int, for_: int = 1) -> str:
    return f"the label is of a kit of {of}, taken for {f'one of {for_}' if for_ > 1 else 'one module of it'}"


def label_oddities(told: LabelReading, kit: int = 1) -> Iterator[str]:
    """`oddities` of a label that was read."""
    yield from (*told.contradictions, *told.remarks)
    if told.kit and told.kit != kit:
        yield kit_taken(told.kit, kit)
    if told.not_understood:
        yield f"not understood: {', '.join(f'“{told.text[a:b]}”' for a, b in told.not_understood)}"


def checked_label(given: Any) -> Any:
    """An occupant as given; refuses text that is neither "unknown" nor a label (a validator for documents)."""
    if isinstance(given, str) and given != "unknown":
        module_from(given)
    return given


OccupantDoc = Annotated[Literal["unknown"] | Text | ModuleDoc | None, AfterValidator(checked_label)]
#: Slot -> label text, module, null (empty) or "unknown".
OccupantsDoc = Annotated[dict[Name, OccupantDoc], Field(max_length=1024)]
#: The same with labels that nobody has read yet: who knows part numbers reads more in them.
LabelledDoc = Annotated[dict[Name, Literal["unknown"] | Text | ModuleDoc | None], Field(max_length=1024)]


def occupants(given: Mapping[str, str | ModuleDoc | None], read_label: ReadLabel = decode_label) -> Layout:
    """Occupants as a layout; equal modules become one object, so that rules judge them once. Raises ValueError for text in
    which no module is understood."""
    one: dict[tuple[Module, tuple[str, ...]], Module] = {}

    def occupant(m: str | ModuleDoc | None) -> Occupant | None:
        if m is None:
            return None
        if m == "unknown":
            return UNKNOWN
        module = module_from(m, read_label)
        return one.setdefault((module, module.by_number), module)

    return Layout({slot: occupant(m) for slot, m in given.items()})


def module_json(module: Module) -> dict[str, Any]:
    """A module as a document: what is known of it, under the names that `ModuleDoc` reads."""
    derived = {"logical_ranks"} if module.package_ranks and module.stack_height else set()
    return {k: v for k, v in jsonable(module).items() if v not in (None, []) and k not in derived}


def like_key(module: Module) -> str:
    """Equal for modules that are alike: what tells individuals apart is left out, and that one has failed."""
    document = json.dumps(module_json(healthy(alike(module))), sort_keys=True)
    return hashlib.sha256(document.encode()).hexdigest()[:32]


def layout_json(layout: Layout) -> dict[str, Any]:
    """A layout as a document that `read_layout` reads back."""
    return {slot: "unknown" if isinstance(m, Unknown) else module_json(m) for slot, m in layout.items()}


def read_layout(document: Mapping[str, Any]) -> Layout:
    """A stored layout. Raises pydantic.ValidationError for a document that was never written by `layout_json`."""
    return _read_layout(json.dumps(document))


@lru_cache(maxsize=512)
def _read_layout(given: str) -> Layout:
    """One is read again and again, and as one object its hash is known: who judged it once finds that again at once."""
    return Layout({slot: _read_occupant(json.dumps(occupant)) for slot, occupant in json.loads(given).items()})


@lru_cache(maxsize=4096)
def _read_occupant(given: str) -> Occupant | None:
    """One stored occupant: most slots of a machine hold the like, and most machines the like of others'."""
    return occupants(_OCCUPANTS.validate_python({"x": json.loads(given)})).get("x")


_OCCUPANTS: TypeAdapter[Any] = TypeAdapter(OccupantsDoc, config=ConfigDict(defer_build=True))


class MachineDoc(Doc):
    """What is particular to one unit; what is left out is unknown."""

    processors: dict[Name, Name | None] = Field(default_factory=dict, max_length=MAX_PROCESSORS)
    firmware: Name | None = None
    system: Name | None = None
    os_bits: Literal[32, 64] | None = None
    os_cap_gib: Gib | None = None
    device_hole_mib: Annotated[float, Field(ge=0, le=4096)] | None = None
    mode: Name | None = None
    rail_setting: Volts | None = None

    def value(self) -> Machine:
        return Machine(**self.model_dump())


class SourceDoc(Doc):
    title: Name
    kind: SourceKindName
    date: Name | None = None

    def value(self, name: str | None = None, clause: str | None = None) -> Source:
        return Source(self.title, SourceKind(self.kind), self.date, clause, name)


class VersionsDoc(Doc):
    model_config = ConfigDict(validate_by_name=True)
    first: Name | None = Field(None, alias="from")
    until: Name | None = None

    def value(self) -> Versions:
        return Versions(self.first, self.until)


ScopeName = Literal["machine", "socket", "controller", "channel", "slot", "die"]


#: What a limit may be about; each gives exactly one.
AMOUNTS = ("capacity_gib", "die_gbit", "package_ranks", "stack_height")


class LimitBase(Doc):
    """A limit, but for its amount."""

    id: Name | None = None
    scope: ScopeName
    where: Name | None = None
    hard: bool = False
    official: bool = False
    replaces: Annotated[list[Name], Field(max_length=100)] = []
    firmware: VersionsDoc | None = None
    system: VersionsDoc | None = None
    processor: Name | None = None
    clause: Clause = None

    @model_validator(mode="after")
    def _one_amount(self) -> Self:
        amounts = [n for n in AMOUNTS if getattr(self, n, None) is not None]
        if len(amounts) != 1:
            raise ValueError(f"give exactly one of {', '.join(AMOUNTS)} (found {', '.join(amounts) or 'none'})")
        return self

    def numbers(self) -> dict[str, Any]:
        """Its amounts by name: one is a number."""
        return {n: getattr(self, n) for n in AMOUNTS}

    def statement(self, name: str, source: Source) -> Statement:
        return Statement(
            id=self.id or name,
            scope=self.scope,
            source=source,
            where=self.where,
            **self.numbers(),
            hard=self.hard,
            official=self.official,
            replaces=tuple(self.replaces),
            firmware=self.firmware.value() if self.firmware else Versions(),
            system=self.system.value() if self.system else Versions(),
            processor=self.processor,
        )


class LimitDoc(LimitBase):
    """A limit; exactly one of the four amounts."""

    capacity_gib: Gib | None = None
    die_gbit: Gbit | None = None
    package_ranks: Annotated[int, Field(gt=0, le=1024)] | None = None
    stack_height: Annotated[int, Field(gt=0, le=1024)] | None = None


class StatementDoc(LimitDoc):
    """A limit stated beside the sheet, with its source."""

    source: SourceDoc

    def value(self, name: str) -> Statement:
        clause = None if self.clause is None else str(self.clause)
        return self.statement(name, self.source.value(clause=clause))
