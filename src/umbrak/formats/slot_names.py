"""What slots are called: names as boards have them printed, or as people write them, and which of them one name stands for."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache
from itertools import pairwise

#: What slots hang on: alone it is none.
_HOLDER = r"CPU|proc(?:essor)?|socket|node|board|riser"
_WHICH = r"[ ._#-]?[A-Z0-9]{0,2}"
GROUP = rf"(?:{_HOLDER}|channel|ch){_WHICH}"
GROUPED = re.compile(GROUP, re.I)
#: What the name of a slot begins with that says what it hangs on.
GROUPED_FIRST = re.compile(rf"(?:{_HOLDER})[ ._#-]?[A-Z0-9]{{1,2}}(?![A-Z0-9])", re.I)
#: What holds channels of its own.
HOLDER = re.compile(rf"(?:{_HOLDER}){_WHICH}", re.I)
#: A name as boards have them printed, or as people say it: "A1", "4", "CPU1 B2", "DIMM slot 3".
_SLOT_LIKE = re.compile(
    rf"(?!{GROUP}$)(?:[A-Z]{{1,8}}[ ._-]?[A-Z0-9]{{0,2}}/){{0,4}}(?:(?:{GROUP}|P\d)[ ._/#-]{{0,2}}){{0,2}}"
    r"(?:(?:SO-?)?DIMM|slot|bank|MEM(?:ory)?|module|RAM)?[ ._#-]?(?:slot|bank)?[ ._#-]?(?:P\d[ ._-])?(?:[A-Z]{1,2}[ ._-]?\d{0,2}|\d{1,2})",
    re.I,
)
#: "A1-A4", "DIMM 1 to DIMM 4": the same name with numbers from one to the other.
_FROM_TO = re.compile(
    r"(?P<name>.*?\D|)(?P<low>\d{1,3})\s*(?:-|–|\.\.+|to|through|bis)\s*(?P=name)(?P<high>\d{1,3})", re.I
)
#: "DIMM A1-A8": what is written twice is the letter alone.
_FROM_LETTER = re.compile(
    r"(?P<name>.*[ ._-](?P<letter>[A-Z]{1,2}))(?P<low>\d{1,3})\s*(?:-|–|\.\.+|to|through|bis)\s*(?P=letter)(?P<high>\d{1,3})",
    re.I,
)
#: "A1-D1", "CPU1 A1 to CPU1 D1": the same number in one channel after the other.
_FROM_CHANNEL = re.compile(
    r"(?P<name>(?:.*[^A-Z])?)(?P<first>[A-Z])(?P<number>\d{1,2})\s*(?:-|–|\.\.+|to|through|bis)\s*(?:(?P=name))?(?P<last>[A-Z])(?P=number)",
    re.I,
)
#: "DIMM 1-4", which may be the fourth of the first too.
_MAYBE_ROW = re.compile(r"(?P<name>.*?\D)(?P<low>\d{1,3})\s*(?:-|–|\.\.+)\s*(?P<high>\d{1,3})", re.I)
#: Between names of several.
SEVERAL = re.compile(r"\s*(?:[,&+]|\band\b)\s*", re.I)
#: "A1/B1" is two of them; "P1/A1" and "C0/D0" may be one, of processor 1 or in channel 0.
_EITHER = re.compile(r"(?:(?![PCNS])([A-Z])(\d{1,2}))(?:/(?:\1\d{1,2}|[A-Z]\2)){1,7}", re.I)
#: Letters between the last channel that is told and one of which nothing is.
_NEAR = 4
#: Slots that one line names, at most.
MOST_AT_ONCE = 64


@lru_cache(maxsize=4096)
def is_slot_like(name: str) -> bool:
    """Whether boards have such names printed: "A1", "4", "CPU1 B2", "DIMM slot 3"."""
    return bool(_SLOT_LIKE.fullmatch(name.strip()))


@lru_cache(maxsize=4096)
def shape(name: str) -> str:
    """What names of slots of one machine have in common: "CPU0_@0" of CPU1_B2."""
    return re.sub(r"(?<![A-Z])[A-Z](?![A-Z])", "@", re.sub(r"\d+", "0", name.upper()))


class Alike:
    """Names of slots that are told, by what they have in common."""

    def __init__(self, names: Iterable[str]) -> None:
        self._names = set(names)
        self._last: dict[str, str] = {}
        for name in self._names:
            self._last[shape(name)] = max(self._last.get(shape(name), ""), _letter(name))

    def has_fellows(self, name: str) -> bool:
        """Whether others are called like it."""
        return shape(name) in self._last

    def is_beside(self, name: str) -> bool:
        """Whether it is none of them, and its letter not far from theirs: a slot beside them."""
        if name in self._names or not self.has_fellows(name):
            return False
        last = self._last[shape(name)]
        return not last or ord(_letter(name)) <= ord(last) + _NEAR


def _letter(name: str) -> str:
    return max(re.findall(r"(?<![A-Z])[A-Z](?![A-Z])", name.upper()), default="")


def of_group(group: str, name: str) -> str:
    """A slot's name with what it hangs on before it, where it does not say so itself."""
    word, held = re.match(r"[a-z]*", group, re.I), GROUPED_FIRST.match(name)
    # "CPU2 A1" below "CPU1:" is on the second.
    says = held and word and word[0] and held[0].casefold().startswith(word[0].casefold())
    return name if not group or says or group.casefold() in name.casefold() else f"{group} {name}"


