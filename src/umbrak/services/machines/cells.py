"""Cells of a table of machines that only a sheet gives a meaning: slots, processor, versions."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import TypeAdapter

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotFacts, SlotState, match_slots
from umbrak.formats.rows import NAME, TEXT, RowReader
from umbrak.formats.slot_words import read_slot
from umbrak.formats.spreadsheet import Row

#: What the column of a slot begins with.
SLOT = "slot "
#: Columns that wait with a machine till its sheet is known, beside those of slots.
FACTS: dict[str, tuple[str, ...]] = {
    "firmware": ("firmware version", "bios"),
    "system": ("system version",),
    "os bits": ("width",),
    "processor": ("cpu",),
}
_BITS: TypeAdapter[int] = TypeAdapter(Literal[32, 64])
_COUNTED = re.compile(r"(\d{1,3})\s?[x×]\s?(\S.*)", re.I)


@dataclass(frozen=True, slots=True)
class Cells:
    #: What is in the slots that the row tells of; `emptied` are those that it calls empty.
    fitted: Layout
    emptied: tuple[str, ...]
    #: Socket -> processor.
    processors: Mapping[str, str | None]
    #: What else it says of firmware, system and width, as `MachineDoc` has it.
    facts: Mapping[str, Any]

    @property
    def gib(self) -> float:
        return sum(m.capacity_gib or 0 for m in self.fitted.values() if isinstance(m, Module))


def read_cells(sheet: Sheet, row: RowReader) -> Cells:
    """What a row says of a machine of this sheet; what it cannot mean is a fault of the row."""
    occupants = _slots(sheet, row)
    facts = {
        "firmware": row.text("firmware", NAME, None),
        "system": row.text("system", NAME, None),
        "os_bits": row.read("os bits", _BITS, _bits),
    }
    return Cells(
        fitted=Layout({s: m for s, m in occupants.items() if m is not None}),
        emptied=tuple(s for s, m in occupants.items() if m is None),
        processors=_processors(sheet, row),
        facts={n: v for n, v in facts.items() if v is not None},
    )


def is_of_sheet(column: str) -> bool:
    """Whether only a sheet gives the column a meaning."""
    return column in FACTS or column.startswith(SLOT)


def _bits(text: str) -> int:
    digits = text.lower().removesuffix("bit").strip(" -")
    if digits not in ("32", "64"):
        raise ValueError("is neither 32 nor 64")
    return int(digits)


def _processors(sheet: Sheet, row: RowReader) -> dict[str, str | None]:
    """Socket -> processor, by its title or id. "2x" before it says how many there are, and that the other sockets are empty;
    without it one is there, and of other sockets nothing is known."""
    text = row.text("processor", NAME)
    if not text:
        return {}
    counted = _COUNTED.fullmatch(text)
    count, name = (int(counted[1]), counted[2].casefold()) if counted else (None, text.casefold())
    found = [p.id for p in sheet.processors.values() if name in (p.id.casefold(), p.title.casefold())]
    if not found:
        known = ", ".join(p.title for p in sheet.processors.values())
        row.fault("processor", f"{sheet.title} takes no processor “{text}”; it takes {known}")
        return {}
    sockets = [s.id for s in sheet.sockets.values() if found[0] in s.processors]
    if count is not None and not 1 <= count <= len(sockets):
        row.fault("processor", f"{sheet.title} takes 1 to {len(sockets)} of this processor, not {count}")
        return {}
    held: dict[str, str | None] = dict.fromkeys(sockets[: count or 1], found[0])
    return held if count is None else held | dict.fromkeys(set(sheet.sockets) - set(held))


def processor_cell(sheet: Sheet, processors: Mapping[str, str | None]) -> str | None:
    """What `read_cells` reads of a column's cell as these processors; None where one cell cannot say it."""
    held = [p for p in processors.values() if p]
    if len(set(held)) != 1 or held[0] not in sheet.processors:
        return None
    whole = processors.keys() == sheet.sockets.keys()
    title = sheet.processors[held[0]].title
    cell = f"{len(held)}x {title}" if whole and len(sheet.sockets) > 1 else title if len(processors) == 1 else None
    row = RowReader(Row(0, {"processor": cell or ""}))
    return cell if _processors(sheet, row) == processors else None


def _slots(sheet: Sheet, row: RowReader) -> dict[str, Occupant | None]:
    """Slot -> what its cell says. A column's slot is found by its name as in a report."""
    columns = [c for c in row.columns if c.startswith(SLOT)]
    ids = {slot.casefold(): slot for slot in sheet.slots}
    matched = match_slots(sheet, [SlotFacts(c.removeprefix(SLOT)) for c in columns])
    occupants: dict[str, Occupant | None] = {}
    for column, named in zip(columns, matched, strict=True):
        slot = ids.get(column.removeprefix(SLOT)) or named
        if slot is None:
            row.fault(column, f"{sheet.title} has no such slot; it has {', '.join(list(sheet.slots)[:8])}")
            continue
        told = read_slot(row.text(column, TEXT))
        if told is None or told.state is SlotState.FILLED:
            if module := row.label(column):
                occupants[slot] = module
        elif told.state is SlotState.EMPTY:
            occupants[slot] = None
        elif told.state is not SlotState.UNKNOWN:
            row.fault(
                column, f"a table cannot say that a module is {told.state}: write its label, and say that in Survey"
            )
        elif told.said:
            row.fault(column, f"{told.said[0]}; leave the cell empty where it is not known")
    return occupants
