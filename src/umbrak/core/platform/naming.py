"""Which socket and which channel a slot belongs to, as far as the names say that a machine reports its slots by.

Names are the makers' habits and nobody's rule: what is read from them is a guess that has to hold for all slots at once
(every slot in a place of its own, channels and sockets alike), and is never told, only seen. Names that leave more than
one reading open are left open.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

#: More is no board: channels a processor, slots a channel.
_MOST_CHANNELS, _MOST_IN_CHANNEL = 16, 3


@dataclass(frozen=True, slots=True)
class Place:
    """Where a slot seems to be: names as the report has them; None = its name does not say."""

    socket: str | None = None
    channel: str | None = None


@dataclass(frozen=True, slots=True)
class Naming:
    """What the names of a report's slots say."""

    #: One a slot, in the report's order.
    places: tuple[Place, ...]
    #: Why sockets and channels are taken so; "" where nothing is.
    why: str = ""

    @property
    def has_channels(self) -> bool:
        return bool(self.places) and all(p.channel for p in self.places)

    @property
    def has_sockets(self) -> bool:
        return bool(self.places) and all(p.socket for p in self.places)


@dataclass(frozen=True, slots=True)
class _Read:
    """One slot by one way of reading its names."""

    socket: str | None
    channel: str | None
    slot: str | None


#: What a processor is called before its number: CPU1, P0, PROC 2, SKT1, Socket 0.
SOCKET_WORD = re.compile(r"(?<![a-z])(?:cpu|proc(?:essor)?|socket|skt?|p)[ _.-]?(\d{1,2})(?!\d)", re.I)
#: A node is a processor only where there are as many.
NODE_WORD = re.compile(r"(?<![a-z])(?:node|n)[ _.-]?(\d{1,2})(?!\d)", re.I)
CHANNEL_WORD = re.compile(r"(?<![a-z])(?:channel|chan|chl|ch)[ _.-]?([a-z]|\d{1,2})(?![a-z0-9])", re.I)
#: Channels are counted within their controller, where one is named.
_CONTROLLER = re.compile(r"(?<![a-z])(?:i?mc|controller|ctrl)[ _.-]?(\d)(?!\d)", re.I)
_NUMBERED = re.compile(r"(?<![a-z])(?:so)?(?:dimm|slot|d)[ _.-]?(\d{1,2})(?![a-z0-9])", re.I)
#: A number and a letter that end the name: PROC 1 DIMM 3B.
_LETTER_BEHIND = re.compile(r"(?<![a-z0-9])(\d{1,2})([a-z])$", re.I)
#: A letter and a number that end the name: DIMM_A1, A2, P1-DIMMB1.
_LETTERED = re.compile(r"(?<![a-z0-9])(?:(?:so)?dimm)?[ _.-]?([a-z])[ _.-]?(\d{1,2})$", re.I)


def places_by_name(names: Sequence[tuple[str | None, str | None]], processors: int | None = None) -> Naming:
    """What (locator, bank) of every slot say together.

    Parameters
        names        as the report has them, soldered memory left out
        processors   how many sockets the report tells, with or without a processor; None where it tells none
    """
    texts = [" ".join(" | ".join(x for x in pair if x and x.strip()).split()) for pair in names]
    if not texts or not all(texts):
        return Naming((Place(),) * len(texts))
    if len(texts) == 1 and (processors or 1) == 1:
        return Naming((Place(None, "A"),), "there is one slot")
    sockets, why_socket = _sockets(texts, processors)
    reads: list[tuple[Callable[[str], tuple[str | None, str | None]], str]] = [
        (_by_channel_word, "their names say the channel"),
        (_by_letter, "the letter in their names is taken for the channel"),
        (_by_letter_behind, "the letter behind their numbers is taken for the channel"),
    ]
    for read, why in reads:
        found = [_Read(s, *read(t)) for s, t in zip(sockets, texts, strict=True)]
        # Where numbers begin again behind each letter, either of them may be the channel.
        if read is _by_letter_behind and len({(r.socket, r.slot) for r in found}) < len(found):
            continue
        if _holds(found, processors) and (read is _by_channel_word or _is_run(r.channel for r in found)):
            places = tuple(Place(r.socket, r.channel) for r in found)
            return Naming(places, "; ".join(w for w in (why_socket, why) if w))
    return Naming(tuple(Place(s) for s in sockets), why_socket)


