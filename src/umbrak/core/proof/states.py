"""What is believed after some boots: a weight for every way in which a machine may be faulty.

A state is one fault or two. How often a fault shows is part of it, and so are heat (some modules show it only while the machine is
full), hiding (some slots take their channel along) and whether drawing cures a contact; a contact that is cured is a state of
its own. All of it is reasoned, none measured; what the numbers lead to is measured by bench.faults on truths unlike them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, fields
from functools import cached_property
from itertools import product
from typing import NamedTuple

import numpy as np

from umbrak.core.proof.suspects import NOWHERE, Bools, Boot, Case, Floats, Ints, Kind, Suspect

#: How often a fault shows, each with its weight.
RATES = ((0.3, 0.2), (0.7, 0.4), (0.95, 0.4))
#: Of modules so many are hot: they show it nearly always, and hardly below a share of what is filled; each with its weight.
HOT, HOT_RATE, COLD_RATE = 0.12, 0.9, 0.15
HOT_BELOW = ((1 / 2, 0.4), (3 / 4, 0.25), (1 / 4, 0.2), (0.9, 0.15))
#: Of bad slots so many always take their channel along, where a boot tells places.
HIDES = 0.3
#: Drawing cures a bad contact: surely or perhaps, each with its weight; of two faults.
CURES = ((1.0, 0.6), (0.65, 0.4))
PAIR_CURE = 0.85
#: How probable each is beforehand, for a part that was handled and for one that was not: modules are what fails, a slot hardly
#: does by itself, a contact goes bad by a hand.
PRIORS: Mapping[Kind, tuple[float, float]] = {
    Kind.MODULE: (1.0, 0.2),
    Kind.SLOT: (0.2, 0.06),
    Kind.SEATING: (1.0, 0.1),
}
#: Of all belief, what begins as something else, and as two faults.
OTHER, PAIRS = 0.02, 0.08
PAIR_RATE = 0.8
#: Pairs less probable than this are left out.
_LEAST_PAIR = 1e-7
#: A state that weighs less says nothing to the choice of a boot.
_NOTHING = 1e-7
#: A light, a code or a log names the slot of a fault that is there so often, and one where none is.
_NAMES_IT, _NAMES_ANOTHER = 0.8, 0.1

_MODULE, _SLOT, _SEATING, _ANYWHERE, _NO_FAULT = range(5)


@dataclass(frozen=True)
class Fault:
    """One of the faults of each state."""

    kind: Ints
    #: Row of a table of where modules are, then which slots are filled, then nowhere: a module is its own row.
    row: Ints
    rate: Floats
    #: Of a hot module: below this share of what was filled it hardly shows; 0 = it is not hot.
    hot: Floats
    #: Whether it takes its channel along.
    hides: Bools

    @cached_property
    def is_hot(self) -> Ints:
        return np.flatnonzero(self.hot > 0)

    @cached_property
    def is_anywhere(self) -> Ints:
        return np.flatnonzero(self.kind == _ANYWHERE)

    @cached_property
    def is_there(self) -> Ints:
        """States that have it at all: most have one fault and no second."""
        return np.flatnonzero(self.kind != _NO_FAULT)

    @cached_property
    def there(self) -> Fault:
        return self.only(self.is_there)

    def only(self, states: Ints) -> Fault:
        return Fault(**{f.name: getattr(self, f.name)[states] for f in fields(self)})


@dataclass(frozen=True)
class At:
    """Where a machine stands: where each module is, and which places are filled. Of several arrangements, a row of each for
    every one; what a model tells of them has their rows."""

    #: [module], or [arrangement, module].
    places: Ints
    #: [place], or [arrangement, place].
    filled: Bools

    @classmethod
    def of(cls, case: Case, arrangement: Mapping[str, str]) -> At:
        of_many = cls.of_many(case, [arrangement])
        return cls(of_many.places[0], of_many.filled[0])

    @classmethod
    def of_many(cls, case: Case, arrangements: Sequence[Mapping[str, str]]) -> At:
        places = np.stack([case.places_of(a) for a in arrangements])
        # The last column takes what is nowhere.
        filled = np.zeros((len(places), len(case.slots) + 1), bool)
        filled[np.arange(len(places))[:, None], places] = True
        return cls(places, filled[:, :-1])

    def __getitem__(self, which: slice) -> At:
        return At(self.places[which], self.filled[which])


class _One(NamedTuple):
    """One fault of a state, as `Fault` has those of all."""

    kind: int
    #: Module, or place, by kind.
    which: int
    rate: float
    hot: float = 0.0
    hides: bool = False


_NONE = _One(_NO_FAULT, 0, 0.0)


def _faults(of: Sequence[_One], case: Case) -> Fault:
    first = {_MODULE: 0, _SLOT: len(case.modules), _SEATING: len(case.modules)}
    nowhere = len(case.modules) + len(case.slots)
    return Fault(
        kind=np.array([f.kind for f in of]),
        row=np.array([first[f.kind] + f.which if f.kind in first else nowhere for f in of]),
        rate=np.array([f.rate for f in of], float),
        hot=np.array([f.hot for f in of], float),
        hides=np.array([f.hides for f in of], bool),
    )


class _State(NamedTuple):
    """One way of being faulty."""

    label: int
    prior: float
    first: _One = _NONE
    second: _One = _NONE
    #: How probable it is that drawing its contact cures it, the place of that contact, and the state that it is then.
    cure: float = 0.0
    contact: int = NOWHERE
    then: int = -1
    #: Of a contact alone that is cured: the module that it is of.
    seating: int = -1


class Model:
    """Every state of a case, and how boots weigh them."""

    def __init__(self, case: Case) -> None:
        self.case = case
        states = self._states()
        self.faults = (_faults([s.first for s in states], case), _faults([s.second for s in states], case))
        self.cure = np.array([s.cure for s in states])
        self.contact = np.array([s.contact for s in states])
        self.then = np.array([s.then for s in states])
        self.label = np.array([s.label for s in states])
        self.seating_of = np.array([s.seating for s in states])
        prior = np.array([s.prior for s in states])
        self.prior = prior / prior.sum()
        #: States with a contact that is still bad, and those of one alone that is cured now.
        self.alive = np.flatnonzero(self.cure > 0)
        self.cured = self.label == self.label_cured

    # -- labels -------------------------------------------------------------------------------------------

    @cached_property
    def at_start(self) -> Ints:
        """Module -> its place when the fault was first seen."""
        return np.array([self.case.place[s] for s in self.case.slots if s in self.case.start])

    @property
    def count(self) -> int:
        return len(self.case.modules)

    @property
    def label_cured(self) -> int:
        return 3 * self.count

    @property
    def labels(self) -> int:
        """Modules, slots, contacts that are still bad, one for all that are cured, something else."""
        return 3 * self.count + 2

    # -- states -------------------------------------------------------------------------------------------

    def _weights(self, kind: Kind) -> list[float]:
        handled = self.case.handled
        filled = [s for s in self.case.slots if s in self.case.start]
        return [PRIORS[kind][0 if s in handled or not handled else 1] for s in filled]

    def _states(self) -> list[_State]:
        n, places = self.count, self.at_start.tolist()
        weights = {k: self._weights(k) for k in (Kind.MODULE, Kind.SLOT, Kind.SEATING)}
        share = (1 - OTHER - PAIRS) / sum(map(sum, weights.values()))
        found: list[_State] = []
        for i in range(n):
            w = weights[Kind.MODULE][i] * share
            found += [_State(i, w * part * (1 - HOT), _One(_MODULE, i, rate)) for rate, part in RATES]
            found += [_State(i, w * part * HOT, _One(_MODULE, i, HOT_RATE, below)) for below, part in HOT_BELOW]
        hiding = ((False, 1 - HIDES), (True, HIDES)) if self.case.showing.told else ((False, 1.0),)
        for i, place in enumerate(places):
            w = weights[Kind.SLOT][i] * share
            for (rate, part), (hides, of) in product(RATES, hiding):
                found.append(_State(n + i, w * part * of, _One(_SLOT, place, rate, hides=hides)))
        for i, place in enumerate(places):
            w = weights[Kind.SEATING][i] * share
            for (rate, part), (cure, of) in product(RATES, CURES):
                bad, then = _One(_SEATING, place, rate), len(found) + 1
                found.append(_State(2 * n + i, w * part * of, bad, cure=cure, contact=place, then=then))
                found.append(_State(self.label_cured, 0.0, seating=i))
        found += [_State(self.labels - 1, OTHER * part, _One(_ANYWHERE, 0, rate)) for rate, part in RATES]
        return found + self._pairs(weights, len(found))

    def _pairs(self, weights: Mapping[Kind, Sequence[float]], at: int) -> list[_State]:
        """Two modules, or a module and a contact; each counts under the likelier of the two.

        Parameters
            at   how many states there are before them
        """
        n, places = self.count, self.at_start.tolist()
        modules, seatings = weights[Kind.MODULE], weights[Kind.SEATING]
        two = [(i, j, modules[i] * modules[j]) for i in range(n) for j in range(i + 1, n)]
        contact = [(i, j, modules[i] * seatings[j]) for i in range(n) for j in range(n)]
        whole = sum(w for *_, w in (*two, *contact))
        found: list[_State] = []
        for i, j, w in two:
            if (p := PAIRS * w / whole) >= _LEAST_PAIR:
                found.append(_State(i, p, _One(_MODULE, i, PAIR_RATE), _One(_MODULE, j, PAIR_RATE)))
        for i, j, w in contact:
            if (p := PAIRS * w / whole) >= _LEAST_PAIR:
                label = i if modules[i] >= seatings[j] else 2 * n + j
                one, bad = _One(_MODULE, i, PAIR_RATE), _One(_SEATING, places[j], PAIR_RATE)
                then = at + len(found) + 1
                found.append(_State(label, p, one, bad, cure=PAIR_CURE, contact=places[j], then=then))
                found.append(_State(i, 0.0, one))
        return found

    def only(self, belief: Floats) -> tuple[Model, Floats]:
        """The same without the states that weigh nothing, in the order of labels, and what is believed of those that are left."""
        keeps = belief > _NOTHING
        # What a contact is once it is cured stays with it.
        bad = self.alive[keeps[self.alive]]
        keeps[self.then[bad]] = True
        kept = np.flatnonzero(keeps)
        kept = kept[np.argsort(self.label[kept], kind="stable")]
        number = np.empty(len(keeps), int)
        number[kept] = np.arange(len(kept))
        less = copy(self)
        less.faults = (self.faults[0].only(kept), self.faults[1].only(kept))
        less.cure, less.contact, less.label = self.cure[kept], self.contact[kept], self.label[kept]
        less.seating_of, less.prior = self.seating_of[kept], self.prior[kept]
        less.then = np.where(less.cure > 0, number[self.then[kept]], -1)
        less.alive = np.flatnonzero(less.cure > 0)
        less.cured = less.label == less.label_cured
        return less, belief[kept]

    # -- what a boot does ---------------------------------------------------------------------------------

    def drawn(self, before: At, then: At, reseated: Sequence[Sequence[int]]) -> Bools:
        """[arrangement, place]: whether its module is taken out or pushed in anew on the way to each of `then`."""
        found = np.zeros(then.filled.shape, bool)
        inside = before.places >= 0
        found[:, before.places[inside]] = then.places[:, inside] != before.places[inside]
        for row, places in zip(found, reseated, strict=True):
            row[list(places)] = True
        return found

    def after_drawing(self, belief: Floats, drawn: Bools) -> Floats:
        """[arrangement, state]: belief once the modules of these places were drawn: some contacts are cured by it."""
        goes = belief[self.alive] * self.cure[self.alive] * drawn[:, self.contact[self.alive]]
        found = np.repeat(belief[None, :], len(drawn), axis=0)
        found[:, self.alive] -= goes
        found[:, self.then[self.alive]] += goes
        return found

    def where(self, fault: Fault, at: At) -> tuple[Ints, Floats]:
        """(place of each state's fault, how often it shows there): NOWHERE and never where it cannot show."""
        slots = np.where(at.filled, np.arange(at.filled.shape[-1]), NOWHERE)
        nowhere = np.full((*at.filled.shape[:-1], 1), NOWHERE)
        place = np.concatenate([at.places, slots, nowhere], axis=-1)[..., fault.row]
        filled = at.filled.sum(axis=-1, keepdims=True)
        rate = fault.rate * (place >= 0)
        if len(anywhere := fault.is_anywhere):
            rate[..., anywhere] = fault.rate[anywhere] * (filled > 0)
        if len(hot := fault.is_hot):
            cold = filled / max(1, self.count) < fault.hot[hot] - 1e-9
            rate[..., hot] = np.where(cold, np.minimum(rate[..., hot], COLD_RATE), rate[..., hot])
        return place, rate

    def shows(self, at: At) -> Floats:
        """P(anything shows at a boot) of each state."""
        _, first = self.where(self.faults[0], at)
        quiet = (1 - first) * (1 - self.case.showing.errs) ** at.filled.sum(axis=-1, keepdims=True)
        _, second = self.where(self.faults[1].there, at)
        quiet[..., self.faults[1].is_there] *= 1 - second
        return np.asarray(1 - quiet)

    def likelihood(self, boot: Boot, at: At) -> Floats:
        """How probable a boot's result is under each state."""
        case = self.case
        if not case.showing.told:
            shown = self.shows(at)
            found = shown if boot.showed or boot.dark else 1 - shown
        else:
            found = self._of_places(boot, at)
        return found * self._of_named(boot, at) if boot.named else found

    def _of_places(self, boot: Boot, at: At) -> Floats:
        """Given which faults show, each filled place is dark by itself: one that shows is, its channel's others perhaps, and a
        sound one by error."""
        case, e = self.case, self.case.showing.errs
        dark = np.array([s in boot.dark for s in case.slots]) & at.filled
        (pa, ra), (pb, rb) = (self.where(f, at) for f in self.faults)
        same = (case.channel_of[:, None] == case.channel_of[None, :]) & at.filled[None, :]
        own = np.eye(len(case.slots), dtype=bool)
        #: [place of a fault, place]: how probable it is that a fault which shows makes that place dark.
        takes = [np.where(own, 1.0, np.where(same, h, 0.0)) for h in (case.showing.hides, 1.0)]
        light = np.stack([1 - t for t in takes])  # [hides, fault's place, place]

        def chance(lit: Floats) -> Floats:
            """Of a row of "it stays seen in spite of the faults": the probability of just these dark places."""
            stays = lit * (1 - e)
            each = np.where(dark, 1 - stays, stays)
            return np.asarray(np.where(at.filled, each, 1.0).prod(axis=-1))

        nothing = float(chance(np.ones(len(case.slots))))
        one = chance(light)  # [hides, place]
        ha = self.faults[0].hides.astype(int)
        of_a = np.where(pa >= 0, one[ha, pa], nothing)
        anywhere = self.faults[0].is_anywhere
        of_a[anywhere] = one[0][at.filled].mean() if at.filled.any() else nothing
        found = (1 - ra) * nothing + ra * of_a
        both = np.flatnonzero(rb > 0)
        if len(both):
            of_b = one[0, pb[both]]
            of_ab = chance(light[ha[both], pa[both]] * light[0, pb[both]])
            a, b = ra[both], rb[both]
            of_ab = np.where(pa[both] >= 0, of_ab, of_b)
            found[both] = (1 - b) * found[both] + b * ((1 - a) * of_b + a * of_ab)
        return np.asarray(found)

    def _of_named(self, boot: Boot, at: At) -> Floats:
        named = np.array([s in boot.named for s in self.case.slots])
        (pa, _), (pb, _) = (self.where(f, at) for f in self.faults)
        hit = ((pa >= 0) & named[pa]) | ((pb >= 0) & named[pb])
        return np.where(hit, _NAMES_IT, _NAMES_ANOTHER)

    def believe(self, boots: Sequence[Boot]) -> tuple[Floats, At]:
        """(weight of each state, where the machine stands) after some boots. The first is in the arrangement of `case.start`.

        That boot is why there is a search: its result is weighed given that anything showed, or what shows now and then would be
        thought rarer than it is.
        """
        belief, at = self.prior.copy(), At.of(self.case, self.case.start)
        for i, boot in enumerate(boots):
            then = At.of_many(self.case, [boot.arrangement])
            reseated = [self.case.place[s] for s in boot.reseated if s in self.case.place]
            belief = self.after_drawing(belief, self.drawn(at, then, [reseated]))[0]
            at = At(then.places[0], then.filled[0])
            told = self.likelihood(boot, at)
            if not i:
                shown = self.shows(at)
                told = np.divide(told, shown, out=np.zeros_like(told), where=shown > 0)
            belief = belief * told
            whole = belief.sum()
            # What no state explains is left as it was: a result that errors alone could give is always some states'.
            belief = belief / whole if whole > 0 else self.prior.copy()
        self._label_pairs(belief)
        return belief, at

    def _label_pairs(self, belief: Floats) -> None:
        """Two bad modules count under the likelier one: it is the one to name first."""
        alone = self.faults[1].kind == _NO_FAULT
        single = np.bincount(self.label[alone], belief[alone], self.labels)
        two = self.faults[1].kind == _MODULE
        first, second = self.faults[0].row[two], self.faults[1].row[two]
        self.label[two] = np.where(single[second] > single[first], second, first)

    def by_label(self, belief: Floats) -> Floats:
        return np.asarray(np.bincount(self.label, belief, self.labels), np.float64)

    def cured_by_place(self, belief: Floats) -> Floats:
        """Module (by its place at the start) -> belief that its contact was bad and is cured."""
        return np.asarray(np.bincount(self.seating_of[self.cured], belief[self.cured], self.count), np.float64)

    def suspect_of(self, label: int) -> Suspect:
        """The suspect of a label but that of what is cured."""
        return self.case.suspects[label if label < self.label_cured else label - 1]
