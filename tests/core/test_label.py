"""Label text: how people and labels spell modules, and what each spelling says. Expected values by hand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.memory.rates import STANDARD_RATES_MTS

U, R, L, F = "unbuffered", "registered", "load-reduced", "fully-buffered"
SO = "SO-DIMM"

#: text -> members that must come out; members not named must be unknown, save those that follow.
SPELLINGS: dict[str, dict[str, object]] = {
    # formal labels, DDR4 (JESD21-C 4.20.28)
    "16GB 2Rx8 PC4-2400T-RE1-11": {"generation": "DDR4", "capacity_gib": 16, "package_ranks": 2, "device_width": 8, "rate_mts": 2400, "timing": "T", "buffering": R, "ecc_bits": 8, "die_gbit": 8, "rails_v": (1.2,)},
    "8GB 1Rx8 PC4-2666V-SA1-11": {"generation": "DDR4", "capacity_gib": 8, "package_ranks": 1, "rate_mts": 2666, "timing": "V", "form": SO, "buffering": U, "ecc": False, "die_gbit": 8},
    "32GB 2Rx4 PC4-2933Y-RB3-12": {"capacity_gib": 32, "device_width": 4, "rate_mts": 2933, "timing": "Y", "buffering": R, "die_gbit": 8},
    "64GB 2Rx4 PC4-3200AA-RA2-12": {"capacity_gib": 64, "rate_mts": 3200, "timing": "AA", "die_gbit": 16},
    "64GB 4DRx4 PC4-2400T-LD1-11": {"buffering": L, "package_ranks": 4, "stack_height": 1, "logical_ranks": 4, "die_gbit": 8, "ecc": True},
    "128GB 2S2Rx4 PC4-2933Y-RB2-12": {"package_ranks": 2, "stack_height": 2, "logical_ranks": 4, "die_gbit": 16},
    "256GB 2S4Rx4 PC4-2933Y-LC0-12": {"package_ranks": 2, "stack_height": 4, "logical_ranks": 8, "buffering": L, "die_gbit": 16},
    "8GB 2Rx8 PC4-2133P-EE0-10": {"buffering": U, "ecc": True, "rate_mts": 2133, "timing": "P", "die_gbit": 4},
    "16GB 2Rx8 PC4-2400T-TE0-11": {"form": SO, "ecc": True, "buffering": U},
    "4GB 1Rx16 PC4-2400T-UC0-11": {"device_width": 16, "form": "DIMM", "ecc": False, "die_gbit": 8},
    # formal labels, DDR3 and DDR3L (JESD21-C 4.20.19 to 4.20.27)
    "4GB 2Rx8 PC3-10600R-9-10-B0": {"generation": "DDR3", "rate_mts": 1333, "buffering": R, "rails_v": (1.5,), "die_gbit": 2, "timing": "9"},
    "8GB 2Rx4 PC3L-10600R-09-11-E2": {"rails_v": (1.35, 1.5), "rate_mts": 1333, "device_width": 4, "die_gbit": 2, "timing": "09"},
    "8GB 1Rx8 PC3L-12800E-11-11-D3": {"ecc": True, "buffering": U, "rate_mts": 1600, "die_gbit": 8},
    "2GB 1Rx8 PC3-12800S-11-11-B2": {"form": SO, "capacity_gib": 2, "die_gbit": 2, "rails_v": (1.5,)},
    "8GB 2Rx8 PC3L-12800S-11-13-F3": {"form": SO, "rails_v": (1.35, 1.5), "ecc": False},
    "4GB 1Rx8 PC3L-12800T-11-13": {"form": SO, "ecc": True},
    "32GB 4Rx4 PC3L-14900L-13-12-D1": {"buffering": L, "rate_mts": 1866, "package_ranks": 4, "die_gbit": 4},
    "8GB 2Rx8 PC3U-12800S": {"rails_v": (1.25,), "form": SO},
    "4GB 2Rx8 PC3-8500U-7-10-B0": {"rate_mts": 1066, "form": "DIMM", "ecc": False},
    # formal labels, DDR5 (JESD401-5) and fully buffered DDR2 (JESD21-C 4.20.11)
    "32GB 2Rx8 PC5-4800B-RA0-1010-XT": {"generation": "DDR5", "rate_mts": 4800, "timing": "B", "buffering": R, "ecc_bits": 8, "die_gbit": 16, "rails_v": (1.1,)},
    "64GB 2Rx4 PC5-5600B-RB0-1010": {"rate_mts": 5600, "ecc": True, "ecc_bits": None, "die_gbit": 16},
    "16GB 1Rx8 PC5-4800B-SA0-1010-XT": {"form": SO, "ecc": False, "ecc_bits": 0},
    "48GB 2Rx8 PC5-5600B-UA0-1010": {"capacity_gib": 48, "die_gbit": 24, "form": "DIMM"},
    "24GB 1Rx8 PC5-5600B-EA0": {"capacity_gib": 24, "ecc": True, "buffering": U, "die_gbit": 24},
    "4GB 2Rx4 PC2-5300F-555-11-E0": {"generation": "DDR2", "buffering": F, "rate_mts": 667, "ecc": True, "rails_v": (1.8,), "die_gbit": 1},
    "8GB 4Rx4 PC2-5300F": {"package_ranks": 4, "buffering": F, "form": "DIMM", "rate_mts": 667},
    # as people type them
    "16gb ddr4 ecc reg 2400": {"capacity_gib": 16, "generation": "DDR4", "buffering": R, "rate_mts": 2400, "ecc": True},
    "16 GB DDR4 2400 ECC REG": {"capacity_gib": 16, "buffering": R, "rate_mts": 2400},
    "DDR3L 8GB SODIMM 1600": {"capacity_gib": 8, "rails_v": (1.35, 1.5), "form": SO, "rate_mts": 1600, "ecc": None},
    "ddr3l-1600 so-dimm 8gb": {"capacity_gib": 8, "rails_v": (1.35, 1.5), "form": SO, "rate_mts": 1600},
    "8G DDR3 1333MHz UDIMM non-ecc": {"capacity_gib": 8, "rate_mts": 1333, "form": "DIMM", "buffering": U, "ecc": False, "rails_v": ()},
    "2x8GB DDR3 1333 UDIMM": {"capacity_gib": 8, "form": "DIMM", "buffering": U},
    "16GB (2x8GB) DDR4 2666MHz CL19 SO-DIMM 1.2V": {"capacity_gib": 8, "rate_mts": 2666, "timing": "CL19", "form": SO},
    "8GB x2 DDR4-3200": {"capacity_gib": 8, "rate_mts": 3200},
    "4096MB DDR3-1333 SO-DIMM": {"capacity_gib": 4, "form": SO, "rate_mts": 1333},
    "512MB DDR2 667 SODIMM": {"capacity_gib": 0.5, "generation": "DDR2", "rate_mts": 667},
    "DDR4-2400 (PC4-19200) 8GB": {"rate_mts": 2400, "capacity_gib": 8},
    "16GB PC4-19200R": {"rate_mts": 2400, "buffering": R},
    "16GB PC4-21300 RDIMM": {"rate_mts": 2666, "buffering": R},
    "8GB PC3-1600 SO": {"rate_mts": 1600},
    "16GB 2R×4 DDR4 RDIMM 3200AA": {"package_ranks": 2, "device_width": 4, "timing": "AA", "rate_mts": 3200},
    "8GB 2R x8 PC3L 12800S": {"package_ranks": 2, "device_width": 8, "rails_v": (1.35, 1.5), "form": SO},
    "16G ECC DDR4-2133 288pin dual rank x4": {"package_ranks": 2, "device_width": 4, "form": "DIMM", "ecc": True, "stack_height": None},
    "32GB2Rx4PC4-2666V": {"capacity_gib": 32, "package_ranks": 2, "rate_mts": 2666, "timing": "V"},
    "16GB 2Rx4 2133P-R": {"generation": "DDR4", "rate_mts": 2133, "timing": "P", "buffering": R},
    "16GB 2400T RDIMM": {"generation": "DDR4", "rate_mts": 2400, "timing": "T", "buffering": R},
    "32GB 4800B RDIMM": {"generation": "DDR5", "rate_mts": 4800, "timing": "B", "buffering": R},
    "32GB 2Rx8 PC5-4800B-R": {"rate_mts": 4800, "timing": "B", "buffering": R},
    "LRDIMM 64GB ddr4 2400": {"buffering": L, "form": "DIMM", "ecc": True},
    "64 GB load reduced DDR4": {"buffering": L, "capacity_gib": 64},
    "4GB FB-DIMM 667": {"buffering": F, "generation": "DDR2", "rate_mts": 667},
    "2GB fully buffered PC2-5300": {"buffering": F, "rate_mts": 667},
    "8 GB 240pin FBDIMM 667 2Rx4": {"buffering": F, "package_ranks": 2, "device_width": 4},
    "8GB DDR3 1.35V SODIMM 204-pin": {"rails_v": (1.35,), "form": SO},
    "8GB DDR3 1.35V/1.5V SODIMM": {"rails_v": (1.35, 1.5)},
    "DDR5 RDIMM 16GB 1Rx8 4800 EC8": {"ecc_bits": 8, "ecc": True, "rate_mts": 4800},
    "DDR5 RDIMM 32GB 1Rx4 4800 EC4": {"ecc_bits": 4, "ecc": True},
    "32GB DDR5 5600 ECC UDIMM": {"buffering": U, "ecc": True, "form": "DIMM"},
    "16GB DDR4 single rank": {"package_ranks": 1},
    "PC3-12800S 4 gig": {"capacity_gib": 4, "form": SO},
    "16GB DDR4 16Gbit": {"capacity_gib": 16, "die_gbit": 16},
    "16GB DDR4-2666 31.25mm": {"height_mm": 31.25, "rate_mts": 2666},
    "4GB PC3L-12800S P/N: OSM3L-4S16": {"part": "OSM3L-4S16", "capacity_gib": 4},
    "2GB PC2-5300F P/N LF2 S/N 77A": {"part": "LF2", "serial": "77A", "buffering": F},
    "0.25TB DDR4 LRDIMM": {"capacity_gib": 256, "buffering": L},
    # what it is not, in the words of many shops
    "16GB DDR4 2666 non-registered DIMM": {"buffering": U, "form": "DIMM"},
    "16GB DDR4 non-reg DIMM": {"buffering": U},
    "8GB DDR3 ohne Register": {"buffering": U},
    "8GB DDR4 unregistered not ECC": {"buffering": U, "ecc": False},
    "8GB DDR4 SODIMM ohne ECC": {"ecc": False, "form": SO},
    "8 Go DDR4 sans ECC": {"ecc": False, "capacity_gib": 8},
    "8GB DDR4 nicht-ECC": {"ecc": False},
    "8GB DDR4 ECC: no": {"ecc": False},
    "16GB DDR5 5600 UDIMM on-die ECC": {"ecc": None, "buffering": U},
    "8GB DDR4 without ECC": {"ecc": False},
    "16GB DDR4 ECC, no name": {"ecc": True},
    # sizes and rates as others write them
    "16 Gio DDR4 3200": {"capacity_gib": 16},
    "8 ГБ DDR4 2666": {"capacity_gib": 8, "rate_mts": 2666},
    "4096 Mo DDR3": {"capacity_gib": 4},
    "4GB 2Rx8 12800U": {"generation": "DDR3", "rate_mts": 1600, "buffering": U, "form": "DIMM", "ecc": False, "rails_v": ()},
    "8GB 10600R": {"generation": "DDR3", "rate_mts": 1333, "buffering": R, "rails_v": ()},
    "8GB 12800S 1.35V": {"generation": "DDR3", "form": SO, "rails_v": (1.35,)},
    "16GB 2Rx4 2133P R": {"generation": "DDR4", "rate_mts": 2133, "timing": "P", "buffering": R},
    "16GB 1Rx4 2400T RC1": {"generation": "DDR4", "rate_mts": 2400, "buffering": R},
    # sloppy: as people write them down at the rack, and as shops and spreadsheets mangle them
    "16 gig ddr4 ecc reg": {"capacity_gib": 16, "buffering": R, "ecc": True},
    "8gb ddr3 10600r": {"capacity_gib": 8, "rate_mts": 1333, "buffering": R, "rails_v": ()},
    "DDR3 8 GB PC3 10600 R": {"rate_mts": 1333, "buffering": R, "rails_v": (1.5,)},
    "8GB PC3-12800 R 1.35 V": {"rate_mts": 1600, "buffering": R, "rails_v": (1.35,)},
    "1333 U ddr3 4GB": {"rate_mts": 1333, "buffering": U, "ecc": False},
    "8GB 1600 E DDR3": {"rate_mts": 1600, "buffering": U, "ecc": True},
    "DDR4-2666 L 64GB": {"rate_mts": 2666, "buffering": None},
    "4g 1333 ddr3 non ecc": {"capacity_gib": 4, "ecc": False, "buffering": None},
    "ddr4 sodimm 16g 3200": {"form": SO, "capacity_gib": 16},
    "32GB (1x32GB) 2Rx4 PC4-2666V-R": {"capacity_gib": 32, "buffering": R},
    "2x16gb kit ddr5 5600 udimm": {"capacity_gib": 16, "buffering": U},
    "kit of 2: 8GB each DDR4-2666 SODIMM": {"capacity_gib": 8, "form": SO},
    "16GB (1x16GB) DDR4-2400 Registered Memory Kit": {"capacity_gib": 16, "rate_mts": 2400},
    "DDR4 3200 16GB 1Rx8 x72": {"ecc": True, "device_width": 8},
    "DDR4 3200 16GB 1Rx8 x64 UDIMM": {"ecc": False, "device_width": 8},
    "4 pcs x 8GB PC3L-10600R": {"capacity_gib": 8, "rails_v": (1.35, 1.5)},
    "16GB module, no kit, DDR4": {"capacity_gib": 16},
    "16GB kit of 2 (2x8GB) DDR4 2666": {"capacity_gib": 8, "rate_mts": 2666},
    "16GB*2 DDR4 3200": {"capacity_gib": 16},
    "64gb lrdimm 4drx4 pc4 2400": {"buffering": L, "package_ranks": 4, "device_width": 4},
    "PC3L-12800R 16GB dual rank x4 low voltage": {"package_ranks": 2, "rails_v": (1.35, 1.5)},
    "8GB DDR3-1600 low voltage": {"rails_v": (1.35, 1.5), "rate_mts": 1600},
    "16GB DDR3L-1600 1.35v reg ecc 2rx4": {"rails_v": (1.35, 1.5), "buffering": R, "device_width": 4},
    "16384MB 2400MT/s": {"capacity_gib": 16, "rate_mts": 2400, "generation": None},
    "512 mb ddr2 pc2-5300 fbd": {"capacity_gib": 0.5, "buffering": F},
    "ddr5 rdimm 64GB 4800 ec8 2rx4": {"ecc_bits": 8, "buffering": R, "device_width": 4},
    "PC5-5600B-U 32GB": {"buffering": U, "rate_mts": 5600, "timing": "B"},
    "1r x 8 8gb pc4 2666": {"package_ranks": 1, "device_width": 8, "rate_mts": 2666},
    "8GB 1R x16 PC4 - 3200AA - SA2": {"device_width": 16, "form": SO, "timing": "AA"},
    "8GB 1RX8PC4-2400T": {"package_ranks": 1, "device_width": 8, "rate_mts": 2400},
    "16GB 2RX8 PC4-2133P-UBO-10": {"rate_mts": 2133, "buffering": U, "ecc": False},
    "16GB2Rx4PC4-2400T-RA1-11": {"capacity_gib": 16, "device_width": 4, "buffering": R},
    "16GB 2R×4 PC4–2400T–RA1": {"rate_mts": 2400, "buffering": R},
    "16GB 2Rx4 PC4\u20112400T\u2011RA1\u201111": {"rate_mts": 2400, "buffering": R},
    "16\u00a0GB\u00a0DDR4\u00a02400": {"capacity_gib": 16, "rate_mts": 2400},
    "16GB 2Rx4 PC4-24O0T-RA1-11": {"capacity_gib": 16, "device_width": 4, "rate_mts": None, "buffering": None},
    "DDR4 16GB DIMM 288-PIN 2400 MHz / PC4-19200 CL17 1.2 V registered ECC": {"rate_mts": 2400, "buffering": R, "timing": "CL17"},
    "DDR4 - 8 GB - SO-DIMM 260-PIN - 2666 MHz / PC4-21300 - CL19 - 1.2 V - unbuffered - non-ECC": {"form": SO, "buffering": U, "ecc": False},
    "16GB DDR4 UDIMM (non ECC)": {"buffering": U, "ecc": False},
    "8GB PC3-8500R quad rank": {"package_ranks": 4, "rate_mts": 1066, "buffering": R},
    "PN QD4R-16 SN 12345678 16GB DDR4": {"part": "QD4R-16", "serial": "12345678"},
    "16 GB, DDR4, 2.400 MHz": {"rate_mts": 2400},
    "DDR4 1.2V 3,200 MHz 8GB": {"rate_mts": 3200, "capacity_gib": 8},
    "16GO PC4-2400T": {"capacity_gib": 16},
    "16 GByte DDR4 RDIMM": {"capacity_gib": 16, "buffering": R},
    "16GB DDR-4 2400": {"generation": "DDR4", "rate_mts": 2400},
    "DDR4-RAM 32 GB 3200 ECC reg.": {"buffering": R, "rate_mts": 3200},
    "32gb ddr4 2933y r": {"rate_mts": 2933, "buffering": R},
    "256GB 8DRx4 PC4-3200 LRDIMM 3DS": {"package_ranks": 8, "buffering": L, "stack_height": None},
    "128GB 8Rx4 PC4-2666V LRDIMM": {"package_ranks": None, "logical_ranks": 8, "stack_height": None},
    "128GB 2S4Rx4 PC4-3200AA-R 3ds": {"package_ranks": 2, "stack_height": 4, "buffering": R},
    "96GB DDR5 2Rx4 5600 RDIMM": {"capacity_gib": 96, "buffering": R},
    "Registered: no; ECC: yes; 16GB; DDR4": {"buffering": U, "ecc": True},
    "16GB/2666 DDR4": {"capacity_gib": 16, "rate_mts": 2666},
    "VLP 8GB 1Rx4 PC3L-12800R": {"rails_v": (1.35, 1.5), "package_ranks": 1},
}  # fmt: skip


@pytest.mark.parametrize("text", SPELLINGS)
def test_spelling(text: str) -> None:
    reading = decode_label(text)
    wanted = SPELLINGS[text]
    assert {name: getattr(reading.module, name) for name in wanted} == wanted
    assert not reading.contradictions
    told = {u.field for u in reading.understood} | set(reading.derived)
    extra = {n for n in Module.__dataclass_fields__ if getattr(reading.module, n) not in (None, ())} - told
    assert not extra, "a member that neither a piece of the text nor another member told"


@pytest.mark.parametrize(
    "text",
    ["240GB SSD SATA 6Gb/s", "1TB HDD 7200 rpm", "8GB GDDR6 graphics card", "64GB USB 3.0 stick", "128 GB microSDXC", "512GB NVMe M.2"],
)  # fmt: skip
def test_what_has_a_size_and_is_no_memory_is_no_module(text: str) -> None:
    reading = decode_label(text)
    assert (reading.module, reading.understood) == (Module(), ()) and "something else" in reading.contradictions[0]


def test_a_denied_word_is_never_read_as_what_it_denies() -> None:
    for text in ("16GB DDR4 registered, not load reduced", "16GB DDR4 not load reduced, registered"):
        told = decode_label(text)
        assert (told.module.buffering, told.contradictions) == (R, ()), "the rest of it says what it is"
    assert decode_label("8GB DDR3 low voltage: yes/no").module.rails_v == ()
    for text, member in (("8GB DDR4 not SO-DIMM", "form"), ("8GB DDR4 no RDIMM", "buffering")):
        reading = decode_label(text)
        assert getattr(reading.module, member) is None and "says what it is not" in reading.contradictions[0]


@pytest.mark.parametrize(
    ("text", "piece", "rails", "follows"),
    [
        ("8GB PC3L-12800S", "L", (1.35, 1.5), False),
        ("8GB DDR3L SODIMM", "L", (1.35, 1.5), False),
        ("8GB PC3U-12800S", "U", (1.25,), False),
        ("8GB PC3-12800S", None, (1.5,), True),
        ("8GB PC3-12800S 1.5V", "1.5V", (1.5,), False),
    ],
)
def test_the_letter_of_low_voltage_is_what_tells_the_rails(
    text: str, piece: str | None, rails: tuple[float, ...], follows: bool
) -> None:
    reading = decode_label(text)
    assert [text[u.start : u.end] for u in reading.understood if u.field == "rails_v"] == ([piece] if piece else [])
    assert (reading.module.rails_v, "rails_v" in reading.derived) == (rails, follows)


@pytest.mark.parametrize(
    ("text", "unknown", "complaint"),
    [
        ("16GB PC4-19200 PC4-17000", "rate_mts", "data rate: the text says 2133 (“17000”) and 2400 (“19200”); left unknown"),
        ("8GB DDR3 PC4-2400", "generation", "generation: the text says DDR3 (“DDR3”) and DDR4 (“PC4”); left unknown"),
        ("8GB PC4-2400R", "buffering", "“2400R”: R is a speed bin in this place and also stands for registered; write the kind out (RDIMM, UDIMM, LRDIMM)"),
        *((text, "generation", f"“{kind}” is memory that Umbrak has no rules of (it has them of DDR2 to DDR5 modules); its generation is left unknown")
          for text, kind in (("1GB PC3200U-30331", "PC3200U"), ("512MB DDR 400 CL3", "DDR 400"), ("256MB PC133 SDRAM", "PC133"), ("64GB CAMM2 LPDDR5X-7500", "LPDDR5X"))),
        ("0GB 2Rx8 PC4-2400T", "capacity_gib", "“0GB”: no module has that; capacity left unknown"),
        ("16GB 0Rx8 PC4-2400T", "package_ranks", "“0Rx8”: no module has that; ranks left unknown"),
        ("8Gb DDR4", "capacity_gib", "“8Gb” reads as gigabits; write 8GB for the module or 8Gbit for its dies"),
        ("8GB DDR4 2500MHz", "rate_mts", "2500 MT/s is no standard rate of DDR4; left unknown"),
        ("8GB PC4-2500", "rate_mts", "2500 is no standard rate or bandwidth of DDR4; the rate is left unknown"),
        ("32GB kit DDR5", "capacity_gib", "a kit: of how many modules it does not say; write 2x8GB, or 1x8GB for one module"),
        *((f"{words} 16GB DDR4", "capacity_gib", f"a kit of {n}: whether 16 GB is of each or of all it does not say; write 2x8GB")
          for words, n in (("pack of 2", 2), ("bundle of 4", 4), ("lot of 12", 12), ("2-pack", 2), ("2er Kit", 2), ("matched pair", 2))),
        ("16GB kit of 2 DDR4", "capacity_gib", "a kit of 2: whether 16 GB is of each or of all it does not say; write 2x8GB"),
        ("16GB 2400 R DDR4", "buffering", "“2400R”: R is a speed bin in this place and also stands for registered; write the kind out (RDIMM, UDIMM, LRDIMM)"),
        ("8GB DDR3 1600 not low voltage", None, "“not low voltage” says what it is not; low voltage left unknown"),
        ("64GB 4Rx4 DDR4 3DS RDIMM", "package_ranks", "“4Rx4” of stacked dies: whether it counts them too it does not say; ranks left unknown"),
        ("64GB 2Rx4 DDR5-8800 MRDIMM, multiplexed registered", "buffering", "“MRDIMM” is a kind of module that Umbrak has no rules of; its buffering is left unknown"),
        ("8GB DDR4 no load reduced", "buffering", "“no load reduced” says what it is not; buffering left unknown"),
        ("16GB DDR4 ECC? maybe", "ecc", "“ECC?” leaves it open; ECC left unknown"),
        ("16GB DDR4 ECC: unknown", "ecc", "“ECC: unknown” leaves it open; ECC left unknown"),
        ("ECC: -, registered: no, 8GB", "ecc", "“ECC: -” leaves it open; ECC left unknown"),
        ("16GB DDR4 RDIMM?", "buffering", "“RDIMM?” leaves it open; buffering left unknown"),
        ("8GB DDR3 low voltage: yes/no", None, "“low voltage: yes/no” leaves it open; low voltage left unknown"),
        ("8GB/16GB DDR4 SODIMM", "capacity_gib", "capacity: the text says 16 (“16GB”) and 8 (“8GB”); left unknown"),
        ("8GB 16GB DDR4", "capacity_gib", "capacity: the text says 16 (“16GB”) and 8 (“8GB”); left unknown"),
        ("RDIMM non-ECC DDR4", None, "a registered module always has ECC"),
        ("16GB DDR4 1.05V", None, "1.05 V is no rail of DDR4"),
        ("16GB 1Rx8 PC3-12800U", None, "16 GB from 1 rank(s) of x8 needs 16 Gbit dies, which DDR3 does not have"),
        ("PC3L-12800S 1.2V", None, "DDR3L runs at 1.35 or 1.5 V; the text also says 1.2 V"),
    ],
)  # fmt: skip
def test_contradictions_are_said_and_nothing_is_guessed(text: str, unknown: str | None, complaint: str) -> None:
    reading = decode_label(text)
    assert complaint in reading.contradictions
    if unknown:
        assert getattr(reading.module, unknown) is None


@pytest.mark.parametrize(
    ("text", "rails", "rate"),
    [
        ("16GB DDR4-3200 CL16 1.35V", (1.2,), None),
        ("4GB DDR2-800 2.1V", (1.8,), None),
        ("16GB DDR4-3200 1.2V", (1.2,), 3200),
        ("32GB DDR5-6000 1.4 V", (1.1,), None),
        ("8GB DDR3-1866 1.65V", (1.5,), None),
        ("8GB DDR3L-1866 1.35V 1.5V", (1.35, 1.5), 1866),
        ("16GB DDR4 2.5V", (2.5,), None),  # no profile asks for so much: a mistake
        ("16GB 3200MHz 1.35V", (1.35,), 3200),  # too fast for the generation of that rail
    ],
)
def test_a_profile_of_its_makers_is_not_what_a_module_is_rated(
    text: str, rails: tuple[float, ...], rate: int | None
) -> None:
    """A module starts at its standard's rail all the same; at which rate there, the profile does not tell."""
    reading = decode_label(text)
    assert (reading.module.rails_v, reading.module.rate_mts) == (rails, rate)
    assert not reading.not_understood
    assert [w for w in reading.remarks if "may be of that profile too" in w] == list(reading.remarks)
    assert bool(reading.remarks) == (rate is None and rails != (2.5,))
    assert (reading.module.generation is None) == ("DDR" not in text)


