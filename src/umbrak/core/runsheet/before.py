"""What is done before the machine is switched off, and switching it off."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from umbrak.core.memory.in_hand import differences
from umbrak.core.memory.module import Module, alike, member_words
from umbrak.core.plan.actions import Action, Do, actions
from umbrak.core.platform.machine import kept_without_power
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.handling import module_words, place_words, slot_words
from umbrak.core.runsheet.step import Minutes, Phase, Step, Who, Work
from umbrak.core.runsheet.timing import pass_minutes, total_gib
from umbrak.core.runsheet.way import drive_words

#: Kinds of machine that have drives, also where their sheet tells no bays.
_WITH_DRIVES = ("appliance", "server")


def has_drives(sheet: Sheet) -> bool:
    """Whether it holds drives that must not change places."""
    return sheet.bays is not None or sheet.kind in _WITH_DRIVES


def incoming(sheet: Sheet, work: Work) -> tuple[Action, ...]:
    done = actions(sheet, work.now, work.goal, work.failed)
    return tuple(a for a in done if a.do is Do.PUT_IN and a.source is None)


def outgoing(sheet: Sheet, work: Work) -> tuple[Action, ...]:
    return tuple(
        a for a in actions(sheet, work.now, work.goal, work.failed) if a.do is Do.TAKE_OUT and a.target is None
    )


def replaced(sheet: Sheet, work: Work) -> tuple[str, ...]:
    """Failed slots that this work touches, in the sheet's order."""
    touched = {a.source for a in actions(sheet, work.now, work.goal, work.failed) if a.do is not Do.KEEP}
    return tuple(s for s in sheet.slots if s in work.failed and s in touched)


def before(sheet: Sheet, work: Work) -> Iterator[Step]:
    """Everything that can be done while the machine still runs."""
    broken = replaced(sheet, work)
    for slot in broken:
        yield _locate(sheet, work, slot)
        if isinstance(work.goal.get(slot), Module):
            yield _match(sheet, work, slot)
    if work.stage > 1:
        yield Step(
            key="before:stage", phase=Phase.BEFORE, text=f"See that stage {work.stage - 1} is proved",
            why="what the next modules rest on is what the first one showed", hold=True, who=Who.SECOND,
            back_out=("Nothing of this stage has been touched: leave the machine as stage "
                      f"{work.stage - 1} left it, or back that stage out.",),
        )  # fmt: skip
    yield from _parts(sheet, work)
    yield from _backups(sheet, work)
    yield from _contents(sheet, work)
    yield Step(
        key="before:console", phase=Phase.BEFORE, text="Have a console and the key of its drives at hand", minutes=Minutes(2, 5),
        why="after a change of memory or firmware it may ask for them, and what is kept on it cannot be read then",
        checks=("a screen and keyboard, or its controller's console, was tried; or it has none, and it is known how it tells that it is up", "the key or password of encrypted drives is at hand, or none is encrypted"),
    )  # fmt: skip
    yield Step(
        key="before:monitoring", phase=Phase.BEFORE, text="Tell monitoring, and who uses the machine", why="an outage that is expected alarms nobody",
        minutes=Minutes(2, 5),
    )  # fmt: skip
    if work.group:
        yield _group(work)
    # From here on users are without it.
    if work.stage == 1 and not broken and total_gib(sheet, work.now):
        yield Step(
            key="before:settled", phase=Phase.BEFORE, text="Test the machine as it is",
            why="a fault that is found now is not one of the new modules",
            details=("Its system is installed and has run some days on the present memory.", *_test_words(sheet)),
            minutes=pass_minutes(sheet, work.now), waits=True, needs_down=True,
        )  # fmt: skip
    yield _firmware(work)
    yield Step(
        key="before:go", phase=Phase.BEFORE, text="Everything is ready: switch off now?", hold=True, who=Who.SECOND,
        why="from here on the machine is open",
        back_out=(*(("Put it back into its group.",) if work.group else ()), "Tell monitoring that nothing happens."),
    )  # fmt: skip


def _test_words(sheet: Sheet) -> Iterator[str]:
    yield "One pass of a memory test finds nothing."
    if sheet.memory_test and sheet.memory_test.start:
        yield f"{sheet.memory_test.start[0].upper()}{sheet.memory_test.start[1:]}."


