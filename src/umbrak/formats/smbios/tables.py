"""SMBIOS tables, binary: the raw structure table, or a dump with its 32- or 64-bit entry point.

Structure header (6.1.2): offset 0 type, 1 length of the formatted part, 2 handle (word); after the
formatted part the strings, each ended by 00, the set ended by one more 00.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from umbrak.core.memory.module import MakerCode
from umbrak.core.platform.survey import Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.smbios import codes

#: A handle is a word: there cannot be more structures (6.1.2).
MAX_STRUCTURES = 1 << 16
#: Of structures that matter here; machines have a few hundred.
MAX_RECORDS = 8192
#: A string is named by one byte (6.1.3).
_MAX_STRINGS = 255
#: Longer ones than any reader keeps [bytes].
_MAX_STRING = 1024

Record = dict[str, object]


@dataclass(frozen=True, slots=True)
class Structure:
    """One structure: its formatted part (header included) and strings."""

    type: int
    handle: int
    offset: int
    data: bytes
    strings: tuple[str, ...]
    #: Numbers of strings that were asked for and are not there.
    missing: list[int] = field(default_factory=list)

    def number(self, offset: int, size: int) -> int | None:
        """The little-endian number at an offset; None where this structure is too short to have it."""
        if offset + size > len(self.data):
            return None
        return int.from_bytes(self.data[offset : offset + size], "little")

    def text(self, offset: int) -> str | None:
        index = self.number(offset, 1)
        if index and index > len(self.strings):
            self.missing.append(index)
        return self.strings[index - 1].strip() if index and index <= len(self.strings) else None


#: Types of DSP0134; from the latter on they are the makers' own (7).
_KNOWN_TYPES = frozenset({*range(47), 126, 127})
_FIRST_OF_MAKERS = 128
#: Types that every table has -> shortest formatted part in any version (7.1 to 7.5, 7.17, 7.18, 7.20).
_SHORTEST = {0: 0x12, 1: 0x08, 2: 0x08, 3: 0x09, 4: 0x1A, codes.MEMORY_ARRAY: 0x0F, codes.MEMORY_DEVICE: 0x15, 19: 0x0F}
#: Structures before one of those: a maker's own may stand first.
_MOST_BEFORE = 64
#: Between a structure and its end [bytes].
_MOST_OF_STRINGS = 4096


def looks_like_tables(data: bytes) -> bool:
    """Whether the bytes begin with an entry point, or with structures of which one is of a type that every table has, and has
    strings. Most binary files begin with what could be a structure's header; few go on so."""
    if data[:4] == b"_SM_" or data[:5] == b"_SM3_":
        return True
    offset = 0
    for _ in range(_MOST_BEFORE):
        if offset + 4 > len(data):
            return False
        kind, length = data[offset], data[offset + 1]
        if length < 4 or not (kind in _KNOWN_TYPES or kind >= _FIRST_OF_MAKERS):
            return False
        strings_at = offset + length
        closing = data.find(b"\0\0", strings_at, strings_at + _MOST_OF_STRINGS)
        strings = data[strings_at : closing if closing >= 0 else strings_at + _MOST_OF_STRINGS]
        if any(0 < byte < 0x20 for byte in strings):
            return False
        if kind in _SHORTEST:
            if length < _SHORTEST[kind]:
                return False
            if strings.strip(b"\0"):
                return True
        if closing < 0:
            return False
        offset = closing + 2
    return False


def decode_tables(data: bytes, deadline: Deadline) -> tuple[list[tuple[int, Record]], list[Warning]]:
    """Records of the structures that matter, in order, and what could not be read.

    Raises
        InputError   too large, too slow, or not one structure can be read
    """
    check_size(len(data))
    warnings: list[Warning] = []
    start, end = _table(data, warnings)
    records: list[tuple[int, Record]] = []
    handles: set[int] = set()
    count = 0
    for structure in _structures(data, start, end, warnings):
        count += 1
        if count % 512 == 0:
            deadline.check(f"byte {structure.offset}")
        if count > MAX_STRUCTURES or len(records) >= MAX_RECORDS:
            most = MAX_STRUCTURES if count > MAX_STRUCTURES else MAX_RECORDS
            warnings.append(Warning(f"byte {structure.offset}", f"more than {most} structures; the rest is left out"))
            break
        reader = _READERS.get(structure.type)
        if reader:
            records.append((structure.type, reader(structure)))
            warnings += (Warning(f"byte {structure.offset}", words) for words in _overlaps(structure, handles))
            handles.add(structure.handle)
            if structure.missing:
                said = f"structure 0x{structure.handle:04X} (type {structure.type}) names string {structure.missing[0]}, and has {len(structure.strings)}"
                warnings.append(Warning(f"byte {structure.offset}", said))
    told = _told_count(data)
    if told and count and told != count:
        warnings.append(Warning("the entry point", f"it tells {told} structures, and {count} are there"))
    if count == 0:
        raise InputError(
            "not-smbios",
            [Fault("no SMBIOS structure found; expected a table or a dump with its entry point", "byte 0")],
        )
    return records, warnings


