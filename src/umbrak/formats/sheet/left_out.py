"""Slots of a board as a report shows them, with those that it leaves out though their fellows' names show that they are there."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from umbrak.core.platform.known import REPORTS
from umbrak.core.platform.naming import Naming, places_by_name
from umbrak.core.platform.passed_over import by_number, passed_over
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading
from umbrak.core.rules.context import listed

#: A report's names, the plainer first.
_TOLD_AS: tuple[Callable[[SlotFacts], str | None], ...] = (
    lambda r: r.locator,
    lambda r: " ".join(filter(None, (r.bank, r.locator))),
)


def told_as(reports: Sequence[SlotFacts]) -> list[str | None]:
    """For each slot the name under which only it is reported: its locator, with the bank where several have it."""
    ways = [[" ".join((way(r) or "").split())[:100] for r in reports] for way in _TOLD_AS]
    alone = [{name for name, times in Counter(names).items() if name and times == 1} for names in ways]
    first = [
        next((n for n, its in zip(names, alone, strict=True) if n in its), None) for names in zip(*ways, strict=True)
    ]
    times = Counter(first)
    return [name if times[name] == 1 else None for name in first]


_NOT_FILLED = (SlotState.EMPTY, SlotState.UNKNOWN)


@dataclass(frozen=True, slots=True)
class Shown:
    """A slot that a report shows, soldered memory is none."""

    facts: SlotFacts
    #: Its place in the report; None where the report leaves it out.
    index: int | None


def slots_shown(reading: SurveyReading) -> tuple[Naming, list[Shown]]:
    """What the names of a report's slots say, and its slots: in its own order, or by their numbers where some are left out."""
    shown = [Shown(s, i) for i, s in enumerate(reading.slots) if s.state is not SlotState.SOLDERED]
    naming = _naming(shown, reading)
    names = told_as([s.facts for s in shown])
    added = _left_out([n for n in names if n], reading) if all(names) else []
    if added:
        named = [
            *zip(names, shown, strict=True),
            *((n, Shown(SlotFacts(locator=n, state=SlotState.UNKNOWN), None)) for n in added),
        ]
        every = [slot for _, slot in sorted(named, key=lambda x: by_number(x[0] or ""))]
        of_all = _naming(every, reading)
        if of_all.has_channels >= naming.has_channels and of_all.has_sockets >= naming.has_sockets:
            return of_all, every
    return naming, shown


def left_out_words(names: Sequence[str]) -> str:
    """What is said of them; "" where there is none."""
    are = "is" if len(names) == 1 else "are"
    return f"{listed(names)} {are} not in it, and there by the names of the others" if names else ""


def _naming(shown: Sequence[Shown], reading: SurveyReading) -> Naming:
    return places_by_name([(s.facts.locator, s.facts.bank) for s in shown], len(reading.processors) or None)


def _left_out(names: Sequence[str], reading: SurveyReading) -> list[str]:
    report = REPORTS.get(reading.kind)
    # Who says of one slot that it is empty has not left out the others that are.
    whole = report is None or report.tells_empty or any(s.state in _NOT_FILLED for s in reading.slots)
    counts = [a.slots for a in reading.arrays]
    return passed_over(
        names,
        filled_only=not whole,
        processors=len(reading.processors) or None,
        count=sum(n for n in counts if n) if all(counts) else None,
    )
