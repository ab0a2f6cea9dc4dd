"""One look at a model by the solver: the whole of it, a part of it, or without whole numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from umbrak.core.rounds.model import Model

Values = NDArray[np.float64]

#: `scipy.optimize.milp`'s status.
_DONE, _NOTHING = 0, 2


@dataclass(frozen=True)
class Look:
    #: None: nothing was found.
    values: Values | None
    cost: float
    #: Nothing of what was looked at costs less.
    bound: float
    #: Whether it came to its end; with no values: there is nothing.
    done: bool


def look(
    model: Model,
    *,
    seconds: float | None = None,
    gap: float = 0.0,
    costs: Values | None = None,
    whole: bool = True,
    unheld: float = np.inf,
    fixed: tuple[NDArray[np.bool_], Values] | None = None,
) -> Look:
    """Parameters
    costs    to minimise instead of the model's own
    unheld   most pins that may be let go
    fixed    (which variables stay as they are, their values)
    """
    # Loaded where a program is solved: it takes as long as half of a server's start.
    from scipy.optimize import Bounds, LinearConstraint, milp

    least, most = model.least, model.most
    if fixed is not None:
        stays, at = fixed
        least, most = np.where(stays, np.rint(at), least), np.where(stays, np.rint(at), most)
    high = model.high.copy()
    high[-1] = unheld
    limit = {} if seconds is None or np.isinf(seconds) else {"time_limit": max(seconds, 0.01)}
    minimised = model.costs if costs is None else costs
    found = milp(
        minimised,
        integrality=np.full(len(minimised), float(whole)),
        bounds=Bounds(least, most),
        constraints=LinearConstraint(model.rows, model.low, high),
        options={"mip_rel_gap": gap, **limit},  # type: ignore[arg-type]
    )
    bound = found.fun if not whole else found.mip_dual_bound
    values: Values | None = None if found.x is None else np.asarray(np.rint(found.x) if whole else found.x, float)
    return Look(
        values=values,
        cost=np.inf if values is None else float(minimised @ values),
        bound=np.inf if found.status == _NOTHING else -np.inf if bound is None else float(bound),
        done=found.status in (_DONE, _NOTHING),
    )
