"""The board on paper: drawn as SVG in black and greys, arranged as on screen, for where things are is what one remembers.

The arrangement is that of `web/src/board/geometry.ts` in its usual room (tests/browser/test_paper.py holds the two side by
side for every sheet): a socket is a row, half of its channels on each side, mirrored; boards and risers are framed leaves
beside it; a sheet that gives places is drawn by them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from html import escape
from math import ceil


class Look(StrEnum):
    """What is shown of a slot: what is real lies flat, what is planned casts a shadow."""

    FLAT = "flat"
    GOES_IN = "goes in"
    COMES_OUT = "comes out"
    EMPTY = "empty"
    UNKNOWN = "not known"


@dataclass(frozen=True, slots=True)
class DrawnSlot:
    id: str
    channel: str
    #: As printed on the board, without what stands beside its socket or leaf.
    name: str
    look: Look = Look.EMPTY
    #: The module's size, with its unit left out; of one that comes out, that of what was there.
    figure: str = ""
    #: Whether evidence proves it: it gets a seal.
    sealed: bool = False
    #: 0 beside the socket, growing outwards; slots whose place nobody tells have 0.
    nearness: int = 0
    carrier: str | None = None
    #: Place by the sheet's own geometry, in slots.
    place: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class DrawnSocket:
    id: str
    #: What stands in it: name, processor, what its slots' names begin with.
    lines: tuple[str, ...]
    #: Channel -> whether it has soldered memory, in order.
    channels: Mapping[str, bool]
    place: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class DrawnBoard:
    sockets: Sequence[DrawnSocket]
    slots: Sequence[DrawnSlot]
    #: Board or riser -> (title, its slots from left to right).
    carriers: Mapping[str, tuple[str, Sequence[str]]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class _Box:
    x: float
    y: float
    width: float
    height: float

    def moved(self, dx: float, dy: float) -> _Box:
        return replace(self, x=self.x + dx, y=self.y + dy)


@dataclass(slots=True)
class _Drawing:
    """Everything placed, by id; lengths in board units."""

    width: float = 0.0
    height: float = 0.0
    sockets: dict[str, _Box] = field(default_factory=dict)
    slots: dict[str, _Box] = field(default_factory=dict)
    #: One a socket that hangs on the leaf.
    leaves: list[tuple[str, _Box]] = field(default_factory=list)
    #: Channel -> from the socket's edge to its slots, as corners.
    traces: dict[str, list[list[tuple[float, float]]]] = field(default_factory=dict)
    chips: dict[str, _Box] = field(default_factory=dict)

    def take(self, other: _Drawing, dx: float, dy: float) -> None:
        self.sockets |= {k: b.moved(dx, dy) for k, b in other.sockets.items()}
        self.slots |= {k: b.moved(dx, dy) for k, b in other.slots.items()}
        self.leaves += [(k, b.moved(dx, dy)) for k, b in other.leaves]
        self.chips |= {k: b.moved(dx, dy) for k, b in other.chips.items()}
        self.traces |= {k: [[(x + dx, y + dy) for x, y in line] for line in t] for k, t in other.traces.items()}


# As in geometry.ts, in board units.
_SLOT_WIDTH, _SLOT_HEIGHT, _SLOT_GAP, _CAP = 28.0, 132.0, 10.0, 9.0
_CHANNEL_GAP, _SOCKET, _SOCKET_GAP, _TRACES, _TRACE_STEP = 38.0, 124.0, 56.0, 34.0, 8.0
_FOOT, _ROW_GAP, _COLUMN_GAP, _MARGIN, _LEAF_PAD, _LEAF_TITLE = 62.0, 26.0, 48.0, 14.0, 10.0, 22.0
_USUAL_ROOM, _LEAST = (840.0, 480.0), (440.0, 250.0)
#: Below this scale on screen text needs more of the board's units.
_TEXT_FULL_AT = 0.8


def board_svg(board: DrawnBoard, width_mm: float, height_mm: float) -> str:
    """The board as an SVG element, as large as fits into the room given. [mm]"""
    columns = _columns(board)
    drawn = _arranged(board, columns, _FOOT)
    for _ in range(3):  # the smaller it is drawn, the more of its units a name takes
        scale = min(width_mm / drawn.width, height_mm / drawn.height)
        drawn = _arranged(board, columns, _foot_of(board, scale))
    scale = min(width_mm / drawn.width, height_mm / drawn.height)
    inner = "".join(_drawn(board, drawn, scale))
    return (
        f'<svg class=board xmlns="http://www.w3.org/2000/svg" width="{drawn.width * scale:.2f}mm" height="{drawn.height * scale:.2f}mm"'
        f' viewBox="0 0 {drawn.width:.1f} {drawn.height:.1f}">{inner}</svg>'
    )


def rows_of(board: DrawnBoard) -> list[list[str]]:
    """Slots as they stand: rows from top to bottom, each from left to right."""
    rows: dict[float, list[tuple[float, str]]] = {}
    for slot, box in arranged(board).slots.items():
        rows.setdefault(round(box.y), []).append((box.x, slot))
    return [[slot for _, slot in sorted(rows[y])] for y in sorted(rows)]


def arranged(board: DrawnBoard) -> _Drawing:
    """As on screen in its usual room."""
    columns = _columns(board)
    return _with_foot(lambda foot: _arranged(board, columns, foot))


def _arranged(board: DrawnBoard, columns: int, foot: float) -> _Drawing:
    return _in_columns(board, columns, foot) if columns else _by_places(board, foot)


def _columns(board: DrawnBoard) -> int:
    """Of sockets side by side, so that the board is largest on screen; 0 = it is drawn by the places that its sheet gives."""
    if None not in _places(board):
        return 0
    best, largest, columns = 1, 0.0, 1
    while columns <= max(1, len(board.sockets)):
        scale = _scale(_with_foot(lambda foot, n=columns: _in_columns(board, n, foot)))  # type: ignore[misc]
        if scale > largest * 1.001:
            best, largest = columns, scale
        columns *= 2
    return best


def _places(board: DrawnBoard) -> list[tuple[float, float] | None]:
    return [s.place for s in board.sockets] + [s.place for s in board.slots]


def _foot_of(board: DrawnBoard, scale: float) -> float:
    """What the names below the slots take on paper, in board units."""
    size = _size(scale)
    longest = max((len(s.name) for s in board.slots), default=0) * size * _WIDE
    return 2 * _CAP + (size if longest <= _SLOT_WIDTH + _SLOT_GAP else longest)


def _scale(made: _Drawing) -> float:
    return min(_USUAL_ROOM[0] / max(made.width, _LEAST[0]), _USUAL_ROOM[1] / max(made.height, _LEAST[1]))


def _with_foot(make: Callable[[float], _Drawing]) -> _Drawing:
    """Text keeps its size: where the board is drawn small, the foot below its slots needs more of its units."""
    made = make(_FOOT)
    for _ in range(3):
        made = make(_FOOT * max(1.0, _TEXT_FULL_AT / _scale(made)))
    return made


def _in_columns(board: DrawnBoard, columns: int, foot: float) -> _Drawing:
    parts = []
    for socket in board.sockets:
        mine = [s for s in board.slots if s.channel in socket.channels]
        leaved = bool(mine) and all(s.carrier is not None for s in mine)
        parts.append(_leaves(board, socket, mine, foot) if leaved else _row(socket, mine, foot))
    width, height = max((p.width for p in parts), default=0.0), max((p.height for p in parts), default=0.0)
    count = ceil(len(parts) / columns)
    full = _Drawing(
        max(2 * _MARGIN + columns * width + (columns - 1) * _COLUMN_GAP, 1.0),
        max(2 * _MARGIN + count * height + (count - 1) * _ROW_GAP, 1.0),
    )
    for i, part in enumerate(parts):
        full.take(
            part,
            _MARGIN + i % columns * (width + _COLUMN_GAP) + (width - part.width) / 2,
            _MARGIN + i // columns * (height + _ROW_GAP),
        )
    return full


def _row(socket: DrawnSocket, mine: Sequence[DrawnSlot], foot: float) -> _Drawing:
    """A socket with its channels on both sides, the outermost channel's trace on top."""
    channels = list(socket.channels)
    half = 0 if len(channels) == 1 else ceil(len(channels) / 2)
    left, right = channels[:half][::-1], channels[half:]
    slots = {c: sorted((s for s in mine if s.channel == c), key=lambda s: s.nearness) for c in channels}

    def width_of(channel: str) -> float:
        count = max(len(slots[channel]) + socket.channels[channel], 1)
        return count * _SLOT_WIDTH + (count - 1) * _SLOT_GAP

    made = _Drawing()
    x = sum(width_of(c) + _CHANNEL_GAP for c in left) - _CHANNEL_GAP + _SOCKET_GAP if left else 0.0
    box = made.sockets[socket.id] = _Box(x, _TRACES, _SOCKET, _SLOT_HEIGHT)

    def place(channel: str, x: float, to_left: bool, order: int) -> None:
        exit_x = box.x + box.width / 2 + (-1 if to_left else 1) * (20 + 10 * order)
        depth, at = _TRACE_STEP * order, x
        if socket.channels[channel]:
            made.chips[channel] = _Box(x, _TRACES + _SLOT_HEIGHT / 2 - 22, _SLOT_WIDTH, 44)
            at += _SLOT_WIDTH + _SLOT_GAP
        # Mirrored: the near slot is the one beside the socket on both sides.
        for i, slot in enumerate(slots[channel][::-1] if to_left else slots[channel]):
            made.slots[slot.id] = _Box(at + i * (_SLOT_WIDTH + _SLOT_GAP), _TRACES, _SLOT_WIDTH, _SLOT_HEIGHT)
        middle = x + width_of(channel) / 2
        end = _TRACES - _CAP - 4 if slots[channel] or channel not in made.chips else made.chips[channel].y - 4
        made.traces[channel] = [[(exit_x, _TRACES), (exit_x, depth), (middle, depth), (middle, end)]]

    x = 0.0
    for i, channel in enumerate(left):
        place(channel, x, True, i)
        x += width_of(channel) + _CHANNEL_GAP
    x = box.x + box.width + _SOCKET_GAP
    for i, channel in enumerate(right):
        place(channel, x, False, len(right) - 1 - i)
        x += width_of(channel) + _CHANNEL_GAP
    made.width = x - _CHANNEL_GAP if right else box.x + box.width
    made.height = _TRACES + _SLOT_HEIGHT + foot
    return made


