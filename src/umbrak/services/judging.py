"""Judgements, remembered: one layout is asked about by plan, summary and list within one request, and again by the
next. Everything that they depend on is in their arguments, so what is remembered is never out of date."""

from __future__ import annotations

from functools import lru_cache

from umbrak.core.cures import Cure, cures
from umbrak.core.evaluate import Evaluation, evaluate
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet

#: Evaluations kept: of the plans that a few dozen people have open. Each takes some ten kilobytes.
_KEPT = 512


@lru_cache(maxsize=_KEPT)
def judge(sheet: Sheet, machine: Machine, layout: Layout, before: Layout | None = None) -> Evaluation:
    """See core.evaluate."""
    return evaluate(sheet, machine, layout, before=before)


@lru_cache(maxsize=_KEPT)
def judge_cures(
    sheet: Sheet, machine: Machine, layout: Layout, before: Layout | None = None
) -> tuple[Cure | None, ...]:
    """A cure for each finding of `judge`. See core.cures."""
    return cures(sheet, machine, layout, judge(sheet, machine, layout, before), before=before)
