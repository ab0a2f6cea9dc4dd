"""A module that came, laid against what was ordered."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.memory.module import Module, member_words, read_off
from umbrak.core.memory.parts import differ, key_of, value_words


class Came(StrEnum):
    """Worst first: the first that is true of it counts."""

    #: Another kind: it goes back.
    WRONG = "wrong"
    #: Right in kind, but another part, other chips, another revision: what was claimed of the part is asked anew.
    OTHER_PART = "other part"
    OTHER_CHIPS = "other chips"
    OTHER_REVISION = "other revision"
    #: Nothing speaks against it, and not all was read that was ordered.
    OPEN = "open"
    RIGHT = "right"


#: What makes a kind: a module that differs in any of these cannot do for the other, but for more rails.
_KIND = ("generation", "form", "buffering", "ecc", "capacity_gib")
#: What is to be read before a module is called right.
_READ = (*_KIND, "package_ranks", "device_width", "rate_mts", "rails_v")


@dataclass(frozen=True, slots=True)
class Arrival:
    came: Came
    #: "ranks 1 instead of 2", for each respect in which it is not as ordered.
    differs: tuple[str, ...]
    #: Members that were ordered so and were not read, in words.
    unread: tuple[str, ...]


def laid_against(ordered: Module, read: Module) -> Arrival:
    """What came of an order's line.

    Only what both tell is compared; what was ordered and not read leaves it open, never right: also where its part number
    would tell it. A slower module is wrong,
    a faster one has other chips; a module that lacks a rail of those ordered is wrong, one that has more is not.
    """
    unlike = set(differ(ordered, read))
    if "rails_v" in unlike and set(ordered.rails_v) <= set(read.rails_v):
        unlike.discard("rails_v")
    numbered = bool(ordered.part and read.part)
    other_part = numbered and key_of(ordered.part or "") != key_of(read.part or "")
    other_revision = bool(ordered.revision and read.revision) and ordered.revision != read.revision
    slower = "rate_mts" in unlike and (read.rate_mts or 0) < (ordered.rate_mts or 0)
    own = read_off(read)
    unread = tuple(member_words(n) for n in _READ if _told(ordered, n) and not _told(own, n))
    if ordered.part and not read.part:
        unread = (*unread, "part number")
    if unlike & {*_KIND, "rails_v"} or slower:
        came = Came.WRONG
    elif other_part:
        came = Came.OTHER_PART
    elif unlike:
        came = Came.OTHER_CHIPS
    elif other_revision:
        came = Came.OTHER_REVISION
    else:
        came = Came.OPEN if unread else Came.RIGHT
    words = [f"{member_words(n)} {value_words(n, getattr(read, n))} instead of {value_words(n, getattr(ordered, n))}" for n in _READ_ALL if n in unlike]  # fmt: skip
    return Arrival(came, (*words, *_numbers(ordered, read, other_part, other_revision)), unread)


def _told(module: Module, name: str) -> bool:
    return getattr(module, name) not in (None, ())


def _numbers(ordered: Module, read: Module, other_part: bool, other_revision: bool) -> Iterator[str]:
    if other_part:
        yield f"part {read.part} instead of {ordered.part}"
    if other_revision:
        yield f"revision {read.revision} instead of {ordered.revision}"


#: In the order in which differences are told.
_READ_ALL = (*_READ, "stack_height", "die_gbit", "ecc_bits", "height_mm")
