"""The actions that lead from one layout to another, with the fewest touches, in an order that can be worked."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.sheet import Sheet

#: Where a module lies while its slot is wanted, or the way past it: the antistatic mat.
MAT = "mat"


class Do(StrEnum):
    KEEP = "keep"
    MOVE = "move"
    TAKE_OUT = "take-out"
    PUT_IN = "put-in"


@dataclass(frozen=True, slots=True)
class Action:
    """One thing to do. `source` and `target` are slots, MAT, or None for outside the machine."""

    do: Do
    #: None: what sits there is not known.
    module: Module | None
    source: str | None
    target: str | None


def actions(sheet: Sheet, now: Layout, goal: Layout, failed: Collection[str] = ()) -> tuple[Action, ...]:
    """What to do, kept modules first, then in workable order. The modules in `failed` slots leave, unless the
    goal has them as failed.

    Like modules are interchangeable. A module whose slot wants its like stays: letting another take its
    place would only touch more. Of the rest, every slot that loses its module and every slot that gains one is
    touched whatever goes where, so warranty and minutes do not depend on the pairing, and the number of
    actions is least when as many as possible of each kind move instead of leaving and coming. Which of
    them goes where is then free: an individual with its serial goes where the goal names it, others by slot order.
    So the assignment problem needs no solver.

    No action fills a slot that is still full, and none touches a slot while one in front of it (`behind`) is
    full: what stands in the way, or closes a circle of moves, lies on the mat meanwhile.
    """
    order = sheet.slot_order
    slots = sorted({*now, *goal}, key=lambda s: (order.get(s, len(order)), s))
    plan = _pairing(slots, now, goal, frozenset(failed))
    done = _Work(sheet, now, goal, plan).done()
    lifted = {a.source for a in done}
    kept = tuple(Action(Do.KEEP, _known(now[s]), s, s) for s in plan.kept if s not in lifted)
    return (*kept, *done)


@dataclass(frozen=True, slots=True)
class _Pairing:
    kept: tuple[str, ...]
    #: Slot that loses its module -> slot that gains it, None where it leaves the machine.
    leaves: Mapping[str, str | None]
    #: Slots that gain a module from outside.
    comes: tuple[str, ...]


def _pairing(slots: list[str], now: Layout, goal: Layout, failed: frozenset[str]) -> _Pairing:
    # A goal that has the failed module itself leaves it in.
    left = {s for s in failed if getattr(goal.get(s), "failed", None)}
    kept = [s for s in slots if s in now and s in goal and s not in failed - left and _like(now[s], goal[s])]
    staying = set(kept)
    losing = [s for s in slots if s in now and s not in staying]
    gaining = [s for s in slots if s in goal and s not in staying]
    leaves: dict[str, str | None] = {}
    free = dict.fromkeys(gaining)
    for same in (lambda a, b: a == b, _like):  # the very one first, then its likes
        for source in losing:
            if source in leaves or source in failed or not isinstance(now[source], Module):
                continue
            target = next((t for t in free if same(goal[t], now[source])), None)
            if target is not None:
                leaves[source] = target
                del free[target]
    full = {s: leaves.get(s) for s in losing}
    return _Pairing(tuple(kept), full, tuple(free))


def _like(one: Occupant, other: Occupant) -> bool:
    return one is other or _alike(one) == _alike(other)


def _alike(occupant: Occupant) -> Occupant:
    """The occupant without what only tells individuals apart."""
    return alike(occupant) if isinstance(occupant, Module) else occupant


def touches(sheet: Sheet, now: Layout, goal: Layout) -> int:
    """How often a module is drawn from a slot or pushed into one on the way: 1 for a module that comes or goes, 2 for
    one that moves, 2 for one that is only lifted out of the way. The pairing of `actions` does not change it."""
    slots = {*now, *goal}
    changed = {s for s in slots if s not in now or s not in goal or _alike(now[s]) != _alike(goal[s])}
    front = {s.id: s.behind for s in sheet.slots.values() if s.behind}
    lifted: set[str] = set()
    waiting = [s for s in changed if s in front]
    seen: set[str] = set()
    while waiting:
        slot = waiting.pop()
        if slot not in seen:
            seen.add(slot)
            # What is empty stands in nobody's way, and what stands in front of it need not move.
            waiting += [y for y in front.get(slot, ()) if y in now]
            lifted |= {y for y in front.get(slot, ()) if y in now and y not in changed}
    return sum((s in now) + (s in goal) for s in changed) + 2 * len(lifted)


def _known(occupant: Occupant) -> Module | None:
    return occupant if isinstance(occupant, Module) else None


class _Work:
    """The machine on the bench: what is still in it, on the mat, and to be done."""

    def __init__(self, sheet: Sheet, now: Layout, goal: Layout, plan: _Pairing) -> None:
        self.front = {s.id: s.behind for s in sheet.slots.values()}
        self.full: dict[str, Occupant] = dict(now)
        self.leaves = dict(plan.leaves)
        self.comes: dict[str, Module | None] = {s: _known(goal[s]) for s in plan.comes}
        #: Slot -> what lies on the mat for it.
        self.mat: dict[str, Module | None] = {}
        self.steps: list[Action] = []
        self._free_the_way()

    def _free_the_way(self) -> None:
        """Kept modules in front of a slot that is touched come out too, and go back into their own slots."""
        waiting = [*self.leaves, *(t for t in self.leaves.values() if t), *self.comes]
        seen: set[str] = set()
        while waiting:
            slot = waiting.pop()
            if slot in seen:
                continue
            seen.add(slot)
            for y in self.front.get(slot, ()):
                if y in self.full:
                    self.leaves.setdefault(y, y)
                    waiting.append(y)

    def done(self) -> list[Action]:
        while self.leaves or self.comes or self.mat:
            if not (self._take_out() or self._move() or self._put_in() or self._to_mat()):
                # Slots that stand in front of each other: nobody can work that, so what is left is told as it is.
                self._give_up()
        return self.steps

    def _way_is_free(self, slot: str) -> bool:
        return not any(y in self.full for y in self.front.get(slot, ()))

    def _may_fill(self, slot: str) -> bool:
        """Empty, reachable, and in front of nothing that is still to be touched."""
        touched = {*self.leaves, *(t for t in self.leaves.values() if t), *self.comes, *self.mat} - {slot}
        return (
            slot not in self.full
            and self._way_is_free(slot)
            and not any(slot in self.front.get(x, ()) for x in touched)
        )

    def _take_out(self) -> bool:
        for slot, target in self.leaves.items():
            if target is None and self._way_is_free(slot):
                self._step(Do.TAKE_OUT, self.full.pop(slot), slot, None)
                del self.leaves[slot]
                return True
        return False

    def _move(self) -> bool:
        for slot, target in self.leaves.items():
            if target is not None and target != slot and self._way_is_free(slot):
                held = self.full.pop(slot)
                if self._may_fill(target):
                    self._step(Do.MOVE, held, slot, target)
                    self.full[target] = held
                    del self.leaves[slot]
                    return True
                self.full[slot] = held
        return False

    def _put_in(self) -> bool:
        for waiting, source in ((self.mat, MAT), (self.comes, None)):
            for slot in waiting:
                if self._may_fill(slot):
                    module = waiting.pop(slot)
                    self.steps.append(Action(Do.PUT_IN, module, source, slot))
                    self.full[slot] = module if module is not None else Module()
                    return True
        return False

    def _to_mat(self) -> bool:
        for slot, target in self.leaves.items():
            if target is not None and self._way_is_free(slot):
                held = self.full.pop(slot)
                self._step(Do.TAKE_OUT, held, slot, MAT)
                self.mat[target] = _known(held)
                del self.leaves[slot]
                return True
        return False

    def _give_up(self) -> None:
        self.front = {}

    def _step(self, do: Do, held: Occupant, source: str, target: str | None) -> None:
        self.steps.append(Action(do, _known(held), source, target))
