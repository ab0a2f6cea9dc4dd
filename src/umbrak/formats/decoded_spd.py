"""SPD contents as `decode-dimms` prints them: a block a module, name and value two spaces apart."""

from __future__ import annotations

import re

from umbrak.core.platform.survey import SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.listing import size_mib
from umbrak.formats.smbios.survey import survey_of
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines, whole

_BEGINS = re.compile(r"^[\s>|]*Decoding EEPROM:?\s*(\S.*)?$", re.I)
_PAIR = re.compile(r"^[\s>|]*(\S(?:[^\s]| (?! ))*)\s{2,}(\S.*)$")
_DETAILS = (
    ("LRDIMM", "LRDIMM"),
    ("RDIMM", "Registered (Buffered)"),
    ("UDIMM", "Unbuffered (Unregistered)"),
    ("SO-DIMM", "Unbuffered (Unregistered)"),
)


def looks_like_decoded_spd(text: str) -> bool:
    head = text[:100_000]
    return bool(re.search(r"^[ \t>|]{0,40}(?:Decoding EEPROM|Fundamental Memory type)\b", head, re.M | re.I))


def read_decoded_spd(text: str, deadline: Deadline) -> SurveyReading:
    """What its modules are. Raises InputError when none is in it, too large, too slow."""
    check_size(len(text), "characters")
    blocks: list[dict[str, str]] = []
    for _, line in numbered_lines(text, deadline):
        if match := _BEGINS.match(line):
            blocks.append({"eeprom": (match[1] or "").strip()})
        elif match := _PAIR.match(line):
            name = match[1].strip().lower().rstrip(":")
            if not blocks or (name == "fundamental memory type" and name in blocks[-1]):
                blocks.append({})
            blocks[-1].setdefault(name, match[2].strip())
        if len(blocks) > MAX_RECORDS:
            break
    modules = [b for b in blocks if "fundamental memory type" in b]
    if not modules:
        raise InputError("not-a-listing", [Fault(message="no decoded SPD in it: expected “Fundamental Memory type”", where="line 1", line=1, column=1)])  # fmt: skip
    warnings: list[Warning] = []
    for b in modules:
        crc = next((v for n, v in b.items() if "crc" in n or "checksum" in n), "")
        if re.search(r"not ok|invalid|bad|\bno\b", crc, re.I):
            warnings.append(Warning(_place(b), f"the checksum of its SPD is wrong ({crc[:60]})"))
    return survey_of("decode-dimms", [(codes.MEMORY_DEVICE, _device(b)) for b in modules], warnings, deadline)


def _place(b: dict[str, str]) -> str:
    guessed = re.search(r"bank\s+(\d+)", b.get("guessing dimm is in", ""), re.I)
    return f"bank {guessed[1]}" if guessed else b.get("eeprom", "") or "a module"


def _device(b: dict[str, str]) -> Record:
    kind = re.search(r"\b((?:LP)?DDR\d?)\b", b["fundamental memory type"], re.I)
    form = b.get("module type", "")
    data, extra = whole(b.get("primary bus width", "")), whole(b.get("bus width extension", ""))
    rate = re.match(r"\s*(\d{3,5})\s*(MT/s|MHz)", b.get("maximum module speed", ""))
    volts = [float(v) for v in re.findall(r"\b(1\.\d{1,3})\s*V", " ".join(v for n, v in b.items() if "voltage" in n))]
    serial = re.match(r"0x([0-9A-F]+)$", b.get("assembly serial number", ""), re.I)
    record: Record = {
        "Locator": _place(b),
        "Size": size_mib(b.get("size", "")),
        "Type": (kind[1].upper() if kind else None),
        "Form Factor": "SODIMM"
        if re.search("SO-?(?:R|U)?DIMM", form, re.I)
        else "DIMM"
        if "DIMM" in form.upper()
        else None,
        "Type Detail": next((words for mark, words in _DETAILS if mark in form.upper()), ""),
        "Rank": whole(b.get("ranks", "") or b.get("number of ranks", "")),
        "Data Width": data,
        "Total Width": data + (extra or 0) if data is not None else None,
        "Speed": int(rate[1]) if rate else None,
        "Speed Unit": rate[2] if rate else None,
        "Manufacturer": b.get("module manufacturer"),
        "Part Number": b.get("part number"),
        "Serial Number": serial[1] if serial else b.get("assembly serial number"),
    }
    if volts:
        record |= {"Minimum Voltage": min(volts), "Maximum Voltage": max(volts)}
    return {k: v for k, v in record.items() if v is not None or k == "Size"}
