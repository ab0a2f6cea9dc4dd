"""The memory section of a profiler's report (`system_profiler SPMemoryDataType`): as text, JSON or plist XML."""

from __future__ import annotations

import re
from collections.abc import Iterator

from umbrak.core.platform.survey import SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.json_text import load_json, objects
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.listing import size_mib
from umbrak.formats.smbios.survey import survey_of
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines, whole

_SECTION = "SPMemoryDataType"
_SLOT = re.compile(r"^[\s>|]*((?:BANK|DIMM|SODIMM|Slot|Memory Module|Riser)\b[^:]{0,60}):\s*$", re.I)
_PAIR = re.compile(r"^[\s>|]*([A-Za-z][A-Za-z ]{1,30}):\s+(\S.*)$")
#: Keys of JSON and plist -> what text calls them.
_KEYS = {
    "dimm_size": "size", "dimm_type": "type", "dimm_speed": "speed", "dimm_status": "status", "dimm_manufacturer": "manufacturer",
    "dimm_part_number": "part number", "dimm_serial_number": "serial number",
}  # fmt: skip
_XML_PAIR = re.compile(r"<key>([^<]{1,80})</key>\s*<string>([^<]{0,200})</string>")
_Slot = dict[str, str]


def looks_like_profiler(text: str) -> bool:
    head = text[:100_000]
    told = _SECTION in head or "dimm_size" in head
    return told or bool(re.search(r"^[ \t>|]{0,40}Memory Slots:\s*$", head, re.M))


def read_profiler(text: str, deadline: Deadline) -> SurveyReading:
    """What its slots hold. Raises InputError when none is in it, too large, too slow."""
    check_size(len(text), "characters")
    slots = list(_slots(text, deadline))[:MAX_RECORDS]
    if not slots:
        said = "no slot of memory in it: expected “BANK 0/DIMM0:” or keys such as dimm_size"
        raise InputError("not-a-listing", [Fault(message=said, where="line 1", line=1, column=1)])
    warnings: list[Warning] = []
    records = [(codes.MEMORY_DEVICE, _device(s, warnings)) for s in slots]
    return survey_of("profiler", records, warnings, deadline)


def _slots(text: str, deadline: Deadline) -> Iterator[_Slot]:
    if re.match(r"\s{0,4096}[\[{]", text):
        for one in objects(load_json(text.encode(), deadline)):
            if "dimm_size" in one:
                told = {_KEYS[k]: str(v) for k, v in one.items() if k in _KEYS}
                yield {"name": str(one.get("_name", "")), **told}
    elif "<key>" in text[:100_000]:
        yield from _of_plist(text)
    else:
        yield from _of_text(text, deadline)


def _of_plist(text: str) -> Iterator[_Slot]:
    """A slot's keys stand together, its name among them; XML's own marks are read as they are: nothing is fetched or expanded."""
    for block in re.split(r"</dict>", text):
        pairs = dict(_XML_PAIR.findall(block))
        if "dimm_size" in pairs:
            yield {"name": pairs.get("_name", ""), **{_KEYS[k]: v for k, v in pairs.items() if k in _KEYS}}


def _of_text(text: str, deadline: Deadline) -> Iterator[_Slot]:
    slot: _Slot | None = None
    for _, line in numbered_lines(text, deadline):
        if match := _SLOT.match(line):
            if slot is not None:
                yield slot
            slot = {"name": match[1].strip()}
        elif slot is not None and (match := _PAIR.match(line)):
            slot.setdefault(match[1].strip().lower(), match[2].strip())
    if slot is not None:
        yield slot


def _device(slot: _Slot, warnings: list[Warning]) -> Record:
    bank, _, locator = slot["name"].rpartition("/")
    kind = re.match(r"\s*((?:LP)?DDR\d)", slot.get("type", ""), re.I)
    status = slot.get("status", "").casefold()
    if status not in ("", "ok", "empty", "dimm_ok"):
        warnings.append(Warning(f"slot {slot['name']}", f"its machine says of it: {slot['status']}"))
    record: Record = {
        "Locator": locator or slot["name"],
        "Bank Locator": bank or None,
        "Size": size_mib("empty" if "empty" in slot.get("size", "").casefold() else slot.get("size", "")),
        "Type": kind[1].upper() if kind else None,
        "Speed": whole(slot.get("speed", "")),
        "Manufacturer": slot.get("manufacturer"),
        "Part Number": _spelt(slot.get("part number")),
        "Serial Number": _bare(slot.get("serial number")),
    }
    return {k: v for k, v in record.items() if v is not None or k == "Size"}


def _bare(number: str | None) -> str | None:
    return re.sub(r"^0x", "", number, flags=re.I) if number else None


def _spelt(number: str | None) -> str | None:
    """A part number that is told by the figures of its characters: "0x4D34…"."""
    match = re.fullmatch(r"0x((?:[0-9A-F]{2}){4,40})", number or "", re.I)
    if not match:
        return number
    text = bytes.fromhex(match[1]).decode("latin-1").strip(" \0\xff")
    return text if text.isprintable() and text.isascii() else None
