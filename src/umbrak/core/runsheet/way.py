"""How the touched slots are reached, and the way back: closing mirrors opening."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from umbrak.core.platform.sheet import Access, Sheet
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
    #: What closing it asks for; "" = nothing is done.
    close: str
    #: Whether it is the drives that come out.
    drives: bool = False
    #: Whether the machine cannot start before it is closed again.
    needed: bool = True
    why_close: str = ""
    #: What is looked at one by one when it is closed.
    checks: tuple[str, ...] = ()


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
    ways = ways_of(sheet, slots)
    carriers = carriers_of(sheet, slots)
    all_bays = sheet.bays.rows * sheet.bays.columns if sheet.bays else 0
    must = sorted({b for w in ways for b in w.bays_out})
    ease = sorted({b for w in ways for b in w.bays_ease} - set(must))
    spared = [b for b in range(1, all_bays + 1) if b not in must] if sheet.starts_without_drives else []
    out = tuple(b for b in sorted({*must, *spared}) if bays.get(b) != "")
    opened: list[Opened] = []
    if out and not any(_is_of_drives(s.do) for w in ways if w.bays_out for s in w.steps):
        opened.append(_drives(sheet, out, must, ease, bays, "drives out", "drives back by bay"))
    done: set[tuple[str, str]] = set()
    for way in ways:
        mine = [c for c in carriers if sheet.carriers[c].access == way.id]
        each = _minutes(way.minutes, len(way.steps))
        for i, step in enumerate(way.steps):
            if _is_of_drives(step.do) and out:
                if not any(o.drives for o in opened):
                    opened.append(_drives(sheet, out, must, ease, bays, step.do, step.close))
                continue
            takes: Sequence[str | None] = mine if i == len(way.steps) - 1 else ()
            if (step.do, step.close) in done and not takes:
                continue
            done.add((step.do, step.close))
            needed = sheet.starts_open is not True or bool(takes)
            for carrier in takes or (None,):
                number = f":{carrier}" if carrier else ""
                title = sheet.carriers[carrier].title if carrier else ""
                details = (sheet.carriers[carrier].numbering,) if carrier and sheet.carriers[carrier].numbering else ()
                opening = Step(
                    f"open:{way.id}:{i + 1}{number}", Phase.OPEN, _of(step.do, title),
                    why="ends the warranty" if way.ends_warranty else "", tools=way.tools, minutes=each, carrier=carrier,
                    details=tuple(f"its slots are numbered {d}" for d in details),
                )  # fmt: skip
                opened.append(Opened(opening, _of(step.close, title), needed=needed))
    if airflow := tuple(dict.fromkeys(a for w in ways for a in w.airflow)):
        opened.append(_airflow(airflow))
    return Way(
        tuple(opened),
        max((w.cools_min for w in ways), default=0.0),
        any(w.ends_warranty for w in ways),
        tuple(s for s in slots if sheet.way_to(s) is None),
    )


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


def drive_words(bay: int, bays: Mapping[int, str]) -> str:
    return f"bay {bay}: {bays[bay] or 'empty'}" if bay in bays else f"bay {bay}: not recorded; note its drive now"


def _drives(
    sheet: Sheet, out: tuple[int, ...], must: Sequence[int], ease: Sequence[int], bays: Mapping[int, str], do: str, close: str
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
        "open:drives", Phase.OPEN, _of(do, ""), why="; ".join(why), bays=out, details=tuple(details),
        checks=tuple(drive_words(b, bays) for b in out), minutes=_drive_minutes(len(out)),
    )  # fmt: skip
    return Opened(
        step, _of(close or "drives back by bay", ""), drives=True, needed=not sheet.starts_without_drives,
        why_close="a drive in another bay can cost the array", checks=tuple(_back(b, bays) for b in out),
    )  # fmt: skip


def _airflow(parts: tuple[str, ...]) -> Opened:
    step = Step("open:airflow", Phase.OPEN, "Take the airflow parts out", details=parts, minutes=Minutes(0.5, 2))
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
        f"close{o.step.key.removeprefix('open')}", Phase.CLOSE, o.close, why=o.why_close, checks=o.checks,
        bays=o.step.bays, carrier=o.step.carrier, tools=o.step.tools, minutes=o.step.minutes, closes=o.step.key,
    )  # fmt: skip


def _back(bay: int, bays: Mapping[int, str]) -> str:
    return f"bay {bay}: {bays[bay]}" if bays.get(bay) else f"bay {bay}: the drive that you numbered {bay}"