def _leaves(board: DrawnBoard, socket: DrawnSocket, mine: Sequence[DrawnSlot], foot: float) -> _Drawing:
    """A socket and the boards or risers that hang on it; each of its channels runs along their tops as a line."""
    own = {s.id: s for s in mine}
    top = _LEAF_TITLE + _TRACE_STEP * (len(socket.channels) + 1) + _CAP
    made = _Drawing(height=top + _SLOT_HEIGHT + foot)
    box = made.sockets[socket.id] = _Box(0, _LEAF_TITLE, _SOCKET, _SOCKET * 0.62)
    x = _SOCKET + _SOCKET_GAP
    for carrier, (_, slots) in board.carriers.items():
        here = [s for s in slots if s in own]
        if not here:
            continue
        width = len(here) * (_SLOT_WIDTH + _SLOT_GAP) - _SLOT_GAP + 2 * _LEAF_PAD
        made.leaves.append((carrier, _Box(x, 0, width, made.height - 6)))
        for i, slot in enumerate(here):
            made.slots[slot] = _Box(x + _LEAF_PAD + i * (_SLOT_WIDTH + _SLOT_GAP), top, _SLOT_WIDTH, _SLOT_HEIGHT)
        x += width + 2 * _SLOT_GAP
    made.width = x - 2 * _SLOT_GAP
    for i, channel in enumerate(socket.channels):
        y = _LEAF_TITLE + _TRACE_STEP * (i + 1)
        middles = [b.x + b.width / 2 for s, b in made.slots.items() if own[s].channel == channel]
        along = [(box.x + box.width, y), (max([box.x + box.width, *middles]), y)]
        made.traces[channel] = [along, *([(m, y), (m, top - _CAP - 3)] for m in middles)]
    return made


