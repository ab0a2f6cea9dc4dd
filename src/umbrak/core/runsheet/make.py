"""The whole sheet of one stage."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.after import Standing, after, power, seen, seen_again, tested
from umbrak.core.runsheet.before import before, has_drives, off
from umbrak.core.runsheet.handling import module_steps, module_words
from umbrak.core.runsheet.step import Minutes, Phase, RunSheet, Step, Who, Work
from umbrak.core.runsheet.way import Way, closing, way_in

#: Several ways back are told as steps of their own up to so many modules; beyond, as a count.
_TOLD = 24


def run_sheet(sheet: Sheet, machine: Machine, work: Work) -> RunSheet:
    """The steps that lead from `work.now` to `work.goal`, and what goes before and after them.

    Pure and total. No step needs a slot that is full, or reaches past a full one; what is opened first is closed last;
    every hold point says how to go back. Power never returns to an open machine unless its sheet says that it may start
    open; drives are held against their bays before it does. Where it may start open, or without drives, the first start and
    its proof come before closing, and before the drives are back.
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
    yield from (o.step for o in way.opened)
    yield from modules
    yield Step(
        key="modules:look", phase=Phase.HANDLE, text="Compare every slot with the map before anything is closed", hold=True, who=Who.SECOND,
        why="a second pair of eyes finds the latch that stands", slots=tuple(touched), minutes=Minutes(1, 4),
        checks=("every latch is shut", "nothing is left inside: tools, screws, bags"), back_out=back_out_words(sheet, work, way),
    )  # fmt: skip
    yield from first
    yield from _proved(sheet, work, way, first, later)
    yield from after(sheet, work, back_out_words(sheet, work, way, True, [*first, *later]))


def _proved(sheet: Sheet, work: Work, way: Way, first: list[Step], later: list[Step]) -> Iterator[Step]:
    """Power returns, and what can be proved before the soak. Where the sheet says that it may start open, or without its
    drives, that is done so, and it is closed, started and looked at once more afterwards."""
    drives = next((o for o in way.opened if o.drives), None)
    bare = drives is not None and any(s.key == "close:drives" for s in later)
    # Drives that all went in with a look at each need no second one.
    all_held = drives is not None and set(drives.step.bays) >= set(work.bays) and sheet.bays is not None
    stands = Standing(any(s.key != "close:drives" for s in later), bare)
    back = back_out_words(sheet, work, way, True, first)
    yield from power(sheet, work, stands, False, all_held)
    yield seen(sheet, work, back)
    test_now = not bare or sheet.memory_test is None or sheet.memory_test.without_drives is not False
    if test_now:
        yield tested(sheet, work, bare, back if later else ())
    if not later:
        return
    yield Step(
        key="prove:off", phase=Phase.PROVE, text="Shut it down and pull the power cables again", why="before anything is put back",
        minutes=Minutes(2, 5),
    )  # fmt: skip
    yield from later
    yield from power(sheet, work, Standing(), True, all_held and bare)
    yield seen_again(sheet, work)
    if not test_now:
        yield tested(sheet, work, False)


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
    if has_drives(sheet):
        words.append("Compare every drive with its bay.")
    words += ["Connect a console, then every cable at its mark, power last.", "Start it and see that it is as it was."]
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
