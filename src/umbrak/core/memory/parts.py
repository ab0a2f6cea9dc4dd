"""Part numbers: what is known of one from everything that carried it, and what that tells of a module with its number.

A number is no module: makers put other chips under an old one. So whatever was seen is kept apart by where it was seen; only
what nothing contradicts is taken as known, and where sightings differ both sides are shown and neither is chosen.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum
from functools import cached_property
from typing import Any

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module, amount, complete, known_by_number, member_words, read_off


class Seen(StrEnum):
    """By what a part was seen, the surest first."""

    #: A module's own SPD.
    SPD = "spd"
    #: Told by somebody, with where it is written.
    TOLD = "told"
    #: On hand, as it was put on the Shelf.
    SHELF = "shelf"
    #: In a machine, as somebody read or saw it there.
    READ = "read"
    #: On offer, as the supplier describes it.
    OFFER = "offer"
    #: Tried in a machine.
    TRIAL = "trial"
    #: In a machine, as its firmware tells: its rates may be clocks.
    REPORTED = "reported"
    #: On a maker's qualified list.
    LISTED = "listed"


@dataclass(frozen=True, slots=True)
class Sighting:
    """A module under a part number, as far as it was told there."""

    #: As it was written there.
    number: str
    module: Module
    seen: Seen
    #: "offer of Merrow Supply", "in hall-03".
    where: str
    on: date | None = None
    #: Individuals behind it.
    count: int = 1
    #: Nobody met the number: a list's line that ends in * has it among any others.
    by_pattern: bool = False


#: Members by which modules of one number are compared: what rules judge by. Names of makers and bins are spelt too variously.
COMPARED = (
    "generation", "form", "buffering", "ecc", "ecc_bits", "capacity_gib", "package_ranks", "stack_height", "device_width",
    "die_gbit", "rate_mts", "rails_v", "height_mm",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Said:
    """One value of a member, and the sightings that have it, the surest first."""

    value: Any
    words: str
    by: tuple[Sighting, ...]

    @property
    def source(self) -> str:
        """Where it is from, in words: "offer of Merrow Supply, 2026-11-02, and 2 more"."""
        first = self.by[0]
        day = f", {first.on.isoformat()}" if first.on else ""
        more = f", and {len(self.by) - 1} more" if len(self.by) > 1 else ""
        return f"{first.where}{day}{more}"


@dataclass(frozen=True, slots=True)
class Fact:
    """What is told of a member: by one value, or by several that cannot all be true."""

    member: str
    said: tuple[Said, ...]

    @property
    def agreed(self) -> bool:
        return len(self.said) == 1

    def sentence(self) -> str:
        """ "ranks: 1 (offer of Merrow Supply) or 2 (SPD read in hall-03)"."""
        return f"{member_words(self.member)}: " + " or ".join(f"{s.words} ({s.source})" for s in self.said)


# A plain dataclass without slots: what follows from the sightings is computed once.
@dataclass(frozen=True)
class Part:
    """A part number with what is known of it."""

    number: str
    #: Other numbers of the same thing.
    also: tuple[str, ...]
    sightings: tuple[Sighting, ...]

    @cached_property
    def facts(self) -> tuple[Fact, ...]:
        """Members of which anything is told, in the module's order."""
        return tuple(_facts(self.sightings))

    @property
    def met(self) -> bool:
        """Whether anybody met just this number, or told of it."""
        return bool(self.also) or any(not s.by_pattern for s in self.sightings)

    @property
    def disputed(self) -> tuple[Fact, ...]:
        """Members whose sightings cannot all be true: other chips under the same number, or a mistake."""
        return tuple(f for f in self.facts if not f.agreed)

    @cached_property
    def module(self) -> Module:
        """What all sightings agree on."""
        return _agreed(self.number, self.facts)


def key_of(number: str) -> str:
    """Equal for spellings of one part number: case and spaces tell none apart, every other character may."""
    return "".join(number.split()).upper()


def serial_key(serial: str | None) -> str:
    """Equal for spellings of one serial number: letters and figures alone tell them apart; "" = none."""
    return "".join(c for c in (serial or "").upper() if c.isalnum())


#: A word that can be a part number, or a piece of one that is printed with spaces.
_WORD = re.compile(r"[^\s,;|()\[\]“”\"]+")
#: Words that one number is printed in, at most.
_PIECES = 3
_SHORTEST = 5


@dataclass(frozen=True, slots=True)
class Candidate:
    """A piece of a text that may be a part number: characters start to end (end not included)."""

    start: int
    end: int
    key: str
    words: int = 1


def choose(found: Iterable[tuple[Candidate, Part]]) -> list[tuple[Candidate, Part]]:
    """Pieces of a text that are part numbers: those that were met first. A line of a list that ends in * has any words
    behind its beginning; a piece of several words is none of its."""
    kept = [(c, p) for c, p in found if p.met or c.words == 1]
    return sorted(kept, key=lambda x: not x[1].met)