def _by_places(board: DrawnBoard, foot: float) -> _Drawing:
    step_x, step_y = _SLOT_WIDTH + _SLOT_GAP, _TRACES + _SLOT_HEIGHT + foot
    places = [p for p in _places(board) if p is not None]
    least = min(p[0] for p in places), min(p[1] for p in places)

    def box(place: tuple[float, float] | None, width: float) -> _Box:
        assert place is not None  # the caller looked
        y = _MARGIN + _LEAF_TITLE + _TRACES + (place[1] - least[1]) * step_y
        return _Box(_MARGIN + (place[0] - least[0]) * step_x, y, width, _SLOT_HEIGHT)

    made = _Drawing(
        sockets={s.id: box(s.place, _SOCKET) for s in board.sockets},
        slots={s.id: box(s.place, _SLOT_WIDTH) for s in board.slots},
    )
    for carrier, (_, slots) in board.carriers.items():
        own = [made.slots[s] for s in slots if s in made.slots]
        if own:
            x, y = min(b.x for b in own) - _LEAF_PAD, min(b.y for b in own) - _TRACES - _LEAF_TITLE
            right, bottom = max(b.x + b.width for b in own) + _LEAF_PAD, max(b.y + b.height for b in own) + foot
            made.leaves.append((carrier, _Box(x, y, right - x, bottom - y)))
    for socket in board.sockets:
        at = made.sockets[socket.id]
        for i, (channel, soldered) in enumerate(socket.channels.items()):
            if soldered:
                made.chips[channel] = _Box(at.x + _SOCKET + 8, at.y + 44 * i, _SLOT_WIDTH, 44)
    boxes = [*made.sockets.values(), *made.slots.values(), *made.chips.values()]
    made.width = max(b.x + b.width for b in boxes) + _MARGIN
    made.height = max(b.y + b.height for b in boxes) + foot + _MARGIN
    return made


