"""What a system prints of its CIM classes (DMTF DSP0004): physical memory and its array, processors, system, firmware, whole memory.

As lists ("Capacity : 17179869184", "Capacity=17179869184"), tables, CSV or JSON. Names of members are those of the classes and the same in
every language of a system; numbers are DSP0134's, as the classes take them over. Slots without a module are no instances: they are not
in it.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Generator, Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import islice

from umbrak.core.platform.survey import SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.columns import columns_of
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.json_text import load_json, objects
from umbrak.formats.placeholders import told
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.survey import survey_of
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines, whole

#: Members by the names that lists and tables have, letters and figures alone.
_MEMORY = frozenset({
    "capacity", "devicelocator", "banklabel", "partnumber", "configuredclockspeed", "configuredvoltage", "smbiosmemorytype", "memorytype",
    "formfactor", "totalwidth", "datawidth", "typedetail", "minvoltage", "maxvoltage", "speed", "tag", "attributes",
})  # fmt: skip
#: Members of classes that nothing else prints.
_CLEAR = frozenset({
    "devicelocator", "banklabel", "configuredclockspeed", "smbiosmemorytype", "memorydevices", "maxcapacityex", "totalphysicalmemory",
    "totalvisiblememorysize", "smbiosbiosversion", "numberoflogicalprocessors", "memoryerrorcorrection", "socketdesignation", "numberofcores",
})  # fmt: skip
_KNOWN = _MEMORY | _CLEAR | {
    "manufacturer", "serialnumber", "maxcapacity", "use", "socketdesignation", "name", "numberofcores", "model", "releasedate",
    "freephysicalmemory", "node", "pscomputername", "location", "caption", "version",
}  # fmt: skip
#: Columns that people reckon themselves: how many GiB.
_GIB = ("capacitygb", "capacitygib", "sizegb", "sizegib", "gb", "gib", "memorygb")

#: CIM_PhysicalMemory.FormFactor, as far as DSP0134's words stand for it.
_FORMS = {7: "SIMM", 8: "DIMM", 11: "RIMM", 12: "SODIMM", 13: "SRIMM", 21: "Chip", 22: "Chip", 23: "Chip"}
#: CIM_PhysicalMemory.MemoryType; systems leave it at 0 for what is newer.
_TYPES = {20: "DDR", 21: "DDR2", 22: "DDR2 FB-DIMM", 24: "DDR3", 25: "FBD2", 26: "DDR4"}
_ECC = {3: "None", 4: "Parity", 5: "Single-bit ECC", 6: "Multi-bit ECC", 7: "CRC"}
#: A machine's instances have some thousands.
_MAX_LINES = 50_000
_PAIR = re.compile(r"^\s*([A-Za-z_][\w ()\[\]]{0,60}?)\s*[:=]\s?(.*)$")
_Object = dict[str, str]
#: Objects with their lines; then the line after them.
_Found = Generator[tuple[int, _Object], None, int]


#: Sizes alone, in bytes: a column or members of that name.
_SIZES_ALONE = re.compile(
    r"^[ \t]*Capacity[ \t]*(?:[:=][ \t]*\d{9,13}[ \t\r]*$|\r?\n(?:[ \t-]*\r?\n){0,3}[ \t]*\d{9,13}[ \t\r]*$)",
    re.M | re.I,
)


def looks_like_cim(text: str) -> bool:
    head = text[:40_000]
    if '"@odata.id"' in head:
        return False
    words = {w.lower() for w in re.findall(r"[A-Za-z]{2,40}", head)}
    named = words & (
        _KNOWN
        | set(_GIB)
        - {"name", "use", "version", "model", "speed", "gb", "location", "tag", "node", "caption", "attributes"}
    )
    return (
        (bool(words & _CLEAR) and len(named) > 1)
        or {"capacity", "partnumber", "manufacturer"} <= words
        or bool(_SIZES_ALONE.search(head))
    )


def read_cim(text: str, deadline: Deadline) -> SurveyReading:
    """What the instances tell. Raises InputError when none of the classes read here is in it, too large, too slow."""
    check_size(len(text), "characters")
    warnings: list[Warning] = []
    found = list(_objects(text, deadline, warnings))
    records = list(islice((r for number, o in found for r in _records(number, o, warnings)), MAX_RECORDS))
    usable = next((k for _, o in found if (k := _usable_gib(o)) is not None), None)
    if not records and usable is None:
        raise InputError(
            "not-cim",
            [
                Fault(
                    message="no instance of a memory class in it: expected members such as DeviceLocator and Capacity",
                    where="line 1",
                    line=1,
                    column=1,
                )
            ],
        )
    missing = "only those with a module, and whether the others are empty it does not say"
    return replace(survey_of("cim", records, warnings, deadline, missing), usable_gib=usable)


def _usable_gib(o: _Object) -> float | None:
    """What its system can use: its whole memory, in bytes or kB by class."""
    for name, unit in (("totalvisiblememorysize", 1 << 20), ("totalphysicalmemory", 1 << 30)):
        if (n := whole(o.get(name, ""), 18)) and n:
            return round(n / unit, 3)
    return None


# -- objects --------------------------------------------------------------------------------------------


def _objects(text: str, deadline: Deadline, warnings: list[Warning]) -> Iterator[tuple[int, _Object]]:
    """(line that it begins at, its members by name, unfilled ones left out)"""
    if re.match(r"\s{0,4096}[\[{]", text):
        yield from ((1, o) for o in _of_json(load_json(text.encode(), deadline)))
        return
    lines = [(n, line.rstrip()) for n, line in islice(numbered_lines(text, deadline), _MAX_LINES)]
    if len(lines) == _MAX_LINES:
        warnings.append(Warning(f"line {_MAX_LINES}", "more lines than a machine prints; the rest is left out"))
    at = 0
    while at < len(lines):
        number, line = lines[at]
        deadline.check(f"line {number}")
        if columns := _csv_head(line):
            at = yield from _csv_rows(lines, at, columns)
        elif columns := _table_head(line):
            at = yield from _table_rows(lines, at)
        else:
            at = yield from _list(lines, at)


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.lower())


def _filled(pairs: Iterable[tuple[str, str]]) -> _Object:
    found: _Object = {}
    for name, value in pairs:
        # Of what is bracketed the system prints "{…}": a list of one.
        value = value.strip().strip('"').strip("{}").strip()
        if value:
            found.setdefault(_plain(name), value)
    return found


def _of_json(value: object) -> Iterator[_Object]:
    for one in objects(value):
        plain = {str(k): v for k, v in one.items() if isinstance(v, str | int | float) and not isinstance(v, bool)}
        if {_plain(k) for k in plain} & _KNOWN:
            yield _filled((k, str(v)) for k, v in plain.items())


def _csv_head(line: str) -> list[str] | None:
    """The names of a table of comma, semicolon or tab separated values, where the line is its head."""
    for mark in ",;\t":
        if mark in line:
            names = [_plain(c) for c in _cells(line, mark)]
            if len(set(names) & _KNOWN) > 1 and all(names):
                return names
    return None


def _cells(line: str, mark: str) -> list[str]:
    return next(csv.reader(io.StringIO(line), delimiter=mark), [])


def _csv_rows(lines: Sequence[tuple[int, str]], at: int, names: list[str]) -> _Found:
    mark = next(m for m in ",;\t" if m in lines[at][1] and len(_cells(lines[at][1], m)) == len(names))
    at += 1
    while at < len(lines) and mark in lines[at][1]:
        number, line = lines[at]
        if _csv_head(line):
            return at
        yield number, _filled(zip(names, _cells(line, mark), strict=False))
        at += 1
    return at


def _table_head(line: str) -> list[str] | None:
    """The names of a table in columns of a fixed width, where the line is its head: known names and nothing else between them."""
    names = line.split()
    if line.strip().lower() == "capacity":
        return names
    known = [n for n in names if _plain(n) in _KNOWN or _plain(n) in _GIB]
    return names if len(known) > 1 and len(known) >= 0.6 * len(names) and ":" not in line and "=" not in line else None


def _table_rows(lines: Sequence[tuple[int, str]], at: int) -> _Found:
    head = lines[at][1]
    rows: list[tuple[int, str]] = []
    end = at + 1
    while (
        end < len(lines)
        and (lines[end][1].strip() or not rows)
        and not _PAIR.match(lines[end][1])
        and end - at < MAX_RECORDS
    ):
        if not re.fullmatch(r"[\s-]*", lines[end][1]):
            rows.append(lines[end])
        end += 1
    spans = columns_of(head, [line for _, line in rows])
    for number, line in rows:
        # What did not fit its column is cut: a part of a number is none.
        yield (
            number,
            _filled(
                (head[a:b], "" if line[x:y].rstrip().endswith(("…", "...")) else line[x:y]) for (a, b), (x, y) in spans
            ),
        )
    return end


def _list(lines: Sequence[tuple[int, str]], at: int) -> _Found:
    """Names and values a line, an object till a blank line or a name that comes again."""
    first, pairs = at, list[tuple[str, str]]()
    seen: set[str] = set()
    began = lines[at][0]
    while at < len(lines):
        number, line = lines[at]
        bare = re.sub(r"^[\s>|]+", "", line)
        match = _PAIR.match(bare)
        if not bare or (match and _plain(match[1]) in seen) or (not match and (_csv_head(line) or _table_head(line))):
            break
        if match:
            began = began if pairs else number
            pairs.append((match[1], match[2]))
            seen.add(_plain(match[1]))
        at += 1
    if pairs:
        yield began, _filled(pairs)
    return max(at, first + 1)


# -- records --------------------------------------------------------------------------------------------


def _records(number: int, o: _Object, warnings: list[Warning]) -> Iterator[tuple[int, Record]]:
    """What an object is, as records of DSP0134's structures."""
    gib = next((g for n in _GIB if (g := _decimal(o.get(n, "")))), None)
    size = whole(o.get("capacity", ""), 18)
    if "capacity" in o and size is None and (gib := _decimal(o["capacity"])) is None:
        warnings.append(
            Warning(f"line {number}", f"capacity “{o['capacity'][:40]}” is no number of bytes; left unknown")
        )
    if size is not None and size < 1 << 20 and "capacity" in o:
        # Somebody divided it: bytes of a module are never so few.
        gib, size = float(size), None
    # One object is one thing, but for what somebody put together of a system and its firmware.
    if "devicelocator" in o or size or gib or ("banklabel" in o and "partnumber" in o):
        yield codes.MEMORY_DEVICE, _device(o, size / (1 << 20) if size else gib * 1024 if gib else None)
    elif "memorydevices" in o or "maxcapacity" in o or "maxcapacityex" in o:
        most = whole(o.get("maxcapacityex", ""), 18) or whole(o.get("maxcapacity", ""), 18)
        yield (
            codes.MEMORY_ARRAY,
            {
                "Use": codes.ARRAY_USES.get(whole(o.get("use", "")) or 0),
                "Maximum Capacity": most / (1 << 20) if most else None,
                "Number Of Devices": whole(o.get("memorydevices", "")),
                "Error Correction Type": _ECC.get(whole(o.get("memoryerrorcorrection", "")) or 0),
            },
        )
    elif "socketdesignation" in o or "numberofcores" in o:
        yield (
            codes.PROCESSOR,
            {
                "Socket Designation": told(o.get("socketdesignation")),
                "Version": told(o.get("name")),
                "Core Count": whole(o.get("numberofcores", "")),
                "Populated": True,
            },
        )
    elif "smbiosbiosversion" in o:
        yield (
            codes.BIOS,
            {
                "Vendor": told(o.get("manufacturer")),
                "Version": told(o["smbiosbiosversion"]),
                "Release Date": told(o.get("releasedate")),
            },
        )
        if serial := told(o.get("serialnumber")):
            yield codes.CHASSIS, {"Serial Number": serial}
    if "model" in o and ("manufacturer" in o or "totalphysicalmemory" in o):
        yield codes.SYSTEM, {"Manufacturer": told(o.get("manufacturer")), "Product Name": told(o["model"])}


