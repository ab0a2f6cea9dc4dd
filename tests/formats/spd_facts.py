"""SPD contents written field by field from a module, by the standards' offsets: the readers' judge.

Written from the standards and apart from the readers: nothing of src is used but the values themselves.
"""

from __future__ import annotations

from dataclasses import dataclass


def crc(data: bytes) -> bytes:
    """CRC-16 with polynomial 1021 hex, bit by bit over a long register: another way than the reader's."""
    register = int.from_bytes(data, "big") << 16
    for bit in range(register.bit_length() - 1, 15, -1):
        if register >> bit & 1:
            register ^= 0x11021 << bit - 16
    return (register & 0xFFFF).to_bytes(2, "little")


@dataclass(frozen=True)
class Chip:
    """What the tests vary; everything else is fixed."""

    generation: str = "DDR4"
    kind: str = "registered"
    so_dimm: bool = False
    ecc_bits: int = 8
    ranks: int = 2
    dies: int = 1
    width: int = 4
    gbit: float = 8
    rate: int = 2400
    rails: tuple[float, ...] = ()
    height: int = 32
    part: str = "OSM4R-16"


KINDS = {("registered", False): 1, ("unbuffered", False): 2, ("unbuffered", True): 3}
#: Clock of each data rate [ps], as the standards' tables give it.
CLOCKS = {
    800: 2500,
    1066: 1875,
    1333: 1500,
    1600: 1250,
    1866: 1071,
    2133: 938,
    2400: 833,
    2666: 750,
    2933: 682,
    3200: 625,
}
DENSITIES = {0.25: 0, 0.5: 1, 1: 2, 2: 3, 4: 4, 8: 5, 16: 6, 32: 7, 12: 8, 24: 9}
IDENTITY = bytes([0x03, 0x5A, 0x01, 0x24, 0x17, 0x12, 0x34, 0xAB, 0xCD])  # maker (2), place, year 24, week 17, serial


def split(clock: int) -> tuple[int, int]:
    """A time in steps of 125 ps, rounded up, and the correction in ps, which is never positive."""
    steps = -(-clock // 125)
    return steps, (clock - 125 * steps) % 256


def ddr3(c: Chip) -> bytes:
    b = bytearray(256)
    b[0:4] = bytes([0x92, 0x13, 0x0B, {**KINDS, ("load-reduced", False): 11}[c.kind, c.so_dimm]])
    b[4] = DENSITIES[c.gbit]
    b[6] = (1.5 not in c.rails) | (1.35 in c.rails) << 1 | (1.25 in c.rails) << 2
    b[7] = {1: 0, 2: 1, 4: 3}[c.ranks] << 3 | {4: 0, 8: 1, 16: 2}[c.width]
    b[8] = (c.ecc_bits == 8) << 3 | 3
    b[9:12] = bytes([0x11, 1, 8])  # fine 1 ps, medium 1/8 ns
    b[12], b[34] = split(CLOCKS[c.rate])
    b[16], b[35] = split(13750)
    b[18], b[36] = split(13750)
    b[20], b[37] = split(13750)
    b[60] = c.height - 15
    b[117:126] = IDENTITY
    b[126:128] = crc(bytes(b[:117]))
    b[128:146] = c.part.ljust(18).encode()
    return bytes(b)


def ddr4(c: Chip) -> bytes:
    b = bytearray(512)
    b[0:4] = bytes([0x23, 0x11, 0x0C, {**KINDS, ("load-reduced", False): 4}[c.kind, c.so_dimm]])
    b[4] = DENSITIES[c.gbit]
    b[6] = (0x80 | c.dies - 1 << 4 | 2) if c.dies > 1 else 0
    b[11] = 1
    b[12] = c.ranks - 1 << 3 | {4: 0, 8: 1, 16: 2}[c.width]
    b[13] = (c.ecc_bits == 8) << 3 | 3
    b[18], b[125] = split(CLOCKS[c.rate])
    b[24], b[123] = split(13750)
    b[25], b[122] = split(13750)
    b[26], b[121] = split(13750)
    b[126:128] = crc(bytes(b[:126]))
    b[128] = c.height - 15
    b[254:256] = crc(bytes(b[128:254]))
    b[320:329] = IDENTITY
    b[329:349] = c.part.ljust(20).encode()
    return bytes(b)


def ddr5(c: Chip) -> bytes:
    b = bytearray(1024)
    b[0:4] = bytes([0x30, 0x10, 0x12, {**KINDS, ("load-reduced", False): 4}[c.kind, c.so_dimm]])
    density = {4: 1, 8: 2, 12: 3, 16: 4, 24: 5, 32: 6}[c.gbit]
    b[4] = {1: 0, 2: 2, 4: 3}[c.dies] << 5 | density
    b[6] = {4: 0, 8: 1, 16: 2}[c.width] << 5
    clock = 2_000_000 // c.rate
    b[20:22] = clock.to_bytes(2, "little")
    for at in (30, 32, 34):
        b[at : at + 2] = (16000).to_bytes(2, "little")
    b[230] = c.height - 15
    b[234] = c.ranks - 1 << 3
    b[235] = 1 << 5 | {0: 0, 4: 1, 8: 2}[c.ecc_bits] << 3 | 2  # two channels of 32 bits
    b[510:512] = crc(bytes(b[:510]))
    b[512:521] = IDENTITY
    b[521:551] = c.part.ljust(30).encode()
    return bytes(b)


def fb_dimm(c: Chip) -> bytes:
    b = bytearray(256)
    b[0:4] = bytes([0x92, 0x11, 0x09, 0x12])
    # 14 rows, and columns and banks by density and width: 1 Gbit x4 has 11 columns and 8 banks.
    columns = {(1, 4): 11, (1, 8): 10, (2, 4): 11, (2, 8): 10}[int(c.gbit), c.width]
    rows = {1: 14, 2: 15}[int(c.gbit)]
    b[4] = rows - 12 << 5 | columns - 9 << 2 | 1
    b[6] = 4
    b[7] = c.ranks << 3 | {4: 0, 8: 1}[c.width]
    b[8:12] = bytes([0x52, 1, 4, {667: 12, 533: 15}[c.rate]])
    b[117:126] = IDENTITY
    b[126:128] = crc(bytes(b[:117]))
    b[128:146] = c.part.ljust(18).encode()
    return bytes(b)


WRITERS = {"DDR3": ddr3, "DDR4": ddr4, "DDR5": ddr5, "DDR2": fb_dimm}
