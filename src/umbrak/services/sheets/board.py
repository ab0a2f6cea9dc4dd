"""The board of a sheet as the front end draws it: what is where, and nothing of what it means."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import takewhile

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Machine
from umbrak.core.platform.sheet import Sheet


@dataclass(frozen=True, slots=True)
class BoardSocket:
    id: str
    #: Title of the processor fitted, None where nobody said, "" where there is none.
    processor: str | None
    soldered: bool
    #: What the names of all its slots begin with, told once beside it; "" where they share nothing that it does not say.
    prefix: str
    x: float | None
    y: float | None


@dataclass(frozen=True, slots=True)
class BoardChannel:
    id: str
    name: str
    socket: str
    controller: str | None
    slots: tuple[str, ...]
    soldered: Module | None


@dataclass(frozen=True, slots=True)
class BoardSlot:
    id: str
    channel: str
    printed: str
    #: The name without what is told once at its socket or on its board.
    short: str
    position: str | None
    tab: str | None
    tab_letter: str | None
    #: True where the way in ends the warranty.
    locked: bool
    carrier: str | None
    facing: str | None
    landmark: str | None
    #: Slots that must be empty before this one is reached.
    behind: tuple[str, ...]
    #: Place of its set in the order of its group, from 1; None where the sheet gives no order for it.
    order: int | None
    x: float | None
    y: float | None


@dataclass(frozen=True, slots=True)
class WayStep:
    """A layer on the way in."""

    do: str
    #: How it is closed; "" = there is nothing to close, None = not told.
    close: str | None
    #: None = not told, as of what follows. [min]
    screws: int | None
    minutes: float | None
    back_minutes: float | None


@dataclass(frozen=True, slots=True)
class BoardWay:
    """How some slots are reached, from the outside inwards."""

    #: "" where nobody says how.
    id: str
    slots: tuple[str, ...]
    steps: tuple[WayStep, ...]
    #: There, and as long back; 0 where nobody says. [min]
    minutes: float
    tools: tuple[str, ...]
    #: None = not told.
    ends_warranty: bool | None
    cools_min: float
    #: Bays whose drives must come out, and those that come out to make room for a hand.
    bays_out: tuple[int, ...]
    bays_ease: tuple[int, ...]
    airflow: tuple[str, ...]
    #: How the hand comes to the slots; "" where nobody says.
    hand: str


@dataclass(frozen=True, slots=True)
class BoardCarrier:
    """A board, riser or tray that comes out as one, with its slots from left to right as they stand on it."""

    id: str
    title: str
    numbering: str
    slots: tuple[str, ...]
    #: What the names of all its slots begin with; "" as at a socket.
    prefix: str


@dataclass(frozen=True, slots=True)
class Board:
    sheet: str
    title: str
    sockets: tuple[BoardSocket, ...]
    channels: tuple[BoardChannel, ...]
    #: Whether it is told which slots share a channel; otherwise it is a guess, good enough to draw by.
    channels_told: bool
    slots: tuple[BoardSlot, ...]
    carriers: tuple[BoardCarrier, ...]
    #: The ways in, each with the slots that it leads to; slots that nobody tells a way to come last.
    ways: tuple[BoardWay, ...]


def ways_of(sheet: Sheet) -> tuple[BoardWay, ...]:
    found: dict[str, list[str]] = {}
    for slot in sheet.slots:
        way = sheet.way_to(slot)
        found.setdefault(way.id if way else "", []).append(slot)
    ways = [
        BoardWay(
            id=w.id,
            slots=tuple(found[w.id]),
            steps=tuple(WayStep(s.do, s.close, s.screws, s.minutes, s.back_minutes) for s in w.steps),
            minutes=w.minutes,
            tools=w.tools,
            ends_warranty=w.ends_warranty,
            cools_min=w.cools_min,
            bays_out=w.bays_out,
            bays_ease=w.bays_ease,
            airflow=w.airflow,
            hand=w.hand,
        )
        for w in sheet.access.values()
        if w.id in found
    ]
    if "" in found:
        ways.append(
            BoardWay(
                id="", slots=tuple(found[""]), steps=(), minutes=0, tools=(), ends_warranty=None, cools_min=0, bays_out=(),
                bays_ease=(), airflow=(), hand="",
            )
        )  # fmt: skip
    return tuple(ways)


def board_of(sheet: Sheet, machine: Machine) -> Board:
    letters, order, prefixes = _tab_letters(sheet), _set_numbers(sheet), _prefixes(sheet)
    sockets = []
    for s in sheet.sockets.values():
        named = machine.processors.get(s.id, s.processors[0] if len(s.processors) == 1 and not s.may_be_absent else "?")
        title = "" if named is None else sheet.processors[named].title if named in sheet.processors else None
        place = sheet.geometry.get(s.id)
        sockets.append(
            BoardSocket(
                id=s.id, processor=title, soldered=s.soldered, prefix=_told_once(prefixes.get(s.id, ""), s.id),
                x=place.x if place else None, y=place.y if place else None,
            )
        )  # fmt: skip
    slots = []
    shorts = _shorts(sheet, prefixes)
    for slot in sheet.slots.values():
        way = sheet.way_to(slot.id)
        place = sheet.geometry.get(slot.id)
        slots.append(
            BoardSlot(
                id=slot.id,
                channel=slot.channel,
                printed=slot.printed,
                short=shorts[slot.id],
                position=slot.position,
                tab=slot.tab,
                tab_letter=letters.get(slot.tab) if slot.tab else None,
                locked=bool(way and way.ends_warranty),
                carrier=slot.carrier,
                facing=slot.facing,
                landmark=slot.landmark,
                behind=slot.behind,
                order=order.get(slot.id),
                x=place.x if place else None,
                y=place.y if place else None,
            )
        )
    channels = tuple(
        BoardChannel(id=c.id, name=c.name, socket=c.socket, controller=c.controller, slots=c.slots, soldered=c.soldered)
        for c in sheet.channels.values()
    )
    return Board(
        sheet=sheet.id,
        title=sheet.title,
        sockets=tuple(sockets),
        channels=channels,
        channels_told=sheet.not_told("channels") is None,
        slots=tuple(slots),
        carriers=_carriers(sheet),
        ways=ways_of(sheet),
    )


def _shorts(sheet: Sheet, prefixes: Mapping[str, str]) -> dict[str, str]:
    """Slot -> its name as the drawing has it, beside its socket's or carrier's."""
    beside: dict[str, dict[str, str]] = {}
    for slot in sheet.slots.values():
        socket, carrier = sheet.socket_of_slot[slot.id], sheet.carriers.get(slot.carrier or "")
        place = slot.carrier or socket
        if shared := prefixes.get(place, ""):
            short = slot.printed.removeprefix(shared)
        else:
            short = _without(slot.printed, socket, slot.carrier, carrier.title if carrier else None)
        beside.setdefault(place, {})[slot.id] = short
    return {
        slot: short
        for names in beside.values()
        for slot, short in zip(names, told_apart(tuple(names.values())), strict=True)
    }


def told_apart(names: Sequence[str]) -> Sequence[str]:
    """Names of several words of which the last is shared by some, as the words alone in which they differ: "A/1" of "A DIMM 1". A
    drawing that has no room for a name writes its last word."""
    words = [n.split() for n in names]
    last = {w[-1] if w else "" for w in words}
    if len(last) == len(words) or len({len(w) for w in words}) != 1:
        return names
    columns = [c for c in zip(*words, strict=True) if len(set(c)) > 1]
    # "mc0" and "mc1" differ in their figures.
    figures = [[re.sub(r"^[A-Za-z]+(?=\d)", "", w) for w in c] for c in columns]
    columns = [tuple(f) if len(set(f)) == len(set(c)) else c for f, c in zip(figures, columns, strict=True)]
    found = ["/".join(parts) for parts in zip(*columns, strict=True)]
    return found if len(set(found)) == len(names) else names


def _without(printed: str, *told: str | None) -> str:
    """A locator without what the socket's or carrier's name beside it says already."""
    for prefix in sorted((t for t in told if t), key=len, reverse=True):
        printed = printed.removeprefix(prefix).strip(" .-_") or printed
    return printed


def _prefixes(sheet: Sheet) -> dict[str, str]:
    """Carrier, or socket for slots on none -> what the names of its slots all begin with."""
    names: dict[str, list[str]] = {}
    for slot in sheet.slots.values():
        names.setdefault(slot.carrier or sheet.socket_of_slot[slot.id], []).append(slot.printed)
    return {place: shared_beginning(printed) for place, printed in names.items()}


#: What is shorter is not worth telling apart from the names.
_LEAST_SHARED = 3


def shared_beginning(names: Sequence[str]) -> str:
    """What all names begin with, so that what is left of each is one name still: "P1_DIMM_" of P1_DIMM_A1 and P1_DIMM_B1,
    "DIMM" of DIMM9 and DIMM10, never "DIMM1" of DIMM10 and DIMM11. "" of a single name."""
    if len(set(names)) < max(len(names), 2):
        return ""
    shared = "".join(each[0] for each in takewhile(lambda x: len(set(x)) == 1, zip(*names, strict=False)))
    while shared and (
        any(n == shared for n in names) or (shared[-1].isdigit() and any(n[len(shared)].isdigit() for n in names))
    ):
        shared = shared[:-1]
    # A word stays whole, and so does a letter with its number (A1): only a word before what counts is parted (DIMM3, SLOTA).
    word = re.search(r"[A-Za-z]*$", shared)
    rest_counts = all(re.fullmatch(r"(?:[A-Za-z]?\d*|\d+[A-Za-z])(?:[^A-Za-z0-9].*)?", n[len(shared) :]) for n in names)
    if word and word[0] and (len(word[0]) < _LEAST_SHARED or not rest_counts):
        shared = shared[: word.start()]
    return shared if len(shared) >= _LEAST_SHARED else ""


def _told_once(shared: str, place: str) -> str:
    """What is told beside a place: nothing where its own name says it."""
    return "" if shared.strip(" .-_/").casefold() == place.casefold() else shared


def _carriers(sheet: Sheet) -> tuple[BoardCarrier, ...]:
    """By number as painted: 2 before 10, from the right where the sheet says so."""
    found = []
    prefixes = _prefixes(sheet)
    for carrier in sheet.carriers.values():
        slots = sorted(
            (s for s in sheet.slots.values() if s.carrier == carrier.id), key=lambda s: _by_number(s.printed)
        )
        ids = [s.id for s in slots]
        found.append(
            BoardCarrier(
                carrier.id,
                carrier.title,
                carrier.numbering,
                tuple(reversed(ids) if carrier.right_to_left else ids),
                _told_once(_told_once(prefixes.get(carrier.id, ""), carrier.title), carrier.id),
            )
        )
    return tuple(found)


def _by_number(printed: str) -> list[tuple[int, str]]:
    return [(int(n), "") if n else (-1, w) for n, w in re.findall(r"(\d+)|(\D+)", printed)]


def _set_numbers(sheet: Sheet) -> dict[str, int]:
    """Slot -> place of its set in the layout of its order that holds the most modules."""
    numbers: dict[str, int] = {}
    for fill in sheet.fills:
        for i, each in enumerate(fill.layouts[max(fill.layouts)]):
            for slot in each:
                numbers.setdefault(slot, i + 1)
    return numbers


def _tab_letters(sheet: Sheet) -> dict[str, str]:
    """Tab colour -> its letter on the board: the first letter of its name that no other colour has taken."""
    letters: dict[str, str] = {}
    for tab in dict.fromkeys(s.tab for s in sheet.slots.values() if s.tab):
        free = [c for c in tab.lower() if c.isalpha() and c not in letters.values()]
        letters[tab] = free[0] if free else "?"
    return letters
