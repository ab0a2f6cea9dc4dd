"""Where the machine itself says that its modules should be, against what was planned."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from umbrak.core.evaluate import Evaluation
from umbrak.core.platform.machine import Layout


@dataclass(frozen=True, slots=True)
class Contradiction:
    """A clause of the sheet that the machine's own proposal contradicts."""

    code: str
    clause: str
    words: str


def after_moves(goal: Layout, moves: Mapping[str, str]) -> Layout:
    """The layout that the machine proposes: source -> target, all at once.

    Raises ValueError naming a slot from which nothing can move, or to which two would.
    """
    for source in moves:
        if source not in goal:
            raise ValueError(f"nothing is planned for {source}, so nothing moves from there")
    moved = {target: goal[source] for source, target in moves.items()}
    if len(moved) < len(moves):
        raise ValueError("two modules cannot move into one slot")
    stays = {s: m for s, m in goal.items() if s not in moves}
    if clash := sorted(set(moved) & set(stays)):
        raise ValueError(f"{clash[0]} is full, and its own module does not move")
    return Layout({**stays, **moved})


def contradicted(planned: Evaluation, proposed: Evaluation) -> tuple[Contradiction, ...]:
    """Clauses by which the sheet holds something against the proposal that it does not hold against the plan: one of the
    two, sheet or machine, is wrong about them."""
    known = {(f.code, f.slots) for f in planned.findings}
    found: dict[tuple[str, str], Contradiction] = {}
    for f in proposed.findings:
        if f.code.startswith("order.") and (f.code, f.slots) not in known and f.source is not None:
            clause = " ".join(p for p in (f.source.title, f.source.clause) if p)
            found.setdefault((f.code, clause), Contradiction(f.code, clause, f.message))
    return tuple(found.values())
