"""What EDAC, a kernel's watch over its memory controllers, tells of places: errors that it counts, and sizes.

As `edac-util` prints it, its tree in sysfs as `grep` does ("…/mc0/dimm3/dimm_ce_count:0"), or its controllers drawn as a table of sizes. A
place is what the driver's label calls it, or where it lies in its controller. A counter is no proof of what sits there.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from itertools import accumulate

from umbrak.core.memory.module import Buffering, Generation, Module, complete
from umbrak.core.platform.survey import SlotFacts, SlotHealth, SlotState, Warning
from umbrak.formats.placeholders import told
from umbrak.formats.text import whole

#: "mc0: csrow0: CPU_SrcID#0_MC#0_Chan#0_DIMM#0: 3 Corrected Errors", "mc0: 0 Corrected Errors with no DIMM info"
_UTIL = re.compile(
    r"^[\s>|]*(mc\d{1,3})\s*:\s*(?:csrow\d{1,3}\s*:\s*(?=\S+\s*:))?(?:(\S[^:]{0,120}?)\s*:\s*)?(\d{1,15})\s+(Uncorrected|Corrected)\s+Errors?\b",
    re.I,
)
#: A file of sysfs with what stands in it.
_SYSFS = re.compile(
    r"^[\s>|]*(?:\S*/)?(mc\d{1,3})/((?:dimm|rank|csrow)\d{1,4})/(ch\d{1,2}_)?(dimm_ce_count|dimm_ue_count|dimm_label|dimm_mem_type|dimm_location|size|ce_count|ue_count)\s*[:=\s]\s*(.*)$"
)
#: The same as a full report has it: "mc0:csrow1:P0_A2:CE:7".
_REPORT = re.compile(r"^[\s>|]*(mc\d{1,3}):csrow\d{1,3}:(\S[^\n]{0,120}?):(CE|UE):(\d{1,15})\s*$")
#: Heads of a drawing, and a row of it: "|  channel0  |  channel1  |", "slot0:  |  16384 MB  |     0 MB  |".
_DRAWN_CHANNELS = re.compile(r"^[\s>]*\|((?:\s*channel\d{1,2}\s*\|){1,64})\s*$")
_DRAWN_SLOT = re.compile(r"^[\s>]*slot(\d{1,2}):\s*\|((?:\s*\d{1,9} MB\s*\|){1,64})\s*$")


def tells_edac(head: str) -> bool:
    """Whether the beginning of a text has something of it."""
    return bool(
        re.search(r"^[ \t>|]{0,40}mc\d{1,3}: .{0,200}(?:Corrected|Uncorrected) Errors?", head, re.M)
        or re.search(r"^[ \t>|]{0,40}mc\d{1,3}:csrow\d{1,3}:.{1,120}:(?:CE|UE):\d", head, re.M)
        or re.search(r"\bmc\d{1,3}/(?:dimm|rank|csrow)\d{1,4}/(?:ch\d_)?(?:dimm_|ce_|ue_)", head)
        or any(_DRAWN_SLOT.match(line) for line in head[:20_000].splitlines())
    )


@dataclass(slots=True)
class _Place:
    """A module's place as its driver names it."""

    label: str = ""
    location: str = ""
    kind: str = ""
    size_mib: int | None = None
    counts: dict[str, int] = field(default_factory=dict)


