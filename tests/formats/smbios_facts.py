"""Made-up machines written both ways: as the bytes of DSP0134 and as the text listing of the same facts."""

from __future__ import annotations

import struct
from dataclasses import dataclass


@dataclass(frozen=True)
class Device:
    """One memory device (type 17); size 0 is an empty slot, None unknown."""

    locator: str
    size_mib: int | None = 16384
    bank: str = "NODE 0"
    total: int = 72
    data: int = 64
    form: tuple[int, str] = (0x09, "DIMM")
    kind: tuple[int, str] = (0x1A, "DDR4")
    detail: tuple[int, str] = (1 << 7 | 1 << 13, "Synchronous Registered (Buffered)")
    speed: int = 2400
    configured: int = 2133
    maker: str = "Brannoch"
    serial: str = "00C0FFEE"
    part: str = "BR4R-16-24"
    rank: int = 2
    mv: int = 1200
    #: Maker and part are told although the size is not.
    sized_by_none: bool = False
    #: (bank, code) of the maker: the structure is then as long as 3.2 has it.
    maker_id: tuple[int, int] | None = None
    #: What keeps its content (7.18.6), and how much of it does not; the structure is then as long as 3.2 has it.
    technology: tuple[int, str] | None = None
    volatile_mib: int = 0


def structure(kind: int, handle: int, body: bytes, strings: list[str]) -> bytes:
    """Header (6.1.2), formatted part, strings."""
    text = b"".join(s.encode() + b"\0" for s in strings) or b"\0"
    return struct.pack("<BBH", kind, 4 + len(body), handle) + body + text + b"\0"


def device_bytes(d: Device, handle: int, array: int = 0x1000) -> bytes:
    size, extended = (
        (0xFFFF, 0) if d.size_mib is None else (d.size_mib, 0) if d.size_mib < 0x7FFF else (0x7FFF, d.size_mib)
    )
    filled = bool(d.size_mib) or d.sized_by_none
    strings = [
        d.locator,
        d.bank,
        d.maker if filled else "NO DIMM",
        d.serial if filled else "NO DIMM",
        "",
        d.part if filled else "NO DIMM",
    ]
    body = struct.pack(
        "<HHHHHBBBBBHHBBBBBIHHHH",
        array,  # 04
        0xFFFE,  # 06 error handle: not provided
        d.total if filled else 0xFFFF,  # 08
        d.data if filled else 0xFFFF,  # 0A
        size,  # 0C
        d.form[0],  # 0E
        0,  # 0F set
        1, 2,  # 10, 11 locators
        d.kind[0] if filled else 2,  # 12
        d.detail[0] if filled else 4,  # 13
        d.speed if filled else 0,  # 15
        3, 4, 5, 6,  # 17..1A maker, serial, asset, part
        d.rank if filled else 0,  # 1B
        extended,  # 1C
        d.configured if filled else 0,  # 20
        d.mv, d.mv, d.mv,  # 22, 24, 26
    )  # fmt: skip
    if d.maker_id or d.technology:
        later = bytearray(0x54 - 0x28)
        if d.maker_id:
            later[0x2C - 0x28 : 0x2E - 0x28] = bytes([d.maker_id[0] - 1, d.maker_id[1] | 0x80])
        if d.technology:
            later[0] = d.technology[0]
            later[0x3C - 0x28 : 0x44 - 0x28] = struct.pack("<Q", d.volatile_mib << 20)
        body += bytes(later)
    # A string that is empty cannot stand in the table: its index is 0 instead.
    kept = [s for s in strings if s]
    fixed = bytearray(body)
    for offset, text in zip((0x0C, 0x0D, 0x13, 0x14, 0x15, 0x16), strings, strict=True):
        fixed[offset] = kept.index(text) + 1 if text else 0
    return structure(17, handle, bytes(fixed), kept)


