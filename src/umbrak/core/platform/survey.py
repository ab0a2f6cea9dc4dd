"""What a machine reports about itself, whatever it was read from, and which slot of a sheet each report is about."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache

from umbrak.core.memory.module import IN_USE, Form, Generation, Module, against_itself, complete, healthy
from umbrak.core.platform.machine import UNKNOWN, Occupant
from umbrak.core.platform.sheet import Sheet


class SlotState(StrEnum):
    FILLED = "filled"
    EMPTY = "empty"
    SOLDERED = "soldered"
    UNKNOWN = "unknown"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class SystemFacts:
    maker: str | None = None
    model: str | None = None
    serial: str | None = None


@dataclass(frozen=True, slots=True)
class FirmwareFacts:
    maker: str | None = None
    version: str | None = None
    date: str | None = None


@dataclass(frozen=True, slots=True)
class ProcessorFacts:
    socket: str | None = None
    model: str | None = None
    cores: int | None = None
    populated: bool | None = None


@dataclass(frozen=True, slots=True)
class ArrayFacts:
    """A memory array: what the firmware claims it can hold."""

    max_gib: float | None = None
    slots: int | None = None
    ecc: str | None = None


@dataclass(frozen=True, slots=True)
class SlotHealth:
    """What the machine counts and measures of one slot; None = it does not tell."""

    correctable: int | None = None
    uncorrectable: int | None = None
    temperature_c: float | None = None


@dataclass(frozen=True, slots=True)
class DriveFacts:
    """A drive; `bay` is the number on the machine's front, None where the report does not tell."""

    bay: int | None
    serial: str | None = None
    model: str | None = None


@dataclass(frozen=True, slots=True)
class SlotFacts:
    locator: str | None = None
    bank: str | None = None
    state: SlotState = SlotState.UNKNOWN
    module: Module | None = None
    configured_mts: int | None = None
    configured_v: float | None = None
    health: SlotHealth | None = None

    def occupant(self) -> Occupant | None:
        """What to put into a layout for it."""
        if self.state is SlotState.EMPTY:
            return None
        return healthy(self.module) if self.module is not None and self.state is not SlotState.UNKNOWN else UNKNOWN

    @property
    def is_in_use(self) -> bool:
        """Whether its module is failing and the machine uses it still."""
        return self.module is not None and self.module.failed == IN_USE


@dataclass(frozen=True, slots=True)
class Warning:
    """Something that could not be read, and where it stands."""

    where: str
    message: str


def not_main_memory(module: Module, name: str) -> Module:
    """What of a module that keeps its content is told of it: which one it is, and what such are called. Its kind ran as no
    main memory, so nothing follows from it for others."""
    m = module
    return Module(form=m.form, maker=m.maker, maker_code=m.maker_code, part=m.part, serial=m.serial, keeps=name[:80])


#: Of a report by a guest of some host.
OF_A_GUEST = "this is a virtual machine: its slots and totals are what its host gives it, and no board has them; ask the host itself"


def keeps_its_content(name: str, volatile_mib: float | None) -> str:
    """Of a module that is no main memory, or only in part: it holds what it held when the power was off."""
    rest = "but for the part that it says is volatile" if volatile_mib else "so its size is not counted"
    return f"{name}: it keeps its content and is no main memory, {rest}"


@dataclass(frozen=True, slots=True)
class SurveyReading:
    """Everything that was read, in the order of the input."""

    kind: str
    system: SystemFacts | None = None
    firmware: FirmwareFacts | None = None
    processors: tuple[ProcessorFacts, ...] = ()
    arrays: tuple[ArrayFacts, ...] = ()
    slots: tuple[SlotFacts, ...] = ()
    warnings: tuple[Warning, ...] = ()
    #: What the machine says of itself in its own words.
    description: str | None = None
    #: Totals that it tells apart from the slots. [GiB]
    installed_gib: float | None = None
    usable_gib: float | None = None
    #: What of it was in use when it was asked. [GiB]
    used_gib: float | None = None
    drives: tuple[DriveFacts, ...] = ()
    #: Whether it says of itself that it is a virtual machine: what it tells is what its host gives it, and no board has it.
    virtual: bool = False

    def running_mts(self) -> int | None:
        """The lowest rate to which firmware set modules that work; None where it tells none. [MT/s]"""
        return min(
            (
                s.configured_mts
                for s in self.slots
                if s.configured_mts and s.state in (SlotState.FILLED, SlotState.SOLDERED)
            ),
            default=None,
        )

    def claimed_gib(self) -> float | None:
        """The most that the firmware claims the machine can hold: the sum over its arrays, where each tells."""
        amounts = [a.max_gib for a in self.arrays]
        return sum(a for a in amounts if a) if amounts and all(amounts) else None


