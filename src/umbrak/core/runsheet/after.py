"""From the first start on: proof, soak, back on duty, returns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from umbrak.core.plan.actions import Action
from umbrak.core.platform.sheet import Sheet
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.before import has_drives, outgoing, replaced
from umbrak.core.runsheet.handling import module_words, slot_words
from umbrak.core.runsheet.step import Minutes, Phase, Step, Work
from umbrak.core.runsheet.timing import pass_minutes, start_minutes
from umbrak.core.runsheet.way import drive_words


@dataclass(frozen=True, slots=True)
class Standing:
    """How the machine stands when power returns."""

    is_open: bool = False
    #: Whether its drives are still out.
    bare: bool = False

    @property
    def words(self) -> str:
        return " and ".join(w for w, so in (("open", self.is_open), ("without its drives", self.bare)) if so)


def power(sheet: Sheet, work: Work, stands: Standing, again: bool, compared: bool) -> Iterator[Step]:
    """Power returns: drives compared before, cables and a console, the start, and the array before anything else.

    Parameters
        again      whether it was started before in this stage
        compared   whether every drive was held against its bay on the way in
    """
    mark = ":again" if again else ""
    if has_drives(sheet) and not stands.bare and not compared:
        yield Step(
            key=f"start:bays{mark}", phase=Phase.START, text="Compare every drive with its bay, before power returns",
            why="a drive in another bay can cost the array", bays=tuple(sorted(work.bays)), minutes=Minutes(1, 3),
            checks=bay_checks(sheet, work) or ("every drive is in the bay that you noted it for",),
        )  # fmt: skip
    bare = stands.is_open or stands.bare
    yield Step(
        key=f"start:cables{mark}", phase=Phase.START, minutes=Minutes(1, 3) if bare else Minutes(2, 5),
        text=f"Connect a console and power only, {stands.words}" if bare else "Connect a console, then every cable at its mark, power last",
        why="after a change of memory or firmware it may stop and ask, where nobody without a console sees it",
        checks=("a console shows its picture", *(() if bare else ("every other cable is at its mark",)), "power"),
    )  # fmt: skip
    wait = start_minutes(sheet, work.goal)
    state = f", {stands.words}" if stands.words else ""
    if again:
        yield Step(
            key="start:power:again", phase=Phase.START, text=f"Start its system{state}", minutes=Minutes(min(2, wait.low), wait.high), waits=True,
        )  # fmt: skip
    else:
        yield Step(
            key="start:power", phase=Phase.START, text=f"Start it{state}{'; keep hands out of it' if stands.is_open else ''}",
            why="a fault found now costs no second opening" if stands.is_open else "",
            details=(
                f"The first start takes {wait.low:g} to {wait.high:g} minutes: it learns the new memory. Do not switch it off meanwhile."
                if sheet.first_boot is not None
                else "Nobody says how long its first start takes: a quarter of an hour with a dark screen is no fault yet.",
                "It may start anew by itself, more than once; it may ask for a key to press, or for the key of its drives.",
            ),
            minutes=wait, waits=True,
        )  # fmt: skip
    if has_drives(sheet) and not stands.bare:
        yield Step(
            key=f"start:array{mark}", phase=Phase.START, text="See that every drive is where it was and the array is whole", minutes=Minutes(1, 5),
            bays=tuple(sorted(work.bays)), why="before anything else is done with it, and before anything is written",
        )  # fmt: skip


def bay_checks(sheet: Sheet, work: Work) -> tuple[str, ...]:
    """Each bay with the drive that is recorded of it, as something to look at."""
    return tuple(drive_words(n, work.bays) for n in sorted({*sheet.bay_numbers, *work.bays}))


def seen(sheet: Sheet, work: Work, back: Sequence[str]) -> Step:
    return Step(
        key="prove:seen", phase=Phase.PROVE, text="Compare what it sees with the plan", why="Proof says what is right, missing, elsewhere, smaller or slower",
        slots=tuple(s for s in sheet.slots if s in work.goal), minutes=Minutes(2, 6), hold=True, proves=Wanted.SLOTS,
        details=("Give Proof a fresh survey: its listing, its service, or slot by slot by hand.",
                 *(f"the machine shows it under: {where}" for where in sheet.reports.values() if where != "none")),
        back_out=tuple(back),
    )  # fmt: skip


def seen_again(sheet: Sheet, work: Work) -> Step:
    return Step(
        key="prove:again", phase=Phase.PROVE, text="Compare its slots once more", why="closing and drives can push a module out of its seat",
        slots=tuple(s for s in sheet.slots if s in work.goal), minutes=Minutes(1, 4), proves=Wanted.AGAIN,
        details=("Give Proof a survey that was made since it was closed.",),
    )  # fmt: skip


def tested(sheet: Sheet, work: Work, bare: bool, back: Sequence[str] = ()) -> Step:
    """The memory test; with a way back it is a hold, since data comes to the machine after it."""
    told = sheet.memory_test
    details = [f"{w[0].upper()}{w[1:]}." for w in ((told.start, told.read) if told else ()) if w]
    if bare and not details:
        details.append("From a stick of its own, since the drives are out.")
    if not told:
        details.append("Its sheet does not say how its memory is tested: use what starts on it, and note what it was.")
    return Step(
        key="prove:test", phase=Phase.PROVE, text="Test the memory for at least one pass",
        why="before any data is exposed to it" if bare else "what it sees at the start says nothing of what it holds",
        details=tuple(details), minutes=pass_minutes(sheet, work.goal), waits=True, proves=Wanted.TEST,
        hold=bool(back), back_out=tuple(back),
    )  # fmt: skip


def after(sheet: Sheet, work: Work, back: Sequence[str]) -> Iterator[Step]:
    """Closed and running: what is left until the machine is on duty and every module has its place."""
    last = work.stage == work.stages
    yield Step(
        key="back:clear", phase=Phase.BACK, text="Clear old alerts and lights, then read them again", why="one that comes back is a new one",
        minutes=Minutes(1, 5), proves=Wanted.ALERTS,
    )  # fmt: skip
    yield Step(key="back:monitoring", phase=Phase.BACK, text="Switch monitoring on again", minutes=Minutes(1, 2))
    days = f"{work.soak_days:g} day{'' if work.soak_days == 1 else 's'}"
    yield Step(
        key="back:soak", phase=Phase.BACK, text=f"Watch it for {days} under load", why="what is unstable shows itself before anybody relies on it",
        details=("Proof keeps the counters and temperatures, and says when it is over.",), waits=True,
        minutes=Minutes(work.soak_days * 1440, work.soak_days * 1440), proves=Wanted.SOAK,
    )  # fmt: skip
    yield Step(
        key="back:duty", phase=Phase.BACK,
        text=f"{'Put it back into the group ' + work.group if work.group else 'Give it back to its users'}" if last
        else f"Stage {work.stage} is proved: go on with stage {work.stage + 1}?",
        why="only what has passed its soak", details=("Sign it off in Proof.",), hold=True, proves=Wanted.DUTY, back_out=tuple(back), minutes=Minutes(2, 10),
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
