"""The next boot to try: the one that tells most for its minutes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from umbrak.core.proof.suspects import (
    Boot,
    Case,
    Floats,
    Ints,
    Kind,
    State,
    Suspect,
    believe,
    fault_places,
    state_after,
)

#: Belief from which a culprit is named.
SURE = 0.9
#: Drawing a module, pushing one in. [min] As in the run sheet's steps, between their low and high.
DRAW_MIN, PUSH_MIN = 0.75, 1.5
#: Suspected places that are tried in pairs and one by one.
_NEAR = 6


@dataclass(frozen=True, slots=True)
class Trial:
    """A boot that could be tried next."""

    #: Slot -> module's name.
    arrangement: Mapping[str, str]
    reseated: frozenset[str]
    #: Handling, then the boot until it is seen. [min]
    minutes: float
    #: What it is expected to tell. [bit]
    tells: float


@dataclass(frozen=True, slots=True)
class Outcome:
    """Where the search stands."""

    #: Suspects and what is believed of each, the likeliest first.
    beliefs: tuple[tuple[Suspect, float], ...]
    #: Named when believed enough: one, or several seatings of which one was bad and none is any more, so that no boot can
    #: tell them apart; empty while it goes on.
    culprits: tuple[Suspect, ...]
    #: What is believed of them together.
    odds: float
    #: Boots worth trying, the best for its minutes first; none when a culprit is named.
    trials: tuple[Trial, ...]


def look(
    case: Case,
    boots: Sequence[Boot],
    boot_min: float,
    allowed: Callable[[Mapping[str, str]], bool] = lambda _: True,
    sure: float = SURE,
    several: int = 3,
) -> Outcome:
    """What is believed after some boots, and what to try next.

    Parameters
        boots      in order; the first in the arrangement of `case.start`
        boot_min   minutes of a boot until it is seen whether the fault shows
        allowed    whether the machine starts with an arrangement at all
        several    how many trials to tell at most, each of another kind
    """
    belief, state = believe(case, boots)
    order = np.argsort(-belief, kind="stable")
    beliefs = tuple((case.suspects[i], float(belief[i])) for i in order)
    if belief[order[0]] >= sure:
        return Outcome(beliefs, (case.suspects[order[0]],), float(belief[order[0]]), ())
    cured = _cured(case, belief, state)
    if sum(belief[i] for i in cured) >= sure:
        named = _fewest(belief, cured, sure)
        return Outcome(beliefs, tuple(case.suspects[i] for i in named), float(sum(belief[i] for i in named)), ())
    return Outcome(beliefs, (), 0.0, _trials(case, belief, state, boot_min, allowed, several))


def _cured(case: Case, belief: Floats, state: State) -> list[int]:
    """Seatings whose module was drawn since, the likeliest first."""
    at = {s: i for i, s in enumerate(case.slots)}
    drawn = [i for i, x in enumerate(case.suspects) if x.kind is Kind.SEATING and state.drawn[at[x.name]]]
    return sorted(drawn, key=lambda i: -belief[i])


def _fewest(belief: Floats, among: Sequence[int], sure: float) -> list[int]:
    """The likeliest of them that together are believed enough."""
    together, chosen = 0.0, []
    for i in among:
        chosen.append(i)
        together += belief[i]
        if together >= sure:
            break
    return chosen


def _trials(
    case: Case,
    belief: Floats,
    state: State,
    boot_min: float,
    allowed: Callable[[Mapping[str, str]], bool],
    several: int,
) -> tuple[Trial, ...]:
    if not several:
        return ()
    now = {case.slots[p]: m for m, p in zip(case.modules, state.places, strict=True) if p >= 0}
    found: list[Trial] = []
    seen: set[tuple[frozenset[tuple[str, str]], frozenset[str]]] = set()
    for arrangement, reseated in _candidates(case, belief, state, now):
        key = (frozenset(arrangement.items()), reseated)
        if key in seen or not arrangement:
            continue
        seen.add(key)
        then = state_after(case, state, arrangement, reseated)
        tells = _information(case, belief, then)
        found.append(Trial(arrangement, reseated, _handling(now, arrangement, reseated) + boot_min, tells))
    found.sort(key=lambda t: (-t.tells / t.minutes, t.minutes))
    chosen: list[Trial] = []
    kinds: set[tuple[bool, bool, bool]] = set()
    for trial in found:
        kind = _kind(now, trial)
        # What the machine takes is asked only of those that would be told: it is the costly question.
        if kind not in kinds and allowed(trial.arrangement):
            chosen.append(trial)
            kinds.add(kind)
        if len(chosen) == several:
            break
    return tuple(chosen)


def _kind(now: Mapping[str, str], trial: Trial) -> tuple[bool, bool, bool]:
    """What is done for it: reseating, leaving out, moving. Two trials of one kind are no choice for a person."""
    stays = {m for s, m in trial.arrangement.items() if now.get(s) == m}
    moved = set(trial.arrangement.values()) & set(now.values()) - stays
    return bool(trial.reseated), len(trial.arrangement) < len(now), bool(moved)


def _handling(now: Mapping[str, str], then: Mapping[str, str], reseated: frozenset[str]) -> float:
    drawn = [s for s in now if then.get(s) != now[s]]
    pushed = [s for s in then if now.get(s) != then[s]]
    again = [s for s in reseated if now.get(s) is not None and now.get(s) == then.get(s)]
    return DRAW_MIN * (len(drawn) + len(again)) + PUSH_MIN * (len(pushed) + len(again))


_Candidate = tuple[dict[str, str], frozenset[str]]


_NONE: frozenset[str] = frozenset()


@dataclass(frozen=True)
class _Ranked:
    """What is believed of the places and modules, put in order for making arrangements."""

    case: Case
    belief: Floats
    now: Mapping[str, str]
    #: Belief that lies on each slot, by its place among the slots.
    mass: Floats

    @classmethod
    def of(cls, case: Case, belief: Floats, state: State, now: Mapping[str, str]) -> _Ranked:
        places = fault_places(case, state)
        mass = np.zeros(len(case.slots))
        np.add.at(mass, places[places >= 0], belief[:-1][places >= 0])
        return cls(case, belief, now, mass)

    @cached_property
    def suspected(self) -> list[str]:
        """Slots with some belief on them, the most suspected first."""
        return [self.case.slots[p] for p in np.argsort(-self.mass, kind="stable") if self.mass[p] > 0]

    @cached_property
    def least(self) -> list[str]:
        """All slots, the least suspected first."""
        return sorted(self.case.slots, key=lambda s: self.mass[self.case.slots.index(s)])

    @cached_property
    def modules(self) -> list[str]:
        """All modules, the most suspected first."""
        at = {m: i for i, m in enumerate(self.case.modules)}
        return sorted(self.case.modules, key=lambda m: -self.belief[at[m]])

    @cached_property
    def filled(self) -> list[str]:
        """Filled slots, the suspected ones first, in their order, then the others in the slots' own."""
        suspected = [s for s in self.suspected if s in self.now]
        return suspected + [s for s in self.case.slots if s in self.now and s not in self.suspected]