def tells_socket(name: str | None) -> bool:
    """Whether a name says which processor its slot hangs on."""
    return bool(name and SOCKET_WORD.search(name))


def _sockets(texts: Sequence[str], processors: int | None) -> tuple[list[str | None], str]:
    """The socket of each slot, and why; all None where the names do not say it of every slot."""
    for pattern, words in (
        (SOCKET_WORD, "their names say the processor"),
        (NODE_WORD, "the node in their names is taken for the processor"),
    ):
        found = [m[1] if (m := pattern.search(t)) else None for t in texts]
        told = {f for f in found if f}
        if (
            all(found)
            and (processors is None or len(told) <= processors)
            and (pattern is SOCKET_WORD or len(told) == processors)
        ):
            return list(found), words
    letters = [m[1].upper() if (m := _LETTERED.search(t)) else None for t in texts]
    # A1 to A12 and B1 to B12 on two processors: no channel has so many slots, so the letter is the processor's.
    if (
        all(letters)
        and processors
        and len(set(letters)) == processors > 1
        and min(Counter(letters).values()) > _MOST_IN_CHANNEL
    ):
        return list(letters), "the letter in their names is taken for the processor"
    return [None] * len(texts), ""


def _by_channel_word(text: str) -> tuple[str | None, str | None]:
    channel = CHANNEL_WORD.search(text)
    if channel is None:
        return None, None
    controller = _CONTROLLER.search(text)
    name = f"{controller[1]}-{channel[1].upper()}" if controller else channel[1].upper()
    rest = text[: channel.start()] + " " + text[channel.end() :]
    return name, _slot_of(rest)


def _by_letter(text: str) -> tuple[str | None, str | None]:
    # The locator comes first; a bank behind it may be lettered instead.
    for part in text.split(" | "):
        found = _LETTERED.search(part)
        if found:
            return found[1].upper(), found[2]
    return None, None


def _by_letter_behind(text: str) -> tuple[str | None, str | None]:
    found = _LETTER_BEHIND.search(text.split(" | ")[0])
    return (found[2].upper(), found[1]) if found else (None, None)


def _slot_of(text: str) -> str | None:
    numbered = _NUMBERED.search(text)
    if numbered:
        return numbered[1]
    lettered = _LETTERED.search(text.split(" | ")[0])
    return lettered[2] if lettered else None


def _holds(reads: Sequence[_Read], processors: int | None) -> bool:
    """Whether one way of reading makes a board: every slot has a channel and a place of its own, channels hold no more than
    any board does, and processors are alike."""
    if not all(r.channel for r in reads):
        return False
    if processors and processors > 1 and not all(r.socket for r in reads):
        return False
    in_channel: dict[tuple[str | None, str | None], list[str | None]] = defaultdict(list)
    for r in reads:
        in_channel[r.socket, r.channel].append(r.slot)
    channels: Counter[str | None] = Counter(socket for socket, _ in in_channel)
    return (
        all(_apart(slots) and len(slots) <= _MOST_IN_CHANNEL for slots in in_channel.values())
        and max(channels.values()) <= _MOST_CHANNELS
        and len(set(channels.values())) == 1
    )


def _apart(slots: Iterable[str | None]) -> bool:
    """One slot needs no number; several need one each."""
    listed = list(slots)
    return len(listed) == 1 or (None not in listed and len(set(listed)) == len(listed))


def _is_run(letters: Iterable[str | None]) -> bool:
    """Whether they are A, B, C and on: P1 and P2 or D1 and D2 alone are no channels."""
    found = sorted({x for x in letters if x})
    return [ord(x) for x in found] == list(range(ord("A"), ord("A") + len(found)))
