"""A lower bound on what any route costs: the wishes without the machine's rules."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from umbrak.core.routes.material import Kind, mills
from umbrak.core.routes.problem import Problem


def least_cost(problem: Problem, kinds: Sequence[Kind], slots: int) -> int | None:
    """The least that modules for the usable total wished cost, if any module went into any slot; None where there is
    no way even so. [mills]

    Whole kits and whole modules in no more slots than may be filled, of kinds that may be used (a mixed-integer
    program, solved exactly). Every route meets these constraints, so none is cheaper.
    """
    # Loaded where a program is solved: it takes as long as half of a server's start.
    from scipy.optimize import Bounds, LinearConstraint, milp

    wishes = problem.wishes
    soldered = sum((c.soldered.capacity_gib or 0) for c in problem.sheet.channels.values() if c.soldered)
    known = [k for k in kinds if k.module]
    sources = [(i, c) for i, k in enumerate(known) if wishes.third_party or k.listed for c in k.sources]
    n, m = len(known), len(sources)
    if not n:
        return 0 if not wishes.usable_gib or soldered >= wishes.usable_gib else None
    gib = np.array([k.module.capacity_gib or 0 for k in known if k.module] + [0.0] * m)
    seats = np.array([1.0] * n + [0.0] * m)
    price = np.array([0.0] * n + [float(mills(c.price)) for _, c in sources])
    # Modules of a kind: no more than are fitted and in the kits taken.
    had = np.zeros((n, n + m))
    had[np.arange(n), np.arange(n)] = 1
    for j, (i, c) in enumerate(sources):
        had[i, n + j] = -c.kit
    fitted = np.array([float(k.fitted) for k in known])
    most = [float(slots)] * n + [float(c.stock // c.kit if c.stock is not None else slots) for _, c in sources]
    least = [*(fitted if wishes.keep_fitted else np.zeros(n)), *([0.0] * m)]
    if any(low > high for low, high in zip(least, most, strict=True)):
        return None
    solved = milp(
        price,
        constraints=[
            LinearConstraint(gib, lb=(wishes.usable_gib or 0) - soldered),
            LinearConstraint(seats, ub=slots - (wishes.free_slots or 0)),
            LinearConstraint(had, ub=fitted),
        ],
        integrality=np.ones(n + m, np.int64),
        bounds=Bounds(np.array(least), np.array(most)),
        # The presolve of the solver has been seen to call programs infeasible that are not.
        options={"presolve": False},
    )
    if solved.status == _INFEASIBLE:
        return None
    return round(solved.fun) if solved.status == _SOLVED and solved.fun is not None else 0


#: Answers of the solver.
_SOLVED, _INFEASIBLE = 0, 2