@pytest.mark.parametrize(
    ("text", "left"),
    [("hello world", ["hello", "world"]), ("LPDDR4 8GB", ["LPDDR4"]), ("16GB 2Rx8 PC4-2400T blue", ["blue"]), ("", [])],
)
def test_what_is_no_label_is_left_over(text: str, left: list[str]) -> None:
    reading = decode_label(text)
    assert [text[a:b] for a, b in reading.not_understood] == left


@given(
    st.text(max_size=80)
    | st.lists(
        st.sampled_from(
            ["16GB", "2Rx8", "PC4-2400T", "-RE1", "DDR3L", "1.35V", "x4", "ECC", "2x", "8", "REG", "SODIMM", "12800S"]
        )
    ).map(" ".join)
)
def test_any_text_is_read_and_every_piece_accounted_for(text: str) -> None:
    reading = decode_label(text)
    assert all(0 <= u.start < u.end <= len(text) for u in reading.understood)
    assert reading == decode_label(text)
    left = {i for a, b in reading.not_understood for i in range(a, b)}
    assert not left & {i for u in reading.understood for i in range(u.start, u.end)}


@given(
    st.sampled_from([(g, r) for g, rates in STANDARD_RATES_MTS.items() for r in rates if g in ("DDR4", "DDR5")]),
    st.sampled_from([4, 8, 16, 32, 64]),
    st.sampled_from(["RDIMM", "UDIMM", "SO-DIMM"]),
    st.permutations(range(4)),
)  # fmt: skip
def test_word_order_does_not_matter(grade: tuple[str, int], size: int, kind: str, order: list[int]) -> None:
    words = [f"{size}GB", grade[0], f"{grade[1]}MT/s", kind]
    shuffled = decode_label(" ".join(words[i] for i in order))
    assert shuffled.module == decode_label(" ".join(words)).module
    assert (shuffled.module.capacity_gib, shuffled.module.rate_mts) == (size, grade[1])