def named_by(written: str, rows: frozenset[str] = frozenset()) -> list[str]:
    """Slots of a name: several with commas between, or from one to another.

    Parameters
        rows   names that are rows of slots, though they are written once: "DIMM 1-4"
    """
    either = _EITHER.fullmatch(written.strip())
    names = [n for n in (written.strip().split("/") if either else SEVERAL.split(written.strip())) if n]
    found: list[str] = []
    for name in names:
        if re.fullmatch(r"\d{1,3}", name) and found and (like := re.fullmatch(r"(.*\D)\d{1,3}", found[-1])):
            name = like[1] + name  # "slot 1 & 3"
        span = _FROM_TO.fullmatch(name) or _FROM_LETTER.fullmatch(name)
        span = span or (_MAYBE_ROW.fullmatch(name) if name in rows else None)
        low, high = (int(span["low"]), int(span["high"])) if span else (0, 0)
        # "DIMM 1-4" may be the fourth of the first: only a name that is written twice is a row of slots.
        if span and span["name"] and low < high < low + MOST_AT_ONCE:
            found += [f"{span['name']}{n}" for n in range(low, high + 1)]
        elif (across := _FROM_CHANNEL.fullmatch(name)) and across["first"] < across["last"]:
            letters = range(ord(across["first"]), ord(across["last"]) + 1)
            found += [f"{across['name']}{chr(n)}{across['number']}" for n in letters][:MOST_AT_ONCE]
        else:
            found.append(name)
    return found[:MOST_AT_ONCE]


def rows_in(names: Iterable[str]) -> frozenset[str]:
    """Names such as "DIMM 1-4" that are rows of slots: with "DIMM 5-8" behind, each going on where the one before ends."""
    spans: dict[str, list[tuple[int, int, str]]] = {}
    for written in dict.fromkeys(names):
        if (m := _MAYBE_ROW.fullmatch(written)) and int(m["low"]) <= int(m["high"]):
            spans.setdefault(m["name"].casefold(), []).append((int(m["low"]), int(m["high"]), written))
    found: set[str] = set()
    for several in map(sorted, spans.values()):
        if len(several) > 1 and several[0][0] < 2 and all(b[0] == a[1] + 1 for a, b in pairwise(several)):
            found |= {written for _, _, written in several}
    return frozenset(found)