#: Least height of a letter on paper, and how wide one is of its height in the fonts used. [mm]
_LETTER, _WIDE = 2.1, 0.62


def _size(scale: float) -> float:
    """Height of the letters, in board units."""
    return max(11.0, _LETTER / scale)


def _drawn(board: DrawnBoard, drawn: _Drawing, scale: float) -> list[str]:
    line = 0.25 / scale
    size = _size(scale)
    parts = []
    for carrier, b in drawn.leaves:
        parts.append(_rect(b, f'fill="#fff" stroke="#555" stroke-width="{line:.2f}"'))
        parts.append(_text(b.x + _LEAF_PAD, b.y + size * 1.15, board.carriers[carrier][0], size, anchor="start"))
    for trace in drawn.traces.values():
        for corners in trace:
            points = " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)
            parts.append(f'<polyline points="{points}" fill="none" stroke="#888" stroke-width="{line:.2f}"/>')
    for socket in board.sockets:
        b = drawn.sockets[socket.id]
        parts.append(_rect(b, f'fill="#fff" stroke="#000" stroke-width="{1.6 * line:.2f}"'))
        lines = [part for told in socket.lines for part in _broken(told, b.width * 0.92, size)]
        room = int(b.height / (size * 1.25))
        for i, told in enumerate(lines[:room]):
            y = b.y + b.height / 2 + size * (0.35 + 1.25 * (i - (min(len(lines), room) - 1) / 2))
            parts.append(_text(b.x + b.width / 2, y, told, size, bold=i == 0))
    for b in drawn.chips.values():
        parts.append(_rect(b, f'fill="#999" stroke="#000" stroke-width="{line:.2f}"'))
    for slot in board.slots:
        parts += _slot(slot, drawn.slots[slot.id], scale, line, size)
    return parts


