"""How the touched slots are reached, and the way back: closing mirrors opening."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from umbrak.core.platform.sheet import Access, AccessStep, Sheet
from umbrak.core.runsheet.step import Minutes, Phase, Step

#: One drive out or back with a look at its label. [min]
_DRIVE_MINUTES = 0.5
#: A step of a way whose minutes nobody gives. [min]
_STEP_MINUTES = 2.0
#: By how much the minutes of a sheet may be exceeded: they are those of somebody who did it before.
_UNUSED_HAND = 1.5


@dataclass(frozen=True, slots=True)
class Opened:
    """One thing that was opened or taken out, and how it is closed."""

    step: Step
    #: What closing it asks for; "" = there is nothing to close.
    close: str
    #: Whether it is the drives that come out.
    drives: bool = False
    #: Whether the machine cannot start before it is closed again.
    needed: bool = True
    why_close: str = ""
    #: What is looked at one by one when it is closed.
    checks: tuple[str, ...] = ()
    #: Where closing takes longer or shorter than opening did.
    back: Minutes | None = None


@dataclass(frozen=True, slots=True)
class Way:
    """Everything that has to be opened for one stage, in order."""

    opened: tuple[Opened, ...]
    cools_min: float
    ends_warranty: bool
    #: Touched slots that no access route of the sheet leads to.
    untold: tuple[str, ...]


def ways_of(sheet: Sheet, slots: Iterable[str]) -> tuple[Access, ...]:
    """The access routes to these slots, each once: those that need drives out first, so that the drives are the last
    thing to go back, after everything has been seen to work."""
    found = dict.fromkeys(w for s in sorted(slots, key=lambda s: sheet.slot_order.get(s, 0)) if (w := sheet.way_to(s)))
    return tuple(sorted(found, key=lambda w: not w.bays_out))


def carriers_of(sheet: Sheet, slots: Iterable[str]) -> tuple[str, ...]:
    """Carriers that come out for these slots, in the sheet's order: those whose own way leads to a slot on them. A slot
    with another way of its own is reached where the carrier stands."""
    out = set()
    for slot in slots:
        known = sheet.slots.get(slot)
        carrier = sheet.carriers.get(known.carrier or "") if known else None
        way = sheet.way_to(slot)
        if carrier and way and carrier.access == way.id:
            out.add(carrier.id)
    return tuple(c for c in sheet.carriers if c in out)


def way_in(sheet: Sheet, slots: Sequence[str], bays: Mapping[int, str]) -> Way:
    """What is opened to reach the slots.

    Steps that several routes share are done once. The last step of a carrier's route takes the carrier itself out, so
    it is done for each touched carrier; the steps before it are done once. Drives come out where a route says so, and
    all of them where the machine may start without: then nothing can harm the data before the memory is proved.
    """
    opening = _Opening(sheet, slots, bays)
    opening.drives_by_themselves()
    for way in opening.ways:
        for number, step in enumerate(way.steps, 1):
            opening.take(way, number, step)
    opening.airflow()
    opening.unknown(untold := tuple(s for s in slots if sheet.way_to(s) is None))
    return Way(
        opened=tuple(opening.opened),
        cools_min=max((w.cools_min for w in opening.ways), default=0.0),
        ends_warranty=any(w.ends_warranty for w in opening.ways),
        untold=untold,
    )


class _Opening:
    """What has been opened so far on the way to some slots."""

    def __init__(self, sheet: Sheet, slots: Sequence[str], bays: Mapping[int, str]) -> None:
        self.sheet = sheet
        self.bays = bays
        self.ways = ways_of(sheet, slots)
        self.carriers = carriers_of(sheet, slots)
        self.opened: list[Opened] = []
        self._done: set[tuple[str, str | None]] = set()
        #: Bays whose drives must come out, and those that come out to make room for a hand.
        self.must = sorted({b for w in self.ways for b in w.bays_out})
        self.ease = sorted({b for w in self.ways for b in w.bays_ease} - set(self.must))
        spared = [b for b in sheet.bay_numbers if b not in self.must] if sheet.starts_without_drives else []
        #: Bays that are emptied: those known to be empty need no hand.
        self.out = tuple(b for b in sorted({*self.must, *spared}) if bays.get(b) != "")

    def drives_by_themselves(self) -> None:
        """The drives come out first, where no route has a step of its own for them."""
        told = any(_is_of_drives(s.do) for w in self.ways if w.bays_out for s in w.steps)
        if self.out and not told:
            self._drives_out("drives out", "drives back by bay")

    def take(self, way: Access, number: int, step: AccessStep) -> None:
        """One step of a route, unless it has been done for another."""
        if _is_of_drives(step.do) and self.out:
            self._drives_out(step.do, step.close)
            return
        # The last step takes the carrier itself out: once for each that is touched.
        last = number == len(way.steps)
        mine = [c for c in self.carriers if last and self.sheet.carriers[c].access == way.id]
        if (step.do, step.close) in self._done and not mine:
            return
        self._done.add((step.do, step.close))
        for carrier in mine or (None,):
            self.opened.append(self._one(way, number, step, carrier, last))

    def _one(self, way: Access, number: int, step: AccessStep, carrier: str | None, last: bool) -> Opened:
        known = self.sheet.carriers[carrier] if carrier else None
        title, numbering = (known.title, known.numbering) if known else ("", "")
        opening = Step(
            key=f"open:{way.id}:{number}{f':{carrier}' if carrier else ''}",
            phase=Phase.OPEN,
            text=_of(step.do, title),
            why="ends the warranty" if way.ends_warranty else "",
            tools=way.tools,
            minutes=_told(step.minutes) or _minutes(way.minutes, len(way.steps)),
            carrier=carrier,
            details=tuple(
                words
                for words in (
                    f"{_screws(step.screws)}: lay {'it' if step.screws == 1 else 'them'} aside, apart from others"
                    if step.screws
                    else "",
                    f"its slots are numbered {numbering}" if numbering else "",
                    f"the hand: {way.hand}" if last and way.hand else "",
                )
                if words
            ),
        )
        needed = self.sheet.starts_open is not True or carrier is not None
        close = f"put back as it was: {step.do}" if step.close is None else step.close
        checks = (f"{_screws(step.screws)} back in",) if step.screws else ()
        return Opened(opening, _of(close, title), needed=needed, checks=checks, back=_told(step.back_minutes))

    def _drives_out(self, do: str, close: str | None) -> None:
        if not any(o.drives for o in self.opened):
            self.opened.append(_drives(self.sheet, self.out, self.must, self.ease, self.bays, do, close))

    def airflow(self) -> None:
        if parts := tuple(dict.fromkeys(a for w in self.ways for a in w.airflow)):
            self.opened.append(_airflow(parts))

    def unknown(self, slots: Sequence[str]) -> None:
        """What the sheet does not tell: opened last and so closed first, and before power unless the sheet says otherwise."""
        if not slots:
            return
        names = ", ".join(self.sheet.slots[s].printed for s in slots)
        opening = Step(
            key="open:untold", phase=Phase.OPEN, text=f"Open it as far as {names} can be reached", minutes=Minutes(3, 15),
            why="its sheet does not say how", details=("Photograph each stage, and keep its screws in a bag of their own: closing goes the same way back.",),
        )  # fmt: skip
        self.opened.append(Opened(opening, "Close it as it was opened", needed=self.sheet.starts_open is not True))


def _is_of_drives(do: str) -> bool:
    words = do.casefold().split()
    return any(w.startswith(("drive", "disc", "disk")) for w in words[:2])


def _of(text: str, carrier: str) -> str:
    """A step's words as a sentence, with the carrier that it is about where they do not name one."""
    named = f"{text} ({carrier})" if text and carrier and carrier not in text else text
    return f"{named[0].upper()}{named[1:]}" if named else ""


