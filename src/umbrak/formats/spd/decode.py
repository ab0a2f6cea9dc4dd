"""SPD contents to a module: one reader a generation, over the same fields.

Every reader keeps what it can tell and warns of what it cannot: a part of the contents that is cut or wrong costs that
part. Rails by byte 6 (DDR3) overrule what a label says.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from umbrak.core.memory.module import Buffering, Form, Generation, Module, complete, contradictions
from umbrak.core.platform.survey import Warning
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.spd import codes
from umbrak.formats.spd.fields import Bytes, clocks

#: The longest contents of any generation (DDR5), with room for a dump that has more behind them.
MAX_BYTES = 4096
#: What each generation's contents must have for its organisation to be read.
_LEAST = {"FB-DIMM": 128, "DDR3": 128, "DDR4": 128, "DDR5": 240}


@dataclass(frozen=True, slots=True)
class SpdReading:
    """What one module's SPD says."""

    kind: str
    module: Module
    #: Members that follow from the others.
    derived: tuple[str, ...]
    #: Whether every checksum that the contents have is right.
    crc_ok: bool
    warnings: tuple[Warning, ...]


def looks_like_spd(data: bytes) -> bool:
    """Whether the bytes have the size of an SPD and begin as one."""
    return len(data) in (128, 256, 384, 512, 1024) and data[2] in codes.DEVICE_TYPES and data[0] not in (0, 0xFF)


def read_spd(data: bytes) -> SpdReading:
    """Decode one module's SPD.

    Raises
        InputError   too short or long, or of a kind that is not read here; names the byte
    """
    if len(data) > MAX_BYTES:
        raise InputError("too-large", [Fault(f"{len(data)} bytes; an SPD has at most 1024")])
    if len(data) < 3:
        raise InputError("cut", [Fault(f"{len(data)} bytes; an SPD has at least 128", f"byte {len(data)}")])
    kind = codes.DEVICE_TYPES.get(data[2])
    if kind is None:
        known = codes.OTHER_DEVICE_TYPES.get(data[2])
        found = f"{known} ({data[2]:02X})" if known else f"{data[2]:02X}"
        wanted = ", ".join(f"{n} ({c:02X})" for c, n in codes.DEVICE_TYPES.items())
        raise InputError("kind-unknown", [Fault(f"device type {found}; read here: {wanted}", "byte 2")])
    if len(data) < _LEAST[kind]:
        message = f"cut at {len(data)} bytes; {kind} needs {_LEAST[kind]} for its organisation"
        raise InputError("cut", [Fault(message, f"byte {len(data)}")])
    spd = Bytes(data)
    said, crc_ok = _READERS[kind](spd)
    module, derived = complete(said)
    for contradiction in contradictions(module):
        spd.warnings.append(Warning("the whole", contradiction.message))
    return SpdReading("spd", module, derived, crc_ok, tuple(spd.warnings))


def _identity(spd: Bytes, maker: int, date: int, part: tuple[int, int], revision: tuple[int, int]) -> Module:
    """Who made it and which individual it is: these fields stand together in every generation."""
    start, length = part
    if len(spd.data) < start:
        spd.odd(len(spd.data), "cut before the part number")
    number = revision[0] and spd.data[revision[0] : sum(revision)].hex().upper()
    return Module(
        maker_code=spd.maker_code(maker),
        made=spd.made(date),
        serial=spd.serial(date + 2),
        part=spd.text(start, length),
        revision=number if number and number.strip("0F") else None,
    )


def _timing(spd: Bytes, clock: float, latencies: tuple[float, ...]) -> str | None:
    counted = [clocks(x, clock) for x in latencies]
    return "-".join(map(str, counted)) if clock > 0 and all(counted) else None