def _firmware(work: Work) -> Step:
    """The versions that the plan is judged by come first: without them its modules may not be seen."""
    notes = "Read the notes of every release between for memory: limits, kinds refused, slots moved."
    enter = "Enter the new version in Survey: the plan is judged again by it."
    if not work.versions:
        return Step(
            key="before:firmware", phase=Phase.BEFORE, text="Bring firmware and system up to date first",
            why="a release can raise a limit, or tighten one", details=(notes, enter), minutes=Minutes(10, 40), needs_down=True,
        )  # fmt: skip
    wanted = " and ".join(f"{what} {then}" + (f" (now {now})" if now else "") for what, now, then in work.versions)
    return Step(
        key="before:firmware", phase=Phase.BEFORE, text=f"Bring it to {wanted} first", hold=True,
        why="the plan is judged by it; with what runs today its modules may not do",
        details=(notes, "See that it starts with it, on the present memory.", enter), minutes=Minutes(10, 40), needs_down=True,
        back_out=("Nothing has been opened: stay at the version that runs, or bring it back by its maker's way.",),
    )  # fmt: skip


def _locate(sheet: Sheet, work: Work, slot: str) -> Step:
    s = sheet.slots[slot]
    light = f"{s.light}: {sheet.lights[s.light]}" if s.light and s.light in sheet.lights else s.light
    details = [place_words(sheet, slot), f"light: {light}" if light else "", "the machine's own log names it too"]
    return Step(
        key=f"before:locate:{slot}", phase=Phase.BEFORE, text=f"Find the failed module: {slot_words(sheet, slot)}",
        why="the neighbour taken out by mistake is a second outage", details=tuple(d for d in details if d),
        slots=(slot,), minutes=Minutes(2, 5),
    )  # fmt: skip


def _match(sheet: Sheet, work: Work, slot: str) -> Step:
    old, new = work.now.get(slot), work.goal.get(slot)
    details: list[str] = []
    if isinstance(old, Module) and isinstance(new, Module):
        seen = differences(old, new)
        if seen.differs:
            details.append(f"differs and matters: {_listed(seen.differs)}")
        elif not seen.untold:
            details.append("nothing that matters differs")
        if seen.untold:
            details.append(f"not known of one of them, so to be read off both: {_listed(seen.untold)}")
        details.append(
            f"differs, only the sticker: {_listed(seen.stickers)}"
            if seen.stickers
            else "maker, part number, serial and date may differ: only the sticker"
        )
    return Step(
        key=f"before:match:{slot}", phase=Phase.BEFORE, text=f"Hold the new module for {slot_words(sheet, slot)} beside the old one's label",
        why="size, ranks, width, kind, rate and supply decide; the sticker does not", details=tuple(details), slots=(slot,),
        checks=("same size", "same ranks and width", "same kind (registered, load-reduced, ...)", "same generation and supply, rate no lower"),
        minutes=Minutes(2, 5),
    )  # fmt: skip


def _listed(members: Sequence[str]) -> str:
    return ", ".join(map(member_words, members))


def _backups(sheet: Sheet, work: Work) -> Iterator[Step]:
    tiers = max(1, work.backup_tiers + (1 if work.claims and work.backup_tiers < 2 else 0))
    why = (
        "two tiers: the plan rests on what nobody vouches for" if work.claims else "one that was never restored is none"
    )
    yield Step(
        key="before:backups", phase=Phase.BEFORE, text="Check the backups", why=why, minutes=Minutes(5, 20),
        checks=tuple(f"tier {i}: date noted, one file restored" for i in range(1, tiers + 1)),
        details=("A failed backup goes before everything here.",),
    )  # fmt: skip
    if work.bays or sheet.bays:
        numbers = tuple(sorted({*sheet.bay_numbers, *work.bays}))
        yield Step(
            key="before:bays", phase=Phase.BEFORE, text="Compare the drives with what is recorded of their bays",
            why="while it runs, the machine itself can still be asked",
            checks=tuple(drive_words(n, work.bays) for n in numbers),
            bays=numbers, minutes=Minutes(1, 3),
        )  # fmt: skip
    elif has_drives(sheet):
        yield Step(
            key="before:bays", phase=Phase.BEFORE, text="Number its drive bays, and note the drive of each",
            why="its sheet tells no bays, and a drive in another bay can cost the array",
            details=("While it runs, it can be asked which drive is where; keep what you note in Survey.",), minutes=Minutes(2, 10),
        )  # fmt: skip


