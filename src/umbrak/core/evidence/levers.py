"""What lowers a route's trouble or its cost, with how much; and which one act would tell most for its price."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum

from umbrak.core.evidence.belief import Belief, Trial, believe
from umbrak.core.evidence.table import USUAL, ClaimKind, Outcome, Table
from umbrak.core.evidence.trouble import Costs, Trouble, outcome_cost, trouble_of
from umbrak.core.memory.module import Module, organisation

MIXING = (ClaimKind.MIXED_MAKERS, ClaimKind.MIXED_KITS)


class LeverKind(StrEnum):
    ONE_KIT = "one-kit"
    KNOWN_KIND = "known-kind"
    STAGING = "staging"
    SOAK = "soak"
    BACKUP = "backup"
    KEEP_OLD = "keep-old"


@dataclass(frozen=True, slots=True)
class Lever:
    """Something to do about it, and what trouble and loss come to then."""

    kind: LeverKind
    #: What it is about, where that is not the whole route: a part.
    about: str
    trouble: float
    expected_loss: float
    because: str


@dataclass(frozen=True, slots=True)
class Softening:
    """By what the parts of an outcome's cost are multiplied. None is measured; each has its reasoning."""

    downtime: float
    returns: float
    exposure: float
    because: str


SOFTENINGS: Mapping[LeverKind, Softening] = {
    LeverKind.STAGING: Softening(0.5, 1.0, 0.5, "one module goes back instead of all, and the machine ran meanwhile on what it had"),
    LeverKind.SOAK: Softening(0.3, 1.0, 0.1, "what is unstable shows itself before the machine is back on duty and data is entrusted to it"),
    LeverKind.KEEP_OLD: Softening(0.3, 1.0, 1.0, "what came out goes back in at once instead of waiting for a replacement"),
}  # fmt: skip


def levers_of(
    trouble: Trouble, costs: Costs, comes: int, goes: int, trials: Iterable[Trial], today: date, table: Table = USUAL
) -> tuple[Lever, ...]:
    """What lowers the expected loss of a route, the most effective first; nothing where nothing is claimed.

    Parameters
        comes, goes   modules put in and taken out
    """
    if not trouble.beliefs:
        return ()
    found = [
        *_without_mixing(trouble, costs, table),
        *_known_kinds(trouble, costs, tuple(trials), today, table),
        *_softer(trouble, costs, comes, goes, table),
    ]
    helps = [
        x for x in found if x.expected_loss < trouble.expected_loss - 0.005 or x.trouble < trouble.probability - 1e-9
    ]
    return tuple(sorted(helps, key=lambda x: (x.expected_loss, x.trouble, x.kind)))


def _without_mixing(trouble: Trouble, costs: Costs, table: Table) -> Iterator[Lever]:
    rest = [b for b in trouble.beliefs if b.claim.kind not in MIXING]
    if len(rest) < len(trouble.beliefs):
        then = trouble_of(rest, costs, table)
        why = "modules of one kit were tried together by who sold them"
        yield Lever(LeverKind.ONE_KIT, "", then.probability, then.expected_loss, why)


def _known_kinds(trouble: Trouble, costs: Costs, trials: Sequence[Trial], today: date, table: Table) -> Iterator[Lever]:
    """Another part of the same size whose organisation trials speak for here, instead of one they speak less for."""
    for i, b in enumerate(trouble.beliefs):
        module = b.claim.module
        if b.claim.kind is not ClaimKind.PART or module is None:
            continue
        tried = {
            organisation(t.module): t.module
            for t in trials
            if t.module and t.module.capacity_gib == module.capacity_gib
        }
        others = [believe(replace(b.claim, module=m), trials, today, table) for m in tried.values()]
        best = max(others, key=lambda x: x.mean(), default=None)
        if best is not None and best.mean() > b.mean() + 1e-9 and best.claim.module is not None:
            then = trouble_of([*trouble.beliefs[:i], best, *trouble.beliefs[i + 1 :]], costs, table)
            about = best.claim.module.part or best.claim.module.short()
            why = "trials here or with this processor speak for modules of this organisation"
            yield Lever(LeverKind.KNOWN_KIND, about, then.probability, then.expected_loss, why)


