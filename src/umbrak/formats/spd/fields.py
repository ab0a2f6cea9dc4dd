"""The bytes of an SPD: fields by offset and bits, clocks, codes, checks. Nothing here knows a generation."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TypeVar

from umbrak.core.memory.module import Made, MakerCode
from umbrak.core.memory.rates import STANDARD_RATES_MTS
from umbrak.core.platform.survey import Warning

T = TypeVar("T")

#: How far a data rate by its clock may be from a standard one: clocks are rounded to picoseconds.
_RATE_TOLERANCE = 0.015


def crc16(data: bytes) -> int:
    """CRC-16 of the SPD standards: polynomial 1021 hex, start 0, most significant bit first.

    Examples
        >>> hex(crc16(b"123456789"))
        '0x31c3'
    """
    crc = 0
    for byte in data:
        crc ^= byte << 8
        for _ in range(8):
            crc = (crc << 1) ^ 0x1021 if crc & 0x8000 else crc << 1
        crc &= 0xFFFF
    return crc


@dataclass
class Bytes:
    """An SPD's bytes, and what was odd in them."""

    data: bytes
    warnings: list[Warning] = field(default_factory=list)

    def odd(self, offset: int, message: str) -> None:
        self.warnings.append(Warning(f"byte {offset}", message))

    def byte(self, offset: int) -> int:
        """A byte; 0 where the contents are cut short (told once, by the reader)."""
        return self.data[offset] if offset < len(self.data) else 0

    def bits(self, offset: int, high: int, low: int) -> int:
        """Bits `high` to `low` of a byte, as a number."""
        return self.byte(offset) >> low & (1 << high - low + 1) - 1

    def signed(self, offset: int) -> int:
        value = self.byte(offset)
        return value - 256 if value > 127 else value

    def word(self, offset: int) -> int:
        """Two bytes, the lesser first."""
        return self.byte(offset) | self.byte(offset + 1) << 8

    def code(self, table: Mapping[int, T], offset: int, high: int, low: int, what: str) -> T | None:
        """What a number stands for; None, with a warning, for one that the standard does not have."""
        value = self.bits(offset, high, low)
        if value not in table:
            self.odd(offset, f"{what}: {value} is no number of the standard")
        return table.get(value)

    def text(self, offset: int, length: int) -> str | None:
        """Characters of the standard's part number field, blanks and padding taken off."""
        raw = self.data[offset : offset + length].rstrip(b"\0\xff ")
        return "".join(chr(b) if 0x20 <= b < 0x7F else "?" for b in raw).strip() or None

    def crc_ok(self, start: int, end: int, at: int) -> bool:
        """Whether the CRC at `at` is that of the bytes from `start` to `end` (not included)."""
        if len(self.data) < at + 2:
            return False
        wanted, found = crc16(self.data[start:end]), self.word(at)
        if wanted != found:
            self.odd(at, f"the CRC of bytes {start} to {end - 1} is {found:04X}, computed {wanted:04X}")
        return wanted == found

    def maker_code(self, offset: int) -> MakerCode | None:
        """JEP106 bank and code: the number of continuation bytes, then the code, each with its parity bit."""
        continuations, code = self.byte(offset) & 0x7F, self.byte(offset + 1) & 0x7F
        return MakerCode(continuations + 1, code) if code else None

    def made(self, offset: int) -> Made | None:
        """Year and week in binary coded decimal; None where they are not set."""
        year, week = _bcd(self.byte(offset)), _bcd(self.byte(offset + 1))
        if year is None or not self.byte(offset) or self.byte(offset) == 0xFF:
            return None
        return Made(2000 + year, week if week is not None and 1 <= week <= 53 else None)

    def serial(self, offset: int) -> str | None:
        raw = self.data[offset : offset + 4]
        return raw.hex().upper() if len(raw) == 4 and raw not in (b"\0\0\0\0", b"\xff\xff\xff\xff") else None

    def height_mm(self, offset: int) -> float | None:
        """Nominal height, bits 4 to 0: the least whole millimetre that is not less, from 15 on; 0 where not set."""
        value = self.bits(offset, 4, 0)
        return 15.0 + value if value else None

    def rate_mts(self, generation: str, clock_ps: float, offset: int) -> int | None:
        """The standard data rate whose clock this is: two transfers a clock. [MT/s]"""
        if clock_ps <= 0:
            return None
        by_clock = 2e6 / clock_ps
        nearest = min(STANDARD_RATES_MTS[generation], key=lambda r: abs(r - by_clock))
        if abs(nearest - by_clock) <= _RATE_TOLERANCE * nearest:
            return nearest
        self.odd(offset, f"a clock of {clock_ps:g} ps belongs to no standard data rate of {generation}")
        return None


def _bcd(value: int) -> int | None:
    high, low = value >> 4, value & 15
    return high * 10 + low if high < 10 and low < 10 else None


def clocks(latency_ps: float, clock_ps: float) -> int:
    """A latency in whole clocks, rounded up save for what rounding to picoseconds adds (JESD21-C, rounding algorithm)."""
    return int(latency_ps / clock_ps + 0.974) if clock_ps > 0 else 0