def _slot(slot: DrawnSlot, b: _Box, scale: float, line: float, size: float) -> list[str]:
    thin, thick = f'stroke="#000" stroke-width="{line:.2f}"', f'stroke="#000" stroke-width="{2.4 * line:.2f}"'
    dashed = f'fill="none" {thin} stroke-dasharray="{3 * line:.2f} {2.4 * line:.2f}"'
    changed = slot.look in (Look.GOES_IN, Look.COMES_OUT)
    parts = []
    at = b
    if slot.look is Look.FLAT:
        parts.append(_rect(b, f'fill="#d9d9d9" {thin}'))
    elif slot.look is Look.GOES_IN:
        # It floats above its slot, and throws a shadow on it.
        parts.append(_rect(b.moved(4, 5), 'fill="#777"'))
        at = b.moved(-3, -4)
        parts.append(_rect(at, f'fill="#fff" {thick}'))
    elif slot.look is Look.EMPTY:
        parts.append(_rect(b, f'fill="none" stroke="#999" stroke-width="{line:.2f}"'))
    else:
        parts.append(_rect(b, dashed))
    middle = at.x + at.width / 2
    figure = "?" if slot.look is Look.UNKNOWN else slot.figure
    large = max(17.0, size)
    if figure and len(figure) * large * _WIDE <= b.width:
        parts.append(_text(middle, at.y + large * 1.2, figure, large, bold=changed))
    elif figure:
        parts.append(_text(middle + size * 0.36, at.y + 5, figure, size, bold=changed, turned=True, anchor="end"))
    if slot.look is Look.COMES_OUT:
        parts.append(_text(middle + size * 0.36, at.y + b.height - 6, "out", size, turned=True))
    if slot.sealed:
        r, y = min(11.0, b.width / 2.2), at.y + b.height * 0.6
        parts.append(f'<circle cx="{middle:.1f}" cy="{y:.1f}" r="{r:.1f}" fill="#fff" {thin}/>')
        tick = f"M{middle - 0.45 * r:.1f} {y:.1f} l{0.35 * r:.1f} {0.35 * r:.1f} l{0.6 * r:.1f} {-0.75 * r:.1f}"
        parts.append(f'<path d="{tick}" fill="none" stroke="#000" stroke-width="{1.6 * line:.2f}"/>')
    foot = b.y + b.height + _CAP
    if len(slot.name) * size * _WIDE <= b.width + _SLOT_GAP:
        parts.append(_text(b.x + b.width / 2, foot + size * 0.8, slot.name, size, bold=changed))
    else:
        parts.append(
            _text(b.x + b.width / 2 + size * 0.36, foot, slot.name, size, bold=changed, turned=True, anchor="end")
        )
    return parts


def _broken(told: str, width: float, size: float) -> list[str]:
    """Words in lines that fit."""
    lines: list[str] = []
    for word in told.split():
        if lines and len(f"{lines[-1]} {word}") * size * _WIDE <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines


def _rect(b: _Box, look: str) -> str:
    return f'<rect x="{b.x:.1f}" y="{b.y:.1f}" width="{b.width:.1f}" height="{b.height:.1f}" {look}/>'


def _text(
    x: float, y: float, words: str, size: float, *, bold: bool = False, turned: bool = False, anchor: str = "middle"
) -> str:
    where = f'transform="translate({x:.1f} {y:.1f}) rotate(-90)"' if turned else f'x="{x:.1f}" y="{y:.1f}"'
    if turned and anchor == "middle":
        anchor = "start"
    weight = ' font-weight="bold"' if bold else ""
    return f'<text {where} text-anchor="{anchor}" font-size="{size:.1f}"{weight}>{escape(words)}</text>'
