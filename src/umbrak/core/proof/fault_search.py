"""Where a fault search stands: what is believed, whether that is enough for a name, and what to try next."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from umbrak.core.proof.next_boot import Trial, trials
from umbrak.core.proof.states import At, Model
from umbrak.core.proof.suspects import Boot, Case, Floats, Kind, Suspect

#: Belief from which a module, a slot or something else is named, and from which contacts are named that are cured.
SURE, SURE_CURED = 0.987, 0.955
#: Contacts that are cured are listed until they have so much of what is believed of them.
_LISTED = 0.995
#: What cannot be told apart any more is named together when no boot brings it nearer by so much a minute. [bit]
_NO_MORE = 1e-4
#: How many clean boots are looked ahead.
_AHEAD = 15
#: Modules that could be replaced at once instead of telling them apart: so many at most, when they are believed so much together.
_AT_ONCE, _ENOUGH = 3, 0.9


@dataclass(frozen=True, slots=True)
class Outcome:
    """Where the search stands."""

    #: Suspects and what is believed of each, the likeliest first; what is cured counts as its contact.
    beliefs: tuple[tuple[Suspect, float], ...]
    #: Named when believed enough: one, or several that no boot can tell apart; empty while it goes on.
    culprits: tuple[Suspect, ...]
    #: What is believed of them together.
    odds: float
    #: Boots worth trying, the best for its minutes first; none when a culprit is named.
    trials: tuple[Trial, ...]
    #: Whether the contacts named are cured: nothing is bad any more.
    cured: bool = False
    #: So many more clean boots as it stands would show that a contact is cured; None where that is not what it looks like.
    clean_boots: int | None = None
    #: Modules that could be replaced at once instead of telling them apart, and what is believed of them together.
    at_once: tuple[Suspect, ...] = ()
    at_once_odds: float = 0.0


def look(
    case: Case,
    boots: Sequence[Boot],
    boot_min: float,
    allowed: Callable[[Mapping[str, str]], bool] = lambda _: True,
    several: int = 3,
) -> Outcome:
    """What is believed after some boots, and what to try next.

    Parameters
        boots      in order; the first in the arrangement of `case.start`
        boot_min   minutes of a boot until it is seen whether the fault shows
        allowed    whether the machine starts with an arrangement at all
        several    how many trials to tell at most, each of another kind
    """
    model = Model(case)
    belief, at = model.believe(boots)
    labels, cured = model.by_label(belief), model.cured_by_place(belief)
    beliefs = _beliefs(model, labels, cured)
    if named := _named(model, labels, cured):
        culprits, odds, is_cured = named
        return Outcome(beliefs=beliefs, culprits=culprits, odds=odds, trials=(), cured=is_cured)
    next_ones = trials(model, belief, at, boot_min, allowed, several, SURE) if several else ()
    if several and (not next_ones or next_ones[0].worth < _NO_MORE):
        together = _together(model, labels)
        if together:
            odds = sum(p for s, p in beliefs if s in together)
            return Outcome(beliefs=beliefs, culprits=together, odds=odds, trials=())
    clean = _clean_boots(model, belief, at, labels)
    at_once, odds = _at_once(beliefs)
    return Outcome(
        beliefs=beliefs, culprits=(), odds=0.0, trials=next_ones, clean_boots=clean, at_once=at_once, at_once_odds=odds
    )


def _beliefs(model: Model, labels: Floats, cured: Floats) -> tuple[tuple[Suspect, float], ...]:
    n = model.count
    weights = [*labels[: 2 * n], *(labels[2 * n : 3 * n] + cured), labels[-1]]
    order = sorted(range(len(weights)), key=lambda i: -weights[i])
    return tuple((model.case.suspects[i], float(weights[i])) for i in order)


def _named(model: Model, labels: Floats, cured: Floats) -> tuple[tuple[Suspect, ...], float, bool] | None:
    """(who, what is believed of them together, whether they are cured contacts)."""
    n, suspects = model.count, model.case.suspects
    if cured.sum() >= SURE_CURED:
        order = np.argsort(-cured, kind="stable")
        listed = int(np.searchsorted(np.cumsum(cured[order]), _LISTED * cured.sum())) + 1
        chosen = [int(i) for i in order[:listed]]
        return tuple(suspects[2 * n + i] for i in chosen), float(sum(cured[i] for i in chosen)), True
    for label in (*range(2 * n), model.labels - 1):
        if labels[label] >= SURE:
            return (model.suspect_of(label),), float(labels[label]), False
    # A slot and its contact: cleaning cures the one and tells the other.
    for i in range(n):
        both = float(labels[n + i] + labels[2 * n + i])
        if both >= SURE:
            first = (n + i, 2 * n + i) if labels[n + i] >= labels[2 * n + i] else (2 * n + i, n + i)
            return tuple(suspects[x] for x in first), both, False
    return None


def _together(model: Model, labels: Floats) -> tuple[Suspect, ...]:
    """The fewest that together are believed enough, where no boot tells them apart."""
    order = np.argsort(-labels, kind="stable")
    listed = int(np.searchsorted(np.cumsum(labels[order]), SURE)) + 1
    return tuple(model.suspect_of(int(i)) for i in order[:listed] if i != model.label_cured)


def _at_once(beliefs: Sequence[tuple[Suspect, float]]) -> tuple[tuple[Suspect, ...], float]:
    """(the fewest modules that are believed enough together, how much); none where it takes more than a few."""
    modules = [(s, p) for s, p in beliefs if s.kind is Kind.MODULE][:_AT_ONCE]
    for n in range(1, len(modules) + 1):
        if (odds := sum(p for _, p in modules[:n])) >= _ENOUGH:
            return tuple(s for s, _ in modules[:n]), odds
    return (), 0.0


@dataclass(frozen=True, slots=True)
class AtOnce:
    """What it costs to go on, and to replace some modules at once instead, beyond the one that is replaced either way. None
    where a price is not known."""

    going_on: float | None
    replacing: float | None

    @property
    def replacing_is_cheaper(self) -> bool | None:
        known = self.going_on is not None and self.replacing is not None
        return self.replacing < self.going_on if known else None  # type: ignore[operator]


def weigh_at_once(minutes_left: float, hour: float, odds: float, prices: Sequence[float | None]) -> AtOnce:
    """Telling apart against replacing at once.

    Parameters
        minutes_left   until a name, going on; the search goes on as well where replacing was wrong
        hour           what an hour of hands and of the machine costs; 0 = nobody said
        odds           that it is one of the modules that would be replaced
        prices         what another of each would cost; None = not known
    """
    going_on = minutes_left / 60 * hour if hour else None
    known = [p for p in prices if p is not None]
    if going_on is None or len(known) < len(prices):
        return AtOnce(going_on, None)
    return AtOnce(going_on, sum(sorted(known)[:-1]) + (1 - odds) * going_on)


def _clean_boots(model: Model, belief: Floats, at: At, labels: Floats) -> int | None:
    """How many clean boots would show that it is cured, where that is the likeliest by now."""
    if labels[model.label_cured] < 0.5:
        return None
    quiet = 1 - model.shows(at)
    for n in range(1, _AHEAD + 1):
        belief = belief * quiet
        belief = belief / belief.sum()
        if model.cured_by_place(belief).sum() >= SURE_CURED:
            return n
    return None


def what_to_do(named: Sequence[Suspect], is_cured: bool, new: bool, place: str) -> tuple[str, ...]:
    """What is done with what is named.

    Parameters
        named   one, or several that cannot be told apart
        new     whether the module came with this work
        place   the slot that the first is about, as printed
    """
    first = named[0]
    kinds = {s.kind for s in named}
    if is_cured:
        where = f"the module of {place} sits now" if len(named) == 1 else "one of these sat badly, and sits now"
        return (f"It is cured: {where}.", "Put every module back to its planned slot.")
    if kinds == {Kind.SLOT, Kind.SEATING} and len({s.name for s in named}) == 1:
        return (
            f"Clean the contacts of {place} and of its module, and push it in anew.",
            f"If it comes back, leave {place} empty.",
        )
    if len(named) > 1:
        # What either costs is not known here: which of the two is cheaper is not said.
        return (
            "No boot in this machine tells these apart.",
            "Replace all of them, or try the first in another machine of its kind: that tells it alone."
            if kinds == {Kind.MODULE}
            else "Clean contacts first; then try the modules in another machine of its kind: what follows one is its own.",
        )
    if first.kind is Kind.MODULE:
        back = (
            "Send it back to who sold it." if new else "Return it under warranty, or mark it as suspect on the Shelf."
        )
        return (back, "Fit another of its kind, and compare again.")
    if first.kind is Kind.SLOT:
        return (
            f"Leave {place} empty, or repair the board.",
            "Plan without it: Fit says what that costs in balance and rate.",
        )
    if first.kind is Kind.SEATING:
        return (
            f"Clean the contacts of {place} and of its module, and push it in anew.",
            "If it comes back, it is the slot or the module.",
        )
    return ("Neither a module, a slot nor a seating explains it: look at processor, board, supply and firmware.",)
