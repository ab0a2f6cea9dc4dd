"""Slots of a board as a report shows them, with those that it leaves out though their fellows' names show that they are there."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from umbrak.core.platform.known import REPORTS
from umbrak.core.platform.naming import Naming, places_by_name, tells_socket
from umbrak.core.platform.passed_over import by_number, passed_over
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, slots_counted
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


#: Without a name each slot has a channel of its own, and a processor no more.
_MOST_NAMELESS = 12
_NOT_FILLED = (SlotState.EMPTY, SlotState.UNKNOWN)


@dataclass(frozen=True, slots=True)
class Shown:
    """A slot that a report shows, soldered memory is none."""

    facts: SlotFacts
    #: Its place in the report; None where the report leaves it out.
    index: int | None


@dataclass(frozen=True, slots=True)
class ShownBoard:
    """A board as a report shows it."""

    #: What the names of its slots say; where they do not tell processors, slots in a row hang on one.
    naming: Naming
    #: In the report's order, or by their numbers where some are left out.
    slots: Sequence[Shown]
    #: Which slots are taken for the first processor without any name that says so; "" = none.
    in_rows: str = ""
    #: Whether some names tell the processor and others do not: then nothing is taken by their order.
    partly_told: bool = False


def board_shown(reading: SurveyReading) -> ShownBoard:
    naming, shown = _slots_shown(reading)
    if not naming.has_sockets and any(tells_socket(s.facts.locator) or tells_socket(s.facts.bank) for s in shown):
        return ShownBoard(naming, shown, partly_told=True)
    processors = len(reading.processors)
    each, left = divmod(len(shown), processors or 1)
    if processors < 2 or left or any(p.socket for p in naming.places):
        return ShownBoard(naming, shown)
    # A channel hangs on one processor: where names tell channels, none is parted.
    channels = places_by_name([(s.facts.locator, s.facts.bank) for s in shown]).places
    if len({(p.channel, i // each) for i, p in enumerate(channels) if p.channel}) > len(
        {p.channel for p in channels} - {None}
    ):
        return ShownBoard(naming, shown)
    places = tuple(replace(p, socket=str(i // each + 1)) for i, p in enumerate(naming.places))
    return ShownBoard(replace(naming, places=places), shown, "slot is" if each == 1 else f"{each} slots are")


def _slots_shown(reading: SurveyReading) -> tuple[Naming, list[Shown]]:
    shown = [Shown(s, i) for i, s in enumerate(reading.slots) if s.state is not SlotState.SOLDERED]
    naming = _naming(shown, reading)
    names = told_as([s.facts for s in shown])
    counted = slots_counted(reading.arrays)
    if (told := [n for n in names if n]) and len(told) == len(names):
        added = passed_over(
            told, filled_only=_may_leave_out(reading), processors=len(reading.processors) or None, count=counted
        )
        named = [*zip(told, shown, strict=True), *((n, _left_out(n)) for n in added)]
        every = [slot for _, slot in sorted(named, key=lambda x: by_number(x[0]))] if added else shown
        of_all = _naming(every, reading)
        if of_all.has_channels >= naming.has_channels and of_all.has_sockets >= naming.has_sockets:
            naming, shown = of_all, every
    if counted and len(shown) < counted <= _MOST_NAMELESS and _may_leave_out(reading) and not naming.has_sockets:
        # What the others are called nobody tells: which of them share a channel is not told by the names either, then.
        shown += [_left_out(None)] * (counted - len(shown))
        naming = _naming(shown, reading)
    return naming, shown


def left_out_words(names: Sequence[str]) -> str:
    """What is said of them; "" where there is none."""
    are = "is" if len(names) == 1 else "are"
    return f"{listed(names)} {are} not in it: the names or the count of its slots show them" if names else ""


def _naming(shown: Sequence[Shown], reading: SurveyReading) -> Naming:
    return places_by_name([(s.facts.locator, s.facts.bank) for s in shown], len(reading.processors) or None)


def _left_out(name: str | None) -> Shown:
    return Shown(SlotFacts(locator=name, state=SlotState.UNKNOWN), None)


def _may_leave_out(reading: SurveyReading) -> bool:
    """Whether empty slots may be left out: who says of one that it is empty has not left out the others that are."""
    report = REPORTS.get(reading.kind)
    return report is not None and not report.tells_empty and not any(s.state in _NOT_FILLED for s in reading.slots)
