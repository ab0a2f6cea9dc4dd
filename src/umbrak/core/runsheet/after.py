"""From the first start on: proof, soak, back on duty, returns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Action
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.before import outgoing, replaced
from umbrak.core.runsheet.handling import module_words, slot_words
from umbrak.core.runsheet.step import Minutes, Phase, Step, Who, Work

#: Where the sheet tells no times: from a small machine's to a large server's, as a range. [min]
_UNTOLD_START = Minutes(2, 20)
#: One pass of a memory test. [min per GiB] Reasoned: from many channels to one slow one.
_TEST_PER_GIB = Minutes(0.15, 0.8)


def start_minutes(sheet: Sheet, layout: Layout) -> Minutes:
    """How long the first start takes: base, and per module and GiB, give or take the sheet's spread."""
    boot = sheet.first_boot
    modules = [m for m in layout.values() if isinstance(m, Module)]
    soldered = [c.soldered for c in sheet.channels.values() if c.soldered]
    gib = sum(m.capacity_gib or 0 for m in (*modules, *soldered))
    if boot is None:
        return _UNTOLD_START
    seconds = boot.base_s + boot.per_module_s * len(modules) + boot.per_gib_s * gib
    return Minutes(round(seconds * (1 - boot.spread) / 60, 1), round(seconds * (1 + boot.spread) / 60, 1))


def start(sheet: Sheet, work: Work, is_open: bool, without_drives: bool, back: Sequence[str]) -> Iterator[Step]:
    """The first start and what is seen at it.

    Parameters
        is_open, without_drives   how it stands: something is left to close, the drives are still out
        back                      how to go back from here
    """
    wait = start_minutes(sheet, work.goal)
    told = sheet.first_boot is not None
    state = " and ".join(w for w, so in (("open", is_open), ("without its drives", without_drives)) if so)
    yield Step(
        key="start:power", phase=Phase.START, text=f"Connect power{', keep hands out of it,' if is_open else ''} and start it{f', {state}' if state else ''}",
        why="a fault found now costs no second opening" if is_open else "",
        details=(
            f"The first start takes {wait.low:g} to {wait.high:g} minutes: it learns the new memory. Do not switch it off meanwhile."
            if told
            else "Nobody says how long its first start takes: a quarter of an hour with a dark screen is no fault yet.",
            "It may start anew by itself, more than once.",
        ),
        minutes=wait, waits=True,
    )  # fmt: skip
    yield Step(
        key="prove:seen", phase=Phase.PROVE, text="Compare what it sees with the plan", why="Proof says what is right, missing, elsewhere, smaller or slower",
        slots=tuple(s for s in sheet.slots if s in work.goal), minutes=Minutes(2, 6), hold=True, who=Who.SECOND,
        details=("Give Proof a fresh survey: its listing, its service, or slot by slot by hand.",
                 *(f"the machine shows it under: {where}" for where in sheet.reports.values() if where != "none")),
        back_out=tuple(back),
    )  # fmt: skip
    gib = sum(m.capacity_gib or 0 for m in work.goal.values() if isinstance(m, Module))
    yield Step(
        key="prove:test", phase=Phase.PROVE, text="Test the memory for at least one pass",
        why="before any data is exposed to it" if without_drives else "what it sees at the start says nothing of what it holds",
        details=("From a stick of its own where the drives are out.",) if without_drives else (),
        minutes=Minutes(round(gib * _TEST_PER_GIB.low, 1), round(gib * _TEST_PER_GIB.high, 1)), waits=True,
    )  # fmt: skip


def after(sheet: Sheet, work: Work, back: Sequence[str]) -> Iterator[Step]:
    """Closed and running: what is left until the machine is on duty and every module has its place."""
    last = work.stage == work.stages
    yield Step(
        key="back:cables", phase=Phase.BACK, text="Connect every cable at its mark, and start the system",
        checks=("power", "every other cable"), minutes=Minutes(2, 5),
    )  # fmt: skip
    if sheet.bays:
        yield Step(
            key="back:array", phase=Phase.BACK, text="See that every drive is where it was and the array is whole", minutes=Minutes(1, 5),
            bays=tuple(sorted(work.bays)), why="before anything is written",
        )  # fmt: skip
    yield Step(
        key="back:clear", phase=Phase.BACK, text="Clear old alerts and lights, then read them again", why="one that comes back is a new one",
        minutes=Minutes(1, 5),
    )  # fmt: skip
    yield Step(key="back:monitoring", phase=Phase.BACK, text="Switch monitoring on again", minutes=Minutes(1, 2))
    days = f"{work.soak_days:g} day{'' if work.soak_days == 1 else 's'}"
    yield Step(
        key="back:soak", phase=Phase.BACK, text=f"Watch it for {days} under load", why="what is unstable shows itself before anybody relies on it",
        details=("Proof keeps the counters and temperatures, and says when it is over.",), waits=True,
        minutes=Minutes(work.soak_days * 1440, work.soak_days * 1440),
    )  # fmt: skip
    yield Step(
        key="back:duty", phase=Phase.BACK,
        text=f"{'Put it back into the group ' + work.group if work.group else 'Give it back to its users'}" if last
        else f"Stage {work.stage} is proved: go on with stage {work.stage + 1}?",
        why="only what has passed its soak", hold=True, who=Who.SECOND, back_out=tuple(back), minutes=Minutes(2, 10),
    )  # fmt: skip
    broken = replaced(sheet, work)
    for slot in broken:
        words = "Return it under warranty" if work.under_warranty else "Return it to who sold it, or mark it as scrap"
        yield Step(
            key=f"after:return:{slot}", phase=Phase.AFTER, text=f"{words}: the module from {slot_words(sheet, slot)}", slots=(slot,),
            details=("Note the reference and by when it must be answered.",), minutes=Minutes(5, 15),
        )  # fmt: skip
    pulled = [a for a in outgoing(sheet, work) if a.source not in work.failed]
    if pulled and last:
        yield Step(
            key="after:shelf", phase=Phase.AFTER, text="Put what came out on the Shelf", minutes=Minutes(2, 10),
            checks=tuple(_pulled(sheet, a) for a in pulled),
        )  # fmt: skip


def _pulled(sheet: Sheet, a: Action) -> str:
    return f"{module_words(a.module)} from {slot_words(sheet, a.source or '')}"
