"""The same tables as other programs list them: titles with their numbers, values with their codes.

"Memory Device: #17", then "Location: "DIMM_A1"", "Type: 0x1a (DDR4)", "Data Width: 64 bits (+8 ECC bits)". Each line is told as the
common listing has it; the codes are those of DSP0134, and their words stand beside them.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from umbrak.formats.smbios import codes
from umbrak.formats.text import whole

_TITLES = {
    "bios info": codes.BIOS,
    "system info": codes.SYSTEM,
    "board info": codes.BASE_BOARD,
    "chassis info": codes.CHASSIS,
    "processor info": codes.PROCESSOR,
    "physical memory array": codes.MEMORY_ARRAY,
    "memory device": codes.MEMORY_DEVICE,
    "memory array mapping": codes.MAPPED_RANGE,
}
#: Its name of a line -> the common one, where it has another.
_NAMES = {
    codes.BIOS: {"date": "release date"},
    codes.SYSTEM: {"product": "product name", "serial": "serial number"},
    codes.BASE_BOARD: {"product": "product name", "serial": "serial number"},
    codes.CHASSIS: {"serial": "serial number"},
    codes.PROCESSOR: {"socket": "socket designation", "socket status": "status", "cores": "core count"},
    codes.MEMORY_ARRAY: {"slots": "number of devices", "max. size": "maximum capacity", "ecc": "error correction type"},
    codes.MEMORY_DEVICE: {
        "location": "locator",
        "bank": "bank locator",
        "serial": "serial number",
        "memory array": "array handle",
    },
}
#: What it tells besides, and nothing here uses.
_UNUSED = {codes.MEMORY_ARRAY: {"error info"}, codes.MEMORY_DEVICE: {"error info"}}
_TITLE = re.compile(r"([a-z][a-z ]{3,30}): #(\d{1,5})", re.I)
_ANYWHERE = re.compile(r"^[ \t>|]{0,40}(?:Memory Device|Physical Memory Array): #\d{1,5}[ \t\r]{0,40}$", re.M)
_CODED = re.compile(r"0x[0-9a-f]{1,8} \((.*)\)", re.I)
_WIDTH = re.compile(r"(\d{1,4}) bits(?: \(\+(\d{1,3}) ECC bits\))?")


def looks_coded(text: str) -> bool:
    return bool(_ANYWHERE.search(text))


class Titles:
    """Which lines begin a structure; those that point to another one look alike."""

    def __init__(self) -> None:
        #: What the structure at hand may point to and has not yet.
        self._points_to: set[str] = set()

    def begun(self, bare: str) -> tuple[int | None, int] | None:
        """(type of the structure, None of one that is not read; its number) of a line that begins one, else None."""
        match = _TITLE.fullmatch(bare)
        if match is None:
            return None
        name = match[1].lower()
        if name in self._points_to or re.fullmatch(r"memory array|array mapping|l\d cache", name):
            self._points_to.discard(name)
            return None
        self._points_to = {"memory device"} if name == "memory device mapping" else set()
        return _TITLES.get(name), int(match[2])


def members(kind: int, name: str, value: str) -> Iterator[tuple[str, str]]:
    """(name, value) as the common listing has it; a width tells two of its lines."""
    if name in _UNUSED.get(kind, ()):
        return
    name = _NAMES.get(kind, {}).get(name, name)
    value = value.strip().removeprefix('"').removesuffix('"')
    if match := _CODED.fullmatch(value):
        value = match[1]
    if name == "data width" and (match := _WIDTH.fullmatch(value)) and whole(match[1]):
        yield "total width", f"{int(match[1]) + int(match[2] or 0)} bits"
    elif name == "array handle" and re.fullmatch(r"#\d{1,5}", value):
        value = f"0x{int(value[1:]):04X}"
    elif name == "error correction type" and value.endswith("-bit"):
        value = f"{value} ECC"
    elif name == "use":
        value = value.title()
    yield name, value
