"""Which kinds fill the slots of a class: every choice that no other beats.

Within a class the rules about places see no difference, so a choice is a count of each kind. What remains different is
money (kits, stock, what is there already), whom one has to believe, the rating, and how many modules may stay. Whether
makers or kits are mixed is a matter of the whole machine: a **policy** settles it beforehand, by saying which kinds may
be used at all and what believing in the mixture costs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import inf, log

from umbrak.core.evidence.claims import Claim, claims_about
from umbrak.core.evidence.table import ClaimKind
from umbrak.core.routes.designs import KindClass, Space
from umbrak.core.routes.material import Kind, is_listed
from umbrak.core.routes.problem import Problem
from umbrak.core.routes.weighing import Scales


@dataclass(frozen=True, slots=True)
class Choice:
    """So many of each kind for the slots of one class."""

    #: In mills.
    cost: int
    #: Log of the probability that every part is fine on this board.
    fine: float
    #: Lowest rating. [MT/s]
    rated: float
    #: Per fitted kind of the class: how many of it.
    fitted: tuple[int, ...]
    #: Kind's index -> count.
    takes: tuple[tuple[int, int], ...]

    def beats(self, other: Choice) -> bool:
        """At least as good in every respect. More of what is fitted is better: more may stay where they are."""
        return (
            self.cost <= other.cost
            and self.fine >= other.fine
            and self.rated >= other.rated
            and all(a >= b for a, b in zip(self.fitted, other.fitted, strict=True))
        )


@dataclass(frozen=True)
class Policy:
    """Which kinds may be used, and what is believed of their mixture."""

    #: Indices of kinds.
    kinds: frozenset[int]
    #: Log of the probability that the mixture is fine.
    fine: float
    #: Nothing new comes in: nothing is claimed that the machine has not shown.
    fitted_only: bool = False


class Shop:
    """Choices for one problem; remembers what was asked."""

    def __init__(self, problem: Problem, space: Space, scales: Scales) -> None:
        self.problem, self.space, self.scales = problem, space, scales
        self._choices: dict[tuple[object, int], dict[int, list[Choice]]] = {}

    def log_fine(self, kind: ClaimKind, modules: Iterable[object]) -> float:
        """Log of the mean probability of "fine" of the claims that a finding of this kind would leave open."""
        p = self.problem
        claims = claims_about(kind, p.sheet, p.machine, 0.0, tuple(modules))  # type: ignore[arg-type]
        return sum(self._log(c) for c in claims)

    def _log(self, claim: Claim) -> float:
        mean = self.scales.belief(claim).mean()
        return log(mean) if mean else -inf

    def of_kind(self, kind: Kind) -> float:
        """Log of "fine" of the claim that this part runs here; 0 where somebody vouches for it or it runs already."""
        if kind.module is None or kind.slots or not self.problem.sheet.listed:
            return 0.0
        return 0.0 if is_listed(self.problem.sheet, kind.module.part) else self.log_fine(ClaimKind.PART, [kind.module])

    def policies(self) -> tuple[Policy, ...]:
        """Every way to keep to one maker or part, and the mixtures."""
        kinds = [k for c in self.space.classes for k in c.kinds]
        wanted = self.problem.wishes
        usable = [k for k in kinds if wanted.third_party or k.listed or k.slots]
        found = [Policy(frozenset(k.index for k in kinds if k.slots), 0.0, fitted_only=True)]
        makers = {k.module.maker for k in usable if k.module}
        some = next((k.module for k in usable if k.module), None)
        for maker in sorted(m for m in makers if m) or [None]:
            ours = [k for k in usable if k.module is None or k.module.maker in (maker, None)]
            kits = {key for k in ours if (key := self._kit(k))}
            for kit in sorted(kits, key=str) if len(kits) > 1 else [None]:
                allowed = [k for k in ours if kit is None or self._kit(k) in (kit, None)]
                found.append(Policy(frozenset(k.index for k in allowed), 0.0))
            if len(kits) > 1:
                found.append(Policy(frozenset(k.index for k in ours), self.log_fine(ClaimKind.MIXED_KITS, [some])))
        if len({m for m in makers if m}) > 1:
            mixed = self.log_fine(ClaimKind.MIXED_MAKERS, [some])
            found.append(Policy(frozenset(k.index for k in usable), mixed))
        return tuple(dict.fromkeys(found))

    def _kit(self, kind: Kind) -> tuple[str, str] | None:
        """What `risk.mixed-kits` tells kits apart by; None for what it leaves out."""
        m = kind.module
        if m is None or not m.part or is_listed(self.problem.sheet, m.part):
            return None
        return m.part, m.revision or ""

    def choices(self, policy: Policy, of: KindClass, most: int) -> Mapping[int, list[Choice]]:
        """Count -> the choices for so many slots of a class."""
        kinds = [k for k in of.kinds if k.index in policy.kinds]
        key = (frozenset(k.index for k in kinds), policy.fitted_only, of.index)
        if (key, most) not in self._choices:
            self._choices[key, most] = self._make(of, kinds, policy.fitted_only, most)
        return self._choices[key, most]

    def _make(self, of: KindClass, kinds: Sequence[Kind], fitted_only: bool, most: int) -> dict[int, list[Choice]]:
        """All but one kind at a count where its price breaks, the last one takes what is left (see `Kind.breaks`)."""
        places = {k.index: i for i, k in enumerate(k for k in of.kinds if k.slots)}
        nothing = Choice(0, 0.0, inf, (0,) * len(places), ())
        #: Count -> choices so far; with the kind that takes what is left among them or not.
        open_: dict[int, list[Choice]] = {0: [nothing]}
        closed: dict[int, list[Choice]] = {}
        for kind in self._worth_having(kinds, most):
            no_more = fitted_only or not (self.problem.wishes.third_party or kind.listed)
            supply = min(kind.fitted if no_more else len(kind.cost) - 1, most)
            fine = self.of_kind(kind)
            add = _adder(kind, fine, places.get(kind.index))
            grown_open, grown_closed = {n: list(c) for n, c in open_.items()}, {n: list(c) for n, c in closed.items()}
            breaks = {n for n in kind.breaks() if n <= supply} | {supply}
            for n in range(1, supply + 1):
                for at, before in open_.items():
                    if at + n <= most:
                        into = grown_open if n in breaks else grown_closed
                        _merge(into.setdefault(at + n, []), (add(c, n) for c in before))
                if n in breaks:
                    for at, before in closed.items():
                        if at + n <= most:
                            _merge(grown_closed.setdefault(at + n, []), (add(c, n) for c in before))
            open_, closed = grown_open, grown_closed
        made: dict[int, list[Choice]] = {}
        for n in {*open_, *closed}:
            best: list[Choice] = []
            _merge(best, (*open_.get(n, ()), *closed.get(n, ())))
            made[n] = best
        return made

    def _worth_having(self, kinds: Sequence[Kind], most: int) -> list[Kind]:
        """Kinds that no other replaces at any count: one that can be had singly and without end, no dearer, no less
        sure and rated no lower."""
        kept: list[Kind] = []
        for k in sorted(kinds, key=lambda k: (not self._endless(k, most), k.cost[1] if len(k.cost) > 1 else inf)):
            if not any(self._replaces(a, k) for a in kept if self._endless(a, most)):
                kept.append(k)
        return kept

    def _endless(self, kind: Kind, most: int) -> bool:
        """Whether every module of it costs the same and there are enough."""
        return not kind.slots and len(kind.cost) > most and all(c == n * kind.cost[1] for n, c in enumerate(kind.cost))

    def _replaces(self, a: Kind, b: Kind) -> bool:
        if b.slots or a.module is None or b.module is None:
            return False
        cheaper = all(n * a.cost[1] <= c for n, c in enumerate(b.cost))
        return cheaper and self.of_kind(a) >= self.of_kind(b) and _rated(a) >= _rated(b)


def _rated(kind: Kind) -> float:
    rate = kind.module.rate_mts if kind.module else None
    return rate if rate is not None else inf


def _adder(kind: Kind, fine: float, place: int | None) -> Callable[[Choice, int], Choice]:
    rated = _rated(kind)

    def add(c: Choice, n: int) -> Choice:
        fitted = c.fitted if place is None else (*c.fitted[:place], min(n, kind.fitted), *c.fitted[place + 1 :])
        return Choice(c.cost + kind.cost[n], c.fine + fine, min(c.rated, rated), fitted, (*c.takes, (kind.index, n)))

    return add


def _merge(into: list[Choice], new: Iterable[Choice]) -> None:
    """Add choices, dropping those that another beats."""
    for c in new:
        if not any(x.beats(c) for x in into):
            into[:] = [x for x in into if not c.beats(x)]
            into.append(c)
