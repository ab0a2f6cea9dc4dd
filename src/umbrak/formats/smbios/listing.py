"""The text listing of SMBIOS tables, as administrators paste it.

Several versions' wordings, indentation lost in a mail, quoting marks, partial pastes: a structure begins
at its handle line, or at its title where handle lines are missing; inside it every line is "name: value".
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from itertools import chain

from umbrak.core.memory.module import MakerCode
from umbrak.core.platform.survey import Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.placeholders import told
from umbrak.formats.smbios import coded, codes
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines, whole

_HANDLE = re.compile(r"Handle\s+(0x[0-9A-F]{1,8})\s*,\s*DMI type\s+(\d{1,3})\b", re.I)
_TITLES = {title.lower(): kind for kind, title in codes.TITLES.items()}
#: Titles of structures that are not read, where their handle line is missing too.
_OTHER_TITLE = re.compile(
    r"(?:Cache|Port Connector|System Slot|System Boot|On ?Board Device|Memory Device Mapped|"
    r"OEM Strings|OEM-specific|IPMI|Management|Temperature|Voltage|Cooling|System Power|TPM|End Of Table|BIOS Language|"
    r"System Configuration|System Event|Group Associations|Electrical|Portable|Built-in|Hardware Security|Inactive)\b[^:]*",
    re.I,
)


def _text(value: str) -> str | None:
    return told(value)


def _whole(value: str) -> int | None:
    return whole(value) or None


def _handle(value: str) -> int | None:
    match = re.match(r"\s*0x([0-9A-F]{1,4})\b", value, re.I)
    return int(match[1], 16) if match else None


def _address(value: str) -> int | None:
    match = re.match(r"\s*0x([0-9A-F]{1,16})", value, re.I)
    return int(match[1], 16) if match else None


def _volts(value: str) -> float | None:
    match = re.match(r"\s*(\d{1,4}(?:[.,]\d{1,6})?)\s*V", value)
    return float(match[1].replace(",", ".")) or None if match else None


def _maker_id(value: str) -> MakerCode | None:
    match = re.match(r"\s*Bank\s+(\d{1,3})\s*,\s*Hex\s+0x([0-9A-F]{2})\b", value, re.I)
    code = int(match[2], 16) & 0x7F if match else 0
    return MakerCode(int(match[1]), code) if match and code else None


_UNITS_MIB = {"kb": 1 / 1024, "mb": 1, "gb": 1024, "tb": 1 << 20}


def size_mib(value: str) -> float | None:
    """A size [MiB]; 0 for a slot said to be empty, None for unknown."""
    if re.search(r"no (?:module|memory)|not installed|empty", value, re.I):
        return 0
    match = re.match(r"\s*(\d{1,9}(?:\.\d{1,6})?)\s*(k|M|G|T)i?B", value, re.I)
    return float(match[1]) * _UNITS_MIB[match[2].lower() + "b"] if match else None


def _volatile_mib(value: str) -> float | None:
    return 0 if value.strip().lower() == "none" else size_mib(value)


def _gib(value: str) -> float | None:
    mib = size_mib(value)
    return mib / 1024 if mib else None


def _populated(value: str) -> bool | None:
    return False if re.search(r"unpopulated", value, re.I) else True if re.search(r"populated", value, re.I) else None


#: Structure type -> name of a line -> (name in the record, how its value reads).
_LINES: dict[int, dict[str, tuple[str, Callable[[str], object]]]] = {
    codes.BIOS: {"vendor": ("Vendor", _text), "version": ("Version", _text), "release date": ("Release Date", _text)},
    codes.SYSTEM: {
        "manufacturer": ("Manufacturer", _text),
        "product name": ("Product Name", _text),
        "serial number": ("Serial Number", _text),
    },
    codes.BASE_BOARD: {
        "manufacturer": ("Manufacturer", _text),
        "product name": ("Product Name", _text),
        "serial number": ("Serial Number", _text),
    },
    codes.CHASSIS: {"serial number": ("Serial Number", _text)},
    codes.MAPPED_RANGE: {
        "starting address": ("Starting Address", _address),
        "range size": ("Range Size", _gib),
        "physical array handle": ("Array Handle", _handle),
    },
    codes.PROCESSOR: {
        "socket designation": ("Socket Designation", _text),
        "manufacturer": ("Manufacturer", _text),
        "version": ("Version", _text),
        "status": ("Populated", _populated),
        "core count": ("Core Count", _whole),
    },
    codes.MEMORY_ARRAY: {
        "use": ("Use", _text),
        "error correction type": ("Error Correction Type", str.strip),
        "maximum capacity": ("Maximum Capacity", _gib),
        "number of devices": ("Number Of Devices", _whole),
    },
    codes.MEMORY_DEVICE: {
        "array handle": ("Array Handle", _handle),
        "total width": ("Total Width", _whole),
        "data width": ("Data Width", _whole),
        "size": ("Size", size_mib),
        "form factor": ("Form Factor", _text),
        "locator": ("Locator", _text),
        "bank locator": ("Bank Locator", _text),
        "type": ("Type", _text),
        "type detail": ("Type Detail", str.strip),
        "speed": ("Speed", _whole),
        "manufacturer": ("Manufacturer", _text),
        "module manufacturer id": ("Module Manufacturer ID", _maker_id),
        "serial number": ("Serial Number", _text),
        "part number": ("Part Number", _text),
        "rank": ("Rank", _whole),
        "configured clock speed": ("Configured Memory Speed", _whole),
        "configured memory speed": ("Configured Memory Speed", _whole),
        "current speed": ("Configured Memory Speed", _whole),
        "minimum voltage": ("Minimum Voltage", _volts),
        "maximum voltage": ("Maximum Voltage", _volts),
        "configured voltage": ("Configured Voltage", _volts),
        "memory technology": ("Memory Technology", _text),
        "volatile size": ("Volatile Size", _volatile_mib),
    },
}
#: Lines that listings have and that tell nothing we use.
_IGNORED = {
    codes.MEMORY_ARRAY: {"location", "error information handle"},
    codes.MEMORY_DEVICE: {
        "error information handle", "set", "asset tag", "memory operating mode capability",
        "firmware version", "module product id", "memory subsystem controller manufacturer id",
        "memory subsystem controller product id", "non-volatile size", "cache size", "logical size", "rmw",
        "pmic0 manufacturer id", "pmic0 revision number", "rcd manufacturer id", "rcd revision number",
    },
}  # fmt: skip


#: A title on a line of its own, whatever a mail put before it.
_TITLE_LINE = re.compile(
    rf"^[^\w\n]{{0,40}}(?:{'|'.join(re.escape(t) for t in codes.TITLES.values())})[ \t\r]{{0,40}}$", re.I | re.M
)


def looks_like_listing(text: str) -> bool:
    head = text[:200_000]
    return bool(
        _HANDLE.search(head)
        or coded.looks_coded(head)
        or _TITLE_LINE.search(head)
        or (_SIZES.search(head) and _LOCATORS.search(head))
    )


#: Lines that are left where a listing was cut down to them; the first of a device is its size.
_SIZES = re.compile(r"^[ \t>|]{0,40}Size: (?:\d{1,9} [kMGT]?B|No Module Installed)", re.M)
_LOCATORS = re.compile(r"^[ \t>|]{0,40}Locator: \S", re.M)
_LOOSE = (
    "size",
    "locator",
    "bank locator",
    "type",
    "speed",
    "manufacturer",
    "serial number",
    "part number",
    "form factor",
    "rank",
)


def decode_listing(text: str, deadline: Deadline) -> tuple[list[tuple[int, Record]], list[Warning]]:
    """Records of the structures that matter, in order, and what could not be read, by line.

    Raises
        InputError   too large, too slow, or nothing in it is such a listing (it says what was expected)
    """
    check_size(len(text), "characters")
    reader, first = _Reader(), ""
    for number, line in numbered_lines(text, deadline):
        first = first or line.strip()
        reader.line(number, line)
        if len(reader.records) >= MAX_RECORDS:
            reader.warnings.append(
                Warning(f"line {number}", f"more than {MAX_RECORDS} structures; the rest is left out")
            )
            break
    if reader.untitled:
        reader.settle()
    reader.close(cut=not text.endswith(("\n", "\r")) or reader.open_is_short())
    if not reader.records:
        raise InputError(
            "not-a-listing",
            [
                Fault(
                    message=f"no SMBIOS structure in it: expected lines such as “Handle 0x0011, DMI type 17” or “Memory Device”, found “{first[:60]}”",
                    where="line 1",
                    line=1,
                    column=1,
                )
            ],
        )
    return reader.records, reader.warnings


#: A line that stands alone: its number, its member and what that is.
_Loose = tuple[int, str, str]


def _searches(rows: Sequence[_Loose]) -> list[Sequence[_Loose]]:
    """Lines parted where none of the members before comes again."""
    last = {name: at for at, (_, name, _) in enumerate(rows)}
    cuts, reach = [0], -1
    for at, (_, name, _) in enumerate(rows):
        if 0 <= reach < at:
            cuts.append(at)
        reach = max(reach, last[name])
    return [rows[a:b] for a, b in zip(cuts, [*cuts[1:], len(rows)], strict=True)] if rows else []


def _in_turn(rows: Sequence[_Loose]) -> list[list[_Loose]]:
    """Lines as they come, by device: where its size or locator comes again another begins, or of what has neither its first."""
    names = {name for _, name, _ in rows}
    begins = names & {"size", "locator"} or {rows[0][1]}
    found: list[list[_Loose]] = []
    seen: set[str] = set()
    for row in rows:
        # Members before the first may be of anything.
        if row[1] in begins and (not found or row[1] in seen):
            found.append([])
            seen = set()
        if found:
            found[-1].append(row)
            seen.add(row[1])
    return found


class _Reader:
    def __init__(self) -> None:
        self.records: list[tuple[int, Record]] = []
        self.warnings: list[Warning] = []
        self.kind: int | None = None
        self.record: Record = {}
        self.began = 0
        self.handle: int | None = None
        #: A handle line has been read, and its title is still to come.
        self.title_due = False
        self.numbered = coded.Titles()
        #: Its lines are those of `coded`.
        self.coded = False
        self.strange: dict[str, int] = {}
        #: Neither a handle nor a title has been read: the listing may be cut down to some of its lines, which are these.
        self.untitled = True
        self.loose: list[_Loose] = []

    def line(self, number: int, line: str) -> None:
        bare = re.sub(r"^[\s>|]+", "", line).strip()
        if not bare:
            return
        if handle := _HANDLE.search(bare):
            self.settle()
            self.close()
            self.begin(int(handle[2]), number, _handle(handle[1]))
            self.title_due = True
            return
        if numbered := self.numbered.begun(bare):
            self.settle()
            self.close()
            self.coded = True
            if numbered[0] is not None:
                self.begin(numbered[0], number, numbered[1])
            return
        kind = _TITLES.get(bare.lower())
        if kind is not None:
            self.settle()
            if not (self.title_due and self.kind == kind):
                self.close()
                self.begin(kind, number)
            self.title_due = False
            return
        if _OTHER_TITLE.fullmatch(bare):
            if not self.title_due:
                self.close()
                self.kind = None
            self.title_due = False
            return
        name, colon, value = bare.partition(":")
        name = name.strip().lower()
        if colon and self.untitled and name in _LOOSE:
            if len(self.loose) < MAX_RECORDS * len(_LOOSE):
                self.loose.append((number, name, value))
        elif colon and self.kind in _LINES:
            for told_name, told_value in coded.members(self.kind, name, value) if self.coded else [(name, value)]:
                self.member(number, told_name, told_value)
        elif self.kind == codes.BIOS and bare.lower() == "system is a virtual machine":
            self.record["Virtual"] = True

    def settle(self) -> None:
        """Make devices of the lines that stand alone; what comes after them has titles."""
        self.untitled = False
        rows, self.loose = self.loose, []
        for group in self._devices(rows):
            self.close()
            for at, (number, name, value) in enumerate(group):
                if not at:
                    self.begin(codes.MEMORY_DEVICE, number)
                self.member(number, name, value)

    def _devices(self, rows: Sequence[_Loose]) -> list[list[_Loose]]:
        """Lines by device: as they come, or all sizes and then all locators, as searches one after another leave them."""
        searched = [_in_turn(part) for part in _searches(rows)]
        if not searched:
            return []
        first, *others = searched
        for other in others:
            if len(other) != len(first):
                said = f"{len(first)} lines of “{first[0][0][1]}” before it and {len(other)} from here on: which is whose is not told; left out from here"
                self.warnings.append(Warning(f"line {other[0][0][0]}", said))
                return first
        return [[*chain.from_iterable(parts)] for parts in zip(*searched, strict=True)]

    def begin(self, kind: int, number: int, handle: int | None = None) -> None:
        self.kind, self.record, self.began, self.handle = kind, {}, number, handle

    def member(self, number: int, name: str, value: str) -> None:
        lines = _LINES[self.kind or 0]
        if name in lines:
            key, read = lines[name]
            self.record.setdefault(key, read(value))
            if key == "Speed" and self.kind == codes.MEMORY_DEVICE:
                self.record.setdefault("Speed Unit", "MT/s" if "MT/s" in value else "MHz")
        elif self.kind in _IGNORED and name not in _IGNORED[self.kind] and name not in self.strange:
            self.strange[name] = number
            self.warnings.append(Warning(f"line {number}", f"field “{name}” is not known; left out"))

    def open_is_short(self) -> bool:
        """Whether the last structure lacks what every listing has near its end."""
        return self.kind == codes.MEMORY_DEVICE and "Size" in self.record and "Type" not in self.record

    def close(self, cut: bool = False) -> None:
        if self.kind in _LINES and self.record:
            self.records.append((self.kind or 0, {**self.record, "Handle": self.handle}))
            if self.kind == codes.MEMORY_DEVICE and "Size" not in self.record:
                self.warnings.append(
                    Warning(
                        f"line {self.began}",
                        "a memory device without a size: the listing is cut here; its slot stays unknown",
                    )
                )
            elif cut and self.open_is_short():
                self.warnings.append(
                    Warning(
                        f"line {self.began}", "the listing ends inside this memory device; what was read of it is kept"
                    )
                )
        elif self.kind == codes.MEMORY_DEVICE and not self.record:
            self.warnings.append(
                Warning(f"line {self.began}", "a memory device with nothing in it: the listing is cut here")
            )
        self.kind, self.record, self.title_due = None, {}, False
