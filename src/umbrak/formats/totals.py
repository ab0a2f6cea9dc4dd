"""What a system says of how much memory it can use: lines that many of them print in ways of their own."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from umbrak.core.platform.survey import SystemFacts

_QUOTED = r"^[\s>|]*"
_MEMINFO = re.compile(rf"{_QUOTED}(MemTotal|MemAvailable|MemFree|HardwareCorrupted)\s*:\s*(\d{{1,15}})\s*kB\b", re.I)
#: The heads of its columns are not the same in every language; the order is.
_FREE = re.compile(
    rf"{_QUOTED}(?:Mem|Speicher|Mém|内存)\.?\s*:\s+(\d+(?:[.,]\d+)?)([BKMGTkmgt]?i?)\s+(\d+(?:[.,]\d+)?)([BKMGTkmgt]?i?)\b"
)
_FREE_HEAD = re.compile(r"\btotal\b.*\bused\b.*\bfree\b|\bgesamt\b|\btotal\b.*\butilis", re.I)
#: How it was asked, where that was pasted too.
_CALL = re.compile(
    r"\bfree(?:\s+-{1,2}\w{1,12}){0,6}?\s+-{1,2}([bkmg])(?:\w{1,12})?(?:\s+-{1,2}\w{1,12}){0,6}\s*$", re.I
)
NO_UNIT = (
    "this total may be in kB or MB: give /proc/meminfo, or free with its command (free -m) or with units (free -h)"
)
#: Whoever prints so much in MB has more than any machine: it is in kB.
_SURELY_KB = 16_000_000
_UNITS = {"": 1 << 10, "b": 1, "k": 1 << 10, "m": 1 << 20, "g": 1 << 30, "t": 1 << 40}
#: "node 0 size: 32118 MB", and what of it is free.
_NODE = re.compile(rf"{_QUOTED}node (\d{{1,4}}) (size|free):\s*(\d{{1,12}}) MB\s*$")
#: A figure whose thousands may stand apart.
_GROUPED = r"(\d{1,3}(?:[.,\s]?\d{3})*)"
#: A line that tells the whole, of one figure and its unit: sysctl, a kernel's first words, blocks of memory that are online,
#: a system's summary, a host of virtual machines.
_WHOLES = tuple(
    re.compile(_QUOTED + pattern, re.I)
    for pattern in (
        r"hw\.physmem(?:64)?\s*[:=]\s*(\d{6,18})(?P<unit>)\s*$",
        r"avail memory\s*=\s*(\d{6,18})(?P<unit>)\s*\(\d",
        r"Total online memory\s*:\s*(\d{1,9}(?:[.,]\d{1,3})?)(?P<unit>[KMGT])\s*$",
        rf"Total Physical Memory\s*:\s*{_GROUPED}\s?(?P<unit>[MG])B\s*$",
        r"Physical Memory\s*:\s*(\d{6,18}) (?P<unit>B)ytes\s*$",
    )
)
_AVAILABLE = re.compile(rf"{_QUOTED}Available Physical Memory\s*:\s*{_GROUPED}\s?(?P<unit>[MG])B\s*$", re.I)
#: What a summary says of its machine beside it.
_MACHINE = re.compile(rf"{_QUOTED}System (Manufacturer|Model)\s*:\s*(\S[^\n]{{0,120}}?)\s*$", re.I)


def tells_totals(head: str) -> bool:
    """Whether the beginning of a text has a line of these."""
    lines = head.splitlines()
    free = any(_FREE_HEAD.search(line) for line in lines)
    return any(
        ((m := _MEMINFO.match(line)) and m[1].lower() == "memtotal")
        or (free and _FREE.match(line))
        or _NODE.match(line)
        or any(p.match(line) for p in _WHOLES)
        for line in lines
    )


@dataclass(slots=True)
class Totals:
    """What its lines have told so far."""

    #: Who made the machine, and what it is.
    machine: SystemFacts = field(default_factory=SystemFacts)
    #: Line of a total whose unit nobody told; None = there is none.
    without_unit: int | None = None
    _meminfo: dict[str, int] = field(default_factory=dict)
    _nodes: dict[str, dict[str, int]] = field(default_factory=lambda: {"size": {}, "free": {}})
    _unit: str = ""
    #: [GiB]
    _whole: float | None = None
    _used: float | None = None
    _available: float | None = None

    def read(self, number: int, line: str) -> bool:
        """Take in a line; whether it was one of these."""
        if match := _MEMINFO.match(line):
            self._meminfo.setdefault(match[1].lower(), int(match[2]))
        elif match := _NODE.match(line):
            self._nodes[match[2]].setdefault(match[1], int(match[3]))
        elif match := _CALL.search(line):
            self._unit = match[1].lower()
        elif match := next((m for p in _WHOLES if (m := p.match(line))), None):
            self._whole = _grouped(match)
        elif match := _AVAILABLE.match(line):
            self._available = _grouped(match)
        elif match := _MACHINE.match(line):
            what = "maker" if match[1].lower() == "manufacturer" else "model"
            self.machine = replace(self.machine, **{what: match[2]})
        elif self._whole is None and (match := _FREE.match(line)):
            self._whole, self._used = (_gib(match[i], match[i + 1] or self._unit) for i in (1, 3))
            if self._whole is None:
                self.without_unit = number
        else:
            return False
        return True

    @property
    def lost_kb(self) -> int:
        """What is not used any more since errors could not be corrected there. [kB]"""
        return self._meminfo.get("hardwarecorrupted", 0)

    def usable_and_used(self) -> tuple[float | None, float | None]:
        """(what can be used, what of it is) [GiB]; None where that is not told."""
        if (total := self._meminfo.get("memtotal")) is not None:
            free = self._meminfo.get("memavailable", self._meminfo.get("memfree"))
            return round(total / (1 << 20), 3), None if free is None else round((total - free) / (1 << 20), 3)
        sizes, free_of = self._nodes["size"], self._nodes["free"]
        if sizes and self._whole is None:
            usable = round(sum(sizes.values()) / 1024, 3)
            used = round(usable - sum(free_of.values()) / 1024, 3) if sizes.keys() == free_of.keys() else None
            return usable, used
        if self._whole is not None and self._available is not None and self._available <= self._whole:
            return self._whole, round(self._whole - self._available, 3)
        return self._whole, self._used


def _gib(amount: str, unit: str) -> float | None:
    """None where no unit is told and both that it is known by are possible."""
    number = float(amount.replace(",", "."))
    if not unit and number < _SURELY_KB:
        return None
    return round(number * _UNITS[unit.lower().rstrip("i")[:1]] / (1 << 30), 3)


def _grouped(match: re.Match[str]) -> float | None:
    """A figure in its unit, bytes where it has none; "32,680" has its thousands apart, "7.5" has not."""
    figure = match[1] if re.fullmatch(r"\d+[.,]\d{1,2}", match[1]) else re.sub(r"\D", "", match[1])
    return _gib(figure, match["unit"] or "b")
