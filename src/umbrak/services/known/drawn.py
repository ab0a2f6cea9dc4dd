"""A machine's board for paper: arranged as on screen, with what the work does to each slot."""

from __future__ import annotations

from collections.abc import Callable, Collection

from umbrak.core.memory.module import Module, amount
from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.formats.board_picture import DrawnBoard, DrawnSlot, DrawnSocket, Look
from umbrak.services.known.loading import Loaded
from umbrak.services.sheets.board import Board, BoardSocket, board_of

_NEARNESS = {"near": 0, "middle": 1, "far": 2}
Shows = Callable[[str], tuple[Look, Occupant | None]]


def at_work(m: Loaded, before: Layout, goal: Layout, failed: Collection[str]) -> Shows:
    """What each slot shows of the work: what stays lies flat, what goes in stands out, what leaves its slot empty is told."""
    done = [a for a in actions(m.sheet, before, goal, failed) if a.do is not Do.KEEP]
    gain = {a.target for a in done}

    def show(slot: str) -> tuple[Look, Occupant | None]:
        if slot in gain and slot in goal:
            return Look.GOES_IN, goal[slot]
        if slot in goal:
            return as_fitted(goal[slot]), goal[slot]
        return (Look.COMES_OUT, before[slot]) if slot in before else (Look.EMPTY, None)

    return show


def as_fitted(occupant: Occupant | None) -> Look:
    return Look.EMPTY if occupant is None else Look.FLAT if isinstance(occupant, Module) else Look.UNKNOWN


def drawn_board(m: Loaded, show: Shows, sealed: Collection[str] = ()) -> DrawnBoard:
    return drawn_of(board_of(m.sheet, m.machine), show, sealed)


def drawn_of(board: Board, show: Shows = lambda _: (Look.EMPTY, None), sealed: Collection[str] = ()) -> DrawnBoard:
    return DrawnBoard(
        sockets=[_socket(board, s) for s in board.sockets],
        slots=[
            DrawnSlot(
                id=s.id,
                channel=s.channel,
                name=s.short,
                look=look,
                figure=amount(what.capacity_gib) if isinstance(what, Module) and what.capacity_gib else "",
                sealed=s.id in sealed,
                nearness=_NEARNESS.get(s.position or "near", 0),
                carrier=s.carrier,
                place=(s.x, s.y) if s.x is not None and s.y is not None else None,
            )
            for s in board.slots
            for look, what in (show(s.id),)
        ],
        carriers={c.id: (f"{c.title} {c.prefix}".strip(), c.slots) for c in board.carriers},
    )


def _socket(board: Board, s: BoardSocket) -> DrawnSocket:
    processor = "no processor" if s.processor == "" else s.processor or "processor not known"
    return DrawnSocket(
        id=s.id,
        lines=tuple(w for w in (s.id, processor, s.prefix) if w),
        channels={c.id: c.soldered is not None for c in board.channels if c.socket == s.id},
        place=(s.x, s.y) if s.x is not None and s.y is not None else None,
    )
