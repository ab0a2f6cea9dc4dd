"""Which kinds fill the slots of a sort: every choice that no other beats.

Within a sort the rules about places see no difference, so a choice is a count of each kind. What remains different is
money (kits, stock, what is there already), whom one has to believe, the rating, and how many modules may stay. Where
sockets run at rates of their own, their slots want so many modules of each level at least: a choice tells how many of its
modules are rated for each.

Whether makers or kits are mixed is a matter of the whole machine: a **policy** settles it beforehand, by saying which kinds
may be used at all and what believing in the mixture costs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import inf, log

from umbrak.core.evidence.doubt import kit_of, mixture_doubt, part_doubt
from umbrak.core.evidence.doubts import Ran
from umbrak.core.evidence.table import DoubtKind
from umbrak.core.routes.choices import FITTED, Choice, ChoicesOf, nothing_of, unbeaten_choices
from umbrak.core.routes.material import Kind
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.space import Sort, Space
from umbrak.core.routes.untold import Untold
from umbrak.core.routes.weighing import Scales

#: Level of a kind among those of its sort, and whether what is taken of it was pulled.
_Origin = tuple[int, bool | None]


@dataclass(frozen=True)
class Policy:
    """Which kinds may be used, and what is believed of their mixture."""

    #: Indices of kinds.
    kinds: frozenset[int]
    #: Log of the probability that the mixture runs, at best.
    fine: float
    #: Nothing new comes in: nothing is doubted that the machine has not shown.
    fitted_only: bool = False
    #: It allows that, among others: a bound for all policies.
    may_be_fitted: bool = False


class Shop:
    """Choices for one problem; remembers what was asked."""

    def __init__(self, problem: Problem, space: Space, scales: Scales, over: Callable[[], bool]) -> None:
        self.problem, self.space, self.scales = problem, space, scales
        self.untold = Untold(problem, space)
        #: Whether there is no more time: then what has been found is all that is told.
        self.over = over
        self._choices: dict[object, ChoicesOf] = {}

    def of_mixture(self, kind: DoubtKind) -> float:
        """Log of the chance that makers or kits run together, at best: which of them a layout holds is not known yet, and
        what ran together may settle it."""
        if any(t.held.makers if kind is DoubtKind.MIXED_MAKERS else t.held.kits for t in self.problem.trials):
            return 0.0
        board = self.scales.board
        doubt = mixture_doubt(board.sheet, board.processors, kind, frozenset())
        return log_of(self.scales.belief(doubt).works)

    def of_kind(self, kind: Kind) -> float:
        """Log of the chance that this part runs here; 0 where it does already."""
        if kind.module is None or kind.slots:
            return 0.0
        told = self.scales.listed.get(kind.module.part or "")
        doubt = part_doubt(self.problem.sheet, self.scales.board.processors, kind.module, told)
        return log_of(self.scales.belief(doubt).works)

    @cached_property
    def anything(self) -> Policy:
        """What allows whatever any policy does, and doubts nothing of it."""
        return Policy(frozenset[int]().union(*(p.kinds for p in self.policies)), 0.0, may_be_fitted=True)

    @cached_property
    def policies(self) -> tuple[Policy, ...]:
        """Every way to keep to one maker or part, and the mixtures; each with and without what nobody tells."""
        fitted, *rest = self._of_makers()
        best: dict[frozenset[int], float] = {}
        for policy in rest:
            for way in self.untold.alternatives:
                kinds = policy.kinds & way.kinds
                best[kinds] = max(best.get(kinds, -inf), policy.fine + way.fine)
        # One with more kinds does not make one with fewer needless: bounds on mixtures are no more than bounds.
        return (fitted, *(Policy(kinds, fine) for kinds, fine in best.items()))

    def _of_makers(self) -> tuple[Policy, ...]:
        """That only what is fitted stays; then every way to keep to one maker or part, and the mixtures."""
        kinds = [k for s in self.space.sorts for k in s.kinds]
        wanted = self.problem.wishes
        usable = [k for k in kinds if wanted.third_party or k.listed or k.slots]
        found = [Policy(frozenset(k.index for k in kinds if k.slots), 0.0, fitted_only=True)]
        makers = {k.module.maker for k in usable if k.module}
        named: list[str | None] = [*sorted(m for m in makers if m)]
        ran = Ran(self.problem.sheet, self.problem.machine, self.problem.layout)
        # Makers, and kits, that run together now need nobody's word.
        for together in [*({m} for m in named or [None]), *([ran.makers] if len(ran.makers) > 1 else [])]:
            ours = [k for k in usable if k.module is None or k.module.maker in {*together, None}]
            kits = {key for k in ours if (key := self._kit(k))}
            settled = [*({kit} for kit in sorted(kits)), *([ran.kits] if len(ran.kits & kits) > 1 else [])]
            for run in settled or [kits]:
                found += self._beside_nameless([k for k in ours if self._kit(k) in {*run, None}], 0.0)
            if len(kits) > 1:
                found += self._beside_nameless(ours, self.of_mixture(DoubtKind.MIXED_KITS))
        found += self._of_one_alone(usable)
        if len({m for m in makers if m}) > 1:
            mixed = self.of_mixture(DoubtKind.MIXED_MAKERS)
            found.append(Policy(frozenset(k.index for k in usable), mixed))
        return tuple(dict.fromkeys(found))

    def _beside_nameless(self, kinds: Sequence[Kind], fine: float) -> Iterator[Policy]:
        """These kinds without those whose maker nobody named; and with them, since they then stand beside what may be another's:
        where they do not, it is `_of_one_alone`."""
        named = frozenset(k.index for k in kinds if not self._is_nameless(k))
        if len(named) == len(kinds) or self.untold.settled:
            yield Policy(frozenset(k.index for k in kinds), fine)
            return
        yield Policy(named, fine)
        yield Policy(frozenset(k.index for k in kinds), log(self.problem.table["mixed.makers"]))

    def _is_nameless(self, kind: Kind) -> bool:
        """Whether it is doubted who made it, beside others: `core.rules.risk.without_maker`, and what candidates tell."""
        m = kind.module
        return bool(m and not m.maker and not kind.slots and not kind.listed and not self.problem.sheet.lists(m.part))

    def _of_one_alone(self, usable: Sequence[Kind]) -> Iterator[Policy]:
        """What nobody named the maker of by itself, beside nothing but what the maker lists: nothing has to be believed of it."""
        unlisted = [k for k in usable if k.module and not self.problem.sheet.lists(k.module.part)]
        listed = frozenset(k.index for k in usable) - {k.index for k in unlisted}
        for one in sorted({_whose(k) for k in unlisted if self._is_nameless(k)}, key=str):
            yield Policy(listed | {k.index for k in unlisted if _whose(k) == one}, 0.0)

    def _kit(self, kind: Kind) -> tuple[str, str] | None:
        return None if kind.module is None else kit_of(self.problem.sheet, kind.module)

    def choices(self, policy: Policy, of: Sort, wanted: frozenset[int]) -> ChoicesOf:
        """The choices for so many slots of a sort, for the counts wanted."""
        kinds = [k for k in of.kinds if k.index in policy.kinds]
        key = (frozenset(k.index for k in kinds), policy.fitted_only, of.index, wanted)
        if key not in self._choices:
            self._choices[key] = ChoicesOf(of, self._make(of, kinds, policy.fitted_only, wanted))
        return self._choices[key]

    def _make(
        self, of: Sort, kinds: Sequence[Kind], fitted_only: bool, wanted: frozenset[int]
    ) -> dict[int, list[Choice]]:
        """All but one kind at a count where its price breaks, the last one takes what is left (see `Kind.breaks`): one of new
        modules and one of pulled ones, and one of each level, since exchanging the one for the other is a trade.

        Kind after kind, keeping for each count reached so far what nothing beats; only counts from which the kinds
        that follow can still reach one that is wanted.
        """
        if not wanted:
            return {}
        most = max(wanted)
        places = {k.index: i for i, k in enumerate(k for k in of.kinds if k.slots)}
        level = {k.index: its for k, its in zip(of.kinds, of.levels, strict=True)}
        stock = [(k, n) for k in self._worth_having(kinds, most, level) if (n := self._supply(k, fitted_only, most))]
        # Of several fitted kinds each may give up as many as another needs.
        several = sum(1 for k, _ in stock if k.slots) > 1
        breaks = [sorted({n for n in k.breaks(several) if n < supply} | {supply}) for k, supply in stock]
        #: Before each kind: counts from which those that follow reach a wanted one at breaks alone.
        useful = [set(wanted)]
        for each in reversed(breaks):
            useful.insert(0, useful[0] | {n - j for n in useful[0] for j in each if j <= n})
        rates = 2 if any(any(k.pulled[: n + 1]) for k, n in stock) else 1
        rates *= len({level[k.index] for k, _ in stock})
        nothing = Choice(nothing_of(len(places), len(of.classes)), ())
        #: (count, of what some kind has taken what was left: level, whether pulled) -> choices.
        reached: dict[tuple[int, frozenset[_Origin]], list[Choice]] = {(0, frozenset()): [nothing]}
        for (kind, supply), at_breaks, goals in zip(stock, breaks, useful[1:], strict=True):
            its = level[kind.index]
            rated = _rated(kind) if self.space.one_rate else inf
            add = _adder(
                kind,
                self.of_kind(kind),
                rated,
                places.get(kind.index),
                range(FITTED + len(places), FITTED + len(places) + its),
            )
            grown: dict[tuple[int, frozenset[_Origin]], list[Choice]] = {}
            between = {j: (its, kind.is_pulled(j)) for j in range(1, supply) if j not in at_breaks}
            for (n, left), choices in reached.items():
                if self.over():
                    return {}
                # The last that may take what is left has to come to a wanted count with it.
                rest = (g - n for g in goals) if len(left) + 1 == rates else between
                for j in [0, *at_breaks, *(j for j in rest if j in between and between[j] not in left)]:
                    closed = left | {between[j]} if j in between else left
                    if n + j in goals or (len(closed) < rates and n + j < most):
                        grown.setdefault((n + j, closed), []).extend([add(c, j) for c in choices] if j else choices)
            reached = {state: unbeaten_choices(choices) for state, choices in grown.items()}
        made: dict[int, list[Choice]] = {}
        for (n, _), choices in reached.items():
            if n in wanted:
                made.setdefault(n, []).extend(choices)
        return {n: unbeaten_choices(choices) for n, choices in sorted(made.items())}

    def _supply(self, kind: Kind, fitted_only: bool, most: int) -> int:
        no_more = fitted_only or not (self.problem.wishes.third_party or kind.listed)
        return min(kind.fitted if no_more else len(kind.cost) - 1, most)

    def _worth_having(self, kinds: Sequence[Kind], most: int, level: Mapping[int, int]) -> list[Kind]:
        """Kinds that no other replaces at any count: one that can be had singly and without end, no dearer, no less
        sure and rated no lower."""
        kept: list[Kind] = []
        for k in sorted(kinds, key=lambda k: (not self.is_endless(k, most), k.cost[1] if len(k.cost) > 1 else inf)):
            endless = (a for a in kept if self.is_endless(a, most) and level[a.index] >= level[k.index])
            if len(k.cost) > 1 and not any(self._replaces(a, k) for a in endless):
                kept.append(k)
        return kept[::-1]  # endless ones last: few counts lead from them to a wanted one

    def is_endless(self, kind: Kind, most: int) -> bool:
        """Whether every module of it costs the same and there are `most` of them."""
        return not kind.slots and len(kind.cost) > most and all(c == n * kind.cost[1] for n, c in enumerate(kind.cost))

    def _replaces(self, a: Kind, b: Kind) -> bool:
        if b.slots or a.module is None or b.module is None:
            return False
        cheaper = all(n * a.cost[1] <= c for n, c in enumerate(b.cost))
        newer = all(n * a.pulled[1] <= p for n, p in enumerate(b.pulled))
        fast = not self.space.one_rate or _rated(a) >= _rated(b)
        return cheaper and newer and fast and self.of_kind(a) >= self.of_kind(b)


def _whose(kind: Kind) -> tuple[str | None, str | None] | None:
    """What `core.rules.risk.without_maker` tells modules apart by."""
    m = kind.module
    return (m.maker, m.part) if m and (m.maker or m.part) else None


def log_of(chance: float) -> float:
    return log(chance) if chance else -inf


def _rated(kind: Kind) -> float:
    rate = kind.module.rate_mts if kind.module else None
    return rate if rate is not None else inf


def _adder(kind: Kind, fine: float, rated: float, place: int | None, above: range) -> Callable[[Choice, int], Choice]:
    """Adds so many of a kind to a choice. `place`: among the fitted kinds of its sort; `above`: what is worth more for its level."""
    at = None if place is None else FITTED + place

    def add(c: Choice, n: int) -> Choice:
        cost, doubt, slowest, pulled, *others = c.worth
        worth = [cost + kind.cost[n], doubt - fine, max(slowest, -rated), pulled + kind.pulled[n], *others]
        if at is not None:
            worth[at] = -min(n, kind.fitted)
        for i in above:
            worth[i] -= n
        return Choice(tuple(worth), (*c.takes, (kind.index, n)))

    return add
