"""Names of a board's slots by the pattern of one: who reads "P1_DIMM_A1" at the first slot need not type the other thirty-one.

What is counted is found in the example: a number after the word for a processor (CPU1, P0), one after the word for a board
(board 3, riser A), a letter before the last number or a number after the word for a channel, and last the slot. Counting
begins where the example does, with 0 as with 1, and keeps its leading zeros.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from umbrak.core.platform.naming import CHANNEL_WORD, NODE_WORD, SOCKET_WORD

_BOARD_WORD = re.compile(r"(?<![a-z])(?:board|brd|riser|tray|cartridge)[ _.-]?([a-z]|\d{1,2})(?![a-z0-9])", re.I)
#: A letter of its own before the number that ends the name: A1, DIMM_A1, DIMMA1; not the M of DIMM1, nor the J that connectors
#: are numbered by (IEEE 315).
_CHANNEL_LETTER = re.compile(r"(?:^|[^A-Za-z]|dimm|slot|mem)([A-IK-Z])[ _.-]?\d{1,3}$", re.I)
_LAST = re.compile(r"(?:(\d{1,3})|(?:^|[^A-Za-z]|dimm|slot)([A-Za-z]))$", re.I)


@dataclass(frozen=True, slots=True)
class Seat:
    """Where a slot is on its board, each counted from 0."""

    socket: int
    #: Of its socket.
    channel: int
    #: Of its channel.
    slot: int
    #: Of the machine; None = it stands on the main board.
    carrier: int | None = None


@dataclass(frozen=True, slots=True)
class _Token:
    """What is counted: where in the example it stands, and what."""

    what: str
    start: int
    text: str

    def at(self, n: int) -> str:
        if self.text.isdigit():
            return str(int(self.text) + n).zfill(len(self.text))
        first = ord("a" if self.text.islower() else "A")
        n += ord(self.text) - first
        return (chr(first + n // 26 - 1) if n >= 26 else "") + chr(first + n % 26)


def names_like(example: str, seats: Sequence[Seat]) -> list[str]:
    """A name for each slot, made like the example, which is the name of the first. Names may be alike where the example counts
    too little; who uses them looks.

    Parameters
        example   "" = letters for channels, numbers for slots, the processor before them where there are several
        seats     of every slot, in the order in which they are counted
    """
    several = len({s.socket for s in seats}) > 1
    if not seats:
        return []
    letter = chr(ord("A") + seats[0].channel % 26)
    example = example.strip() or (f"CPU1 {letter}1" if several else f"{letter}1")
    tokens = _tokens(example)
    if not tokens:
        return [example] if len(seats) == 1 else [f"{example} {i + 1}" for i in range(len(seats))]
    counts = _counted(frozenset(t.what for t in tokens), seats)
    # The example is the name of the first, whichever of its channels it is in.
    return [_filled(example, tokens, {what: n - counts[0][what] for what, n in each.items()}) for each in counts]


def first_of(example: str, what: str) -> str | None:
    """What the example says of its socket or carrier: "0" of P0_DIMM_A0; None where it says nothing of it."""
    return next((t.text for t in _tokens(example.strip()) if t.what == what), None)


def _tokens(example: str) -> list[_Token]:
    found: list[_Token] = []
    last = _LAST.search(example)
    end = last.start(last.lastindex or 0) if last else len(example)
    for what, pattern in (
        ("socket", SOCKET_WORD),
        ("socket", NODE_WORD),
        ("carrier", _BOARD_WORD),
        ("channel", CHANNEL_WORD),
    ):
        m = pattern.search(example)
        if m and m.start(1) < end and all(t.what != what for t in found):
            found.append(_Token(what, m.start(1), m[1]))
    if last:
        letter = _CHANNEL_LETTER.search(example)
        if letter and all(t.start != letter.start(1) and t.what != "channel" for t in found):
            found.append(_Token("channel", letter.start(1), letter[1]))
        found.append(_Token("slot", end, last[last.lastindex or 0]))
    return sorted(found, key=lambda t: t.start)


def _counted(told: frozenset[str], seats: Sequence[Seat]) -> list[dict[str, int]]:
    """For each slot the number of each thing that its name counts, within what the name says before it."""
    places: dict[tuple[object, ...], dict[object, int]] = defaultdict(dict)
    numbers: dict[tuple[object, ...], int] = defaultdict(int)
    found = []
    for s in seats:
        of = (s.socket if "socket" in told else None, s.carrier if "carrier" in told else None)
        # A channel is counted among those of its socket, of its board, or of the whole machine.
        if "socket" in told:
            channel = s.channel
        else:
            channel = places[of].setdefault((s.socket, s.channel), len(places[of]))
        within = (*of, channel) if "channel" in told else of
        number = s.slot if "channel" in told else numbers[within]
        numbers[within] += 1
        found.append({"socket": s.socket, "carrier": s.carrier or 0, "channel": channel, "slot": number})
    return found


def _filled(example: str, tokens: Sequence[_Token], n: dict[str, int]) -> str:
    parts, at = [], 0
    for t in tokens:
        parts += [example[at : t.start], t.at(n[t.what])]
        at = t.start + len(t.text)
    return "".join(parts) + example[at:]