def _minutes(total: float, steps: int) -> Minutes:
    each = total / steps if total and steps else _STEP_MINUTES
    return Minutes(round(each, 2), round(each * _UNUSED_HAND, 2))


def _told(minutes: float | None) -> Minutes | None:
    return None if minutes is None else Minutes(minutes, round(minutes * _UNUSED_HAND, 2))


def _screws(count: int | None) -> str:
    return "1 screw" if count == 1 else f"{count} screws"


def drive_words(bay: int, bays: Mapping[int, str]) -> str:
    return f"bay {bay}: {bays[bay] or 'empty'}" if bay in bays else f"bay {bay}: not recorded; note its drive now"


def _drives(
    sheet: Sheet, out: tuple[int, ...], must: Sequence[int], ease: Sequence[int], bays: Mapping[int, str], do: str, close: str | None
) -> Opened:  # fmt: skip
    why = []
    if must:
        why.append(f"{_bays(must)} must come out to reach the memory")
    if len(out) > len([b for b in must if b in out]):
        why.append("it starts without drives, so no data is exposed before the memory is proved")
    details = ["write the bay's number on each drive before it leaves it"]
    if easing := [b for b in ease if b not in out]:
        details.append(f"{_bays(easing)} may stay; taking them out too makes it easier")
    if sheet.bays and sheet.bays.numbering:
        details.append(f"bays are numbered {sheet.bays.numbering}")
    step = Step(
        key="open:drives", phase=Phase.OPEN, text=_of(do, ""), why="; ".join(why), bays=out, details=tuple(details),
        checks=tuple(drive_words(b, bays) for b in out), minutes=_drive_minutes(len(out)),
    )  # fmt: skip
    return Opened(
        step, _of(close or "drives back by bay", ""), drives=True, needed=not sheet.starts_without_drives,
        why_close="a drive in another bay can cost the array", checks=tuple(_back(b, bays) for b in out),
    )  # fmt: skip


def _airflow(parts: tuple[str, ...]) -> Opened:
    step = Step(
        key="open:airflow", phase=Phase.OPEN, text="Take the airflow parts out", details=parts, minutes=Minutes(0.5, 2)
    )
    return Opened(
        step, "Put the airflow parts back", why_close="without them the modules run hot", checks=parts, needed=True
    )


def _drive_minutes(count: int) -> Minutes:
    return Minutes(_DRIVE_MINUTES * count, 2 * _DRIVE_MINUTES * count)


def _bays(bays: Sequence[int]) -> str:
    return f"bay {bays[0]}" if len(bays) == 1 else f"bays {', '.join(map(str, bays[:-1]))} and {bays[-1]}"


def closing(way: Way) -> tuple[list[Step], list[Step]]:
    """The way back, mirrored: (what has to be closed before the first start, what can wait until it is proved)."""
    back = [o for o in reversed(way.opened) if o.close]
    # What is needed lies behind everything that went in before it: the mirror is kept.
    last = max((i for i, o in enumerate(back) if o.needed), default=-1)
    steps = [_closed(o) for o in back]
    return steps[: last + 1], steps[last + 1 :]


def _closed(o: Opened) -> Step:
    return Step(
        key=f"close{o.step.key.removeprefix('open')}", phase=Phase.CLOSE, text=o.close, why=o.why_close, checks=o.checks,
        bays=o.step.bays, carrier=o.step.carrier, tools=o.step.tools, minutes=o.back or o.step.minutes, closes=o.step.key,
    )  # fmt: skip


def _back(bay: int, bays: Mapping[int, str]) -> str:
    return f"bay {bay}: {bays[bay]}" if bays.get(bay) else f"bay {bay}: the drive that you numbered {bay}"
