"""Inventories that a management controller keeps (`ipmitool fru`): the machine's own names, and memory modules by their slots."""

from __future__ import annotations

import re

from umbrak.core.platform.survey import SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.listing import size_mib
from umbrak.formats.smbios.survey import survey_of
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines

_HEAD = re.compile(r"^[\s>|]*FRU Device Description\s*:(.*)$", re.I)
_ID = re.compile(r"\(ID \d{1,5}\)$", re.I)
_PAIR = re.compile(r"^[\s>|]*([A-Z][\w /]{1,40}?)\s*:\s*(.*)$")
_MEMORY = re.compile(r"\bDIMM|\bMEM|DDR\d", re.I)


def looks_like_fru(text: str) -> bool:
    return bool(re.search(r"^[ \t>|]{0,40}FRU Device Description\s*:", text[:100_000], re.M | re.I))


def read_fru(text: str, deadline: Deadline) -> SurveyReading:
    """What the inventories tell. Raises InputError when there is none in it, too large, too slow."""
    check_size(len(text), "characters")
    records: list[tuple[int, Record]] = []
    warnings: list[Warning] = []
    name, told = "", dict[str, str]()
    for number, line in numbered_lines(text, deadline):
        if match := _HEAD.match(line):
            records += _records(name, told)
            name, told = _ID.sub("", match[1].strip())[:200].strip(), {}
        elif name and "not present" in line:
            # The record is not there: an empty slot, or a controller that could not read it.
            told["unread"] = line.strip()
        elif name and (match := _PAIR.match(line)):
            told.setdefault(match[1].strip().lower(), match[2].strip())
        if len(records) > MAX_RECORDS:
            warnings.append(Warning(f"line {number}", f"more than {MAX_RECORDS} inventories; the rest is left out"))
            break
    records += _records(name, told)
    if not records:
        said = "no inventory of the machine or of a module in it: expected “FRU Device Description”"
        raise InputError("not-a-listing", [Fault(message=said, where="line 1", line=1, column=1)])
    return survey_of("fru", records, warnings, deadline)


def _records(name: str, told: dict[str, str]) -> list[tuple[int, Record]]:
    if not name:
        return []
    if "memory size" in told or (_MEMORY.search(name) and "chassis serial" not in told):
        return [(codes.MEMORY_DEVICE, _device(name, told))] if told else []
    product = {
        "Manufacturer": told.get("product manufacturer") or told.get("board mfg"),
        "Product Name": told.get("product name") or told.get("board product"),
        "Serial Number": told.get("product serial") or told.get("chassis serial"),
    }
    # Supplies, fans and boards have inventories too: the machine's own is the builtin one.
    return (
        [(codes.SYSTEM, dict(product))]
        if any(product.values()) and re.search("builtin|system|chassis|mainboard", name, re.I)
        else []
    )


def _device(name: str, told: dict[str, str]) -> Record:
    words = " ".join((name, told.get("product name", ""), told.get("memory type", "")))
    kind = re.search(r"\b(DDR[2-5])", words, re.I)
    size = told.get("memory size") or (found[0] if (found := re.search(r"\b\d{1,4}\s?GB\b", words)) else "")
    record: Record = {
        "Locator": re.sub(r"\s*\bSPD\b\s*", "", name).strip(),
        "Size": size_mib(size),
        "Type": kind[1].upper() if kind else None,
        "Manufacturer": told.get("manufacturer") or told.get("product manufacturer") or told.get("board mfg"),
        "Part Number": told.get("part number") or told.get("product part number") or told.get("board part number"),
        "Serial Number": told.get("serial number") or told.get("product serial") or told.get("board serial"),
    }
    return {k: v for k, v in record.items() if v is not None or k == "Size"}
