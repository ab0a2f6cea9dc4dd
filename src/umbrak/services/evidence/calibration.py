"""What was predicted when a lead approved a plan, beside what its proof found."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.evidence.calibration import ENOUGH, Band, Predicted, bands, brier
from umbrak.core.evidence.table import Outcome
from umbrak.formats.kept import MODEL
from umbrak.store.runs import predictions


@dataclass(frozen=True, slots=True)
class PredictionView:
    machine_id: UUID
    machine: str
    plan: str
    approved_at: datetime
    #: Trouble as the lead saw it.
    trouble: float
    #: False where it was reckoned by an older model: then it counts in no figure.
    counts: bool
    ended_at: datetime
    outcome: Outcome


@dataclass(frozen=True, slots=True)
class CalibrationView:
    lines: tuple[PredictionView, ...]
    bands: tuple[Band, ...]
    #: Brier score of those that count; None below `enough` of them.
    brier: float | None
    counted: int
    enough: int


def see_calibration(engine: Engine) -> CalibrationView:
    """Plans that a lead approved and that were proved, or backed out with an outcome. What was waived says nothing."""
    with engine.connect() as db:
        rows = predictions(db)
    lines = tuple(
        PredictionView(
            machine_id=r.machine_id,
            machine=r.machine,
            plan=r.plan,
            approved_at=r.approved_at,
            trouble=r.seen.trouble,
            counts=r.seen.model == MODEL,
            ended_at=r.ended_at,
            outcome=Outcome(r.outcome),
        )
        for r in rows
    )
    counted = [Predicted(x.trouble, not x.outcome.ran) for x in lines if x.counts]
    return CalibrationView(lines, bands(counted), brier(counted), len(counted), ENOUGH)
