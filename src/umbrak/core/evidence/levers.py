"""What lowers a route's trouble or its cost, with how much; and which one act would tell most for its price."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum

from umbrak.core.evidence.belief import Belief, believe
from umbrak.core.evidence.board import Board
from umbrak.core.evidence.doubt import part_doubt
from umbrak.core.evidence.table import EARLY_COST, USUAL, DoubtKind, Outcome, Table
from umbrak.core.evidence.trial import Trial
from umbrak.core.evidence.trouble import Costs, Term, Trouble, cost_of, outcome_cost, trouble_of
from umbrak.core.memory.module import Module, organisation

MIXING = (DoubtKind.MIXED_MAKERS, DoubtKind.MIXED_KITS)


class LeverKind(StrEnum):
    ONE_KIT = "one-kit"
    KNOWN_KIND = "known-kind"
    NEW_ONES = "new-ones"
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
    board: Board,
    trouble: Trouble,
    costs: Costs,
    goes: int,
    trials: Iterable[Trial],
    today: date,
    table: Table = USUAL,
) -> tuple[Lever, ...]:
    """What lowers the trouble of a route or its expected loss, the most effective first; nothing where nothing is doubted.

    Parameters
        goes   modules taken out
    """
    if not trouble.beliefs and not trouble.pulled:
        return ()
    found = [
        *_without_mixing(trouble, costs, table),
        *_new_ones(trouble, costs, table),
        *_known_kinds(board, trouble, costs, tuple(trials), today, table),
        *_softer(trouble, costs, goes, table),
    ]
    helps = [
        x for x in found if x.expected_loss < trouble.expected_loss - 0.005 or x.trouble < trouble.probability - 1e-9
    ]
    return tuple(sorted(helps, key=lambda x: (x.expected_loss, x.trouble, x.kind)))


def _without_mixing(trouble: Trouble, costs: Costs, table: Table) -> Iterator[Lever]:
    rest = [b for b in trouble.beliefs if b.doubt.kind not in MIXING]
    if len(rest) < len(trouble.beliefs):
        then = trouble_of(rest, costs, table, trouble.comes, trouble.pulled)
        why = "modules of one kit were tried together by who sold them"
        yield Lever(LeverKind.ONE_KIT, "", then.probability, then.expected_loss, why)


def _new_ones(trouble: Trouble, costs: Costs, table: Table) -> Iterator[Lever]:
    if trouble.pulled:
        then = trouble_of(trouble.beliefs, costs, table, trouble.comes)
        why = f"{trouble.pulled} of {trouble.comes} were pulled out of other machines; new ones fail less often in their first months"
        yield Lever(LeverKind.NEW_ONES, "", then.probability, then.expected_loss, why)


def _known_kinds(
    board: Board, trouble: Trouble, costs: Costs, trials: Sequence[Trial], today: date, table: Table
) -> Iterator[Lever]:
    """Another part of the same size whose organisation trials speak for here, instead of one they speak less for."""
    for i, b in enumerate(trouble.beliefs):
        module = b.doubt.module
        if b.doubt.kind is not DoubtKind.PART or module is None:
            continue
        tried = {
            organisation(t.module): replace(t.module, part=t.part or t.module.part)
            for t in trials
            if t.module and t.module.capacity_gib == module.capacity_gib
        }
        others = [
            believe(board, part_doubt(board.sheet, board.processors, m), trials, today, table) for m in tried.values()
        ]
        best = max(others, key=lambda x: x.works, default=None)
        if best is not None and best.works > b.works + 1e-9 and best.doubt.module is not None:
            beliefs = [*trouble.beliefs[:i], best, *trouble.beliefs[i + 1 :]]
            then = trouble_of(beliefs, costs, table, trouble.comes, trouble.pulled)
            about = best.doubt.module.part or best.doubt.module.short()
            why = "trials here or with this processor speak for modules of this organisation"
            yield Lever(LeverKind.KNOWN_KIND, about, then.probability, then.expected_loss, why)


def _softer(trouble: Trouble, costs: Costs, goes: int, table: Table) -> Iterator[Lever]:
    comes = trouble.comes
    for kind, soft in SOFTENINGS.items():
        if (kind is LeverKind.STAGING and comes < 2) or (kind is LeverKind.KEEP_OLD and not goes):
            continue
        returns = 1 / comes if kind is LeverKind.STAGING else soft.returns
        loss = sum(t.probability * _softened(t, soft, returns, costs, table) for t in trouble.terms)
        yield Lever(kind, "", trouble.probability, loss, soft.because)
    if costs.data:
        safer = replace(costs, backup_tiers=costs.backup_tiers + 1)
        then = trouble_of(trouble.beliefs, safer, table, comes, trouble.pulled)
        why = f"each tier of backup makes losing the data {table.backup_factor:g} times less likely"
        yield Lever(LeverKind.BACKUP, "", then.probability, then.expected_loss, why)


def _softened(t: Term, soft: Softening, returns: float, costs: Costs, table: Table) -> float:
    if t.outcome == "early":
        return cost_of(EARLY_COST, costs, table, soft.downtime)
    return outcome_cost(Outcome(t.outcome), costs, table, soft.downtime, returns, soft.exposure)


# -- experiments ----------------------------------------------------------------------------------------


class Act(StrEnum):
    COUNT_CHIPS = "count-chips"
    READ_SPD = "read-spd"
    BORROW = "borrow"
    BUY_ONE = "buy-one"
    STAGE = "stage"


@dataclass(frozen=True, slots=True)
class Trying:
    """What an act takes, and how much of each kind of doubt it takes away. Reasoned, not measured."""

    hours: float
    tells: Mapping[DoubtKind, float]
    because: str


ACTS: Mapping[Act, Trying] = {
    Act.COUNT_CHIPS: Trying(0.1, {DoubtKind.DENSITY: 0.3, DoubtKind.STACK: 0.3, DoubtKind.PART: 0.1}, "chips counted on a picture or in the hand tell ranks, width and density"),
    Act.READ_SPD: Trying(0.3, {DoubtKind.DENSITY: 0.4, DoubtKind.STACK: 0.4, DoubtKind.PART: 0.25}, "the SPD tells whether the chips are those of the trials"),
    Act.BORROW: Trying(1.5, {DoubtKind.DENSITY: 0.9, DoubtKind.STACK: 0.9, DoubtKind.SLOT: 0.9, DoubtKind.PART: 0.6, DoubtKind.UNTOLD: 0.5}, "a like module from the Shelf shows whether the machine takes its kind"),
    Act.BUY_ONE: Trying(1.5, {DoubtKind.DENSITY: 0.95, DoubtKind.STACK: 0.95, DoubtKind.SLOT: 0.95, DoubtKind.PART: 0.9, DoubtKind.UNTOLD: 0.6}, "one module of the very part shows whether it runs"),
    Act.STAGE: Trying(1.5, {DoubtKind.DENSITY: 0.95, DoubtKind.STACK: 0.95, DoubtKind.SLOT: 0.95, DoubtKind.PART: 0.9, DoubtKind.UNTOLD: 0.6, DoubtKind.REACH: 0.2}, "the first module of the plan itself, proved before the rest goes in"),
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

    Deciding now costs the lesser of `cost` + expected loss and `fallback`. An act that tells a share s of a doubt q is
    right about trouble with probability s * q: then the safe route is taken; otherwise it is believed that much more. What that saves on average is the act's worth (expected value of information).

    Parameters
        cost, fallback   of the route, and of the safe one
        each             price of one module of the route's dearest new part
        shelf            modules on hand that could be borrowed
    """
    now = min(cost + trouble.expected_loss, fallback)
    asked = {organisation(b.doubt.module) for b in trouble.beliefs if b.doubt.module is not None}
    can_borrow = any(organisation(m) in asked for m in shelf)
    found = []
    for act, trying in ACTS.items():
        if act is Act.BORROW and not can_borrow:
            continue
        after, clear = _after(trouble.beliefs, trying.tells)
        then = trouble_of(after, costs, table, trouble.comes, trouble.pulled)
        decided = clear * min(cost + then.expected_loss, fallback) + (1 - clear) * fallback
        money = each * 0.1 + costs.returned if act is Act.BUY_ONE else 0.0
        takes = trying.hours * costs.hour + money
        worth = now - decided
        if worth > 0.005:
            found.append(Experiment(act, trying.hours, takes, worth, trying.because))
    return tuple(sorted(found, key=lambda e: (-e.gain, e.act)))


def _after(beliefs: Sequence[Belief], tells: Mapping[DoubtKind, float]) -> tuple[list[Belief], float]:
    """(the beliefs if the act shows nothing wrong, how likely that is)."""
    clear, after = 1.0, []
    for b in beliefs:
        told = tells.get(b.doubt.kind, 0.0) * (1 - b.works)
        clear *= 1 - told
        after.append(replace(b, works=b.works / (1 - told)) if told < 1 else b)
    return after, clear
