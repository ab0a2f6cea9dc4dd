"""The board of a sheet as the front end draws it: what is where, and nothing of what it means."""

from __future__ import annotations

from dataclasses import dataclass

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Machine
from umbrak.core.platform.sheet import Sheet


@dataclass(frozen=True, slots=True)
class BoardSocket:
    id: str
    #: Title of the processor fitted, None where nobody said, "" where there is none.
    processor: str | None
    soldered: bool
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
    #: The locator without what the socket's name already says.
    short: str
    position: str | None
    tab: str | None
    tab_letter: str | None
    #: True where the way in ends the warranty.
    locked: bool
    x: float | None
    y: float | None


@dataclass(frozen=True, slots=True)
class Board:
    sheet: str
    title: str
    sockets: tuple[BoardSocket, ...]
    channels: tuple[BoardChannel, ...]
    slots: tuple[BoardSlot, ...]


def board_of(sheet: Sheet, machine: Machine) -> Board:
    letters = _tab_letters(sheet)
    sockets = []
    for s in sheet.sockets.values():
        named = machine.processors.get(s.id, s.processors[0] if len(s.processors) == 1 and not s.may_be_absent else "?")
        title = "" if named is None else sheet.processors[named].title if named in sheet.processors else None
        place = sheet.geometry.get(s.id)
        sockets.append(BoardSocket(s.id, title, s.soldered, place.x if place else None, place.y if place else None))
    slots = []
    for slot in sheet.slots.values():
        way = sheet.way_to(slot.id)
        place = sheet.geometry.get(slot.id)
        socket = sheet.socket_of_slot[slot.id]
        short = slot.printed.removeprefix(socket).strip(" .-_") or slot.printed
        slots.append(
            BoardSlot(
                slot.id,
                slot.channel,
                slot.printed,
                short,
                slot.position,
                slot.tab,
                letters.get(slot.tab) if slot.tab else None,
                bool(way and way.ends_warranty),
                place.x if place else None,
                place.y if place else None,
            )
        )
    channels = tuple(
        BoardChannel(c.id, c.name, c.socket, c.controller, c.slots, c.soldered) for c in sheet.channels.values()
    )
    return Board(sheet.id, sheet.title, tuple(sockets), channels, tuple(slots))


def _tab_letters(sheet: Sheet) -> dict[str, str]:
    """Tab colour -> its letter on the board: the first letter of its name that no other colour has taken."""
    letters: dict[str, str] = {}
    for tab in dict.fromkeys(s.tab for s in sheet.slots.values() if s.tab):
        free = [c for c in tab.lower() if c.isalpha() and c not in letters.values()]
        letters[tab] = free[0] if free else "?"
    return letters
