"""What may be at fault, and how a fault of one symptom shows.

A module takes its fault along, a slot keeps it, and a contact loses it when its module is drawn, surely or perhaps. What is
believed of each is core.proof.states; the boot to try next, core.proof.next_boot.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
#: Place of a fault that cannot show: what has it is not in the machine.
NOWHERE = -1


class Symptom(StrEnum):
    """What is seen, and with that whether a boot tells where."""

    NO_START = "no start"
    CODED = "coded beeps or lights"
    TOTAL_SHORT = "total short"
    CHANNEL_GONE = "slots of a channel gone"
    TEST = "memory test fails"
    RESTARTS = "restarts under load"
    COUNTERS = "counters rising"


@dataclass(frozen=True, slots=True)
class Showing:
    """How a fault of one symptom shows. Reasoned, not measured."""

    #: Whether a boot tells at which slots it shows; else only whether it shows.
    told: bool
    #: Probability that a sound part seems faulty at a boot.
    errs: float
    #: Probability that a fault that shows hides each module of its channel too.
    hides: float
    #: Minutes from the start of a boot until it is seen whether it shows, beyond the boot itself.
    watch_min: float


SHOWINGS: Mapping[Symptom, Showing] = {
    Symptom.NO_START: Showing(False, 0.002, 0.0, 0),
    Symptom.CODED: Showing(False, 0.002, 0.0, 0),
    Symptom.TOTAL_SHORT: Showing(True, 0.005, 0.2, 1),
    Symptom.CHANNEL_GONE: Showing(True, 0.005, 0.5, 1),
    #: Beyond the boot a pass of the test, which depends on what is fitted: whoever asks adds it.
    Symptom.TEST: Showing(False, 0.002, 0.0, 0),
    Symptom.RESTARTS: Showing(False, 0.005, 0.0, 60),
    Symptom.COUNTERS: Showing(True, 0.01, 0.0, 30),
}


class Kind(StrEnum):
    MODULE = "module"
    SLOT = "slot"
    SEATING = "seating"
    OTHER = "other"


@dataclass(frozen=True, slots=True)
class Suspect:
    kind: Kind
    #: The module's name, the slot; "" for something else.
    name: str


@dataclass(frozen=True, slots=True)
class Boot:
    """One boot: what was where, and what it showed."""

    #: Slot -> module's name; slots left out are empty.
    arrangement: Mapping[str, str]
    #: Slots whose module was drawn and pushed in again since the boot before, though none else is there.
    reseated: frozenset[str] = frozenset()
    #: Slots at which a fault showed; where places are not told, any slot stands for "it showed".
    dark: frozenset[str] = frozenset()
    #: Whether it showed, where places are not told.
    showed: bool = False
    #: Slots that a light, a code or a log names as faulty: evidence, not proof.
    named: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Case:
    """What the search is about."""

    #: Slot -> its channel, for the slots that matter.
    channels: Mapping[str, str]
    #: Slot -> module's name as it stood when the fault was first seen.
    start: Mapping[str, str]
    showing: Showing
    #: Slots that were handled before it was first seen; none = all may have been.
    handled: frozenset[str] = frozenset()
    #: Slot -> the way that leads to it, and the minutes that opening and closing that way takes; none = it lies open.
    ways: Mapping[str, tuple[str, float]] = field(default_factory=dict)

    @cached_property
    def slots(self) -> tuple[str, ...]:
        return tuple(self.channels)

    @cached_property
    def place(self) -> Mapping[str, int]:
        """Slot -> its position among the slots."""
        return {s: i for i, s in enumerate(self.slots)}

    @cached_property
    def modules(self) -> tuple[str, ...]:
        return tuple(self.start[s] for s in self.slots if s in self.start)

    @cached_property
    def suspects(self) -> tuple[Suspect, ...]:
        """Modules, slots and seatings, each in the slots' order; something else comes last."""
        filled = [s for s in self.slots if s in self.start]
        return (
            *(Suspect(Kind.MODULE, self.start[s]) for s in filled),
            *(Suspect(Kind.SLOT, s) for s in filled),
            *(Suspect(Kind.SEATING, s) for s in filled),
            Suspect(Kind.OTHER, ""),
        )

    @cached_property
    def channel_of(self) -> Ints:
        names = sorted(set(self.channels.values()))
        return np.array([names.index(self.channels[s]) for s in self.slots])

    def places_of(self, arrangement: Mapping[str, str]) -> Ints:
        """Module (position in `modules`) -> place, or NOWHERE."""
        where = {m: self.place[s] for s, m in arrangement.items()}
        return np.array([where.get(m, NOWHERE) for m in self.modules])
