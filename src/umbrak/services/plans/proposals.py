"""Looking at plans before anything is done: side by side, and whole rearrangements as proposals."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.evaluate import Evaluation, Rail, worst
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import MAT, Do, actions
from umbrak.core.plan.arrange import dealt_out, next_set
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.rules.finding import Verdict
from umbrak.services.errors import Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, load_machine
from umbrak.services.known.moves import ActionView, action_views
from umbrak.services.plans.view import open_plan
from umbrak.store import plans as store
from umbrak.store.plans import PlanRow


@dataclass(frozen=True, slots=True)
class PlanBrief:
    """One plan beside the machine's others: what it comes to, in figures that can be compared."""

    #: None: the machine as it is.
    id: UUID | None
    name: str
    state: str | None
    updated_at: datetime | None
    installed_gib: float
    usable_gib: float
    data_rate_mts: int | None
    #: Of the socket that sustains least. [GB/s]
    sustained_gbs: float | None
    balance: float | None
    rails: tuple[Rail, ...]
    verdict: Verdict
    #: What it could still become.
    at_worst: Verdict
    #: Severity -> how many findings.
    findings: Mapping[str, int]
    worst: str | None
    #: Modules that are moved, taken out or put in.
    touches: int
    free_slots: int
    now: Mapping[str, Occupant]
    goal: Mapping[str, Occupant]


def compare_plans(engine: Engine, machine_id: UUID) -> tuple[PlanBrief, ...]:
    """The machine as it is, then each of its plans, the one changed last first. Raises NotFound."""
    with engine.connect() as db:
        m = load_machine(db, machine_id)
        opened = [open_plan(db, row.id) for row in store.plans_of(db, machine_id)]
    as_it_is = _brief(m, None, m.layout, m.layout, judge(m, m.layout))
    return (
        as_it_is,
        *(_brief(p.machine, p.row, p.now, p.goal, judge(p.then, p.goal, p.now)) for p in opened),
    )


def _brief(m: Loaded, row: PlanRow | None, now: Layout, goal: Layout, e: Evaluation) -> PlanBrief:
    def least(values: Iterable[float | None]) -> float | None:
        told = list(values)
        return None if not told or None in told else min(v for v in told if v is not None)

    filled = [s for s in e.sockets if s.gib]
    against = worst(e)
    counts = Counter(f.severity.value for f in e.findings)
    return PlanBrief(
        id=row.id if row else None,
        name=row.name if row else "as it is",
        state=row.state if row else None,
        updated_at=row.updated_at if row else None,
        installed_gib=e.installed_gib,
        usable_gib=e.usable_gib,
        data_rate_mts=e.data_rate_mts,
        sustained_gbs=least(s.sustained_gbs for s in filled),
        balance=least(s.balance for s in filled),
        rails=e.rails,
        verdict=e.verdict,
        at_worst=e.at_worst,
        findings=dict(counts),
        worst=against.message if against else None,
        touches=sum(1 for a in actions(m.sheet, now, goal) if a.do is not Do.KEEP),
        free_slots=sum(1 for s in m.sheet.slots if s not in goal),
        now=dict(now),
        goal=dict(goal),
    )


@dataclass(frozen=True, slots=True)
class Arrangement:
    """A whole rearrangement, proposed: what it takes, and what it comes to. None of it is done yet."""

    actions: tuple[ActionView, ...]
    changes: Mapping[str, Occupant | None]
    #: Modules that it adds.
    adds: int
    #: Fitted modules that it moves.
    moves: int
    installed_gib: float
    verdict: Verdict


def arrange_plan(engine: Engine, key: UUID, kind: str, module: Module | None) -> Arrangement:
    """Propose to fill the order's next set with such modules (`next-set`), or to deal all over the sockets (`spread`).

    Raises NotFound, Refused when there is nothing to propose; says why.
    """
    with engine.connect() as db:
        plan = open_plan(db, key)
    m, goal = plan.machine, plan.goal
    if kind == "next-set":
        if module is None:
            raise Refused("module", "Say which module the set is filled with.")
        layout = next_set(m.sheet, m.machine, goal, module)
        if layout is None:
            raise Refused(
                "kind", "No further set can be filled: every set is full, or what sits in a slot is not known."
            )
    else:
        layout = dealt_out(m.sheet, m.machine, goal)
        if layout is None:
            raise Refused("kind", "The modules cannot be dealt evenly over the sockets.")
        if layout == goal:
            raise Refused("kind", "The modules are spread evenly already.")
    done = [a for a in actions(m.sheet, goal, layout) if a.do is not Do.KEEP]
    judged = judge(m, layout, plan.now)
    changes = {s: layout.get(s) for s in layout.changed_from(goal)}
    moves = sum(1 for a in done if a.do is Do.MOVE or a.source == MAT)
    return Arrangement(
        actions=action_views(done),
        changes=changes,
        adds=len(layout) - len(goal),
        moves=moves,
        installed_gib=judged.installed_gib,
        verdict=judged.verdict,
    )
