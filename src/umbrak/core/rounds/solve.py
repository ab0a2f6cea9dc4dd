"""The best round there is, or the best found in the time there was, with the proved gap.

The bound of the relaxed program is near where there are many machines, and its own variables hold a good round: that is where the
search begins. It is bettered by solving parts again around the rest (large neighbourhoods: some classes, some waves, where the
relaxed program says otherwise) for as long as that helps; in turn with that the whole is looked at, longer each time.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from umbrak.core.rounds.cells import Fleet, fleet_of
from umbrak.core.rounds.look import Values, look
from umbrak.core.rounds.model import Model, model_of, plan_of, values_of
from umbrak.core.rounds.problem import Passed, Plan, Round, broken, cost_of, passed, spent_on

#: How long the whole is looked at, so that it can be stopped between looks; each look is that much longer than the one before. [s]
_FIRST_LOOK, _LONGER, _LONGEST = 0.5, 2.0, 16.0
#: How long a part is solved [s]; so many parts in a row that better nothing are enough.
_PART, _IDLE = 1.5, 12
#: A cost nearer than this, as a share or in money, is the same.
_SAME_SHARE, _SAME_MONEY = 1e-7, 2e-4


class Ended(StrEnum):
    #: As near to the least as was asked.
    PROVED = "proved"
    NO_TIME = "no time"
    STOPPED = "stopped"


@dataclass(frozen=True)
class RoundAnswer:
    plan: Plan
    passed: tuple[Passed, ...]
    ended: Ended
    #: Modules, work, expected loss and what machines left undone weigh; of that: modules.
    cost: float
    spent: float
    #: How far `cost` may be above the least: as a share of it, and in money.
    gap: float
    gap_money: float
    #: Machines that were pinned and cannot be served so, as places in the round's list.
    unheld: tuple[int, ...]
    seconds: float


@dataclass(frozen=True, slots=True)
class RoundProgress:
    gap: float
    served: int
    seconds: float


def solve_round(
    r: Round,
    seconds: float | None = None,
    gap: float = 0.0,
    report: Callable[[RoundProgress], None] = lambda _: None,
    stopped: Callable[[], bool] = lambda: False,
    start: Plan | None = None,
) -> RoundAnswer:
    """Whom to serve when and how.

    Parameters
        seconds   after which the best so far is told; None: until it is proved
        gap       proved to be so near to the least, as a share, is enough
        report    told now and then how far it is
        stopped   asked now and then whether to end with the best so far
        start     a plan to better, where it is one of this round
    """
    began = monotonic()
    fleet = fleet_of(r)
    search = _Search(model_of(r, fleet), fleet, began, seconds)
    if start is not None and not broken(r, start):
        search.begin_with(values_of(fleet, search.model, start))
    ended = Ended.NO_TIME
    for _ in search.steps(gap):
        opened = int(search.values[: len(search.model.openings)].sum())
        report(RoundProgress(search.share, opened, monotonic() - began))
        if search.share <= gap:
            ended = Ended.PROVED
            break
        if stopped():
            ended = Ended.STOPPED
            break
    plan = plan_of(r, fleet, search.model, search.values)
    if said := broken(r, plan):
        raise AssertionError(f"a round that is none: {'; '.join(said)}")
    done = {s.machine for s in plan.served}
    return RoundAnswer(
        plan=plan,
        passed=passed(r, plan) or (),
        ended=ended,
        cost=cost_of(r, plan),
        spent=spent_on(r, plan),
        gap=search.share,
        gap_money=search.money,
        unheld=tuple(i for i, m in enumerate(r.machines) if m.wanted and i not in done),
        seconds=monotonic() - began,
    )


class _Search:
    """The best so far, and what nothing is below."""

    def __init__(self, model: Model, fleet: Fleet, began: float, seconds: float | None) -> None:
        self.model = model
        self._ends = np.inf if seconds is None else began + seconds
        self._chance = random.Random(0)
        # Nobody served, no pin held.
        self.values: Values = model.least.copy()
        self.values[model.pins] = model.most[model.pins]
        self.cost, self.bound, self._unheld = float(model.costs @ self.values), -np.inf, np.inf
        classes = {like: n for n, like in enumerate(dict.fromkeys(c.like.routes for c in fleet.cells))}
        self._class = np.array([classes[fleet.cells[c].like.routes] for c, _, _ in model.openings], int)
        self._wave = np.array([t for _, _, t in model.openings], int)
        #: How many classes, how many waves, which share of all are free in a part: as many as are solved in time.
        self._free = {"classes": 3.0, "waves": 2.0, "relaxed": 0.15}

    def begin_with(self, values: Values | None) -> None:
        self._take(values, np.inf if values is None else float(self.model.costs @ values))

    @property
    def money(self) -> float:
        difference = self.cost - self.bound
        return 0.0 if difference <= self._same else difference

    @property
    def share(self) -> float:
        return 0.0 if not self.money else self.money / abs(self.cost) if self.cost else np.inf

    @property
    def _same(self) -> float:
        return max(_SAME_MONEY, _SAME_SHARE * abs(self.cost))

    @property
    def _left(self) -> float:
        return self._ends - monotonic()

    def steps(self, gap: float) -> Iterator[None]:
        """Each betters the round or the bound, or tries to; until there is no time."""
        self._hold_pins()
        relaxed = look(self.model, whole=False, unheld=self._unheld)
        if relaxed.values is None:
            self.bound = self.cost  # it holds no more pins than there are ways: nothing else is left
            yield
            return
        self.bound = relaxed.bound
        held = self._openings(relaxed.values) > 1e-7
        self._part(held, 4 * _PART)
        yield
        seconds = _FIRST_LOOK
        while self._left > 0:
            self._whole(min(seconds, self._left), gap)
            yield
            yield from self._parts(held, relaxed.values, seconds)
            seconds = min(seconds * _LONGER, _LONGEST)

    def _hold_pins(self) -> None:
        """As many pins as can be held are held, whatever it costs; then the least cost with so many."""
        if self.model.pins.start == self.model.pins.stop:
            return
        pins = np.zeros_like(self.model.costs)
        pins[self.model.pins] = 1.0
        found = look(self.model, costs=pins, seconds=self._left)
        if found.values is not None:
            self._unheld = found.cost
            if self.values[self.model.pins].sum() > found.cost:  # what is there holds fewer
                self.values, self.cost = found.values, float(self.model.costs @ found.values)

    def _openings(self, values: Values) -> Values:
        return values[: len(self.model.openings)]

    def _whole(self, seconds: float, gap: float) -> None:
        found = look(self.model, seconds=seconds, gap=gap, unheld=self._unheld)
        self._take(found.values, found.cost)
        self.bound = max(self.bound, found.bound)

    def _take(self, values: Values | None, cost: float) -> None:
        if values is not None and cost < self.cost:
            self.values, self.cost = values, cost

    def _part(self, free: NDArray[np.bool_], seconds: float) -> bool:
        """Solve again what is free, around the rest. True: in less than the time there was."""
        stays = np.zeros(len(self.values), bool)
        stays[: len(free)] = ~free
        found = look(
            self.model,
            seconds=min(seconds, self._left),
            unheld=self._unheld,
            fixed=(stays, self.values),
            gap=_SAME_SHARE,
        )
        self._take(found.values, found.cost)
        return found.done

    def _parts(self, held: NDArray[np.bool_], relaxed: Values, seconds: float) -> Iterator[None]:
        """Parts, as long as they better it, or for so long."""
        idle, ends = 0, monotonic() + seconds
        while (idle < _IDLE or monotonic() < ends) and self._left > 0:
            for what in self._free:
                before = self.cost
                done = self._part(self._some(what, held, relaxed), _PART)
                self._free[what] *= 1.1 if done else 1 / 1.3
                idle = 0 if self.cost < before - self._same else idle + 1
                yield

    def _some(self, what: str, held: NDArray[np.bool_], relaxed: Values) -> NDArray[np.bool_]:
        """Openings to think over: of some classes, of some waves, or where the relaxed program says otherwise and some others."""
        if what == "relaxed":
            differs = np.abs(np.rint(self._openings(relaxed)) - self._openings(self.values))
            return np.array([d > 0.5 or self._chance.random() < self._free[what] for d in differs], bool)
        of = self._class if what == "classes" else self._wave
        every = list(dict.fromkeys(of.tolist()))
        some = self._chance.sample(every, min(len(every), max(1, round(self._free[what]))))
        chosen = set(some)
        free: list[bool] = [v in chosen for v in of.tolist()]
        return np.array(free, bool) | held if what == "classes" else np.array(free, bool)
