"""A lower bound on what any route costs: the wishes without the machine's rules."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from umbrak.core.routes.material import Kind, mills
from umbrak.core.routes.problem import Problem


def least_cost(problem: Problem, kinds: Sequence[Kind], slots: int) -> int:
    """The least that modules for the usable total wished cost, if any module went into any slot. [mills]

    Whole kits and whole modules in no more slots than may be filled (a mixed-integer program, solved exactly). Every
    route meets these constraints, so none is cheaper.
    """
    wanted = problem.wishes.usable_gib
    if not wanted:
        return 0
    soldered = sum((c.soldered.capacity_gib or 0) for c in problem.sheet.channels.values() if c.soldered)
    known = [k for k in kinds if k.module]
    sources = [(i, c) for i, k in enumerate(known) for c in k.sources]
    n, m = len(known), len(sources)
    gib = np.array([k.module.capacity_gib or 0 for k in known if k.module] + [0.0] * m)
    seats = np.array([1.0] * n + [0.0] * m)
    price = np.array([0.0] * n + [float(mills(c.price)) for _, c in sources])
    # Modules of a kind: no more than are fitted and in the kits taken.
    had = np.zeros((n, n + m))
    had[np.arange(n), np.arange(n)] = 1
    for j, (i, c) in enumerate(sources):
        had[i, n + j] = -c.kit
    most = [float(slots)] * n + [float(c.stock // c.kit if c.stock is not None else slots) for _, c in sources]
    answer = milp(
        price,
        constraints=[
            LinearConstraint(gib, lb=wanted - soldered),
            LinearConstraint(seats, ub=slots - (problem.wishes.free_slots or 0)),
            LinearConstraint(had, ub=np.array([float(k.fitted) for k in known])),
        ],
        integrality=np.ones(n + m),
        bounds=Bounds(0, np.array(most)),
    )
    return int(answer.fun) if answer.fun is not None else 0
