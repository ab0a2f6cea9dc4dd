"""The whole sheet of one stage."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.after import after, start
from umbrak.core.runsheet.before import before, off
from umbrak.core.runsheet.handling import module_steps, module_words, slot_words
from umbrak.core.runsheet.step import Minutes, Phase, RunSheet, Step, Who, Work
from umbrak.core.runsheet.way import Way, closing, way_in

#: Several ways back are told as steps of their own up to so many modules; beyond, as a count.
_TOLD = 24


def run_sheet(sheet: Sheet, machine: Machine, work: Work) -> RunSheet:
    """The steps that lead from `work.now` to `work.goal`, and what goes before and after them.

    Pure and total. No step needs a slot that is full, or reaches past a full one; what is opened first is closed last;
    every hold point says how to go back. Where the machine may start open, or without drives, the first start and its
    proof come before closing, and before the drives are back.
    """
    return RunSheet(work.title, work.stage, work.stages, tuple(_steps(sheet, work)))


def _steps(sheet: Sheet, work: Work) -> Iterator[Step]:
    modules = module_steps(sheet, work)
    touched = [s for s in sheet.slots if any(s in step.slots for step in modules)]
    way = way_in(sheet, touched, work.bays)
    first, later = closing(way)
    yield from before(sheet, work)
    if not modules:
        return
    yield from off(sheet, way.cools_min)
    if way.ends_warranty:
        yield Step(
            key="open:warranty", phase=Phase.OPEN, text="Opening this ends the warranty: go on?", hold=True, who=Who.SECOND,
            why="its maker says so", back_out=("Nothing is open yet: connect it and start it.", *_group_back(work)),
        )  # fmt: skip
    if way.untold:
        names = ", ".join(slot_words(sheet, s) for s in way.untold)
        yield Step(
            key="open:untold", phase=Phase.OPEN, text=f"Open it as far as {names} can be reached", minutes=Minutes(3, 15),
            why="its sheet does not say how", details=("Note each step: closing goes the same way back.",),
        )  # fmt: skip
    yield from (o.step for o in way.opened)
    yield from modules
    back_in = back_out_words(sheet, work, way)
    yield Step(
        key="modules:look", phase=Phase.HANDLE, text="Compare every slot with the map before anything is closed", hold=True, who=Who.SECOND,
        why="a second pair of eyes finds the latch that stands", slots=tuple(touched), minutes=Minutes(1, 4),
        checks=("every latch is shut", "nothing is left inside: tools, screws, bags"), back_out=back_in,
    )  # fmt: skip
    yield from first
    drives_out = any(o.drives for o in way.opened) and any(s.key == "close:drives" for s in later)
    is_open = any(s.key != "close:drives" for s in later) or bool(way.untold and sheet.starts_open)
    yield from start(sheet, work, is_open, drives_out, back_out_words(sheet, work, way, True, first))
    if later:
        yield Step(
            key="prove:off", phase=Phase.PROVE, text="Shut it down and pull the power cables again", why="before anything is put back",
            minutes=Minutes(2, 5),
        )  # fmt: skip
        yield from later
    if way.untold:
        yield Step(
            key="close:untold",
            phase=Phase.CLOSE,
            text="Close it as it was opened",
            closes="open:untold",
            minutes=Minutes(3, 15),
        )
    yield from after(sheet, work, back_out_words(sheet, work, way, True, [*first, *later]))


def _group_back(work: Work) -> Sequence[str]:
    return [f"Put it back into the group {work.group}."] if work.group else []


def back_out_words(
    sheet: Sheet, work: Work, way: Way, started: bool = False, closed: Sequence[Step] = ()
) -> tuple[str, ...]:
    """How to come back to what was fitted before, from the goal fitted.

    Parameters
        started   whether it has been started since
        closed    closing steps that are done by then
    """
    shut = {s.closes for s in closed}
    words = ["Shut it down, pull every cable, wait as before."] if started else []
    words += [f"{o.step.text}." for o in way.opened if o.step.key in shut]
    words += back_steps(sheet, work)
    words += [f"{s.text}." for part in closing(way) for s in part]
    words.append("Start it and see that it is as it was.")
    return (*words, *_group_back(work))


def back_steps(sheet: Sheet, work: Work) -> list[str]:
    """The modules' way back; a failed module does not go back in."""
    was = Layout({s: m for s, m in work.now.items() if s not in work.failed})
    back = replace(work, now=work.goal, goal=was, failed=frozenset())
    todo = [a for a in actions(sheet, back.now, back.goal) if a.do is not Do.KEEP]
    if len(todo) > _TOLD:
        return [f"Undo the {len(todo)} moves of modules in reverse order, by the marks on their bags."]
    steps = module_steps(sheet, back)
    return [
        f"{s.text}: {module_words(s.action.module)}." if s.action and s.action.module else f"{s.text}." for s in steps
    ]