@dataclass(slots=True)
class Places:
    """What its lines have told so far."""

    said: list[Warning] = field(default_factory=list)
    _counted: dict[str, _Place] = field(default_factory=dict)
    #: (controller, channel) of each column of a drawing, and its rows: (slot, sizes in MiB).
    _columns: tuple[tuple[int, int], ...] = ()
    _rows: list[tuple[int, tuple[int, ...]]] = field(default_factory=list)

    def __len__(self) -> int:
        return len(self._counted) + len(self._rows) * len(self._columns)

    @property
    def counts(self) -> bool:
        return bool(self._counted)

    def read(self, number: int, line: str) -> None:
        """Take in a line; it is passed over where it is none of these."""
        if match := _SYSFS.match(line):
            member, channel = match[4], (match[3] or "").rstrip("_")
            # What an old driver counts of a row of channels is of no single module; what it counts of a channel is.
            if not (match[2].startswith("csrow") and not channel and "count" in member):
                at = f"{match[1]} {match[2]} {channel}".rstrip()
                _tell(self._counted.setdefault(at, _Place()), member, match[5].strip())
        elif match := _REPORT.match(line):
            how = "corrected" if match[3] == "CE" else "uncorrected"
            place = self._counted.setdefault(f"{match[1]} {match[2]}", _Place(label=match[2]))
            place.counts[how] = max(place.counts.get(how, 0), int(match[4]))
        elif match := _UTIL.match(line):
            self._util(number, match[1], match[2], int(match[3]), match[4].lower())
        elif match := _DRAWN_CHANNELS.match(line):
            channels = [int(n) for n in re.findall(r"\d+", match[1])]
            # Channels are numbered within their controller: where they begin anew, the next one does.
            controllers = accumulate(int(b <= a) for a, b in zip([-1, *channels], channels, strict=False))
            self._columns = self._columns or tuple(zip(controllers, channels, strict=True))
        elif match := _DRAWN_SLOT.match(line):
            self._rows.append((int(match[1]), tuple(int(n) for n in re.findall(r"\d+", match[2]))))

    def _util(self, number: int, controller: str, name: str | None, count: int, how: str) -> None:
        if name and not re.fullmatch(r"csrow\d+", name):
            place = self._counted.setdefault(f"{controller} {name}", _Place(label=name))
            place.counts[how] = place.counts.get(how, 0) + count
        elif count:
            # Of a row or a controller: which module it was nobody knows.
            where = f"{controller}{f' {name}' if name else ''}"
            self.said.append(Warning(f"line {number}", f"{where}: {count} {how} errors of no single module"))

    def slots(self) -> tuple[SlotFacts, ...]:
        return (*(_slot(name, place) for name, place in self._counted.items()), *self._drawn())

    def _drawn(self) -> list[SlotFacts]:
        rows = sorted(row for row in self._rows if len(row[1]) == len(self._columns))
        return [
            SlotFacts(
                locator=f"channel {channel} slot {slot}"
                if self._columns[-1][0] == 0
                else f"mc{mc} channel {channel} slot {slot}",
                bank=f"mc{mc}",
                state=SlotState.FILLED if sizes[at] else SlotState.EMPTY,
                module=_module(_Place(size_mib=sizes[at])) if sizes[at] else None,
            )
            for at, (mc, channel) in enumerate(self._columns)
            for slot, sizes in rows
        ]


def _tell(place: _Place, member: str, value: str) -> None:
    if member == "dimm_label":
        place.label = told(value) or ""
    elif member == "dimm_location":
        place.location = told(value) or ""
    elif member == "dimm_mem_type":
        place.kind = value
    elif member == "size":
        place.size_mib = whole(value)
    elif (count := whole(value, 15)) is not None:
        name = "corrected" if "ce_count" in member else "uncorrected"
        place.counts[name] = max(place.counts.get(name, 0), count)


def _slot(name: str, place: _Place) -> SlotFacts:
    health = SlotHealth(correctable=place.counts.get("corrected"), uncorrectable=place.counts.get("uncorrected"))
    counted = health if place.counts else None
    locator = place.label or ", ".join(x for x in (name, place.location) if x)
    facts = SlotFacts(locator=locator[:120], bank=name.split()[0], state=SlotState.UNKNOWN, health=counted)
    return replace(facts, state=SlotState.FILLED, module=_module(place)) if place.size_mib else facts


def _module(place: _Place) -> Module:
    words = place.kind.casefold()
    generation = next((g for g in Generation if g.casefold() in words), None)
    buffering = next((b for b in (Buffering.REGISTERED, Buffering.UNBUFFERED) if b.value in words), None)
    gib = (place.size_mib or 0) / 1024
    size = int(gib) if gib == int(gib) else gib
    return complete(Module(generation=generation, buffering=buffering, capacity_gib=size))[0]
