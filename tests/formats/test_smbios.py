"""SMBIOS tables and listings: the same facts both ways, and what is left of broken ones."""

from __future__ import annotations

import gzip
import re
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.formats.smbios_facts import Device, board_and_chassis, listing, mapped, structure, table, with_entry_point
from umbrak.core.memory.module import Buffering, Form, Generation, MakerCode
from umbrak.core.platform.survey import SlotState, SystemFacts, match_processors, match_slots
from umbrak.formats.faults import InputError
from umbrak.formats.reading import detect, read_any
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.formats.sheet.reading import shipped_sheets

EMPTY = Device("CPU1_DIMM_A2", 0)
MACHINE = [Device("CPU1_DIMM_A1"), EMPTY, Device("CPU1_DIMM_B1", 32768, rank=2, part="BR4R-32-24")]
FULLY_BUFFERED = Device(
    "R1",
    4096,
    kind=(0x14, "DDR2 FB-DIMM"),
    form=(0x0F, "FB-DIMM"),
    detail=(1 << 7, "Synchronous"),
    speed=667,
    configured=667,
    mv=1800,
)
SOLDERED = Device(
    "ONBOARD",
    8192,
    form=(0x0B, "Row Of Chips"),
    total=64,
    detail=(1 << 7, "Synchronous"),
    kind=(0x22, "DDR5"),
    speed=4800,
    configured=4800,
    mv=1100,
)
LAPTOP = Device(
    "SODIMM1",
    8192,
    form=(0x0D, "SODIMM"),
    total=64,
    kind=(0x18, "DDR3"),
    detail=(1 << 7, "Synchronous"),
    speed=1600,
    configured=1600,
    mv=1350,
)


@pytest.mark.parametrize("write", ["raw", "wide", "narrow", "text"])
def test_the_same_facts_either_way(write: str) -> None:
    raw = table(MACHINE)
    data = {
        "raw": raw,
        "wide": with_entry_point(raw, True),
        "narrow": with_entry_point(raw, False),
        "text": listing(MACHINE).encode(),
    }[write]
    assert detect(data) == ("smbios-text" if write == "text" else "smbios")
    reading = read_any(data)
    assert (reading.system.maker, reading.system.model, reading.system.serial) == (
        "Lorne Systems",
        "Lorne K12",
        "LK12-00417",
    )  # type: ignore[union-attr]
    assert (reading.firmware.version, reading.firmware.date) == ("1.8.2", "03/14/2024")  # type: ignore[union-attr]
    assert [(p.socket, p.populated, p.cores) for p in reading.processors] == [("CPU1", True, 14), ("CPU2", False, 14)]
    assert [(a.max_gib, a.slots, a.ecc) for a in reading.arrays] == [(768, 3, "Multi-bit ECC")]
    assert [s.state for s in reading.slots] == [SlotState.FILLED, SlotState.EMPTY, SlotState.FILLED]
    slot, module = reading.slots[0], reading.slots[0].module
    assert (slot.locator, slot.bank, slot.configured_mts, slot.configured_v) == ("CPU1_DIMM_A1", "NODE 0", 2133, 1.2)
    assert module is not None
    assert (module.generation, module.form, module.buffering, module.ecc_bits) == (
        Generation.DDR4,
        Form.DIMM,
        Buffering.REGISTERED,
        8,
    )
    assert (module.capacity_gib, module.package_ranks, module.rate_mts, module.rails_v) == (16, 2, 2400, (1.2,))
    assert (module.maker, module.part, module.serial) == ("Brannoch", "BR4R-16-24", "00C0FFEE")
    assert reading.slots[1].module is None
    assert reading.slots[2].module.capacity_gib == 32  # type: ignore[union-attr]
    assert not reading.warnings


