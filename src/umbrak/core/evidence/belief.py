"""One doubt with the trials that speak of it: how far it is believed that this works, and what each trial does to that."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from math import exp, log

from umbrak.core.evidence.board import Board, reach_doubt, shown_by
from umbrak.core.evidence.doubt import Doubt
from umbrak.core.evidence.ladder import Ladder, Weight, log_odds, survival
from umbrak.core.evidence.table import LADDERS, QUIRK_COUNT, USUAL, DoubtKind, Outcome, Table
from umbrak.core.evidence.trial import Trial, unlike
from umbrak.core.memory.module import organisation
from umbrak.core.platform.statement import SourceKind


@dataclass(frozen=True, slots=True)
class Contribution:
    """What one trial says of a doubt: its weight is the product of the six."""

    trial: str
    outcome: Outcome
    says: float
    likeness: float
    age: float
    soak: float
    #: Of what failed: this doubt's share in why.
    blame: float
    #: Less where it ran beyond a figure of a version, and nobody told with which.
    version: float
    #: Where on the doubt's axis; 0 for what is no ladder.
    at: float
    #: False where another report of the same source stands for it.
    counts: bool = True

    @property
    def weight(self) -> float:
        return self.says * self.likeness * self.age * self.soak * self.blame * self.version


@dataclass(frozen=True, slots=True)
class Belief:
    """How far it is believed that one thing works."""

    doubt: Doubt
    #: Probability that it works: before any trial, and with them all.
    prior: float
    works: float
    #: Probability that something is displayed oddly where it works.
    quirks: float
    contributions: tuple[Contribution, ...]

    @property
    def is_prior(self) -> bool:
        """Whether no trial speaks of it."""
        return not self.contributions


@dataclass(frozen=True, slots=True)
class Lens:
    """How evidence is looked at; for a range it is looked at otherwise than usual."""

    table: Table = USUAL
    #: A source that is believed half as much.
    halved: tuple[str, str] | None = None
    hearsay: bool = True


def believe(board: Board, doubt: Doubt, trials: Iterable[Trial], today: date, lens: Lens | Table = USUAL) -> Belief:
    """How far a doubt is settled by trials. The order of trials, and copies of them, do not matter."""
    lens = Lens(lens) if isinstance(lens, Table) else lens
    table = lens.table
    spoken = [
        (t, c)
        for t in sorted(trials, key=lambda t: (t.date, t.id))
        if (lens.hearsay or t.who is not SourceKind.HEARSAY) and (c := _contribution(board, doubt, t, today, table))
    ]
    weights = [(t, _weight_of(t, c, lens)) for t, c in spoken]
    prior = doubt.prior(table)
    works = _clamp_hearsay(doubt, weights, table)
    counted = tuple(_counted(spoken))
    return Belief(doubt, prior, works, _quirks(doubt, counted, table), counted)


def _clamp_hearsay(doubt: Doubt, weights: Sequence[tuple[Trial, Weight]], table: Table) -> float:
    """The chance that it works; all hearsay together moves its odds so far and no further, against the result without it:
    a clamp inside the ladder would make more of what ran lower the chance of less."""
    works = _works(doubt, [w for _, w in weights], table)
    if not any(t.who is SourceKind.HEARSAY for t, _ in weights):
        return works
    without = _works(doubt, [w for t, w in weights if t.who is not SourceKind.HEARSAY], table)
    return _clamped(works, without, table["hearsay.most"])


def reach_at_best(
    board: Board, ladder: Ladder, total: float, trials: Iterable[Trial], today: date, table: Table = USUAL
) -> float:
    """The chance that so much runs on a board, never less than `believe` has it for any layout of that total. [GiB]

    A layout's own figures only lower it; what ran counts as if it had held all that the layout holds, what failed only
    where its total alone is told.
    """
    if total <= ladder.runs:
        return 1.0
    doubt = reach_doubt(board, total, ladder=ladder)
    weights = []
    for t in trials:
        c = _contribution(board, doubt, t, today, table)
        if c and t.outcome.ran:
            best = replace(c, at=min(c.at, total), version=1.0)
        elif c and not t.most:
            best = replace(c, likeness=c.likeness * table["reach.other-organisation"])
        else:
            continue
        weights.append((t, _weight_of(t, best, Lens(table))))
    return _clamp_hearsay(doubt, weights, table)


def _works(doubt: Doubt, weights: Sequence[Weight], table: Table) -> float:
    if doubt.kind in LADDERS:
        return survival(doubt.ladder, doubt.asks, weights, table)
    prior = doubt.prior(table)
    if prior in (0.0, 1.0):
        return prior
    return _chance(log(prior / (1 - prior)) + log_odds(weights))


def _chance(log_of_odds: float) -> float:
    return 1 / (1 + exp(-log_of_odds)) if log_of_odds > -700 else 0.0


def _clamped(p: float, without: float, most: float) -> float:
    if without in (0.0, 1.0):
        return without
    odds = without / (1 - without)
    low, high = odds / most, odds * most
    return min(max(p, low / (1 + low)), high / (1 + high))


def _weight_of(t: Trial, c: Contribution, lens: Lens) -> Weight:
    half = 0.5 if lens.halved == t.told_by else 1.0
    return Weight(c.at, c.outcome.ran, c.weight * half, (t.told_by, t.sheet, t.total_gib))


def _counted(spoken: Sequence[tuple[Trial, Contribution]]) -> Iterable[Contribution]:
    """Each with whether it counts: of one source about one board and total the best good and the best bad report do."""
    best: dict[object, str] = {}
    for t, c in sorted(spoken, key=lambda x: (-x[1].weight, x[1].trial)):
        best.setdefault((t.told_by, t.sheet, t.total_gib, c.outcome.ran), c.trial)
    kept = set(best.values())
    return [c if c.trial in kept else replace(c, counts=False) for _, c in spoken]


def _quirks(doubt: Doubt, counted: Sequence[Contribution], table: Table) -> float:
    """How often something is shown oddly where it works: by what ran, of weights."""
    start = table["quirks.passed"] if doubt.passes(table) else table["quirks.within"]
    ran = sum(sorted(c.weight for c in counted if c.counts and c.outcome.ran))
    odd = sum(sorted(c.weight for c in counted if c.counts and c.outcome is Outcome.QUIRKS))
    return (start * QUIRK_COUNT + odd) / (QUIRK_COUNT + ran)


# -- what a trial says ------------------------------------------------------------------------------------


def _contribution(board: Board, doubt: Doubt, t: Trial, today: date, table: Table) -> Contribution | None:
    """What a trial says of a doubt; None where it says nothing."""
    near = _nearness(doubt, t, table)
    found = _on_ladder(board, doubt, t, near, table) if doubt.kind in LADDERS else _of_thing(doubt, t, near, table)
    if found is None or found[0] <= 0:
        return None
    likeness, at, version = found
    ladder = doubt.kind in LADDERS
    soak = 1.0
    if t.outcome.ran:
        unsoaked = table["unsoaked.reach" if ladder else "unsoaked.part"]
        soak = unsoaked + (1 - unsoaked) * min(1.0, t.soak_days / max(table["full_soak_days"], 1e-9))
    elif t.outcome is Outcome.UNSTABLE and ladder:
        soak = table["unstable.ladder"]
    days = max(0, (today - t.date).days)
    age = 0.5 ** (days / max(table["half_life_days"], 1.0)) if doubt.kind is DoubtKind.PART else 1.0
    blame = 1.0 if t.outcome.ran else board.blame(doubt, t, table)
    return Contribution(
        trial=t.id, outcome=t.outcome, says=table[f"says.{t.who.value}"], likeness=likeness, age=float(age), soak=soak,
        blame=blame, version=version, at=at,
    )  # fmt: skip


def _nearness(doubt: Doubt, t: Trial, table: Table) -> float:
    if t.sheet == doubt.sheet:
        return 1.0
    other = table["reach.other-board" if doubt.kind in LADDERS else "part.other-board"]
    return other if t.processor and t.processor in doubt.processors else 0.0


_Found = tuple[float, float, float]


def _on_ladder(board: Board, doubt: Doubt, t: Trial, near: float, table: Table) -> _Found | None:
    """(likeness, where on the axis, factor of versions)."""
    if doubt.kind is not DoubtKind.REACH:
        at = doubt.amount_of(t.module) if t.module else None
        return None if at is None else (near, at, 1.0)
    if t.total_gib is None:
        return None
    likeness = near
    if doubt.organisations and (t.module is None or organisation(t.module) not in doubt.organisations):
        likeness *= table["reach.other-organisation"]
    at = t.total_gib
    if t.outcome.ran:
        at = shown_by(at, t.most, doubt.asks, doubt.most)
    elif (more := max((gib / doubt.most[s] for s, gib in t.most.items() if doubt.most.get(s)), default=1.0)) > 1:
        at = max(at, doubt.asks * more)  # it held more on a slot or channel: that may be why
    # What ran beyond a figure of a version may have had another one than this machine.
    hangs_on = {n for f in doubt.ladder.figures if at > f.value for n in f.versions}
    same = all((told := getattr(t.held, n)) is not None and told == getattr(board, n) for n in hangs_on)
    return likeness, at, 1.0 if same or not t.outcome.ran else table["version"]


def _of_thing(doubt: Doubt, t: Trial, near: float, table: Table) -> _Found | None:
    if doubt.kind is DoubtKind.PART:
        return _likeness_of_part(doubt, t, near, table), 0.0, 1.0
    held = {
        DoubtKind.MIXED_MAKERS: doubt.together <= t.held.makers,
        DoubtKind.MIXED_KITS: doubt.together <= t.held.kits,
        DoubtKind.UNTOLD: doubt.about in t.held.facts,
    }[doubt.kind]
    return (near, 0.0, 1.0) if held and (doubt.together or doubt.about) else None


def _likeness_of_part(doubt: Doubt, t: Trial, near: float, table: Table) -> float:
    module = doubt.module
    if module is None:
        return 0.0
    same_part = t.is_of(module.part) and t.revision == module.revision
    # A part number may come to carry other chips: then what was tried is another module.
    if same_part and not unlike(t.module, module):
        return near
    known = t.module is not None and module.capacity_gib is not None
    if known and t.module and organisation(t.module) == organisation(module):
        return near * table["part.like-organisation"]
    return 0.0
