"""What a machine reports about itself, whatever it was read from, and which slot of a sheet each report is about."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.memory.module import Module
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
class SlotFacts:
    locator: str | None = None
    bank: str | None = None
    state: SlotState = SlotState.UNKNOWN
    module: Module | None = None
    configured_mts: int | None = None
    configured_v: float | None = None

    def occupant(self) -> Occupant | None:
        """What to put into a layout for it."""
        if self.state is SlotState.EMPTY:
            return None
        return self.module if self.module is not None and self.state is not SlotState.UNKNOWN else UNKNOWN


@dataclass(frozen=True, slots=True)
class Warning:
    """Something that could not be read, and where it stands."""

    where: str
    message: str


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


#: Words in locators that name no particular slot.
_NOISE = re.compile(r"so-?dimm|dimm|slot|memory|mem|module|socket|\b(?:node|bank|channel|p)\b", re.I)


def _key(*names: str | None) -> str:
    return re.sub(r"[^a-z0-9]", "", _NOISE.sub("", " ".join(n for n in names if n)).lower())


def _whole(name: str) -> str:
    return "".join(name.split()).casefold()


def match_slots(sheet: Sheet, slots: Sequence[SlotFacts]) -> tuple[str | None, ...]:
    """For each reported slot, the sheet's slot that has its name, or None where none or several have.

    Only names are compared: first whole with the locators that the sheet gives, then, without the words that name no
    slot, with those, the slot's id and what is printed, with and without the bank in front. Nothing is inferred
    from the letters of a locator.
    """
    whole: dict[str, set[str]] = {}
    by_key: dict[str, set[str]] = {}
    for slot in sheet.slots.values():
        for name in slot.locators:
            whole.setdefault(_whole(name), set()).add(slot.id)
        for name in (slot.id, slot.printed, *slot.locators):
            by_key.setdefault(_key(name), set()).add(slot.id)
    matched: list[str | None] = []
    for facts in slots:
        keys = (_key(facts.locator), _key(facts.bank, facts.locator), _key(facts.locator, facts.bank))
        candidates = (whole.get(_whole(facts.locator or ""), set()), *(by_key.get(k, set()) for k in keys if k))
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