def _ddr3(spd: Bytes) -> tuple[Module, bool]:
    """Annex K (offset, bits, meaning): 3.3-0 module, 4.3-0 density, 6 rails, 7.5-3 ranks, 7.2-0 width, 8 bus,
    9 to 11 time bases, 12 clock, 33 package, 60 height, 117 maker, 120 date, 122 serial, 126 CRC, 128 part."""
    fine_by = spd.bits(9, 3, 0)
    fine = spd.bits(9, 7, 4) / fine_by if fine_by else 0.0
    medium = 1000 * spd.byte(10) / spd.byte(11) if spd.byte(11) else 0.0

    def time(at: int, correction: int) -> float:
        return spd.byte(at) * medium + spd.signed(correction) * fine

    clock = time(12, 34)
    rails = [
        v for v, there in ((1.25, spd.bits(6, 2, 2)), (1.35, spd.bits(6, 1, 1)), (1.5, not spd.bits(6, 0, 0))) if there
    ]
    form, buffering = spd.code(codes.DDR3_MODULES, 3, 3, 0, "module type") or (None, None)
    stacked = spd.bits(33, 1, 0) == codes.SINGLE_LOAD
    dies = codes.DDR3_DIES.get(spd.bits(33, 6, 4))
    module = replace(
        _identity(spd, 117, 120, (128, 18), (146, 2)),
        generation=Generation.DDR3,
        form=form,
        buffering=buffering,
        ecc_bits=spd.code(codes.ECC_BITS, 8, 4, 3, "bus width extension"),
        package_ranks=spd.code(codes.DDR3_RANKS, 7, 5, 3, "ranks"),
        stack_height=dies if stacked else 1,
        device_width=spd.code(codes.WIDTHS, 7, 2, 0, "device width"),
        die_gbit=spd.code(codes.DDR3_GBIT, 4, 3, 0, "density"),
        rate_mts=spd.rate_mts("DDR3", clock, 12),
        timing=_timing(spd, clock, (time(16, 35), time(18, 36), time(20, 37))),
        rails_v=tuple(rails),
        height_mm=spd.height_mm(60),
    )
    end = 117 if spd.bits(0, 7, 7) else 126
    return module, spd.crc_ok(0, end, 126)


#: Of a rank: density of its dies [Gbit], width of its devices [bits], dies in a stack.
_Rank = tuple[float | None, int | None, int]


