"""A machine as a page shows it."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from datetime import datetime
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.memory.module import Module
from umbrak.core.questions import offered
from umbrak.core.targets import Target
from umbrak.services.bench.view import RunBrief, runs_of_machine
from umbrak.services.errors import NotFound
from umbrak.services.known.asked import asked_parts
from umbrak.services.known.judging import judge_targets
from umbrak.services.known.loading import load_machine
from umbrak.services.known.view import MachineState, view_of
from umbrak.services.routes.sizing import need_gib
from umbrak.services.sheets.doubts import DoubtView, doubts_about
from umbrak.services.surveys.network import ServiceView, service_views
from umbrak.store import machines as store
from umbrak.store import plans as plan_store
from umbrak.store.history import HistoryLine, history_of
from umbrak.store.machine_services import services_of


@dataclass(frozen=True, slots=True)
class PlanName:
    id: UUID
    name: str
    state: str
    updated_at: datetime


@dataclass(frozen=True, slots=True)
class MachineView(MachineState):
    """One machine, with everything that was planned, done and told around it."""

    plans: tuple[PlanName, ...]
    #: What it is to have usable; None where nobody said.
    need_gib: float | None
    #: How it can be asked over the network.
    services: tuple[ServiceView, ...]
    #: What was done at the bench, the newest first.
    runs: tuple[RunBrief, ...]
    #: Clauses of its sheet that a machine's own proposal contradicted.
    doubts: tuple[DoubtView, ...]


def see_machine(engine: Engine, key: UUID) -> MachineView:
    """Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, key)
        state = view_of(m)
        parts = asked_parts(db, m.layout, state.evaluation)
        state = replace(state, questions=tuple(offered(q, m.layout, parts) for q in state.questions))
        return MachineView(
            **{f.name: getattr(state, f.name) for f in fields(state)},
            plans=tuple(PlanName(p.id, p.name, p.state, p.updated_at) for p in plan_store.plans_of(db, key)),
            need_gib=need_gib(db, key),
            services=service_views(services_of(db, key)),
            runs=runs_of_machine(db, key),
            doubts=doubts_about(db, m.sheet.id),
        )


def machine_history(engine: Engine, key: UUID, before: int | None = None) -> list[HistoryLine]:
    """A page of who did what to the machine and its plans, newest first. Raises NotFound."""
    with engine.connect() as db:
        if store.find_machine(db, key) is None:
            raise NotFound("machine")
        return history_of(db, key, before)


def machine_targets(engine: Engine, key: UUID, module: Module, taken_from: str | None) -> tuple[Target, ...]:
    """Every slot of the machine as it is, as a place for a module (see core.targets). Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, key)
    return judge_targets(m, m.layout, module, taken_from)