def _softer(trouble: Trouble, costs: Costs, comes: int, goes: int, table: Table) -> Iterator[Lever]:
    for kind, soft in SOFTENINGS.items():
        if (kind is LeverKind.STAGING and comes < 2) or (kind is LeverKind.KEEP_OLD and not goes):
            continue
        returns = 1 / comes if kind is LeverKind.STAGING else soft.returns
        loss = sum(
            t.probability * outcome_cost(t.outcome, costs, table, soft.downtime, returns, soft.exposure)
            for t in trouble.terms
        )
        yield Lever(kind, "", trouble.probability, loss, soft.because)
    if costs.data:
        then = trouble_of(trouble.beliefs, replace(costs, backup_tiers=costs.backup_tiers + 1), table)
        why = f"each tier of backup makes losing the data {table.backup_factor:g} times less likely"
        yield Lever(LeverKind.BACKUP, "", then.probability, then.expected_loss, why)


# -- experiments ----------------------------------------------------------------------------------------


class Act(StrEnum):
    COUNT_CHIPS = "count-chips"
    READ_SPD = "read-spd"
    BORROW = "borrow"
    BUY_ONE = "buy-one"
    STAGE = "stage"


@dataclass(frozen=True, slots=True)
class Trying:
    """What an act takes, and how much of the doubt in each kind of claim it takes away. Reasoned, not measured."""

    hours: float
    tells: Mapping[ClaimKind, float]
    because: str


ACTS: Mapping[Act, Trying] = {
    Act.COUNT_CHIPS: Trying(0.1, {ClaimKind.DENSITY: 0.3, ClaimKind.PART: 0.1}, "chips counted on a picture or in the hand tell ranks, width and density"),
    Act.READ_SPD: Trying(0.3, {ClaimKind.DENSITY: 0.4, ClaimKind.PART: 0.25}, "the SPD tells whether the chips are those of the trials"),
    Act.BORROW: Trying(1.5, {ClaimKind.DENSITY: 0.9, ClaimKind.PART: 0.6}, "a like module from the Shelf shows whether the machine takes its kind"),
    Act.BUY_ONE: Trying(1.5, {ClaimKind.DENSITY: 0.95, ClaimKind.PART: 0.9}, "one module of the very part shows whether it runs"),
    Act.STAGE: Trying(1.5, {ClaimKind.DENSITY: 0.95, ClaimKind.PART: 0.9, ClaimKind.OVER_OFFICIAL: 0.2, ClaimKind.UNPROVED: 0.2}, "the first module of the plan itself, proved before the rest goes in"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Experiment:
    """One act, and what knowing its answer before deciding is worth."""

    act: Act
    #: What it takes in hours and money.
    hours: float
    cost: float
    #: Expected saving by deciding after it instead of now, before what it takes.
    worth: float
    because: str

    @property
    def gain(self) -> float:
        return self.worth - self.cost


def experiments(
    trouble: Trouble,
    cost: float,
    fallback: float,
    costs: Costs,
    each: float,
    shelf: Iterable[Module],
    table: Table = USUAL,
) -> tuple[Experiment, ...]:
    """Acts that could change the choice between a route and a safe one, the most worth first.

    Deciding now costs the lesser of `cost` + expected loss and `fallback`. An act that tells a share s of a claim's
    doubt q is right about trouble with probability s * q: then the safe route is taken; otherwise the claim is
    believed that much more. What that saves on average is the act's worth (expected value of information).

    Parameters
        cost, fallback   of the route, and of the safe one
        each             price of one module of the route's dearest new part
        shelf            modules on hand that could be borrowed
    """
    now = min(cost + trouble.expected_loss, fallback)
    asked = {organisation(b.claim.module) for b in trouble.beliefs if b.claim.module is not None}
    can_borrow = any(organisation(m) in asked for m in shelf)
    found = []
    for act, trying in ACTS.items():
        if act is Act.BORROW and not can_borrow:
            continue
        after, clear = _after(trouble.beliefs, trying.tells)
        then = trouble_of(after, costs, table)
        decided = clear * min(cost + then.expected_loss, fallback) + (1 - clear) * fallback
        money = each * 0.1 + costs.returned if act is Act.BUY_ONE else 0.0
        takes = trying.hours * costs.hour + money
        worth = now - decided
        if worth > 0.005:
            found.append(Experiment(act, trying.hours, takes, worth, trying.because))
    return tuple(sorted(found, key=lambda e: (-e.gain, e.act)))


def _after(beliefs: Sequence[Belief], tells: Mapping[ClaimKind, float]) -> tuple[list[Belief], float]:
    """(the beliefs if the act shows nothing wrong, how likely that is)."""
    clear, after = 1.0, []
    for b in beliefs:
        share = tells.get(b.claim.kind, 0.0)
        doubt = 1 - b.mean()
        clear *= 1 - share * doubt
        counts = {o: n if o is Outcome.FINE else n * (1 - share) for o, n in b.counts.items()}
        after.append(replace(b, counts=counts))
    return after, clear
