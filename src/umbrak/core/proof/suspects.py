"""What may be at fault, what a boot tells of it, and what is believed after some boots.

One fault is looked for: a module, a slot, or how a module was seated; or something else. A fault shows at a boot with
some probability, where it is then; a sound part errs with a small one. A fault that shows may hide its channel's
neighbours too. Moving modules round tells them apart: a module takes its fault along, a slot keeps it, a seating loses it
as soon as the module is drawn.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
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
    #: Probability that a fault shows at a boot, and that a sound part seems faulty at one.
    shows: float
    errs: float
    #: Probability that a fault that shows hides each module of its channel too.
    hides: float
    #: Minutes from the start of a boot until it is seen whether it shows, beyond the boot itself.
    watch_min: float


SHOWINGS: Mapping[Symptom, Showing] = {
    Symptom.NO_START: Showing(False, 0.9, 0.002, 0.0, 0),
    Symptom.CODED: Showing(False, 0.9, 0.002, 0.0, 0),
    Symptom.TOTAL_SHORT: Showing(True, 0.9, 0.005, 0.2, 1),
    Symptom.CHANNEL_GONE: Showing(True, 0.9, 0.005, 0.5, 1),
    #: Beyond the boot a pass of the test, which depends on what is fitted: whoever asks adds it.
    Symptom.TEST: Showing(False, 0.8, 0.002, 0.0, 0),
    Symptom.RESTARTS: Showing(False, 0.6, 0.005, 0.0, 60),
    Symptom.COUNTERS: Showing(True, 0.7, 0.01, 0.0, 30),
}


class Kind(StrEnum):
    MODULE = "module"
    SLOT = "slot"
    SEATING = "seating"
    OTHER = "other"


#: How probable each is before anything is seen, for a part that was handled and for one that was not. Reasoned: modules are
#: what fails; a slot hardly does by itself; a seating goes bad by a hand.
PRIORS: Mapping[Kind, tuple[float, float]] = {
    Kind.MODULE: (1.0, 0.3),
    Kind.SEATING: (1.0, 0.1),
    Kind.SLOT: (0.15, 0.08),
}
#: Of all belief, what begins as "something else".
PRIOR_OTHER = 0.03


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


@dataclass(frozen=True)
class Case:
    """What the search is about."""

    #: Slot -> its channel, for the slots that matter.
    channels: Mapping[str, str]
    #: Slot -> module's name as it stood when the fault was first seen.
    start: Mapping[str, str]
    showing: Showing
    #: Slots that were handled before it was first seen.
    handled: frozenset[str] = frozenset()
    priors: Mapping[Kind, tuple[float, float]] = field(default_factory=lambda: PRIORS)

    @cached_property
    def slots(self) -> tuple[str, ...]:
        return tuple(self.channels)

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
    def prior(self) -> Floats:
        filled = [s for s in self.slots if s in self.start]
        each = [self.priors[k][0 if s in self.handled or not self.handled else 1] for k in (Kind.MODULE, Kind.SLOT, Kind.SEATING) for s in filled]  # fmt: skip
        weights = np.array(each, float)
        return np.append(weights / weights.sum() * (1 - PRIOR_OTHER), PRIOR_OTHER)

    @cached_property
    def channel_of(self) -> Ints:
        names = sorted(set(self.channels.values()))
        return np.array([names.index(self.channels[s]) for s in self.slots])


@dataclass(frozen=True, slots=True)
class State:
    """A boot's arrangement in numbers: places are positions in `case.slots`."""

    #: Module (position in `case.modules`) -> place, or NOWHERE.
    places: Ints
    #: Place -> whether the module that stood there at the start was drawn since.
    drawn: NDArray[np.bool_]

    def filled(self, slots: int) -> NDArray[np.bool_]:
        found = np.zeros(slots, bool)
        found[self.places[self.places >= 0]] = True
        return found


def first_state(case: Case) -> State:
    at = {s: i for i, s in enumerate(case.slots)}
    return State(np.array([at[s] for s in case.slots if s in case.start]), np.zeros(len(case.slots), bool))


def state_after(case: Case, before: State, arrangement: Mapping[str, str], reseated: Iterable[str] = ()) -> State:
    """The state when what was is made into `arrangement`."""
    at = {s: i for i, s in enumerate(case.slots)}
    where = {m: at[s] for s, m in arrangement.items()}
    places = np.array([where.get(m, NOWHERE) for m in case.modules])
    drawn = before.drawn.copy()
    moved = places != before.places
    drawn[before.places[moved & (before.places >= 0)]] = True
    drawn[[at[s] for s in reseated if s in at]] = True
    return State(places, drawn)


def fault_places(case: Case, state: State) -> Ints:
    """Where each suspect but the last would show at a boot in this state: a place, or NOWHERE."""
    slots = len(case.slots)
    filled = state.filled(slots)
    start = first_state(case).places
    slot = np.where(filled[start], start, NOWHERE)
    seating = np.where(~state.drawn[start] & filled[start], start, NOWHERE)
    return np.concatenate([state.places, slot, seating])


def likelihood(case: Case, boot: Boot, state: State) -> Floats:
    """How probable the boot's result is under each suspect.

    Told places: a fault shows with `shows` at its place, then hides each filled neighbour of its channel with `hides`; every
    other filled place errs with `errs`. Untold: it shows when the fault does or any part errs.
    """
    s = case.showing
    filled = state.filled(len(case.slots))
    count = int(filled.sum())
    places = fault_places(case, state)
    if not s.told:
        clean = (1 - s.errs) ** count
        showed = np.where(places >= 0, 1 - (1 - s.shows) * clean, 1 - clean)
        every = np.append(showed, 1 - (1 - s.shows) * clean)
        return every if boot.showed else 1 - every
    dark = np.array([x in boot.dark for x in case.slots]) & filled
    noise = s.errs ** int(dark.sum()) * (1 - s.errs) ** int(count - dark.sum())
    by_place = np.array([_shown(case, p, dark, filled) for p in range(len(case.slots))])
    sure = np.where(places >= 0, s.shows * by_place[places] + (1 - s.shows) * noise, noise)
    anywhere = by_place[filled].mean() if count else 0.0
    return np.append(sure, s.shows * anywhere + (1 - s.shows) * noise)


def _shown(case: Case, place: int, dark: NDArray[np.bool_], filled: NDArray[np.bool_]) -> float:
    """Probability of these dark places when the fault at `place` shows."""
    if not dark[place]:
        return 0.0
    s = case.showing
    near = (case.channel_of == case.channel_of[place]) & filled
    near[place] = False
    hidden = s.hides + (1 - s.hides) * s.errs
    far = filled & ~near
    far[place] = False
    return float(
        hidden ** int((dark & near).sum()) * (1 - hidden) ** int((~dark & near).sum())
        * s.errs ** int((dark & far).sum()) * (1 - s.errs) ** int((~dark & far).sum())
    )  # fmt: skip


def believe(case: Case, boots: Sequence[Boot]) -> tuple[Floats, State]:
    """(belief in each suspect, the state after the last boot). The first boot is in the arrangement of `case.start`."""
    belief, state = case.prior.copy(), first_state(case)
    for boot in boots:
        state = state_after(case, state, boot.arrangement, boot.reseated)
        belief = belief * likelihood(case, boot, state)
        belief /= belief.sum()
    return belief, state
