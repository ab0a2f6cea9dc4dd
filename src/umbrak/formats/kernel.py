"""What a kernel tells of its own memory: /proc/meminfo, `free`, `sysctl hw.physmem`, `numactl --hardware` (what it can use), and the
errors that EDAC counts.

EDAC as `edac-util` prints it, or its tree in sysfs as `grep` does ("…/mc0/dimm3/dimm_ce_count:0"); a slot is what the driver's label calls it,
or where it lies in its controller. A counter is no proof of what sits there.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from umbrak.core.memory.module import Buffering, Generation, Module, complete
from umbrak.core.platform.survey import SlotFacts, SlotHealth, SlotState, SurveyReading, Warning
from umbrak.formats.bounds import MAX_SLOTS, Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.placeholders import told
from umbrak.formats.text import numbered_lines, whole

_MEMINFO = re.compile(r"^[\s>|]*(MemTotal|MemAvailable|MemFree|HardwareCorrupted)\s*:\s*(\d{1,15})\s*kB\b", re.I)
#: The heads of its columns are not the same in every language; the order is.
_FREE = re.compile(
    r"^[\s>|]*(?:Mem|Speicher|Mém|内存)\.?\s*:\s+(\d+(?:[.,]\d+)?)([BKMGTkmgt]?i?)\s+(\d+(?:[.,]\d+)?)([BKMGTkmgt]?i?)\b"
)
#: "hw.physmem: 34189475840": what the kernel can use, in bytes.
_SYSCTL = re.compile(r"^[\s>|]*hw\.physmem(?:64)?\s*[:=]\s*(\d{6,18})\s*$")
#: "node 0 size: 32118 MB", and what of it is free.
_NODE = re.compile(r"^[\s>|]*node (\d{1,4}) (size|free):\s*(\d{1,12}) MB\s*$")
#: How it was asked, where that was pasted too.
_CALL = re.compile(
    r"\bfree(?:\s+-{1,2}\w{1,12}){0,6}?\s+-{1,2}([bkmg])(?:\w{1,12})?(?:\s+-{1,2}\w{1,12}){0,6}\s*$", re.I
)
_NO_UNIT = (
    "this total may be in kB or MB: give /proc/meminfo, or free with its command (free -m) or with units (free -h)"
)
#: Whoever prints so much in MB has more than any machine: it is in kB.
_SURELY_KB = 16_000_000
_FREE_HEAD = re.compile(r"\btotal\b.*\bused\b.*\bfree\b|\bgesamt\b|\btotal\b.*\butilis", re.I)
_UNITS = {"": 1 << 10, "b": 1, "k": 1 << 10, "m": 1 << 20, "g": 1 << 30, "t": 1 << 40}
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


def looks_like_kernel(text: str) -> bool:
    head = text[:100_000]
    return bool(
        re.search(r"^[ \t>|]{0,40}MemTotal\s*:\s*\d+\s*kB", head, re.M | re.I)
        or (re.search(r"^[ \t>|]{0,40}Mem\s*:\s+\d", head, re.M) and _FREE_HEAD.search(head))
        or re.search(r"^[ \t>|]{0,40}(?:hw\.physmem(?:64)?\s?[:=]|node \d{1,4} size:) ?\d", head, re.M)
        or re.search(r"^[ \t>|]{0,40}mc\d{1,3}: .{0,200}(?:Corrected|Uncorrected) Errors?", head, re.M)
        or re.search(r"^[ \t>|]{0,40}mc\d{1,3}:csrow\d{1,3}:.{1,120}:(?:CE|UE):\d", head, re.M)
        or re.search(r"\bmc\d{1,3}/(?:dimm|rank|csrow)\d{1,4}/(?:ch\d_)?(?:dimm_|ce_|ue_)", head)
    )


@dataclass(slots=True)
class _Counted:
    """A module's place as its driver names it."""

    label: str = ""
    location: str = ""
    kind: str = ""
    size_mib: int | None = None
    counts: dict[str, int] = field(default_factory=dict)