def candidates(text: str) -> tuple[Candidate, ...]:
    """Pieces of a text that may be part numbers, the longest first; words of a label are none.

    Alone in its text a number may be of any make; among other words only one with digits and five characters or more.
    """
    words = [(m.start(), m.end()) for m in _WORD.finditer(text)]
    found = []
    whole = (
        Candidate(words[0][0], words[-1][1], key_of(text[words[0][0] : words[-1][1]]), len(words)) if words else None
    )
    if whole and not _is_label(text[whole.start : whole.end]):
        found.append(whole)
    for count in range(_PIECES, 0, -1):
        for run in zip(*(words[i:] for i in range(count)), strict=False):
            start, end = run[0][0], run[-1][1]
            key = key_of(text[start:end])
            mixed = any(c.isdigit() for c in key) and len(key) >= _SHORTEST
            one = Candidate(start, end, key, count)
            if mixed and one != whole and not _is_label(text[start:end]):
                found.append(one)
    return tuple(found)


def _is_label(piece: str) -> bool:
    """Whether a piece reads as words of a label from end to end."""
    reading = decode_label(piece)
    return bool(reading.understood) and not reading.not_understood


def differ(one: Module, other: Module, *, clock: bool = False) -> tuple[str, ...]:
    """Members that both tell, and differently.

    Parameters
        clock   `other` is as firmware tells it: a lower rate may be the clock at which it ran, and is no difference
    """
    found = []
    for name in COMPARED:
        a, b = getattr(one, name), getattr(other, name)
        if a in (None, ()) or b in (None, ()) or a == b:
            continue
        if name == "rate_mts" and clock and b < a:
            continue
        found.append(name)
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Beside:
    """A module beside what is known of its part number."""

    #: The module with what its part adds.
    module: Module
    #: What was open and the part tells, each by one value; what follows from others is not among them.
    adds: tuple[Fact, ...]
    #: What is open and its sightings dispute: neither value is taken.
    open: tuple[Fact, ...]
    #: What the module tells otherwise than sightings of its number.
    against: tuple[Fact, ...]


def beside(module: Module, part: Part) -> Beside:
    """What a part number tells of a module that carries it.

    Sightings that the module itself contradicts are of other chips: they are shown, and add nothing. Where no sighting is
    left, nothing is added.
    """
    unlike = {id(s): differ(module, s.module, clock=s.seen is Seen.REPORTED) for s in part.sightings}
    like = [s for s in part.sightings if not unlike[id(s)]]
    odd = [s for s in part.sightings if unlike[id(s)]]
    told = {n for names in unlike.values() for n in names}
    against = tuple(f for f in _facts(odd) if f.member in told)
    facts = tuple(f for f in _facts(like) if getattr(module, f.member) in (None, ()))
    adds = tuple(f for f in facts if f.agreed)
    left_open = tuple(f for f in facts if not f.agreed)
    new: dict[str, Any] = {f.member: f.said[0].value for f in adds}
    carried = replace(module, part=module.part or part.number)
    filled = complete(replace(carried, **new))[0]
    return Beside(known_by_number(_opened(filled, left_open), read_off(carried)), adds, left_open, against)


def _facts(sightings: Collection[Sighting]) -> Iterator[Fact]:
    ordered = sorted(sightings, key=lambda s: (tuple(Seen).index(s.seen), -(s.on.toordinal() if s.on else 0)))
    for name in COMPARED:
        told = [(getattr(s.module, name), s) for s in ordered if getattr(s.module, name) not in (None, ())]
        if name == "rate_mts":
            told = list(_without_clocks(told))
        values = dict.fromkeys(v for v, _ in told)
        if values:
            said = (Said(v, value_words(name, v), tuple(s for x, s in told if x == v)) for v in values)
            yield Fact(name, tuple(said))


def _without_clocks(told: list[tuple[Any, Sighting]]) -> Iterator[tuple[Any, Sighting]]:
    """Rates without those that firmware tells lower than another sighting does."""
    highest = max((rate for rate, _ in told), default=0)
    return ((rate, s) for rate, s in told if not (s.seen is Seen.REPORTED and rate < highest))


def _agreed(number: str, facts: Collection[Fact]) -> Module:
    told: dict[str, Any] = {f.member: f.said[0].value for f in facts if f.agreed}
    return _opened(complete(Module(part=number, **told))[0], [f for f in facts if not f.agreed])


def _opened(module: Module, facts: Iterable[Fact]) -> Module:
    """The module without members that sightings dispute: they do not come in by arithmetic either."""
    open_: dict[str, Any] = {f.member: () if f.member == "rails_v" else None for f in facts}
    return replace(module, **open_)


def value_words(member: str, value: Any) -> str:
    """A member's value as the trade says it."""
    match member:
        case "capacity_gib":
            return f"{amount(value)} GB"
        case "device_width":
            return f"x{value}"
        case "die_gbit":
            return f"{amount(value)} Gbit"
        case "rate_mts":
            return f"{value} MT/s"
        case "rails_v":
            return f"{' or '.join(map(amount, value))} V"
        case "height_mm":
            return f"{amount(value)} mm"
        case "ecc":
            return "ECC" if value else "no ECC"
    return value.value if isinstance(value, StrEnum) else amount(value)