def odd_total(slots: Sequence[SlotFacts], installed_gib: float | None, usable_gib: float | None = None) -> str:
    """What is odd about totals that are told apart from the slots, beside what they come to as far as they are told; ""
    where nothing is. Slots that tell nothing may hold anything; of what is installed some may be of no use."""
    if not slots or not (installed_gib or usable_gib):
        return ""
    sizes = [s.module.capacity_gib for s in slots if s.module and s.state in (SlotState.FILLED, SlotState.SOLDERED)]
    held = sum(gib or 0 for gib in sizes)
    untold = any(s.state in (SlotState.UNKNOWN, SlotState.FAILED) for s in slots) or None in sizes
    its = f"its slots come to {held:g} GB"
    if installed_gib and held > installed_gib * (1 + ROUNDED):
        return f"{its}, and it tells {installed_gib:g} GB in all: a module is switched off, spare or a mirror, or not all of it is told"
    if not untold and installed_gib and held < installed_gib * (1 - ROUNDED):
        return f"{its}, and it tells {installed_gib:g} GB in all: a slot is missing"
    if not untold and usable_gib and held < usable_gib * (1 - ROUNDED):
        return f"{its}, and {usable_gib:g} GB can be used: a slot, or what is soldered, is missing"
    return ""


def slots_counted(arrays: Sequence[ArrayFacts]) -> int | None:
    """How many slots its tables count; None where not every table counts them."""
    counts = [a.slots for a in arrays]
    return sum(n for n in counts if n) if counts and all(counts) else None


def slots_missing(arrays: Sequence[ArrayFacts], slots: Sequence[SlotFacts]) -> str:
    """How many of the slots that its tables count are told; "" where all are, or not every table counts them, or none is told."""
    counted = slots_counted(arrays) or 0
    return f"{len(slots)} of {counted} slots are in it" if counted > len(slots) > 0 else ""


#: By how much two tellings of what is installed may differ for being rounded. [share]
ROUNDED = 0.01

#: Words in locators that name no particular slot.
_NOISE = re.compile(r"so-?dimm|dimm|slot|memory|mem|module|socket|\b(?:node|bank|channel|p)\b", re.I)


@lru_cache(maxsize=8192)  # the same few names come with every report of a model
def _key(*names: str | None) -> str:
    return re.sub(r"[^a-z0-9]", "", _NOISE.sub("", " ".join(n for n in names if n)).lower())


def _whole(name: str) -> str:
    return "".join(name.split()).casefold()


_Names = dict[str, set[str]]


@lru_cache(maxsize=256)
def _names_of(sheet: Sheet) -> tuple[_Names, _Names]:
    """Slots by the whole locators that the sheet gives, and by key of every name that they have."""
    whole: _Names = {}
    by_key: _Names = {}
    for slot in sheet.slots.values():
        for name in slot.locators:
            whole.setdefault(_whole(name), set()).add(slot.id)
        for name in (slot.id, slot.printed, *slot.locators):
            by_key.setdefault(_key(name), set()).add(slot.id)
    return whole, by_key


def as_its_slot(sheet: Sheet, occupant: Occupant | None) -> Occupant | None:
    """What was seen in a slot of this board. What nobody told of a module's generation and form is the slot's, since another would
    not go in (each has its own notch and length); it is left open where that would contradict what is told of it."""
    if not isinstance(occupant, Module):
        return occupant
    memory = sheet.memory
    generation = occupant.generation or Generation(memory.generation)
    seen = complete(replace(occupant, generation=generation, form=occupant.form or Form(memory.form)))[0]
    return occupant if against_itself(seen) else seen