def board_and_chassis(board: list[str], serial: str) -> bytes:
    """Types 2 and 3: maker, product and serial number of the board; serial number of the chassis."""
    return structure(2, 0x0200, bytes([1, 2, 0, 3]), board) + structure(
        3, 0x0300, bytes([0, 17, 0, 1, *[0] * 9]), [serial]
    )


def mapped(gib: int, start_gib: int = 0, array: int = 0x1000) -> bytes:
    """Type 19: a range that an array answers; in bytes where its kB do not fit into 32 bits."""
    first, last = start_gib << 30, ((start_gib + gib) << 30) - 1
    if last >> 10 < 0xFFFF_FFFF:
        return structure(19, 0x1900 + start_gib, struct.pack("<IIHB", first >> 10, last >> 10, array, 1), [])
    return structure(
        19, 0x1900 + start_gib, struct.pack("<IIHBQQ", 0xFFFF_FFFF, 0xFFFF_FFFF, array, 1, first, last), []
    )


def table(devices: list[Device], more: bytes = b"") -> bytes:
    """BIOS, system, two sockets of which the second is empty, an array, the devices, `more`, the end."""
    bios = structure(0, 0, bytes([1, 2, 0, 0, 3, *[0] * 9]), ["Lorne", "1.8.2", "03/14/2024"])
    system = structure(1, 1, bytes([1, 2, 0, 3]), ["Lorne Systems", "Lorne K12", "LK12-00417"])
    parts = [bios, system]
    for n, status in ((1, 0x41), (2, 0x00)):
        body = bytearray(0x30 - 4)
        body[0], body[0x10 - 4], body[0x18 - 4], body[0x23 - 4] = 1, 2, status, 14
        parts.append(structure(4, 3 + n, bytes(body), [f"CPU{n}", "Heliant Moss 14"]))
    # The firmware's own flash chip, an array of its own (use 5) with a device that is no slot.
    parts.append(structure(16, 0x2000, struct.pack("<BBBIHH", 3, 5, 3, 1024, 0xFFFE, 1), []))
    parts.append(device_bytes(Device("SYSTEM ROM", 1), 0x2001, array=0x2000))
    array = struct.pack("<BBBIHH", 3, 3, 6, 0x8000_0000, 0xFFFE, len(devices)) + struct.pack("<Q", 768 << 30)
    parts.append(structure(16, 0x1000, array, []))
    parts += [device_bytes(d, 0x1100 + i) for i, d in enumerate(devices)]
    return b"".join([*parts, more, structure(127, 0x7F00, b"", [])])


def guest_table(devices: list[Device]) -> bytes:
    """`table` of a virtual machine: its BIOS says so in the second byte of its characteristics' extension (7.1.2.2)."""
    bios = structure(0, 0, bytes([1, 2, 0, 0, 3, *[0] * 10, 0x10]), ["Lorne", "1.8.2", "03/14/2024"])
    whole = table(devices)
    return bios + whole[whole.index(b"\0\0", whole[1]) + 2 :]


def guest_listing(devices: list[Device]) -> str:
    """The same as administrators paste it."""
    return listing(devices).replace("03/14/2024", "03/14/2024\n\tCharacteristics:\n\t\tSystem is a virtual machine", 1)


def structures(data: bytes) -> int:
    """How many a table has (6.1.2)."""
    count, at = 0, 0
    while at + 4 <= len(data):
        count, at = count + 1, data.index(b"\0\0", at + data[at + 1]) + 2
    return count


def with_entry_point(data: bytes, wide: bool) -> bytes:
    """A dump: the entry point first (5.2.1 or 5.2.2), the table at offset 32."""
    if wide:
        entry = bytearray(struct.pack("<5sBBBBBBBIQ", b"_SM3_", 0, 24, 3, 2, 0, 1, 0, len(data), 32))
        entry[5] = -sum(entry) % 256
    else:
        entry = bytearray(
            struct.pack(
                "<4sBBBBHB5s5sBHIHB",
                b"_SM_",
                0,
                31,
                2,
                8,
                200,
                0,
                b"",
                b"_DMI_",
                0,
                len(data),
                32,
                structures(data),
                0x28,
            )
        )
        entry[0x15] = -sum(entry[0x10:]) % 256
        entry[4] = -sum(entry) % 256
    return bytes(entry).ljust(32, b"\0") + data


