"""Slots that a list of names leaves out, as its own numbers show: who lists A1, B1 and D1 has a C1 on the board.

People list what is in the slots and leave out what is empty, and so do some systems. A board of the listed slots alone would be
smaller than the machine. What is found so is there by the numbers of its fellows; what is in it nobody told.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from itertools import combinations, product
from math import prod

from umbrak.core.platform.naming import SOCKET_WORD

#: More is no number of a slot, no letter of a channel.
_HIGHEST, _LAST_LETTER = 24, "P"
#: A connector's number (J9A1, IEEE 315) counts all that is plugged into the board.
_CONNECTOR = re.compile(r"(?<![a-z])J\d", re.I)
#: Names that are passed over, at most, for each that is listed: two names that lie further apart tell nothing of what is between.
_MOST_FOR_EACH = 4
_MOST_SLOTS, _MOST_IN_CHANNEL = 96, 3
#: "DIMMA1" is a word, a letter and a number.
_BEHIND_WORD = re.compile(r"(dimm|slot|mem|channel|chan|ch)(?=[a-z](?![a-z]))", re.I)
_TOKEN = re.compile(r"\d+|[a-z]+|[^a-z\d]+", re.I)

_Seat = tuple[str, ...]


def passed_over(
    names: Sequence[str], *, filled_only: bool, processors: int | None = None, count: int | None = None
) -> list[str]:
    """Names of slots that are left out, like those that are listed; [] where the names tell of none.

    What one processor has its fellow has. Where only what is filled may be listed, numbers and letters are counted from their
    beginning to the highest as well, and every channel has as many slots; where they are fewer than are counted, numbers go on.

    Parameters
        names         of slots, each once
        filled_only   whether empty slots may be left out of the list
        processors    how many sockets the machine is known to have
        count         how many slots it is known to have
    """
    rows = [_tokens(n) for n in names]
    if len(rows) < 2 or len({_pattern(r) for r in rows}) > 1 or any(_CONNECTOR.search(n) for n in names):
        return []
    socket = _socket_at(names, rows)
    number = max((i for i, t in enumerate(rows[0]) if t.isdecimal() and i != socket), default=-1)
    within = [i for i in range(len(rows[0])) if i == number or (i != socket and len({r[i] for r in rows}) > 1)]
    held: dict[str, set[_Seat]] = {}
    for r in rows:
        held.setdefault("" if socket is None else r[socket], set()).add(tuple(r[i] for i in within))
    found = []
    whole = _whole(held, filled_only, processors)
    if filled_only and count and number >= 0 and not (len(held) > 1 and _runs_through(held)):
        row = 1 if socket is not None else processors or 1
        whole = {s: _up_to(seats, within.index(number), count / len(whole), row) for s, seats in whole.items()}
    for name, seats in whole.items():
        for seat in sorted(seats - held.get(name, set()), key=lambda s: [_value(x) for x in s]):
            made = list(rows[0])
            for i, token in zip(within, seat, strict=True):
                made[i] = token
            if socket is not None:
                made[socket] = name
            found.append("".join(made).replace("\0", ""))
    return found if len(found) + len(names) <= (count or _MOST_SLOTS) else []


def by_number(name: str) -> list[tuple[int, int, str]]:
    """To sort names of slots by: numbers by their size, "A10" behind "A2"."""
    return [(*_value(t), t) if t.isdecimal() else (0, 0, t.casefold()) for t in _tokens(name)]


def _whole(held: dict[str, set[_Seat]], filled_only: bool, processors: int | None) -> dict[str, set[_Seat]]:
    """Socket -> the seats that it has, listed or passed over."""
    if len(held) > 1 and _runs_through(held):
        # Counted on from one processor to the next: what one has tells nothing of the other.
        return {s: _counted(seats, begins=False) if filled_only else seats for s, seats in held.items()}
    every = set().union(*held.values())
    if filled_only:
        every = _counted(every, begins=True)
    sockets = set(held)
    if processors and 0 < len(sockets) < processors and all(s.isdecimal() for s in sockets):
        first = 0 if any(int(s) == 0 for s in sockets) else 1
        told = {str(n) for n in range(first, first + processors)}
        sockets = told if sockets <= told else sockets
    return dict.fromkeys(sorted(sockets, key=_value), every)


def _runs_through(held: dict[str, set[_Seat]]) -> bool:
    """Whether a number or letter goes on from one socket to the next."""
    width = len(next(iter(next(iter(held.values())))))
    return any(
        all(not {s[i] for s in a} & {s[i] for s in b} for a, b in combinations(held.values(), 2)) for i in range(width)
    )


def _counted(seats: set[_Seat], *, begins: bool) -> set[_Seat]:
    """With what is passed over: each number and letter that is between, with each other one."""
    columns = _told_apart(seats)
    values = [sorted({tuple(s[i] for i in c) for s in seats}, key=lambda v: [_value(x) for x in v]) for c in columns]
    if sum(len(v) > 1 for v in values) > 1 and any(len(v) == len(seats) for v in values):
        return seats  # one of them is told by the other: not each is with each
    runs = [
        [(x,) for x in _between([x for (x,) in v], begins)] if len(c) == 1 else v
        for c, v in zip(columns, values, strict=True)
    ]
    if prod(map(len, runs)) > _MOST_FOR_EACH * len(seats):
        return seats
    every = set()
    for of in product(*runs):
        placed = {i: x for c, told in zip(columns, of, strict=True) for i, x in zip(c, told, strict=True)}
        every.add(tuple(placed[i] for i in range(len(placed))))
    return every


def _up_to(seats: set[_Seat], number: int, count: float, rows: int) -> set[_Seat]:
    """With as many as are counted, where each channel then has as many slots; else as they are.

    Parameters
        number   which place in the names counts them
        rows     how many letters there are where each is a processor's, whose slots are counted through (A1 to A12, B1 to B12)
    """
    channels = {(*s[:number], *s[number + 1 :]) for s in seats}
    each, left = divmod(count, len(channels))
    numbers = sorted({s[number] for s in seats}, key=_value)
    first = min(int(numbers[0]), 1)
    most = _HIGHEST if len(channels) in (1, rows) else _MOST_IN_CHANNEL
    if left or len(seats) >= count or not int(numbers[-1]) < first + each <= first + most:
        return seats
    told = [str(n).zfill(len(numbers[0])) for n in range(first, first + int(each))]
    return {(*c[:number], n, *c[number:]) for c in channels for n in told}


def _told_apart(seats: set[_Seat]) -> list[list[int]]:
    """Places in the names, those together that count one thing twice: MC0-ChA and MC1-ChB."""
    found: list[list[int]] = []
    for i in range(len(next(iter(seats)))):
        ours = {s[i] for s in seats}
        for others in found:
            pairs = {(s[others[0]], s[i]) for s in seats}
            if len(pairs) == len(ours) == len({s[others[0]] for s in seats}):
                others.append(i)
                break
        else:
            found.append([i])
    return found


def _between(listed: Sequence[str], begins: bool) -> list[str]:
    """From the first to the last of them; from where counting begins if `begins`."""
    if all(x.isdecimal() for x in listed):
        low, high, width = int(listed[0]), int(listed[-1]), min(map(len, listed))
        if high > _HIGHEST:
            return list(listed)
        return [str(n).zfill(width) for n in range(min(low, 1) if begins else low, high + 1)]
    alike = all(len(x) == 1 and x.isascii() and x.isupper() == listed[0].isupper() for x in listed)
    if alike and listed[-1].upper() <= _LAST_LETTER:
        first = ("a" if listed[0].islower() else "A") if begins else listed[0]
        return [chr(n) for n in range(ord(first), ord(listed[-1]) + 1)]
    return list(listed)


def _tokens(name: str) -> list[str]:
    return _TOKEN.findall(_BEHIND_WORD.sub("\\1\0", name))


def _pattern(tokens: Iterable[str]) -> tuple[str, ...]:
    """What names of one list have in common: its words and marks; numbers and letters are counted."""
    return tuple("0" if t.isdecimal() else "@" if t.isalpha() and len(t) == 1 else t.casefold() for t in tokens)


def _socket_at(names: Sequence[str], rows: Sequence[list[str]]) -> int | None:
    """Which token tells the processor; None where none does, or not the same one in all."""
    places = set()
    for name, tokens in zip(names, rows, strict=True):
        told = SOCKET_WORD.search(name)
        at = 0
        place = None
        for i, token in enumerate(tokens):
            if told and at == told.start(1) and token != "\0":
                place = i
            at += len(token.replace("\0", ""))
        places.add(place)
    return places.pop() if len(places) == 1 else None


def _value(token: str) -> tuple[int, int]:
    return (1, int(token)) if token.isdecimal() else (0, ord(token[0].upper()) if token else 0)