def _candidates(case: Case, belief: Floats, state: State, now: Mapping[str, str]) -> Iterator[_Candidate]:
    """Arrangements worth weighing, family by family; each is one question put to the machine."""
    ranked = _Ranked.of(case, belief, state, now)
    yield dict(now), _NONE
    for family in (_reseated, _two_swapped, _pairs_swapped, _turned, _some_left_out, _back_in, _alone):
        yield from family(ranked)


def _reseated(r: _Ranked) -> Iterator[_Candidate]:
    """Suspects drawn and pushed in again: several at once, and each of the foremost by itself."""
    for k in {1, 2, 3, len(r.suspected) // 2, len(r.suspected)}:
        yield dict(r.now), frozenset(s for s in r.suspected[:k] if s in r.now)
    for s in r.suspected[1:_NEAR]:
        yield dict(r.now), frozenset({s})


def _two_swapped(r: _Ranked) -> Iterator[_Candidate]:
    """A suspect against another slot, full or empty."""
    for s in r.suspected[:_NEAR]:
        for t in [*r.suspected[:_NEAR], *r.least[:_NEAR]]:
            if s != t and (s in r.now or t in r.now):
                yield _swapped(r.now, s, t), _NONE


def _pairs_swapped(r: _Ranked) -> Iterator[_Candidate]:
    """Several suspects at once, each against one of the least suspected."""
    for k in (2, 3, 4, len(r.case.modules) // 2):
        others = [x for x in reversed(r.least) if x not in r.suspected[:k]][::-1]
        both = dict(r.now)
        for s, t in zip(r.suspected[:k], others, strict=False):
            both = _swapped(both, s, t)
        yield both, _NONE


def _turned(r: _Ranked) -> Iterator[_Candidate]:
    """Every module one place on: whatever follows is a module's fault."""
    if len(r.now) > 2:
        ring = [s for s in r.case.slots if s in r.now]
        yield {s: r.now[t] for s, t in zip(ring, [*ring[1:], ring[0]], strict=True)}, _NONE


def _some_left_out(r: _Ranked) -> Iterator[_Candidate]:
    """Some left out, or only some left in, split where the belief halves."""
    order = r.filled
    for k in {1, 2, 3, *(_halves(r.mass, r.case, order)), len(order) // 2}:
        if 0 < k < len(order):
            yield {s: r.now[s] for s in order[k:]}, _NONE
            yield {s: r.now[s] for s in order[:k]}, _NONE
    for rest in _interleaved(order):
        yield {s: r.now[s] for s in rest}, _NONE


def _alone(r: _Ranked) -> Iterator[_Candidate]:
    """A suspected module alone in a slot that is hardly suspected, and the other way round."""
    for m in r.modules[:3]:
        for s in [*r.least[:2], *r.suspected[:2]]:
            yield {s: m}, _NONE
    for s in r.suspected[:2]:
        for m in r.modules[::-1][:2]:
            yield {**{t: x for t, x in r.now.items() if x != m}, s: m}, _NONE
            yield {s: m}, _NONE


def _swapped(now: Mapping[str, str], s: str, t: str) -> dict[str, str]:
    then = {x: m for x, m in now.items() if x not in (s, t)}
    if s in now:
        then[t] = now[s]
    if t in now:
        then[s] = now[t]
    return then


def _halves(mass: Floats, case: Case, order: Sequence[str]) -> list[int]:
    """How many of the most suspected places have about half of the belief, and their neighbours."""
    at = {s: i for i, s in enumerate(case.slots)}
    total = np.cumsum([mass[at[s]] for s in order])
    if not len(total) or total[-1] <= 0:
        return []
    half = int(np.searchsorted(total, total[-1] / 2)) + 1
    return [half - 1, half, half + 1]


def _interleaved(order: Sequence[str]) -> Iterator[list[str]]:
    """Every second of the suspected places, kept or left out: about half of the belief whatever its shape."""
    if len(order) > 2:
        yield list(order[::2])
        yield list(order[1::2])
        yield [s for i, s in enumerate(order) if i % 4 in (0, 3)]
        yield [s for i, s in enumerate(order) if i % 4 in (1, 2)]


def _back_in(r: _Ranked) -> Iterator[_Candidate]:
    """Modules that are out come back: all, half, or one into a suspected slot."""
    case, now = r.case, r.now
    out = [m for m in case.modules if m not in now.values()]
    if not out:
        return
    home = {m: s for s, m in case.start.items()}
    back = dict(now)
    waiting = []
    for m in out:
        if home[m] not in back:
            back[home[m]] = m
        else:
            waiting.append(m)
    back |= dict(zip([s for s in case.slots if s not in back], waiting, strict=False))
    yield back, _NONE
    likely = [m for m in r.modules if m in out]
    for k in {1, 2, len(likely) // 2}:
        some = {s: m for s, m in back.items() if s in now or m in likely[:k]}
        yield some, _NONE
        # Instead of what is in: the same question from the other side.
        yield {s: m for s, m in back.items() if s not in now and m in likely[:k]}, _NONE
    yield {s: m for s, m in back.items() if s not in now}, _NONE
    for m in likely[:2]:
        for s in [*[s for s in case.slots if s not in now][:2], *now]:
            yield {**now, s: m}, _NONE


def _information(case: Case, belief: Floats, state: State) -> float:
    """What a boot in this state is expected to tell: the mutual information between suspect and result. [bit]

    Suspects that would show at the same place cannot be told apart by it, so places stand for them. Results beyond none, one
    place, and one place with all its channel are so rare that they are taken as one.
    """
    places = fault_places(case, state)
    slots = len(case.slots)
    weight = np.zeros(slots + 2)
    np.add.at(weight, np.where(places >= 0, places, slots), belief[:-1])
    weight[slots + 1] = belief[-1]
    table = _results(case, state.filled(slots))
    mean = table @ weight
    told = (table > 0) & (mean[:, None] > 0)
    ratio = np.divide(table, mean[:, None], out=np.ones_like(table), where=told)
    return float(max(0.0, ((table * np.log2(ratio, out=np.zeros_like(table), where=told)) @ weight).sum()))


def _results(case: Case, filled: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> Floats:
    """[result, place]: how probable each result is for a fault at each place; the last two columns are nowhere and
    something else."""
    s = case.showing
    slots = len(case.slots)
    count = int(filled.sum())
    if not s.told:
        clean = (1 - s.errs) ** count
        showed = np.full(slots + 2, 1 - (1 - s.shows) * clean)
        showed[slots] = 1 - clean
        return np.stack([showed, 1 - showed])
    full = np.flatnonzero(filled)
    near = _neighbours(case, filled)
    hidden = s.hides + (1 - s.hides) * s.errs

    def noise(dark: Ints | int) -> Floats:
        exponent = np.asarray(dark, float)
        return np.asarray(s.errs**exponent * (1 - s.errs) ** (count - exponent), float)

    one = np.zeros((len(full), slots + 2))
    all_of = np.zeros((len(full), slots + 2))
    one[:] = noise(1) * (1 - s.shows)
    one[:, slots] = noise(1)
    with_near = noise(near[full] + 1)[:, None]
    all_of[:] = with_near * (1 - s.shows)
    all_of[:, slots] = with_near[:, 0]
    for i, p in enumerate(full):
        k = int(near[p])
        one[i, p] += s.shows * (1 - hidden) ** k * (1 - s.errs) ** (count - 1 - k)
        mates = full[case.channel_of[full] == case.channel_of[p]]
        all_of[i, mates] += s.shows * hidden**k * (1 - s.errs) ** (count - 1 - k)
    nothing = np.full((1, slots + 2), float(noise(0)) * (1 - s.shows))
    nothing[0, slots] = noise(0)
    # A channel's full set is one result, told once; a place without neighbours has it as `one` already.
    first = [i for i, p in enumerate(full) if near[p] and p == full[case.channel_of[full] == case.channel_of[p]][0]]
    table = np.concatenate([nothing, one, all_of[first]])
    if len(full):
        table[:, slots + 1] = table[:, full].mean(axis=1)
    rest = np.clip(1 - table.sum(axis=0), 0, None)
    return np.concatenate([table, rest[None, :]])


def _neighbours(case: Case, filled: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> Ints:
    """How many other filled places share the channel of each."""
    counts = np.bincount(case.channel_of[filled], minlength=int(case.channel_of.max(initial=0)) + 1)
    return np.asarray(counts[case.channel_of] - 1, np.int64)


def what_to_do(culprit: Suspect, new: bool, place: str) -> tuple[str, ...]:
    """What is done with a culprit once it is named.

    Parameters
        new     whether the module came with this work
        place   the slot that it is about, as printed
    """
    if culprit.kind is Kind.MODULE:
        first = "Send it back to who sold it" if new else "Return it under warranty, or mark it as suspect on the Shelf"
        return (first, "Fit another of its kind, and compare again.")
    if culprit.kind is Kind.SLOT:
        return (
            f"Leave {place} empty, or repair the board.",
            "Plan without it: Fit says what that costs in balance and rate.",
        )
    if culprit.kind is Kind.SEATING:
        return (f"It is cured: the module of {place} sits now.", "Put every module back to its planned slot.")
    return ("Neither a module, a slot nor a seating explains it: look at processor, board, supply and firmware.",)