#: Longest formatted part of a type in any version up to 3.7 (7.17, 7.18).
_LONGEST = {codes.MEMORY_ARRAY: 0x17, codes.MEMORY_DEVICE: 0x64}


def _overlaps(s: Structure, handles: set[int]) -> Iterator[str]:
    """What says that a structure lies over another one, in words; it is read all the same."""
    named = f"structure 0x{s.handle:04X} (type {s.type})"
    if s.handle in handles:
        yield f"{named} has a handle that another one has too: what refers to it may mean either"
    longest = _LONGEST.get(s.type)
    if longest and len(s.data) > longest and not any(s.strings):
        yield f"{named} says {len(s.data)} bytes, {longest} at most expected: it reaches over its own strings, or over the next one"


def _told_count(data: bytes) -> int | None:
    """How many structures the entry point tells (5.2.1); the one of 64 bits does not."""
    return int.from_bytes(data[28:30], "little") if data[:4] == b"_SM_" and len(data) >= 31 else None


def _table(data: bytes, warnings: list[Warning]) -> tuple[int, int]:
    """Where the structure table lies, by the entry point if there is one (5.2.1, 5.2.2)."""

    def checked(length: int) -> None:
        if len(data) < length:
            raise InputError(
                "cut", [Fault(f"the entry point needs {length} bytes, found {len(data)}", f"byte {len(data)}")]
            )
        if sum(data[:length]) % 256:
            warnings.append(Warning("byte 4", "the entry point's checksum is wrong; read all the same"))

    if data[:5] == b"_SM3_":
        checked(24)
        size, address = int.from_bytes(data[12:16], "little"), int.from_bytes(data[16:24], "little")
        least = 24
    elif data[:4] == b"_SM_":
        checked(31)
        size, address = int.from_bytes(data[22:24], "little"), int.from_bytes(data[24:28], "little")
        least = 31
    else:
        return 0, len(data)
    # In a dump the address is the file offset; a copy from memory keeps the physical address instead.
    start = address if least <= address < len(data) else 32
    return start, min(start + size, len(data)) if size else len(data)


def _structures(data: bytes, offset: int, end: int, warnings: list[Warning]) -> Iterator[Structure]:
    while offset + 4 <= end:
        kind, length, handle = data[offset], data[offset + 1], int.from_bytes(data[offset + 2 : offset + 4], "little")
        if length < 4:
            warnings.append(
                Warning(
                    f"byte {offset + 1}",
                    f"a structure's length is {length}, at least 4 expected; nothing after it is read",
                )
            )
            return
        strings_at = offset + length
        closing = data.find(b"\0\0", strings_at, end)
        if closing < 0:
            cut = f"the table is cut inside structure 0x{handle:04X} (type {kind})"
            if strings_at > end:
                warnings.append(Warning(f"byte {offset}", f"{cut}; it is left out"))
            else:
                warnings.append(Warning(f"byte {offset}", f"{cut}, in its strings; what was read of it is kept"))
                yield Structure(
                    type=kind,
                    handle=handle,
                    offset=offset,
                    data=data[offset:strings_at],
                    strings=_strings(data, strings_at, end),
                )
            return
        yield Structure(
            type=kind,
            handle=handle,
            offset=offset,
            data=data[offset:strings_at],
            strings=_strings(data, strings_at, closing),
        )
        offset = closing + 2
        if kind == codes.END_OF_TABLE:
            return
    if offset < end and any(data[offset:end]):
        warnings.append(Warning(f"byte {offset}", f"{end - offset} bytes after the last structure are no structure"))


def _strings(data: bytes, start: int, end: int) -> tuple[str, ...]:
    """The strings between two offsets; those that no byte can name are left out."""
    found: list[str] = []
    while start < end and len(found) < _MAX_STRINGS:
        closing = data.find(b"\0", start, end)
        stop = closing if closing >= 0 else end
        found.append(data[start : min(stop, start + _MAX_STRING)].decode("utf-8", "replace"))
        start = stop + 1
    return tuple(found)


def _bios(s: Structure) -> Record:
    characteristics = s.number(0x13, 1) or 0
    return {
        "Vendor": s.text(0x04),
        "Version": s.text(0x05),
        "Release Date": s.text(0x08),
        "Virtual": bool(characteristics & 0x10),  # 7.1.2.2
    }


def _system(s: Structure) -> Record:
    return {"Manufacturer": s.text(0x04), "Product Name": s.text(0x05), "Serial Number": s.text(0x07)}


def _processor(s: Structure) -> Record:
    status, cores = s.number(0x18, 1), s.number(0x23, 1)
    if cores == 0xFF:
        cores = s.number(0x2A, 2)  # Core Count 2
    return {
        "Socket Designation": s.text(0x04),
        "Manufacturer": s.text(0x07),
        "Version": s.text(0x10),
        "Populated": None if status is None else bool(status & 0x40),
        "Core Count": cores or None,
    }


