"""When modules of a run were handled: what was seen, tested or counted before that is of another machine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from umbrak.core.memory.module import Module
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.step import Phase
from umbrak.formats.entries import BootDoc, BootUndoneDoc, ChangedDoc, FoundDoc, SymptomDoc
from umbrak.services.runs.entries import every, ticks_of
from umbrak.store.runs import EntryRow, RunRow


@dataclass(frozen=True, slots=True)
class Handling:
    """Modules handled at one time."""

    at: datetime
    slots: frozenset[str]
    #: Whether rate or supply changed with it: then it is of the whole socket.
    rate: bool = False


def boots_of(entries: Sequence[EntryRow], since: EntryRow) -> list[tuple[EntryRow, BootDoc]]:
    """Boots of the search that began with `since`, without those whose answer was taken back."""
    undone = {u.boot.lower() for _, u in every(entries, BootUndoneDoc)}
    return [(e, b) for e, b in every(entries, BootDoc) if e.number > since.number and str(e.id) not in undone]


def handlings(row: RunRow, entries: Sequence[EntryRow]) -> list[Handling]:
    """Every time that modules were drawn or pushed in, in order: by the run sheet, in a fault search, beside both."""
    ticked = ticks_of(entries)
    found = [
        Handling(tick.at, frozenset(s.slots))
        for s in row.begun.sheet.steps
        if s.phase is Phase.HANDLE and s.action is not None and (tick := ticked.get(s.key))
    ]
    found += [Handling(e.at, frozenset(c.slots), c.rate) for e, c in every(entries, ChangedDoc)]
    planned = {s: s for s, m in row.begun.goal.items() if isinstance(m, Module)}
    for begun, _ in every(entries, SymptomDoc):
        now: Mapping[str, str] = planned
        for e, b in boots_of(entries, begun):
            moved = {s for s in {*now, *b.arrangement} if now.get(s) != b.arrangement.get(s)}
            found.append(Handling(e.at, frozenset({*moved, *b.reseated})))
            now = b.arrangement
        ended = next(((e, f) for e, f in every(entries, FoundDoc) if e.number > begun.number), None)
        if ended is not None:
            # Everything goes back to where it was planned; a culprit's like takes its place.
            back = {s for s in {*now, *planned} if now.get(s) != planned.get(s)}
            found.append(Handling(ended[0].at, frozenset({*back, *([ended[1].module] if ended[1].module else [])})))
    return sorted((h for h in found if h.slots), key=lambda h: h.at)


def touched_with(sheet: Sheet, handling: Handling) -> frozenset[str]:
    """Slots whose soak begins anew: those of its channels, or of its sockets where rate or supply changed with it; all where
    nobody tells which slots share a channel."""
    if sheet.not_told("channels"):
        return frozenset(sheet.slots)
    if handling.rate:
        sockets = {sheet.socket_of_slot[s] for s in handling.slots if s in sheet.slots}
        return frozenset(s for s in sheet.slots if sheet.socket_of_slot[s] in sockets)
    channels = {sheet.slots[s].channel for s in handling.slots if s in sheet.slots}
    return frozenset(s for s in sheet.slots if sheet.slots[s].channel in channels)