def match_slots(sheet: Sheet, slots: Sequence[SlotFacts]) -> tuple[str | None, ...]:
    """For each reported slot, the sheet's slot that has its name, or None where none or several have.

    Only names are compared: first whole with the locators that the sheet gives, then, without the words that name no
    slot, with those, the slot's id and what is printed; with and (unless several are called so) without the bank. Nothing is
    inferred from the letters of a locator.
    """
    whole, by_key = _names_of(sheet)
    matched: list[str | None] = []
    # What several are called tells none of them.
    once = {w for w, times in Counter(_whole(facts.locator or "") for facts in slots).items() if times == 1}
    once_by_key = {k for k, times in Counter(_key(facts.locator) for facts in slots).items() if times == 1}
    for facts in slots:
        wholes = [w for w in [_whole(facts.locator or "")] if w in once]
        wholes.append(_whole(f"{facts.bank or ''} {facts.locator or ''}"))
        keys = [k for k in [_key(facts.locator)] if k in once_by_key]
        keys += [_key(facts.bank, facts.locator), _key(facts.locator, facts.bank)]
        candidates = (*(whole.get(w, set()) for w in wholes if w), *(by_key.get(k, set()) for k in keys if k))
        matched.append(next((next(iter(c)) for c in candidates if len(c) == 1), None))
    # Two reports of one name say nothing about which is which.
    return tuple(None if m is not None and matched.count(m) > 1 else m for m in matched)


def match_processors(sheet: Sheet, processors: Sequence[ProcessorFacts]) -> dict[str, str | None]:
    """Socket -> processor id, or None where the socket is reported empty; sockets that are not clear are left out."""
    found: dict[str, str | None] = {}
    sockets = list(sheet.sockets)
    for i, facts in enumerate(processors):
        names = [s for s in sockets if facts.socket and _key(s) == _key(facts.socket)]
        socket = names[0] if len(names) == 1 else sockets[i] if len(processors) == len(sockets) else None
        if socket is None or socket in found:
            continue
        if facts.populated is False:
            found[socket] = None
            continue
        model = _key(facts.model)
        choice = sheet.sockets[socket].processors
        like = [p for p in choice if model and _key(sheet.processors[p].title) in model]
        if not like and facts.populated and len(choice) == 1:
            like = list(choice)  # the socket is filled, and the sheet knows of one processor for it
        if len(like) == 1:
            found[socket] = like[0]
    return found


@dataclass(frozen=True, slots=True)
class SheetLikeness:
    """How well a sheet goes with a report: each reason that speaks for it, the weightiest first."""

    reasons: tuple[str, ...]
    #: Sum of the reasons' weights.
    score: int
    #: It says that it is this model.
    same_model: bool = False


def says_model(sheet: Sheet, system: SystemFacts | None) -> bool:
    """Whether what a machine calls itself is the sheet's title, as whole words or a part of it."""
    said, title = _key(system.maker, system.model) if system else "", _key(sheet.title)
    of_title = bool(system and system.model and _key(system.model) in title)
    return bool(title and said and (title in said or said in title or of_title))


def named_by(sheet: Sheet, system: SystemFacts | None) -> str | None:
    """The other name of a sheet that a machine calls itself by. It is a name only as a whole: "GL4" is in the name of every machine of
    a family."""
    if system is None or not system.model:
        return None
    said = {_key(system.maker, system.model), _key(system.model)} - {""}
    return next((n for n in sheet.models if _key(n) in said), None)


def sheet_likeness(sheet: Sheet, reading: SurveyReading) -> SheetLikeness:
    """What of a report speaks for a sheet: model, processors, number of slots, their names. All are compared as
    whole words or counts; a likeness is a suggestion, never a decision."""
    slots = [s for s in reading.slots if s.state is not SlotState.SOLDERED]
    generations = {s.module.generation for s in slots if s.module and s.module.generation}
    if generations and generations != {sheet.memory.generation}:
        return SheetLikeness((), 0)
    reasons: list[tuple[int, str]] = []
    system = reading.system
    same_model, named = says_model(sheet, system), named_by(sheet, system)
    if same_model:
        reasons.append((4, f"it says {system.model or sheet.title}" if system else sheet.title))
    elif named:
        reasons.append((4, f"it says {named}, a name of {sheet.title}"))
    fitted = [_key(p.model) for p in reading.processors if p.model]
    known = [p.title for p in sheet.processors.values() if any(_key(p.title) and _key(p.title) in f for f in fitted)]
    if known:
        reasons.append((3, f"it holds {known[0]}"))
    if slots and len(slots) == len(sheet.slots):
        reasons.append((1, f"it has {len(slots)} slots"))
    if slots and len(slots) <= len(sheet.slots) and None not in match_slots(sheet, slots):
        reasons.append((2, "its slots have the same names"))
    reasons.sort(key=lambda r: -r[0])
    return SheetLikeness(
        tuple(words for _, words in reasons), sum(weight for weight, _ in reasons), same_model or named is not None
    )
