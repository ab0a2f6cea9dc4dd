"""SPD contents: what is written by the standards' offsets is read back, and any bytes are read or refused."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.formats.spd_facts import CLOCKS, WRITERS, Chip, crc
from umbrak.core.memory.module import Made, MakerCode
from umbrak.formats.faults import InputError
from umbrak.formats.reading import detect, read_any
from umbrak.formats.spd import read_spd
from umbrak.formats.spd.fields import crc16

KINDS = st.sampled_from([("registered", False), ("unbuffered", False), ("unbuffered", True), ("load-reduced", False)])


def chips(generation: str, **fixed: Any) -> st.SearchStrategy[Chip]:
    rates = {"DDR3": [800, 1066, 1333, 1600, 1866, 2133], "DDR4": [r for r in CLOCKS if r >= 1600], "DDR5": [4000, 4800, 5600, 6400, 7200], "DDR2": [533, 667]}  # fmt: skip
    gbit = {"DDR3": [1, 2, 4, 8], "DDR4": [4, 8, 16], "DDR5": [8, 16, 24, 32], "DDR2": [1, 2]}
    ecc = {"DDR5": [0, 4, 8], "DDR2": [8]}.get(generation, [0, 8])
    members: dict[str, st.SearchStrategy[Any]] = {
        "generation": st.just(generation),
        "ecc_bits": st.sampled_from(ecc),
        "ranks": st.sampled_from([1, 2] if generation == "DDR2" else [1, 2, 4]),
        "width": st.sampled_from([4, 8] if generation == "DDR2" else [4, 8, 16]),
        "gbit": st.sampled_from(gbit[generation]),
        "rate": st.sampled_from(rates[generation]),
        "height": st.integers(16, 46),
    }
    if generation in ("DDR4", "DDR5"):
        members["dies"] = st.sampled_from([1, 2, 4])
    if generation == "DDR3":
        members["rails"] = st.sampled_from([(1.5,), (1.35, 1.5), (1.35,), (1.25, 1.35, 1.5)])
    return st.builds(
        # Registered and load-reduced modules have ECC by their standard.
        lambda kind, **m: Chip(
            kind=kind[0], so_dimm=kind[1], **{**m, "ecc_bits": m["ecc_bits"] or 8 * (kind[0] != "unbuffered")}
        ),
        st.just(("fully-buffered", False)) if generation == "DDR2" else KINDS,
        **members,
    )


@given(st.one_of(*(chips(g) for g in WRITERS)))
def test_what_is_written_is_read_back(c: Chip) -> None:
    data = WRITERS[c.generation](c)
    assert detect(data) == "spd"
    reading = read_spd(data)
    m = reading.module
    assert reading.crc_ok and reading.warnings == ()
    assert (m.generation, m.buffering, m.form) == (c.generation, c.kind, "SO-DIMM" if c.so_dimm else "DIMM")
    assert (m.ecc_bits, m.package_ranks, m.stack_height) == (c.ecc_bits, c.ranks, c.dies)
    assert (m.device_width, m.die_gbit, m.rate_mts) == (c.width, c.gbit, c.rate)
    assert m.capacity_gib == c.ranks * c.dies * (64 / c.width) * c.gbit / 8
    assert (m.part, m.serial, m.made, m.maker_code) == (c.part, "1234ABCD", Made(2024, 17), MakerCode(4, 0x5A))
    if c.rails:
        assert m.rails_v == c.rails
    if c.generation != "DDR2":
        assert m.height_mm == c.height


@pytest.mark.parametrize(
    ("chip", "short", "timing", "rails"),
    [
        (Chip(generation="DDR3", kind="unbuffered", so_dimm=True, ecc_bits=0, ranks=2, dies=1, width=8, gbit=2, rate=1600, rails=(1.35, 1.5)), "4 GB 2Rx8 DDR3L-1600 unbuffered SO-DIMM", "11-11-11", (1.35, 1.5)),
        (Chip(generation="DDR4", kind="registered", so_dimm=False, ecc_bits=8, ranks=2, dies=1, width=4, gbit=8, rate=2400), "32 GB 2Rx4 DDR4-2400 registered", "17-17-17", (1.2,)),
        (Chip(generation="DDR4", kind="registered", so_dimm=False, ecc_bits=8, ranks=2, dies=2, width=4, gbit=16, rate=2666), "128 GB 2S2Rx4 DDR4-2666 registered", "19-19-19", (1.2,)),
        (Chip(generation="DDR5", kind="registered", so_dimm=False, ecc_bits=8, ranks=2, dies=1, width=8, gbit=16, rate=4800), "32 GB 2Rx8 DDR5-4800 registered", "39-39-39", (1.1,)),
        (Chip(generation="DDR2", kind="fully-buffered", so_dimm=False, ecc_bits=8, ranks=2, dies=1, width=4, gbit=1, rate=667), "4 GB 2Rx4 DDR2-667 fully-buffered", None, (1.8,)),
    ],
)  # fmt: skip
def test_modules_as_the_trade_names_them(chip: Chip, short: str, timing: str | None, rails: tuple[float, ...]) -> None:
    m = read_spd(WRITERS[chip.generation](chip)).module
    assert (m.short(), m.timing, m.rails_v) == (short, timing, rails)


def changed(data: bytes, **at: int) -> bytes:
    b = bytearray(data)
    for offset, value in at.items():
        b[int(offset[1:])] = value
    return bytes(b)


GOOD = WRITERS["DDR4"](Chip())


#: DDR4, 2 ranks of x4 with 8 Gbit dies: 16 GiB each. Byte 10.3-2: the second rank's dies, in steps smaller.
#: DDR5, 2 ranks of x8 with 16 Gbit dies: 16 GiB each. Bytes 8 and 10: the second rank's density and width.
DDR5 = WRITERS["DDR5"](Chip("DDR5", width=8, gbit=16, rate=4800))


@pytest.mark.parametrize(
    ("data", "gib"),
    [
        (changed(GOOD, b12=0x48, b10=0x00), 32),
        (changed(GOOD, b12=0x48, b10=0x04), 24),
        (changed(GOOD, b12=0x48, b10=0x08), 20),
        (changed(GOOD, b4=0x86, b12=0x48, b10=0x04), None),  # one step below 16 Gbit may be 12 or 8
        (changed(DDR5, b234=DDR5[234] | 0x40, b8=0x02, b10=0x20), 24),
        (changed(DDR5, b234=DDR5[234] | 0x40, b8=0x04, b10=0x40), 24),
        (changed(DDR5, b234=DDR5[234] | 0x40, b8=0x1F, b10=0x20), None),
    ],
)  # fmt: skip
def test_unlike_ranks_are_added_up(data: bytes, gib: float | None) -> None:
    module = read_spd(data).module
    assert (module.capacity_gib, module.package_ranks, module.die_gbit) == (gib, 2, None)


@pytest.mark.parametrize(
    ("data", "where", "message"),
    [
        (changed(GOOD, b18=0x55), "byte 18", "belongs to no standard data rate of DDR4"),
        (changed(GOOD, b126=0), "byte 126", "the CRC of bytes 0 to 125 is"),
        (changed(GOOD, b254=0), "byte 254", "the CRC of bytes 128 to 253 is"),
        (changed(GOOD, b3=7), "byte 3", "module type: 7 is no number of the standard"),
        (changed(GOOD, b3=0x91), "byte 3", "a hybrid module"),
        (changed(GOOD, b12=0x48), "byte 12", "its ranks are unlike"),
        (GOOD[:256], "byte 256", "cut before the part number"),
        (changed(WRITERS["DDR5"](Chip("DDR5", width=8, gbit=16, rate=4800)), b235=0x0A), "byte 235", "1 channels of 32 bits"),
    ],
)  # fmt: skip
def test_what_is_odd_is_told_with_its_byte(data: bytes, where: str, message: str) -> None:
    reading = read_spd(data)
    assert [w.message for w in reading.warnings if w.where == where and message in w.message]
    assert reading.module.generation


@pytest.mark.parametrize(
    ("data", "where", "message"),
    [
        (b"\x92\x10", "byte 2", "an SPD has at least 128"),
        (changed(GOOD, b2=0x08), "byte 2", "device type DDR2 (08)"),
        (changed(GOOD, b2=0x77), "byte 2", "device type 77; read here: FB-DIMM (09)"),
        (GOOD[:100], "byte 100", "DDR4 needs 128"),
        (GOOD * 10, "", "an SPD has at most 1024"),
    ],
)
def test_what_is_no_spd_is_refused_with_its_byte(data: bytes, where: str, message: str) -> None:
    with pytest.raises(InputError) as error:
        read_spd(data)
    (fault,) = error.value.faults
    assert (fault.where, message in fault.message) == (where, True)


@given(
    st.binary(max_size=1100)
    | st.builds(lambda kind, rest: bytes([0x23, 0x11, kind]) + rest, st.sampled_from([9, 11, 12, 18]), st.binary(min_size=240, max_size=1021))
)  # fmt: skip
def test_any_bytes_are_read_or_refused(data: bytes) -> None:
    try:
        module = read_spd(data).module
    except InputError:
        return
    assert module.capacity_gib is None or module.capacity_gib > 0


@given(st.binary(min_size=1, max_size=64))
def test_the_checksum_is_the_standards(data: bytes) -> None:
    assert crc16(data) == int.from_bytes(crc(data), "little")


def test_the_kind_can_be_told(tmp_path: Any) -> None:
    assert read_any(GOOD, "spd") == read_any(GOOD)
