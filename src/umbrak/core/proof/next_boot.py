"""The next boot to try: of many arrangements the one that tells most for its minutes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import inf

import numpy as np

from umbrak.core.proof.states import At, Model
from umbrak.core.proof.suspects import Bools, Case, Floats

#: Drawing a module, pushing one in. [min] As in the run sheet's steps, between their low and high.
DRAW_MIN, PUSH_MIN = 0.75, 1.5
#: Of the minutes of handling so much counts in the choice: where modules are once they are moved serves the boots after, too.
_HANDLING = 0.3
#: What certainty of the foremost counts beside what is told of all, where places are told and where not: where they are, the place is
#: known soon and what is left is to be sure; where not, with all of it one module after the other is tried alone.
_FOREMOST = {True: 0.6, False: 0.25}
#: What is told when somebody is named, on the scale of `_Scale._score`, where places are told and where not. [bit] With it "so many
#: boots are left, if each tells as much as the next" is near the mean of what it takes (240 cases of bench.faults); half of the
#: searches end sooner.
_NAMED = {True: 3.5, False: 1.8}
#: Arrangements that are weighed together: enough for numpy, few enough for a processor's cache.
_AT_A_TIME = 32
#: Suspected places that are swapped and reseated one by one.
_NEAR = 5


@dataclass(frozen=True, slots=True)
class Trial:
    """A boot that could be tried next."""

    #: Slot -> module's name.
    arrangement: Mapping[str, str]
    reseated: frozenset[str]
    #: Handling, then the boot until it is seen. [min]
    handling: float
    boot: float
    #: What it is expected to tell: how much nearer it brings a name. [bit]
    tells: float
    #: Boots until a name, if each tells as much.
    boots_left: float

    @property
    def minutes(self) -> float:
        return self.handling + self.boot

    @property
    def worth(self) -> float:
        """What it tells for its minutes, of which handling counts less. [bit/min]"""
        return self.tells / (_HANDLING * self.handling + self.boot)


_Candidate = tuple[dict[str, str], frozenset[str]]
_NONE: frozenset[str] = frozenset()


def trials(
    model: Model,
    belief: Floats,
    at: At,
    boot_min: float,
    allowed: Callable[[Mapping[str, str]], bool],
    several: int,
    sure: float,
) -> tuple[Trial, ...]:
    """The best for its minutes first, each of another kind of doing."""
    case = model.case
    model, belief = model.only(belief)
    now = {case.slots[p]: m for m, p in zip(case.modules, at.places, strict=True) if p >= 0}
    scale = _Scale(model, belief, at, now, boot_min, (1 - sure) / 2)
    ranked = _Ranked.of(model, belief, at, now)
    found = scale.weigh(_candidates(ranked))
    if not found:
        return ()
    best = max(found, key=lambda t: t.worth)
    # Round the best: each module by itself in or out.
    for _ in range(2):
        more = scale.weigh(_flipped(case, now, best))
        found += more
        better = max(more, key=lambda t: t.worth, default=best)
        if better.worth <= best.worth:
            break
        best = better
    found.sort(key=lambda t: (-t.worth, t.minutes))
    chosen: list[Trial] = []
    kinds: set[tuple[bool, bool, bool]] = set()
    for trial in found:
        kind = _kind(now, trial)
        if any(_is_more_of(now, trial, c) for c in chosen):
            continue
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


def _is_more_of(now: Mapping[str, str], trial: Trial, chosen: Trial) -> bool:
    """Whether it does all that another does and something besides, which tells next to nothing."""
    done, wanted = (
        {(s, t.arrangement.get(s)) for s in {*now, *t.arrangement} if t.arrangement.get(s) != now.get(s)}
        for t in (trial, chosen)
    )
    return wanted <= done and chosen.reseated <= trial.reseated and trial.tells <= 1.01 * chosen.tells


class _Scale:
    """What arrangements would tell and take."""

    def __init__(
        self, model: Model, belief: Floats, at: At, now: Mapping[str, str], boot_min: float, floor: float
    ) -> None:
        self.model, self.belief, self.at, self.now = model, belief, at, now
        self.boot_min, self.floor = boot_min, floor
        self.case = model.case
        self.foremost, self.named = _FOREMOST[self.case.showing.told], _NAMED[self.case.showing.told]
        #: Where each label's states begin: `Model.only` puts them in that order.
        self.first = np.flatnonzero(np.diff(model.label, prepend=-1))
        self.seen: set[tuple[frozenset[tuple[str, str]], frozenset[str]]] = set()

    def weigh(self, candidates: Iterator[_Candidate]) -> list[Trial]:
        """Of each candidate that was not weighed yet."""
        new: list[_Candidate] = []
        for arrangement, reseated in candidates:
            key = (frozenset(arrangement.items()), reseated)
            if key not in self.seen and arrangement:
                self.seen.add(key)
                new.append((arrangement, reseated))
        if not new:
            return []
        then = At.of_many(self.case, [a for a, _ in new])
        drawn = self.model.drawn(self.at, then, [[self.case.place[s] for s in r] for _, r in new])
        told = [
            self._tells(then[i : i + _AT_A_TIME], drawn[i : i + _AT_A_TIME]) for i in range(0, len(new), _AT_A_TIME)
        ]
        found = []
        for (arrangement, reseated), tells, before in zip(new, *np.concatenate(told, axis=1).tolist(), strict=True):
            left = max(1.0, (self.named - before) / tells) if tells > 0 else inf
            handling = self._handling(arrangement, reseated)
            found.append(
                Trial(arrangement, reseated, handling=handling, boot=self.boot_min, tells=tells, boots_left=left)
            )
        return found

    def _tells(self, then: At, drawn: Bools) -> Floats:
        """[what it tells, the score before it] of each arrangement. Against what is believed once the modules are drawn: that
        contacts are cured by it is no news."""
        belief = self.model.after_drawing(self.belief, drawn)
        before = self._score(self._by_label(belief)[:, None, :])
        after = self._told(belief, then) if self.case.showing.told else self._untold(belief, then)
        return np.stack([np.maximum(after - before, 0.0), before])

    def _by_label(self, weights: Floats) -> Floats:
        """[..., state] -> [..., label], of the labels that there are."""
        return np.add.reduceat(weights, self.first, axis=-1)

    def _score(self, weights: Floats) -> Floats:
        """Of unnormalised [..., result, label]: the expected sum of p log2(p / (1 - p)^foremost) over labels. It grows as one label
        comes near its name, and 1 - p is floored, or search would go on for a last bit."""
        whole = weights.sum(axis=-1, keepdims=True)
        p = np.divide(weights, whole, out=np.zeros_like(weights), where=whole > 0)
        bits = np.log2(np.where(p > 0, p, 1.0)) - self.foremost * np.log2(np.maximum(1 - p, self.floor))
        return np.asarray((weights * bits).sum(axis=(-1, -2)))

    def _untold(self, belief: Floats, then: At) -> Floats:
        shown = belief * self.model.shows(then)
        return self._score(np.stack([self._by_label(shown), self._by_label(belief - shown)], axis=-2))

    def _told(self, belief: Floats, then: At) -> Floats:
        """Results are none, one place, one place with its channel; two faults stand for the one of them that can show."""
        model, slots, many = self.model, len(self.case.slots), len(belief)
        (pa, ra), (pb, rb) = (model.where(f, then) for f in model.faults)
        place, rate = np.where(ra > 0, pa, pb), np.where(ra > 0, ra, rb)
        shown = belief * rate
        none = self._by_label(belief - shown)
        # Of what may be anywhere no place tells; what takes its channel along tells the channel.
        number = np.cumsum(np.diff(model.label, prepend=-1) > 0) - 1
        shape = (many, len(self.first), slots + 1)
        key = (np.arange(many)[:, None] * shape[1] + number) * shape[2] + place + 1
        takes = model.faults[0].hides & (place >= 0)

        def by_place(weights: Floats) -> Floats:
            of_all = np.bincount(key.ravel(), weights.ravel(), many * shape[1] * shape[2])
            return np.asarray(of_all.reshape(shape), np.float64)

        alone_told, taking = by_place(shown * ~takes), by_place(shown * takes)[:, :, 1:]
        filled, channel_of, errs = then.filled, self.case.channel_of, self.case.showing.errs
        channel = channel_of[:, None] == np.arange(int(channel_of.max()) + 1)
        near = (filled @ channel.astype(int))[:, channel_of] - 1
        alone = np.where(near > 0, (1 - self.case.showing.hides) ** np.maximum(near, 0), 1.0)[:, None, :]
        has = (near > 0)[:, None, :]
        one = alone_told[:, :, 1:] * alone + np.where(has, 0.0, taking)
        channels = (alone_told[:, :, 1:] * (1 - alone) + np.where(has, taking, 0.0)) @ channel
        one += none[:, :, None] * errs * filled[:, None, :]
        none = none * np.maximum(0.0, 1 - errs * filled.sum(axis=1))[:, None]
        results = np.concatenate([none[:, :, None], one * filled[:, None, :], channels, alone_told[:, :, :1]], axis=2)
        return self._score(results.swapaxes(1, 2))

    def _handling(self, then: Mapping[str, str], reseated: frozenset[str]) -> float:
        now = self.now
        drawn = [s for s in now if then.get(s) != now[s]]
        pushed = [s for s in then if now.get(s) != then[s]]
        again = [s for s in reseated if now.get(s) is not None and now.get(s) == then.get(s)]
        ways = {w[0]: w[1] for s in (*drawn, *pushed, *again) if (w := self.case.ways.get(s))}
        minutes = DRAW_MIN * (len(drawn) + len(again)) + PUSH_MIN * (len(pushed) + len(again))
        return minutes + sum(ways.values())


# -- arrangements worth weighing, family by family ----------------------------------------------------------


@dataclass(frozen=True)
class _Ranked:
    """What is believed of the places and modules, put in order for making arrangements."""

    case: Case
    now: Mapping[str, str]
    #: Belief that lies on each place, and on each module.
    mass: Floats
    module_mass: Floats
    #: Belief on the contact of each place that is still bad.
    contact: Floats

    @classmethod
    def of(cls, model: Model, belief: Floats, at: At, now: Mapping[str, str]) -> _Ranked:
        n, labels = model.count, model.by_label(belief)
        mass = np.zeros(len(model.case.slots))
        there = at.places >= 0
        np.add.at(mass, at.places[there], labels[:n][there])
        contact = np.zeros(len(mass))
        np.add.at(contact, model.at_start, labels[2 * n : 3 * n])
        np.add.at(mass, model.at_start, labels[n : 2 * n])
        return cls(model.case, now, mass + contact, labels[:n], contact)

    @cached_property
    def suspected(self) -> list[str]:
        """Filled slots, the most suspected first."""
        order = np.argsort(-self.mass, kind="stable")
        return [s for p in order if (s := self.case.slots[p]) in self.now]

    @cached_property
    def least(self) -> list[str]:
        """All slots, the least suspected first."""
        return [self.case.slots[p] for p in np.argsort(self.mass, kind="stable")]

    @cached_property
    def contacts(self) -> list[str]:
        order = np.argsort(-self.contact, kind="stable")
        return [s for p in order if self.contact[p] > 1e-4 and (s := self.case.slots[p]) in self.now]

    @cached_property
    def modules(self) -> list[str]:
        """All modules, the most suspected first."""
        return [self.case.modules[i] for i in np.argsort(-self.module_mass, kind="stable")]


def _candidates(r: _Ranked) -> Iterator[_Candidate]:
    yield dict(r.now), _NONE
    for family in (_reseated, _two_swapped, _pairs_swapped, _turned, _some_left_out, _back_in, _alone):
        yield from family(r)


def _some(n: int) -> Iterator[int]:
    yield from sorted({1, 2, 3, n // 4, n // 2, n} & set(range(1, n + 1)))


def _reseated(r: _Ranked) -> Iterator[_Candidate]:
    for k in _some(len(r.contacts)):
        yield dict(r.now), frozenset(r.contacts[:k])
    for s in r.contacts[1:_NEAR]:
        yield dict(r.now), frozenset({s})
    for k in (1, 2, 3):
        yield dict(r.now), frozenset(r.suspected[:k])


def _two_swapped(r: _Ranked) -> Iterator[_Candidate]:
    """A suspect against another slot, full or empty."""
    for s in r.suspected[:_NEAR]:
        for t in [*r.suspected[:_NEAR], *r.least[:3]]:
            if s != t:
                yield _swapped(r.now, s, t), _NONE


def _pairs_swapped(r: _Ranked) -> Iterator[_Candidate]:
    """Several suspects at once, each against one of the least suspected."""
    for k in (2, 3, 4, len(r.case.modules) // 4, len(r.case.modules) // 2):
        others = [x for x in r.least if x not in r.suspected[:k]]
        both = dict(r.now)
        for s, t in zip(r.suspected[:k], others, strict=False):
            both = _swapped(both, s, t)
        yield both, _NONE


def _turned(r: _Ranked) -> Iterator[_Candidate]:
    """Every module, or the foremost, one place on."""
    for k in (3, 4, 6, len(r.now)):
        ring = r.suspected[:k]
        if len(ring) > 2:
            turned = {s: r.now[t] for s, t in zip(ring, [*ring[1:], ring[0]], strict=True)}
            yield {**r.now, **turned}, _NONE


def _some_left_out(r: _Ranked) -> Iterator[_Candidate]:
    """Some left out, or only some left in, by belief."""
    order = r.suspected
    halves = _halves(r, order)
    for k in sorted({1, 2, 3, 4, *halves, len(order) // 4, len(order) // 2, 3 * len(order) // 4}):
        if 0 < k < len(order):
            yield {s: r.now[s] for s in order[k:]}, _NONE
            yield {s: r.now[s] for s in order[:k]}, _NONE
    if len(order) > 2:
        for rest in (order[::2], order[1::2], [s for i, s in enumerate(order) if i % 4 in (0, 3)], [s for i, s in enumerate(order) if i % 4 in (1, 2)]):  # fmt: skip
            yield {s: r.now[s] for s in rest}, _NONE
    for s in order[1:_NEAR]:
        yield {t: m for t, m in r.now.items() if t != s}, _NONE


def _halves(r: _Ranked, order: Sequence[str]) -> list[int]:
    """How many of the most suspected places have about half of the belief, and their neighbours."""
    total = np.cumsum([r.mass[r.case.place[s]] for s in order])
    if not len(total) or total[-1] <= 0:
        return []
    half = int(np.searchsorted(total, total[-1] / 2)) + 1
    return [half - 1, half, half + 1]


def _alone(r: _Ranked) -> Iterator[_Candidate]:
    """A suspected module alone, there or in a slot that is hardly suspected; out, with a good one in its slot."""
    for m in r.modules[:3]:
        for s in [*r.least[:2], *r.suspected[:2]]:
            yield {s: m}, _NONE
    for s in r.suspected[:3]:
        good = next((m for m in reversed(r.modules) if m in r.now.values() and r.now[s] != m), None)
        if good:
            rest = {t: x for t, x in r.now.items() if x not in (good, r.now[s])}
            yield {**rest, s: good}, _NONE
            yield {s: good}, _NONE


def _back_in(r: _Ranked) -> Iterator[_Candidate]:
    """Modules that are out come back: all, half, or one into a suspected slot."""
    case, now = r.case, r.now
    out = [m for m in case.modules if m not in now.values()]
    home = {m: s for s, m in case.start.items()}
    yield {home[m]: m for m in case.modules}, _NONE
    if not out:
        return
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
    for k in sorted({1, 2, len(likely) // 4, len(likely) // 2}):
        yield {s: m for s, m in back.items() if s in now or m in likely[:k]}, _NONE
        # Instead of what is in: the same question from the other side.
        yield {s: m for s, m in back.items() if s not in now and m in likely[:k]}, _NONE
    yield {s: m for s, m in back.items() if s not in now}, _NONE
    for m in likely[:2]:
        for s in [*[s for s in case.slots if s not in now][:2], *list(now)[:4]]:
            yield {**now, s: m}, _NONE


def _flipped(case: Case, now: Mapping[str, str], best: Trial) -> Iterator[_Candidate]:
    """The best with each module in that is out, and out that is in."""
    home = {m: s for s, m in case.start.items()}
    inside = {m: s for s, m in best.arrangement.items()}
    for m in case.modules:
        if m in inside:
            rest = {s: x for s, x in best.arrangement.items() if x != m}
            yield rest, best.reseated & set(rest)
        else:
            place = next((s for s in (home[m], *case.slots) if s not in best.arrangement), None)
            if place:
                yield {**best.arrangement, place: m}, best.reseated


def _swapped(now: Mapping[str, str], s: str, t: str) -> dict[str, str]:
    then = {x: m for x, m in now.items() if x not in (s, t)}
    if s in now:
        then[t] = now[s]
    if t in now:
        then[s] = now[t]
    return then