def _unlike(spd: Bytes, at: int, ranks: int, even: _Rank, odd: _Rank) -> float | None:
    """Capacity of a module whose odd ranks (the second, the fourth) differ from the even ones. [GiB]"""

    def rank_gib(rank: _Rank) -> float | None:
        gbit, width, height = rank
        return gbit * height * (64 / width) / 8 if gbit and width else None

    one, other = rank_gib(even), rank_gib(odd)
    spd.odd(at, "its ranks are unlike: density and width hold for half of them and are left out")
    if one is None or other is None:
        return None
    total = one * ((ranks + 1) // 2) + other * (ranks // 2)
    return int(total) if total == int(total) else total


def _hybrid(spd: Bytes) -> str | None:
    """Byte 3, bit 7: beside its dies a module has a medium that keeps their content."""
    if not spd.bits(3, 7, 7):
        return None
    spd.odd(3, "a hybrid module, whose dies may be kept as storage: it may be no main memory")
    return "hybrid module"


def _ddr4(spd: Bytes) -> tuple[Module, bool]:
    """Annex L: 3.3-0 module, 4.3-0 density, 6 package, 11 rail, 12.6 unlike ranks, 12.5-3 ranks, 12.2-0 width, 13 bus,
    17 time bases, 18 and 125 clock, 126 CRC, 128 height, 254 CRC, 320 maker, 323 date, 325 serial, 329 part, 349 revision."""
    form, buffering = spd.code(codes.DDR4_MODULES, 3, 3, 0, "module type") or (None, None)
    keeps = _hybrid(spd)
    medium, fine = 125, 1  # byte 17 has no other values in the standard

    def time(at: int, correction: int) -> float:
        return spd.byte(at) * medium + spd.signed(correction) * fine

    clock = time(18, 125)
    dies = spd.bits(6, 6, 4) + 1
    stacked = spd.bits(6, 7, 7) == 1 and spd.bits(6, 1, 0) == codes.SINGLE_LOAD
    unlike = spd.bits(12, 6, 6) == 1
    gbit, width = spd.code(codes.DDR4_GBIT, 4, 3, 0, "density"), spd.code(codes.WIDTHS, 12, 2, 0, "device width")
    ranks, height = spd.bits(12, 5, 3) + 1, dies if stacked else 1
    if unlike:
        # Byte 10: the odd ranks' dies are one or two steps of density smaller, their width is the same.
        odd = codes.SMALLER_GBIT.get((gbit or 0, spd.bits(10, 3, 2)))
        odd_height = spd.bits(10, 6, 4) + 1 if spd.bits(10, 1, 0) == codes.SINGLE_LOAD else 1
        capacity = _unlike(spd, 12, ranks, (gbit, width, height), (odd, width, odd_height))
    module = replace(
        _identity(spd, 320, 323, (329, 20), (349, 1)),
        generation=Generation.DDR4,
        form=form,
        buffering=buffering,
        ecc_bits=spd.code(codes.ECC_BITS, 13, 4, 3, "bus width extension"),
        capacity_gib=capacity if unlike else None,
        package_ranks=ranks,
        stack_height=height,
        device_width=None if unlike else width,
        die_gbit=None if unlike else gbit,
        rate_mts=spd.rate_mts("DDR4", clock, 18),
        timing=_timing(spd, clock, (time(24, 123), time(25, 122), time(26, 121))),
        rails_v=(1.2,) if spd.bits(11, 0, 0) else (),
        height_mm=spd.height_mm(128),
        keeps=keeps,
    )
    good = spd.crc_ok(0, 126, 126)
    if len(spd.data) >= 256:
        good = spd.crc_ok(128, 254, 254) and good
    return module, good


def _ddr5(spd: Bytes) -> tuple[Module, bool]:
    """JESD400-5: 3.3-0 module, 4.4-0 density, 4.7-5 dies, 6.7-5 width, 20 clock, 30 latencies, 230 height, 234.6 unlike
    ranks, 234.5-3 ranks of a channel, 235 bus, 510 CRC, 512 maker, 515 date, 517 serial, 521 part, 551 revision."""
    form, buffering = spd.code(codes.DDR5_MODULES, 3, 3, 0, "module type") or (None, None)
    keeps = _hybrid(spd)
    dies, stacked = spd.code(codes.DDR5_DIES, 4, 7, 5, "dies in a package") or (1, False)
    clock = spd.word(20)
    unlike = spd.bits(234, 6, 6) == 1
    bus = spd.code(codes.BUS_WIDTHS, 235, 2, 0, "bus width")
    channels = spd.bits(235, 7, 5) + 1
    if bus is not None and bus * channels != 64:
        spd.odd(235, f"{channels} channels of {bus} bits; 64 data bits were expected")
    # Two dies that are not stacked behind one load each have a chip select of their own.
    ranks = (spd.bits(234, 5, 3) + 1) * (1 if stacked else dies)
    gbit, width = spd.code(codes.DDR5_GBIT, 4, 4, 0, "density"), spd.code(codes.WIDTHS, 6, 7, 5, "device width")
    height = dies if stacked else 1
    if unlike:
        # Bytes 8 and 10 say of the odd ranks what 4 and 6 say of the even ones.
        odd_dies, odd_stacked = codes.DDR5_DIES.get(spd.bits(8, 7, 5), (1, False))
        second = (
            codes.DDR5_GBIT.get(spd.bits(8, 4, 0)),
            codes.WIDTHS.get(spd.bits(10, 7, 5)),
            odd_dies if odd_stacked else 1,
        )
        capacity = _unlike(spd, 234, ranks, (gbit, width, height), second)
    module = replace(
        _identity(spd, 512, 515, (521, 30), (551, 1)),
        generation=Generation.DDR5,
        form=form,
        buffering=buffering,
        ecc_bits=spd.code(codes.DDR5_ECC_BITS, 235, 4, 3, "bus width extension"),
        capacity_gib=capacity if unlike else None,
        package_ranks=ranks,
        stack_height=height,
        device_width=None if unlike else width,
        die_gbit=None if unlike else gbit,
        rate_mts=spd.rate_mts("DDR5", clock, 20),
        timing=_timing(spd, clock, (spd.word(30), spd.word(32), spd.word(34))),
        rails_v=(1.1,),
        height_mm=spd.height_mm(230),
        keeps=keeps,
    )
    return module, spd.crc_ok(0, 510, 510)


def _fb_dimm(spd: Bytes) -> tuple[Module, bool]:
    """4.1.2.7: 4.7-5 rows, 4.4-2 columns, 4.1-0 banks, 7.5-3 ranks, 7.2-0 width, 9 and 10 time base, 11 clock, 117 maker,
    120 date, 122 serial, 126 CRC, 128 part. A fully buffered module always has 72 bits."""
    rows, columns, banks = 12 + spd.bits(4, 7, 5), 9 + spd.bits(4, 4, 2), 4 << spd.bits(4, 1, 0)
    width = spd.code(codes.WIDTHS, 7, 2, 0, "device width")
    medium = 1000 * spd.byte(9) / spd.byte(10) if spd.byte(10) else 0.0
    module = replace(
        _identity(spd, 117, 120, (128, 18), (146, 2)),
        generation=Generation.DDR2,
        form=Form.DIMM,
        buffering=Buffering.FULLY_BUFFERED,
        ecc_bits=8,
        package_ranks=spd.bits(7, 5, 3) or None,
        stack_height=1,
        device_width=width,
        die_gbit=(1 << rows + columns) * banks * width / (1 << 30) if width else None,
        rate_mts=spd.rate_mts("DDR2", spd.byte(11) * medium, 11),
        rails_v=(1.8,),
    )
    end = 117 if spd.bits(0, 7, 7) else 126
    return module, spd.crc_ok(0, end, 126)


_READERS: dict[str, Callable[[Bytes], tuple[Module, bool]]] = {
    "FB-DIMM": _fb_dimm,
    "DDR3": _ddr3,
    "DDR4": _ddr4,
    "DDR5": _ddr5,
}