def read_kernel(text: str, deadline: Deadline) -> SurveyReading:
    """What it tells. Raises InputError when there is neither a total nor a counter in it, too large, too slow."""
    check_size(len(text), "characters")
    numbers: dict[str, int] = {}
    places: dict[str, _Counted] = {}
    nodes: dict[str, dict[str, int]] = {"size": {}, "free": {}}
    usable, used, unit = None, None, ""
    warnings: list[Warning] = []
    for number, line in numbered_lines(text, deadline):
        if match := _MEMINFO.match(line):
            numbers.setdefault(match[1].lower(), int(match[2]))
        elif match := _SYSCTL.match(line):
            usable = round(int(match[1]) / (1 << 30), 3)
        elif match := _NODE.match(line):
            nodes[match[2]].setdefault(match[1], int(match[3]))
        elif match := _CALL.search(line):
            unit = match[1].lower()
        elif usable is None and (match := _FREE.match(line)):
            usable, used = (_gib(match[i], match[i + 1] or unit) for i in (1, 3))
            if usable is None:
                warnings.append(Warning(f"line {number}", _NO_UNIT))
        elif match := _SYSFS.match(line):
            member, channel = match[4], (match[3] or "").rstrip("_")
            # What an old driver counts of a row of channels is of no single module; what it counts of a channel is.
            if not (match[2].startswith("csrow") and not channel and "count" in member):
                at = f"{match[1]} {match[2]} {channel}".rstrip()
                _tell(places.setdefault(at, _Counted()), member, match[5].strip())
        elif match := _REPORT.match(line):
            how = "corrected" if match[3] == "CE" else "uncorrected"
            place = places.setdefault(f"{match[1]} {match[2]}", _Counted(label=match[2]))
            place.counts[how] = max(place.counts.get(how, 0), int(match[4]))
        elif match := _UTIL.match(line):
            controller, name, count, how = match[1], match[2], int(match[3]), match[4].lower()
            if name and not re.fullmatch(r"csrow\d+", name):
                place = places.setdefault(f"{controller} {name}", _Counted(label=name))
                place.counts[how] = place.counts.get(how, 0) + count
            elif count:
                # Of a row or a controller: which module it was nobody knows.
                warnings.append(
                    Warning(
                        f"line {number}",
                        f"{controller}{f' {name}' if name else ''}: {count} {how} errors of no single module",
                    )
                )
        if len(places) > MAX_SLOTS:
            warnings.append(Warning(f"line {number}", f"more than {MAX_SLOTS} places; the rest is left out"))
            break
    if "memtotal" in numbers:
        usable = round(numbers["memtotal"] / (1 << 20), 3)
        free = numbers.get("memavailable", numbers.get("memfree"))
        used = None if free is None else round((numbers["memtotal"] - free) / (1 << 20), 3)
    if nodes["size"] and usable is None:
        sizes, free_of = nodes["size"], nodes["free"]
        usable = round(sum(sizes.values()) / 1024, 3)
        used = round(usable - sum(free_of.values()) / 1024, 3) if sizes.keys() == free_of.keys() else None
    slots = tuple(_slot(name, place) for name, place in places.items())
    if usable is None and not slots:
        said = "neither a total (MemTotal, hw.physmem, or a line of free) nor a counter of EDAC in it"
        said = next((w.message for w in warnings if w.message == _NO_UNIT), said)
        raise InputError("not-kernel", [Fault(message=said, where="line 1", line=1, column=1)])
    if numbers.get("hardwarecorrupted"):
        lost = numbers["hardwarecorrupted"]
        warnings.append(
            Warning("HardwareCorrupted", f"{lost} kB are not used any more since errors could not be corrected there")
        )
    if slots:
        warnings.append(
            Warning(
                "the whole", "counters, by the names that the driver gives: what sits in the slots it does not prove"
            )
        )
    return SurveyReading(kind="kernel", slots=slots, warnings=tuple(warnings), usable_gib=usable, used_gib=used)


def _gib(amount: str, unit: str) -> float | None:
    """None where no unit is told and both that it is known by are possible."""
    number = float(amount.replace(",", "."))
    if not unit and number < _SURELY_KB:
        return None
    return round(number * _UNITS[unit.lower().rstrip("i")[:1]] / (1 << 30), 3)


def _tell(place: _Counted, member: str, value: str) -> None:
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


def _slot(name: str, place: _Counted) -> SlotFacts:
    health = SlotHealth(correctable=place.counts.get("corrected"), uncorrectable=place.counts.get("uncorrected"))
    counted = health if place.counts else None
    locator = place.label or ", ".join(x for x in (name, place.location) if x)
    facts = SlotFacts(locator=locator[:120], bank=name.split()[0], state=SlotState.UNKNOWN, health=counted)
    return replace(facts, state=SlotState.FILLED, module=_module(place)) if place.size_mib else facts


def _module(place: _Counted) -> Module:
    words = place.kind.casefold()
    generation = next((g for g in Generation if g.casefold() in words), None)
    buffering = next((b for b in (Buffering.REGISTERED, Buffering.UNBUFFERED) if b.value in words), None)
    gib = (place.size_mib or 0) / 1024
    size = int(gib) if gib == int(gib) else gib
    return complete(Module(generation=generation, buffering=buffering, capacity_gib=size))[0]
