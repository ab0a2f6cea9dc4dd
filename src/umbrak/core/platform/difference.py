"""What a new report says of a slot beside what was known of it: member by member, never silently the one or the other."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from umbrak.core.memory.module import FIELD_NAMES, Module, complete, known_by_number, read_off
from umbrak.core.platform.machine import UNKNOWN, Occupant


class Change(StrEnum):
    SAME = "same"
    #: Nothing contradicts what was known, and something is new.
    FILLS_IN = "fills-in"
    #: Members contradict: it is another module, or one of the two is wrong.
    DIFFERS = "differs"
    #: A module where none was, or nobody knew.
    COMES = "comes"
    #: Nothing where a module was.
    GOES = "goes"
    #: The report does not know what sits there.
    UNTOLD = "untold"


#: Those by which it may be the very module that was there.
AGREES = frozenset({Change.SAME, Change.FILLS_IN})


@dataclass(frozen=True, slots=True)
class MemberDifference:
    """A member that both sides know, and not alike."""

    member: str
    known: Any
    reported: Any


@dataclass(frozen=True, slots=True)
class SlotDifference:
    slot: str
    change: Change
    known: Occupant | None
    reported: Occupant | None
    #: What the slot holds if the report is accepted.
    merged: Occupant | None
    members: tuple[MemberDifference, ...] = ()
    #: Members that the report adds to what was known.
    learnt: tuple[str, ...] = ()


def compare_slot(slot: str, known: Occupant | None, reported: Occupant | None) -> SlotDifference:
    """One slot's two sides. What the report leaves out stays known, unless it is of another module."""
    if reported is UNKNOWN:
        return SlotDifference(slot=slot, change=Change.UNTOLD, known=known, reported=reported, merged=known)
    if not isinstance(reported, Module):
        change = Change.SAME if known is None else Change.FILLS_IN if known is UNKNOWN else Change.GOES
        return SlotDifference(slot=slot, change=change, known=known, reported=None, merged=None)
    if not isinstance(known, Module):
        return SlotDifference(slot=slot, change=Change.COMES, known=known, reported=reported, merged=reported)
    differing, learnt, merged = _members(known, reported)
    if differing:
        return SlotDifference(
            slot=slot, change=Change.DIFFERS, known=known, reported=reported, merged=reported, members=differing
        )
    change = Change.FILLS_IN if learnt else Change.SAME
    return SlotDifference(
        slot=slot, change=change, known=known, reported=reported, merged=merged, members=(), learnt=learnt
    )


def _members(known: Module, reported: Module) -> tuple[tuple[MemberDifference, ...], tuple[str, ...], Module]:
    """(members that differ, members that the report adds, both together)."""
    differing, learnt = [], []
    merged = known
    for name in FIELD_NAMES:
        before, after = getattr(known, name), getattr(reported, name)
        if after is None or after == ():
            continue
        if before is None or before == ():
            learnt.append(name)
            merged = replace(merged, **{name: after})
        elif not _alike(before, after):
            differing.append(MemberDifference(name, before, after))
    # What one side has by its number alone is read where the other read it.
    own = (read_off(known), read_off(reported))
    marked = {*known.by_number, *reported.by_number}
    unread = tuple(n for n in FIELD_NAMES if n in marked and all(getattr(side, n) in (None, ()) for side in own))
    merged = complete(replace(merged, by_number=unread))[0]
    return tuple(differing), tuple(learnt), known_by_number(merged, read_off(merged)) if unread else merged


def _alike(known: Any, reported: Any) -> bool:
    """Texts are compared without case and spacing: one writer pads, another shouts."""
    if isinstance(known, str) and isinstance(reported, str):
        return "".join(known.split()).casefold() == "".join(reported.split()).casefold()
    return bool(known == reported)
