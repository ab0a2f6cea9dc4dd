"""A layout reached in stages: what each holds, risks and shows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.routes.problem import Wishes
from umbrak.core.routes.stages import How, Shown, stagings
from umbrak.services.known.loading import load_machine
from umbrak.services.routes.finding import problem_of


@dataclass(frozen=True, slots=True)
class StageView:
    slots: Mapping[str, Occupant]
    #: Probability that it does not run, those before it having run.
    doubted: float
    shows: tuple[Shown, ...]
    #: Probability that the goal does not run, once this stage ran.
    left: float


@dataclass(frozen=True, slots=True)
class StagingView:
    how: How
    #: Without the last, which is the goal.
    stages: tuple[StageView, ...]


def see_stagings(engine: Engine, machine_id: UUID, goal: Layout) -> list[StagingView]:
    """Every way to come to a layout in stages. Raises NotFound."""
    with engine.connect() as db:
        problem = problem_of(db, load_machine(db, machine_id), Wishes())
    return [
        StagingView(
            how=way.how,
            stages=tuple(
                StageView(slots=dict(s.layout), doubted=s.doubted, shows=s.shows, left=s.left) for s in way.stages
            ),
        )
        for way in stagings(problem, goal)
    ]
