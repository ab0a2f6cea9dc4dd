"""What an appliance tells by SNMP: sysDescr (RFC 3418), the memory totals of HOST-RESOURCES-MIB (RFC 2790), and its
modules where they are listed as physical entities (ENTITY-MIB, RFC 6933).

As text, a line an object: ".1.3.6.1.2.1.25.2.2.0 = INTEGER: 16218116", the way command-line programs print a walk.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from umbrak.core.platform.survey import SurveyReading, SystemFacts, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.entities import COLUMNS, ENTITY, modules_of
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.placeholders import told
from umbrak.formats.text import numbered_lines

SYS_DESCR, SYS_NAME = "1.3.6.1.2.1.1.1.0", "1.3.6.1.2.1.1.5.0"
#: hrMemorySize: "the amount of physical read-write main memory, typically RAM", in KBytes.
HR_MEMORY_SIZE = "1.3.6.1.2.1.25.2.2.0"
#: hrStorageTable: type, allocation units [bytes], size and used [units].
HR_STORAGE = "1.3.6.1.2.1.25.2.3.1"
HR_STORAGE_RAM = "1.3.6.1.2.1.25.2.1.2"
#: Hashes that a user of v3 may be known by -> the protocol (RFC 3414; RFC 7860).
AUTHENTICATIONS = {
    "SHA": "HMAC96_SHA",
    "SHA-224": "HMAC128_SHA224",
    "SHA-256": "HMAC192_SHA256",
    "SHA-384": "HMAC256_SHA384",
    "SHA-512": "HMAC384_SHA512",
}
#: An Integer32 in kB cannot say more than 2 TiB.
_MOST_KB = (1 << 31) - 1

_LINE = re.compile(r"^\.?((?:\d{1,10}\.){1,127}\d{1,10})\s*=\s*(?:([A-Za-z][\w-]{0,40})\s*:\s*)?(.*)$")
#: The same objects by the names of their modules, as clients print them: after "::", or alone, the instance behind.
_NAMES = {
    "sysDescr": "1.3.6.1.2.1.1.1", "sysName": "1.3.6.1.2.1.1.5", "hrMemorySize": "1.3.6.1.2.1.25.2.2",
    "hrStorageType": f"{HR_STORAGE}.2", "hrStorageDescr": f"{HR_STORAGE}.3", "hrStorageAllocationUnits": f"{HR_STORAGE}.4",
    "hrStorageSize": f"{HR_STORAGE}.5", "hrStorageUsed": f"{HR_STORAGE}.6",
    **{name: f"{ENTITY}.{number}" for name, number in COLUMNS.items()},
}  # fmt: skip
_NAMED = re.compile(
    rf"^\.?(?:iso\.(?:org\.dod\.internet\.)?[a-z0-9.-]*?|[A-Z][\w-]{{0,40}}::)?({'|'.join(_NAMES)})((?:\.\d{{1,10}}){{1,4}})\s*=",
    re.I,
)
_ISO = re.compile(r"^\.?iso\.(?=\d)")
_RAM = re.compile(r"(?:[A-Z][\w-]{0,40}::)?hrStorageRam\b")
#: What is kept of a walk.
_KEPT = ("1.3.6.1.2.1.1.", "1.3.6.1.2.1.25.2.", f"{ENTITY}.")
_MAX_OBJECTS, _MAX_VALUE = 20_000, 1000


def looks_like_snmp(text: str) -> bool:
    head = text[:20_000]
    return bool(
        re.search(r"^\.?(?:1|iso)\.3\.6\.1\.[\d.]+\s*=", head, re.M)
        or re.search(rf"\b(?:{'|'.join(_NAMES)})\.\d+\s*=", head)
    )


def write_snmp(values: Mapping[str, int | str]) -> bytes:
    """Objects as text: numbers as INTEGER, the rest as STRING (object identifiers begin with a dot)."""
    lines = []
    for oid, value in values.items():
        kind = "INTEGER" if isinstance(value, int) else "OID" if value.startswith(".1.") else "STRING"
        lines.append(f".{oid} = {kind}: " + str(value).replace("\r", " ").replace("\n", " "))
    return ("\n".join(lines) + "\n").encode()


def read_snmp(text: str, deadline: Deadline) -> SurveyReading:
    """What the objects tell. Raises InputError when none of those read here is among them, too large, too slow."""
    check_size(len(text), "characters")
    values: dict[str, str] = {}
    warnings: list[Warning] = []
    for number, whole_line in numbered_lines(text, deadline):
        line = _numeric(whole_line.strip())
        # A walk has thousands of objects beside the few that are kept.
        if (match := _LINE.match(line.strip())) and match[1].startswith(_KEPT):
            values.setdefault(match[1], match[3].strip().strip('"')[:_MAX_VALUE])
            if len(values) >= _MAX_OBJECTS:
                warnings.append(Warning(f"line {number}", f"more than {_MAX_OBJECTS} objects; the rest is left out"))
                break
    description, usable = told(values.get(SYS_DESCR)), _usable_gib(values, warnings)
    slots = modules_of(values, warnings)
    if description is None and usable is None and not slots:
        raise InputError(
            "not-snmp",
            [
                Fault(
                    message="neither sysDescr (1.3.6.1.2.1.1.1.0) nor hrMemorySize (1.3.6.1.2.1.25.2.2.0) in it, and no memory module "
                    f"among physical entities ({ENTITY})",
                    where="line 1",
                    line=1,
                    column=1,
                )
            ],
        )
    return SurveyReading(
        kind="snmp",
        system=SystemFacts(model=told(values.get(SYS_NAME))),
        slots=slots,
        warnings=tuple(warnings),
        description=description,
        usable_gib=usable,
        used_gib=_ram_gib(values, 6, warnings),
    )


def _numeric(line: str) -> str:
    """A line of a walk with its object by number, however the client printed it."""
    if match := _NAMED.match(line):
        name = next(n for n in _NAMES if n.casefold() == match[1].casefold())
        line = f".{_NAMES[name]}{match[2]} ={line[match.end() :]}"
    return _RAM.sub(f".{HR_STORAGE_RAM}", _ISO.sub(".1.", line))


def _usable_gib(values: Mapping[str, str], warnings: list[Warning]) -> float | None:
    """hrMemorySize, or where it is not told the storage of the kind RAM."""
    kb = _number(values, HR_MEMORY_SIZE, warnings)
    if kb is not None:
        if kb >= _MOST_KB:
            warnings.append(Warning(HR_MEMORY_SIZE, "2 TiB is the most that it can say: the total stays unknown"))
            return None
        return kb / (1 << 20)
    return _ram_gib(values, 5, warnings)


def _ram_gib(values: Mapping[str, str], column: int, warnings: list[Warning]) -> float | None:
    """A column of the one storage that is RAM: 5 = its size, 6 = what of it is used."""
    rows = [
        oid.rsplit(".", 1)[1]
        for oid, value in values.items()
        if oid.startswith(f"{HR_STORAGE}.2.") and value.lstrip(".") == HR_STORAGE_RAM
    ]
    if len(rows) != 1:
        return None
    units, size = (_number(values, f"{HR_STORAGE}.{c}.{rows[0]}", warnings) for c in (4, column))
    return units * size / (1 << 30) if units and size else None


def _number(values: Mapping[str, str], oid: str, warnings: list[Warning]) -> int | None:
    text = values.get(oid)
    match = re.match(r"(\d{1,12})\b", text) if text is not None else None
    if text is not None and not (match and int(match[1])):
        warnings.append(Warning(oid, f"a number above nought was expected, found “{text[:40]}”"))
    return int(match[1]) or None if match else None