def _contents(sheet: Sheet, work: Work) -> Iterator[Step]:
    kept = kept_without_power(work.now)
    changed = work.goal.changed_from(work.now)
    gone = tuple(s for s in sheet.slots if s in kept and s in changed)
    if gone:
        places = [slot_words(sheet, s) for s in gone]
        yield Step(
            key="before:content", phase=Phase.BEFORE, text=f"Write out what {', '.join(places)} {'keeps' if len(gone) == 1 else 'keep'}",
            why="it keeps its content without power: whoever takes it out takes that along",
            details=("Stop what writes to it, write its content out or copy it, and take it out of what uses it: by the machine's own tool.",
                     "Switching off does none of it."),
            checks=tuple(f"{place}: nothing is needed any more of what {kept[s]} holds" for s, place in zip(gone, places, strict=True)),
            slots=gone, hold=True, minutes=Minutes(5, 60),
            back_out=("Nothing has been touched: put back into use what was taken out of it.",),
        )  # fmt: skip


def _parts(sheet: Sheet, work: Work) -> Iterator[Step]:
    counted = Counter(alike(a.module) if a.module else None for a in incoming(sheet, work))
    if counted:
        yield Step(
            key="before:parts", phase=Phase.BEFORE, text="Check every new module against its label",
            why="a part by another revision may hold other chips than those that were tried",
            checks=tuple(f"{n} x {module_words(m)}" for m, n in counted.items()), minutes=Minutes(2, 5) + Minutes(0.5 * counted.total(), counted.total()),
        )  # fmt: skip
    if outgoing(sheet, work):
        yield Step(
            key="before:keep", phase=Phase.BEFORE, text="Lay out antistatic bags for what comes out",
            why="the old modules are the way back: they are kept until the soak is over", minutes=Minutes(1, 2),
            details=("Write slot and date on each bag.",),
        )  # fmt: skip


def _group(work: Work) -> Step:
    d = work.duty
    details = []
    if d is not None:
        details.append(f"the group carries {d.load_gib:.5g} GB; the rest has room for {d.room_gib:.5g} GB")
        if d.fits is False:
            details.append("that does not fit: move loads elsewhere first, or wait")
        elif d.fits_with_one_lost is False:
            details.append(f"with one more lost there is room for {d.room_with_one_lost_gib:.5g} GB only: no machine of the group may fail meanwhile")  # fmt: skip
        if d.largest_fits is False:
            details.append(
                f"its largest single load, {d.largest_gib:.5g} GB, finds room on none of them as a whole: make room on one first"
            )
        elif d.largest_fits and d.largest_gib:
            details.append(
                f"its largest single load, {d.largest_gib:.5g} GB, goes to {d.largest_goes_to}, which has {d.largest_room_gib:.5g} GB free"
            )
        elif d.largest_fits is None:
            details.append("whether one of them has room for its largest single load as a whole, nobody said: look")
        if d.unknown:
            details.append(f"nobody said what {', '.join(d.unknown)} carries")
    held = d is not None and not (d.fits and d.fits_with_one_lost and d.largest_fits)
    return Step(
        key="before:group", phase=Phase.BEFORE, text=f"Take it out of the group {work.group}, and see that the rest carries the load",
        why="also with one more lost", details=tuple(details), minutes=Minutes(5, 30),
        hold=held,
        who=Who.SECOND if held else Who.ANYONE,
        back_out=("Put it back into its group.",),
    )  # fmt: skip


def off(sheet: Sheet, cools_min: float) -> Iterator[Step]:
    """Off, and truly off."""
    yield Step(
        key="off:down", phase=Phase.OFF, text="Shut the system down", details=("By its own menu or command, never by the switch.",),
        checks=("it is this machine: its name or serial is on it",),
        minutes=Minutes(2, 8),
    )  # fmt: skip
    yield Step(
        key="off:cables", phase=Phase.OFF, text="Pull the power cables, then all the others",
        why="with power on, a slot is live even when the machine is off",
        checks=("every power cable is out", "every other cable is marked with its socket", "no light is on"),
        minutes=Minutes(1, 3),
    )  # fmt: skip
    yield Step(
        key="off:drain", phase=Phase.OFF, text="Press the power button for ten seconds", why="it empties what the supplies still hold",
        details=("Wait until the drives are silent.",) if has_drives(sheet) else (), minutes=Minutes(1, 2),
    )  # fmt: skip
    if cools_min:
        yield Step(
            key="off:cool", phase=Phase.OFF, text=f"Let it cool for {cools_min:g} minutes", why="coolers and modules burn fingers",
            minutes=Minutes(cools_min, cools_min), waits=True,
        )  # fmt: skip
    yield Step(
        key="off:static", phase=Phase.OFF, text="Wrist strap on, or touch bare metal before every module",
        why="a spark that nobody feels is enough", minutes=Minutes(0.5, 1),
        details=() if cools_min else ("Nobody says how long it takes to cool: coolers and heat spreaders may burn fingers.",),
    )  # fmt: skip