@pytest.mark.parametrize(
    ("device", "state", "members"),
    [
        (FULLY_BUFFERED, "filled", {"generation": "DDR2", "buffering": "fully-buffered", "form": "DIMM", "rails_v": (1.8,)}),
        (SOLDERED, "soldered", {"generation": "DDR5", "form": None, "ecc": False, "capacity_gib": 8}),
        (LAPTOP, "filled", {"form": "SO-DIMM", "buffering": "unbuffered", "rails_v": (1.35, 1.5), "ecc": False}),
        (Device("D", detail=(1 << 13 | 1 << 15, "Synchronous Registered (Buffered) LRDIMM")), "filled", {"buffering": "load-reduced"}),
        (Device("D", total=80, kind=(0x22, "DDR5"), speed=4800, mv=1100), "filled", {"ecc_bits": 8}),
        (Device("D", total=72, kind=(0x22, "DDR5"), speed=4800, mv=1100), "filled", {"ecc_bits": 4}),
        (Device("D", speed=2667, configured=2667), "filled", {"rate_mts": 2666}),
        (Device("D", 131072), "filled", {"capacity_gib": 128}),
        (Device("D", 512), "filled", {"capacity_gib": 0.5}),
        (Device("D", None), "unknown", {}),
        (Device("D", None, sized_by_none=True), "failed", {"capacity_gib": None, "part": "BR4R-16-24"}),
        (Device("D (disabled)", 0x4000), "failed", {"capacity_gib": 16}),
        # Above its standard's rail a profile of its maker's is in use: what it is rated there is not its rating.
        (Device("D", speed=3200, configured=3200, mv=1350), "filled", {"rate_mts": None, "rails_v": (1.2,)}),
        (Device("D", speed=3200, configured=3200, mv=1216), "filled", {"rate_mts": 3200, "rails_v": (1.2,)}),
        (Device("D", speed=1200, configured=1200), "filled", {"rate_mts": None}),
        (Device("D", kind=(0x18, "DDR3"), speed=1600, configured=1600, mv=1500), "filled", {"rate_mts": 1600}),
        (Device("D", maker="Manufacturer0", serial="00000000", part="PartNum0"), "filled", {"maker": None, "serial": None, "part": None}),
        (Device("D", maker_id=(3, 0x2D)), "filled", {"maker": "Brannoch", "maker_code": MakerCode(3, 0x2D)}),
        (Device("D", kind=(0x1E, "LPDDR4")), "filled", {"generation": None}),
        # What keeps its content is no main memory, but for what of it does not.
        (Device("D", technology=(3, "DRAM"), volatile_mib=16384), "filled", {"capacity_gib": 16}),
        (Device("D", technology=(4, "NVDIMM-N")), "filled", {"capacity_gib": None, "part": "BR4R-16-24", "keeps": "NVDIMM-N"}),
        (Device("D", 131072, technology=(6, "NVDIMM-P"), volatile_mib=65536), "filled", {"capacity_gib": 64, "keeps": "NVDIMM-P"}),
        (Device("D", detail=(1 << 7 | 1 << 12, "Synchronous Non-Volatile")), "filled", {"capacity_gib": None, "serial": "00C0FFEE"}),
        (Device("D", kind=(0x1F, "Logical non-volatile device")), "filled", {"capacity_gib": None, "generation": None}),
    ],
)  # fmt: skip
def test_particular_devices(device: Device, state: str, members: dict[str, object]) -> None:
    for data in (table([device]), listing([device]).encode()):
        slot = read_any(data).slots[0]
        assert slot.state == state
        assert {n: getattr(slot.module, n) for n in members} == members