def _range(s: Structure) -> Record:
    """7.20: first and last kB of a range that an array answers, or in bytes where they do not fit."""
    first, last, unit = s.number(0x04, 4), s.number(0x08, 4), 1024
    if first == 0xFFFF_FFFF:
        first, last, unit = s.number(0x0F, 8), s.number(0x17, 8), 1
    size = (last - first + 1) * unit if first is not None and last is not None and last >= first else None
    return {
        "Array Handle": s.number(0x0C, 2),
        "Starting Address": None if first is None else first * unit,
        "Range Size": size / (1 << 30) if size else None,
    }


def _array(s: Structure) -> Record:
    kib = s.number(0x07, 4)
    gib = None if kib in (None, 0) else (kib or 0) / (1 << 20)
    if kib == 0x8000_0000:
        extended = s.number(0x0F, 8)  # bytes
        gib = extended / (1 << 30) if extended else None
    return {
        "Handle": s.handle,
        "Use": codes.ARRAY_USES.get(s.number(0x05, 1) or 0),
        "Error Correction Type": codes.ARRAY_ECC.get(s.number(0x06, 1) or 0),
        "Maximum Capacity": gib,
        "Number Of Devices": s.number(0x0D, 2),
    }


def _device(s: Structure) -> Record:
    detail = s.number(0x13, 2) or 0
    rank = (s.number(0x1B, 1) or 0) & 0x0F

    def width(offset: int) -> int | None:
        value = s.number(offset, 2)
        return None if value in (None, 0, 0xFFFF) else value

    def rate(offset: int, extended: int) -> int | None:
        value = s.number(offset, 2)
        if value == 0xFFFF:
            value = (s.number(extended, 4) or 0) & 0x7FFF_FFFF
        return value or None

    def volts(offset: int) -> float | None:
        value = s.number(offset, 2)
        return value / 1000 if value else None

    return {
        "Array Handle": s.number(0x04, 2),
        "Total Width": width(0x08),
        "Data Width": width(0x0A),
        "Size": _size_mib(s),
        "Form Factor": codes.FORM_FACTORS.get(s.number(0x0E, 1) or 0),
        "Locator": s.text(0x10),
        "Bank Locator": s.text(0x11),
        "Type": codes.MEMORY_TYPES.get(s.number(0x12, 1) or 0, f"type 0x{s.number(0x12, 1) or 0:02X}"),
        "Type Detail": " ".join(word for bit, word in codes.TYPE_DETAILS.items() if detail >> bit & 1),
        "Speed": rate(0x15, 0x54),
        # Up to 3.0 the field is in MHz, and firmware disagreed on whose; since 3.1 it is MT/s (annex A).
        "Speed Unit": "MT/s" if len(s.data) >= 0x54 else "MHz",
        "Module Manufacturer ID": _maker_id(s.number(0x2C, 2)),
        "Manufacturer": s.text(0x17),
        "Serial Number": s.text(0x18),
        "Part Number": s.text(0x1A),
        "Rank": rank or None,
        "Configured Memory Speed": rate(0x20, 0x58),
        "Minimum Voltage": volts(0x22),
        "Maximum Voltage": volts(0x24),
        "Configured Voltage": volts(0x26),
        "Memory Technology": codes.TECHNOLOGIES.get(s.number(0x28, 1) or 0x02),
        "Volatile Size": _volatile_mib(s),
    }


def _volatile_mib(s: Structure) -> float | None:
    """7.18.12: bytes; all ones = unknown."""
    size = s.number(0x3C, 8)
    return None if size in (None, 0xFFFF_FFFF_FFFF_FFFF) else size / (1 << 20)


def _maker_id(value: int | None) -> MakerCode | None:
    """7.18.8: the SPD's two bytes, the low one with the continuation codes; 0 = unknown. Bit 7 of each is parity."""
    if not value:
        return None
    bank, code = (value & 0x7F) + 1, value >> 8 & 0x7F
    return MakerCode(bank, code) if code else None


def _size_mib(s: Structure) -> float | None:
    """7.18.4, 7.18.5: 0 = no module, FFFF = unknown, 7FFF = see the extended size; bit 15 set = in kB."""
    size = s.number(0x0C, 2)
    if size is None or size == 0xFFFF:
        return None
    if size == 0x7FFF:
        extended = s.number(0x1C, 4)
        return (extended & 0x7FFF_FFFF) or None if extended is not None else None
    return (size & 0x7FFF) / 1024 if size & 0x8000 else size


_READERS: dict[int, Callable[[Structure], Record]] = {
    codes.BIOS: _bios,
    codes.SYSTEM: _system,
    codes.BASE_BOARD: _system,  # the same members at the same offsets
    codes.CHASSIS: lambda s: {"Serial Number": s.text(0x07)},
    codes.PROCESSOR: _processor,
    codes.MEMORY_ARRAY: _array,
    codes.MAPPED_RANGE: _range,
    codes.MEMORY_DEVICE: _device,
}