def _device(o: _Object, size_mib: float | None) -> Record:
    def number(name: str) -> int | None:
        return whole(o.get(name, "")) or None

    kind = codes.MEMORY_TYPES.get(number("smbiosmemorytype") or 0) or _TYPES.get(number("memorytype") or 0)
    detail, ranks = number("typedetail") or 0, (number("attributes") or 0) & 0x0F
    record: Record = {
        "Locator": o.get("devicelocator"),
        "Bank Locator": o.get("banklabel"),
        "Manufacturer": o.get("manufacturer"),
        "Part Number": o.get("partnumber"),
        "Serial Number": o.get("serialnumber"),
        "Speed": number("speed"),
        "Configured Memory Speed": number("configuredclockspeed"),
        "Form Factor": _FORMS.get(number("formfactor") or 0),
        "Type": None if kind in ("Other", "Unknown") else kind,
        "Type Detail": " ".join(word for bit, word in codes.TYPE_DETAILS.items() if detail >> bit & 1),
        "Total Width": number("totalwidth"),
        "Data Width": number("datawidth"),
        "Rank": ranks or None,
        **{
            theirs: volts / 1000
            for ours, theirs in (("minvoltage", "Minimum Voltage"), ("maxvoltage", "Maximum Voltage"), ("configuredvoltage", "Configured Voltage"))
            if (volts := number(ours))
        },
    }  # fmt: skip
    if size_mib is not None:
        record["Size"] = int(size_mib) if size_mib == int(size_mib) else size_mib
    return {k: v for k, v in record.items() if v is not None}


_DECIMAL = re.compile(r"\s*([0-9]{1,6}(?:[.,][0-9]{1,4})?)\s*(?:G(?:i?B)?)?\s*$", re.I)


def _decimal(text: str) -> float | None:
    match = _DECIMAL.match(text)
    return float(match[1].replace(",", ".")) or None if match else None