@pytest.mark.parametrize(
    ("device", "binary", "said_in_mhz", "said_in_mts"),
    [
        # 1600 is a rate of DDR4 and half of its 3200: only a field in MT/s tells which.
        (Device("D", speed=1600, configured=1600), None, None, 1600),
        (Device("D", speed=1600, configured=1600, maker_id=(1, 1)), 1600, None, 1600),
        (Device("D", speed=2400, configured=2400), 2400, 2400, 2400),
        # No rate of DDR4 at all: whatever the unit says, it may be the clock.
        (Device("D", speed=1467, configured=1467), None, None, None),
    ],
)  # fmt: skip
def test_a_speed_that_may_be_the_clock_is_asked_for(
    device: Device, binary: int | None, said_in_mhz: int | None, said_in_mts: int | None
) -> None:
    text = listing([device])
    for data, rate in (
        (table([device]), binary),
        (text.replace("MT/s", "MHz").encode(), said_in_mhz),
        (text.encode(), said_in_mts),
    ):
        reading = read_any(data)
        assert reading.slots[0].module and reading.slots[0].module.rate_mts == rate
        assert any("may be the data rate or the clock" in w.message for w in reading.warnings) == (rate is None)


def test_names_that_the_maker_left_unfilled_come_from_board_and_chassis() -> None:
    blank = table([], board_and_chassis(["Lorne Boards", "LB-7", "Default string"], "CH-0001"))
    for filler in (b"To be filled by O.E.M.", b"Unknown", b"  "):
        changed = (
            blank.replace(b"Lorne Systems", filler).replace(b"Lorne K12", filler).replace(b"LK12-00417", b"00000000")
        )
        assert read_any(changed).system == SystemFacts("Lorne Boards", "LB-7", "CH-0001")
    assert read_any(blank).system == SystemFacts("Lorne Systems", "Lorne K12", "LK12-00417")


def test_a_listing_without_indentation_handles_or_with_quoting_reads_the_same() -> None:
    text = listing(MACHINE)
    wanted = read_any(text.encode()).slots
    flat = re.sub(r"^\t", "", text, flags=re.M)
    for other in (
        flat,
        re.sub(r"^Handle.*\n", "", text, flags=re.M),
        re.sub(r"^", "> ", text, flags=re.M),
        text.replace("\n", "\r\n"),
        text.replace("Configured Memory Speed", "Configured Clock Speed").replace("16 GB", "16384 MB"),
    ):
        assert read_any(other.encode()).slots == wanted