def listing(devices: list[Device]) -> str:
    """The same facts as administrators paste them."""
    lines = ["SMBIOS 3.2.0 present.", ""]

    def add(kind: int, handle: int, title: str, members: dict[str, object]) -> None:
        lines.extend([f"Handle 0x{handle:04X}, DMI type {kind}, 84 bytes", title])
        lines.extend(f"\t{name}: {value}" for name, value in members.items())
        lines.append("")

    add(0, 0, "BIOS Information", {"Vendor": "Lorne", "Version": "1.8.2", "Release Date": "03/14/2024"})
    add(
        1,
        1,
        "System Information",
        {"Manufacturer": "Lorne Systems", "Product Name": "Lorne K12", "Serial Number": "LK12-00417"},
    )
    for n, status in ((1, "Populated, Enabled"), (2, "Unpopulated")):
        add(
            4,
            3 + n,
            "Processor Information",
            {"Socket Designation": f"CPU{n}", "Version": "Heliant Moss 14", "Status": status, "Core Count": 14},
        )
    add(
        16,
        0x1000,
        "Physical Memory Array",
        {
            "Location": "System Board Or Motherboard",
            "Use": "System Memory",
            "Error Correction Type": "Multi-bit ECC",
            "Maximum Capacity": "768 GB",
            "Number Of Devices": len(devices),
        },
    )
    add(
        16,
        0x2000,
        "Physical Memory Array",
        {"Location": "System Board Or Motherboard", "Use": "Flash Memory", "Maximum Capacity": "1 MB"},
    )
    add(
        17,
        0x2001,
        "Memory Device",
        {"Array Handle": "0x2000", "Size": "1 MB", "Locator": "SYSTEM ROM", "Type": "Flash"},
    )
    for i, d in enumerate(devices):
        filled = bool(d.size_mib) or d.sized_by_none
        named = (
            {"Module Manufacturer ID": f"Bank {d.maker_id[0]}, Hex 0x{d.maker_id[1] | 0x80:02X}"} if d.maker_id else {}
        )
        if d.technology:
            named |= {
                "Memory Technology": d.technology[1],
                "Volatile Size": f"{d.volatile_mib} MB" if d.volatile_mib else "None",
            }
        size = (
            "Unknown"
            if d.size_mib is None
            else "No Module Installed"
            if not d.size_mib
            else f"{d.size_mib // 1024} GB"
            if d.size_mib % 1024 == 0
            else f"{d.size_mib} MB"
        )
        add(17, 0x1100 + i, "Memory Device", {
            "Array Handle": "0x1000", "Error Information Handle": "Not Provided",
            "Total Width": f"{d.total} bits" if filled else "Unknown", "Data Width": f"{d.data} bits" if filled else "Unknown",
            "Size": size, "Form Factor": d.form[1], "Set": "None", "Locator": d.locator, "Bank Locator": d.bank,
            "Type": d.kind[1] if filled else "Unknown", "Type Detail": d.detail[1] if filled else "Unknown",
            "Speed": f"{d.speed} MT/s" if filled else "Unknown", "Manufacturer": d.maker if filled else "NO DIMM",
            "Serial Number": d.serial if filled else "NO DIMM", "Asset Tag": "Not Specified", "Part Number": d.part if filled else "NO DIMM",
            "Rank": d.rank if filled else "Unknown", "Configured Memory Speed": f"{d.configured} MT/s" if filled else "Unknown",
            "Minimum Voltage": f"{d.mv / 1000:g} V", "Maximum Voltage": f"{d.mv / 1000:g} V", "Configured Voltage": f"{d.mv / 1000:g} V", **named,
        })  # fmt: skip
    return "\n".join(lines) + "\n"
