"""The memory lines of a one-look summary (`inxi -m`): "Device-1: A1 type: DDR4 size: 16 GiB speed: 2666 MT/s"."""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import islice, zip_longest

from umbrak.core.platform.survey import SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.listing import size_mib
from umbrak.formats.smbios.survey import survey_of
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines, whole

_BEGINS = re.compile(r"\b(Array|Device)-(\d{1,4}):\s*", re.I)
_TOTAL = re.compile(
    r"\b(?:System )?RAM:\s*(?:total:\s*(\S+ [GMTK]i?B)\s*)?(?:available|total):\s*([\d.,]+ [GMTK]i?B)(?:\s*used:\s*([\d.,]+ [GMTK]i?B))?",
    re.I,
)
_NAMES = (
    "type", "detail", "size", "speed", "spec", "actual", "note", "manufacturer", "part-no", "serial", "volts", "width", "data", "total", "bank", "info",
    "capacity", "slots", "modules", "EC", "max-module-size", "use", "voltage", "curr", "min", "max", "configured", "firmware",
)  # fmt: skip
_NAMED = re.compile(rf"(?<![\w-])({'|'.join(map(re.escape, _NAMES))}):(?=\s|$)", re.I)
#: What colours a terminal.
_COLOUR = re.compile(r"\x1b?\[[0-9;]{0,12}m|\x03\d{0,2}")


def looks_like_inxi(text: str) -> bool:
    head = _COLOUR.sub("", text[:40_000])
    return bool(
        re.search(r"\bDevice-\d{1,4}:.{0,200}\b(?:size|type):", head) and re.search(r"\b(?:Array-\d|RAM:)", head)
    )


def read_inxi(text: str, deadline: Deadline) -> SurveyReading:
    """What its devices hold. Raises InputError when none is in it, too large, too slow."""
    check_size(len(text), "characters")
    whole_text = " ".join(_COLOUR.sub("", line) for _, line in numbered_lines(text, deadline))
    starts = [*islice(_BEGINS.finditer(whole_text), MAX_RECORDS)]
    warnings: list[Warning] = []
    records: list[tuple[int, Record]] = []
    other = False
    for match, following in zip_longest(starts, starts[1:]):
        deadline.check(f"{match[1]}-{match[2]}")
        said = whole_text[match.end() : following.start() if following else match.end() + 600]
        is_array = match[1].casefold() == "array"
        if is_array:
            # An array of the firmware's own chips holds no slots.
            other = not re.match(r"(?:system memory)?$", _pairs(said)[1].get("use", ""), re.I)
        if not other:
            records.append(_array(said) if is_array else _device(said))
    if not records:
        raise InputError("not-a-listing", [Fault(message="no “Device-1:” in it", where="line 1", line=1, column=1)])
    reading = survey_of("inxi", records, warnings, deadline)
    total = _TOTAL.search(whole_text)
    return replace(reading, usable_gib=_gib(total[2]), used_gib=_gib(total[3])) if total else reading


def _gib(text: str | None) -> float | None:
    mib = size_mib((text or "").replace(",", "."))
    return round(mib / 1024, 3) if mib else None


def _pairs(said: str) -> tuple[str, dict[str, str]]:
    """(what stands before the first name, name -> what it says)"""
    before, *rest = _NAMED.split(said)
    found: dict[str, str] = {}
    for name, value in zip(rest[::2], rest[1::2], strict=True):
        found.setdefault(name.lower(), value.strip())
    return before.strip(), found


def _array(said: str) -> tuple[int, Record]:
    _, p = _pairs(said)
    most = size_mib(p.get("capacity", ""))
    return codes.MEMORY_ARRAY, {
        "Maximum Capacity": most / 1024 if most else None,
        "Number Of Devices": whole(p.get("slots", "")),
        "Error Correction Type": p.get("ec"),
    }


def _device(said: str) -> tuple[int, Record]:
    locator, p = _pairs(said)
    kind = re.match(r"\s*((?:LP)?DDR\d)", p.get("type", ""), re.I)
    words = " ".join((p.get("size", ""), p.get("type", "")))
    empty = re.search(r"no module installed|empty|not installed", words, re.I)
    record: Record = {
        "Locator": locator or None,
        "Size": 0 if empty else size_mib(p.get("size", "")),
        "Type": kind[1].upper() if kind else None,
        "Type Detail": p.get("detail", "").title(),
        # What it may run at stands after "spec" where it runs at less.
        "Speed": whole(p.get("spec") or p.get("speed", "")),
        "Speed Unit": "MT/s" if "MT/s" in said else "MHz",
        "Configured Memory Speed": whole(p.get("actual", "")),
        "Manufacturer": p.get("manufacturer"),
        "Part Number": p.get("part-no"),
        "Serial Number": None if "filter" in p.get("serial", "") else p.get("serial"),
        "Bank Locator": p.get("bank"),
        "Data Width": whole(p.get("data", "")),
        "Total Width": whole(p.get("total", "")),
    }
    return codes.MEMORY_DEVICE, {k: v for k, v in record.items() if v is not None or k == "Size"}