@pytest.mark.parametrize(
    ("data", "code", "words"),
    [
        (b"total 12\ndrwxr-xr-x 2 root root 4096 .\n", "not-a-listing", "begins nothing that is read here"),
        (b"# dmidecode 3.4\n/dev/mem: Permission denied\n", "not-a-listing", "had no right to read the tables"),
        (b"sh: 1: dmidecode: command not found\n", "not-a-listing", "The program is not on that machine"),
        (b"", "empty", "nothing in it"),
        (b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", "kind-unknown", "a picture: type what it shows"),
        (b"\0\0\0\x18ftypheic\0\0\0\0", "kind-unknown", "a picture"),
        (b"%PDF-1.7\n1 0 obj\n", "kind-unknown", "copy the text out of it"),
        (gzip.compress(listing(MACHINE).encode()), "kind-unknown", "packed: unpack it, and give what was in it (gzip)"),
        (Path(sys.executable).resolve().read_bytes()[:40_000], "kind-unknown", "a program"),
        (Path(__file__).read_bytes().replace(b"a", b"\0"), "kind-unknown", "none of the kinds"),
        (b"umbrak-sheet: 1\nid: x\n", "kind-unknown", "a sheet, which tells of a model"),
        # It could be a structure, by its first bytes.
        (
            b"\x11\x22\x00\x11 no strings" + bytes(range(1, 30)) + b"\0\0" + b"\xff" * 99,
            "kind-unknown",
            "none of the kinds",
        ),
        (b"_SM3_\0\0", "cut", "needs 24 bytes"),
        (b"\0" * 64, "empty", "nothing in it"),
    ],
)
def test_what_cannot_be_read_says_what_was_expected(data: bytes, code: str, words: str) -> None:
    with pytest.raises(InputError) as error:
        read_any(data)
    assert error.value.code == code
    assert words in str(error.value)


@pytest.mark.parametrize(
    ("said", "serial"),
    [
        ("LK12-00417", "LK12-00417"),
        ("1234", "1234"),
        ("AAAA-1", "AAAA-1"),
        *((words, None) for words in ("System Serial Number", "Chassis Serial Number", "Type2 - Board Serial Number", "123456789",
          "0123456789ABCDEF", "XXXXXXXXXX", "11111111", "INVALID", "Not Applicable", "OEM", "$(DEFAULT_STRING)", "Default string")),
    ],
)  # fmt: skip
def test_what_only_fills_the_field_is_no_serial_number(said: str, serial: str | None) -> None:
    """By such a number two machines would be one."""
    system = read_any(listing([Device("A1")]).replace("LK12-00417", said).encode()).system
    assert system is not None and system.serial == serial


def test_two_listings_in_one_text_are_not_one_machine() -> None:
    """As the screen of a terminal has them, one below the other."""
    text = listing(MACHINE)
    alone = read_any(text.encode())
    again = read_any((text + "\n" + text).encode())
    assert replace(again, warnings=()) == replace(alone, warnings=())
    assert [w.message for w in again.warnings if w not in alone.warnings] == [
        "the same structures are in it more than once: they count once"
    ]
    with pytest.raises(InputError, match="tells of 2 machines, with the serial numbers LK12-00417 and LK12-7: give"):
        read_any((text + "\n" + text.replace("LK12-00417", "LK12-7")).encode())
    later = read_any((text + "\n" + listing([MACHINE[0], MACHINE[2], EMPTY])).encode())
    assert later.arrays == alone.arrays, "its array is one, and claims no more"
    bare = re.sub(r"^Handle.*\n", "", listing(MACHINE[:2]), flags=re.M)
    assert any("every slot is named twice" in w.message for w in read_any((bare + "\n" + bare).encode()).warnings)


def test_a_listing_cut_in_half_keeps_what_stood_before() -> None:
    text = listing(MACHINE)
    cut = text[: text.index("CPU1_DIMM_B1")]
    reading = read_any(cut.encode())
    assert [s.state for s in reading.slots] == [SlotState.FILLED, SlotState.EMPTY, SlotState.FILLED]
    assert reading.slots[2].locator is None
    line = cut[: cut.rindex("Handle 0x")].count("\n") + 1
    assert [(w.where, w.message) for w in reading.warnings][:1] == [
        (f"line {line}", "the listing ends inside this memory device; what was read of it is kept")
    ]
    whole = text[: cut.rindex("Handle 0x")]
    assert [w.message for w in read_any(whole.encode()).warnings] == [
        "2 of 3 slots are in it: it is cut off, or not all of it was given"
    ], "cut between two devices nothing else tells it"
    assert "2 of 3 slots are in it" in draft_sheet(read_any(whole.encode()))
    sizeless = text[: text.rindex("\tSize")]
    assert read_any(sizeless.encode()).slots[2].state is SlotState.UNKNOWN


def test_a_table_cut_in_half_keeps_whole_structures_and_names_the_byte() -> None:
    raw = table(MACHINE)
    at = raw.rindex(b"CPU1_DIMM_B1")
    begins = raw.rindex(bytes([17, 40]))
    reading = read_any(raw[:at])
    # In its strings: what its formatted part told is kept, above all its size.
    assert [s.locator for s in reading.slots] == ["CPU1_DIMM_A1", "CPU1_DIMM_A2", None]
    assert reading.slots[2].occupant() == replace(read_any(raw).slots[2].occupant(), maker=None, part=None, serial=None)  # type: ignore[type-var]
    assert [(w.where, "in its strings" in w.message) for w in reading.warnings if "cut" in w.message] == [
        (f"byte {begins}", True)
    ]
    # In its formatted part: it is left out.
    reading = read_any(raw[: begins + 30])
    assert (len(reading.slots), [w.where for w in reading.warnings]) == (2, [f"byte {begins}", "the whole"])


def test_tables_tell_what_is_odd_in_themselves() -> None:
    raw = table(MACHINE)
    makers_own = bytes([221, 6, 0, 0x90, 1, 2]) + b"OEM\0\0"
    assert read_any(makers_own + raw).slots == read_any(raw).slots, "a maker's own structure may stand first"
    dump = with_entry_point(makers_own + raw, wide=False)
    assert not read_any(dump).warnings
    short = bytearray(with_entry_point(raw, wide=False))
    short[28] += 3
    assert any("it tells" in w.message for w in read_any(bytes(short)).warnings)
    device = raw.index(bytes([17, 40]))
    wrong = bytearray(raw)
    wrong[device + 0x10] = 99  # its locator is a string that it has not
    assert any("names string 99" in w.message for w in read_any(bytes(wrong)).warnings)
    # Structures that lie over each other: by handle, by length, by the addresses that they say they answer.
    twice = raw[:device] + raw[device:].replace(raw[device + 2 : device + 4], b"\x00\x10", 1)
    assert any("another one has too" in w.message for w in read_any(twice).warnings)
    over = table([], structure(17, 0x1177, bytes(120), []))
    assert any("124 bytes, 100 at most expected" in w.message for w in read_any(over).warnings)
    assert read_any(table(MACHINE, mapped(32) + mapped(32, 32))).installed_gib == 64
    # What is told of slots and of the whole contradicts itself, or not: of a slot that tells nothing nobody knows.
    for ranges, devices, odd in (
        (mapped(32), [Device("A1"), Device("A2")], []),
        (mapped(16), [Device("A1"), Device("A2")], ["its slots come to 32 GB, and it tells 16 GB in all: a module"]),
        (mapped(16), [Device("A1"), Device("A2"), Device("A3", None)], ["its slots come to 32 GB"]),
        (
            mapped(48),
            [Device("A1"), Device("A2")],
            ["its slots come to 32 GB, and it tells 48 GB in all: a slot is missing"],
        ),
        (mapped(48), [Device("A1"), Device("A2"), Device("A3", None)], []),
    ):
        said = [w.message for w in read_any(table(devices, ranges)).warnings if "in all" in w.message]
        assert [s.startswith(o) for s, o in zip(said, odd, strict=True)] == [True] * len(odd), said
    doubled = read_any(table(MACHINE, mapped(32) + mapped(32, 16)))
    assert doubled.installed_gib is None and any("lie over each other" in w.message for w in doubled.warnings)


def test_an_unknown_field_is_named_and_costs_nothing() -> None:
    text = listing(MACHINE).replace("\tSet: None", "\tGlow: purple", 1)
    reading = read_any(text.encode())
    assert [w.message for w in reading.warnings] == ["field “glow” is not known; left out"]
    assert reading.slots == read_any(listing(MACHINE).encode()).slots


@given(st.integers(0, 400), st.integers(0, 255))
def test_one_wrong_byte_never_breaks_the_reader(position: int, value: int) -> None:
    raw = bytearray(with_entry_point(table(MACHINE), True))
    raw[position % len(raw)] = value
    try:
        read_any(bytes(raw), "smbios")
    except InputError as error:
        assert error.faults


@given(st.binary(max_size=300), st.sampled_from(["smbios", "smbios-text", None]))
def test_any_bytes_are_read_or_refused(data: bytes, kind: str | None) -> None:
    try:
        read_any(data, kind)
    except InputError as error:
        assert str(error)


def test_reports_find_their_slots_by_name_only() -> None:
    sheet = shipped_sheets()["two-sockets-six-by-two"].sheet
    names = ["CPU1_DIMM_A1", "CPU2 B2", "DIMM A1", "P2-C1", "cpu1-f2", "CPU1_DIMM_F2"]
    slots = [replace(read_any(table([Device(n)])).slots[0], bank=None) for n in names]
    # "A1" alone is on two sockets; the last two name the same slot, so neither can be trusted.
    assert match_slots(sheet, slots) == ("CPU1.A1", "CPU2.B2", None, None, None, None)
    assert match_processors(sheet, read_any(table(MACHINE)).processors) == {"CPU1": "any", "CPU2": None}
