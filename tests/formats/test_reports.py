"""Reports that are no SMBIOS tables: Redfish documents, SNMP walks, labels by hand, tables that people keep."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.formats.smbios_facts import Device, guest_listing, guest_table, listing, table
from umbrak.core.memory.module import MakerCode
from umbrak.core.platform.survey import SlotState, SurveyReading
from umbrak.formats import bounds, spreadsheet
from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import InputError
from umbrak.formats.reading import detect, read_any
from umbrak.formats.redfish import read_documents, read_redfish
from umbrak.formats.slot_labels import read_labels
from umbrak.formats.snmp import read_snmp
from umbrak.formats.spreadsheet import read_table

MEMORY = {
    "@odata.type": "#Memory.v1_18_0.Memory", "DeviceLocator": "A1", "CapacityMiB": 32768, "MemoryDeviceType": "DDR4",
    "BaseModuleType": "RDIMM", "BusWidthBits": 72, "DataWidthBits": 64, "RankCount": 2, "AllowedSpeedsMHz": [2400, 2933],
    "OperatingSpeedMhz": 2667, "Manufacturer": "Brannoch", "PartNumber": "BR4R-32", "SerialNumber": "00C0FFEE",
    "Status": {"State": "Enabled", "Health": "OK"},
}  # fmt: skip


def collection(*memory: dict[str, Any]) -> dict[str, Any]:
    """A service of one system, as path -> document."""
    base = "/redfish/v1/Systems/1"
    members = [{"@odata.id": f"{base}/Memory/{i}", **m} for i, m in enumerate(memory)]
    documents: list[dict[str, Any]] = [
        {
            "@odata.id": base,
            "@odata.type": "#ComputerSystem.v1_20_0.ComputerSystem",
            "Memory": {"@odata.id": f"{base}/Memory"},
        },
        {"@odata.id": f"{base}/Memory", "Members": [{"@odata.id": m["@odata.id"]} for m in members]},
        *members,
    ]
    return {d["@odata.id"]: d for d in documents}


def test_a_saved_collection_reads_alike_however_it_was_saved() -> None:
    by_path = collection(MEMORY, {"DeviceLocator": "A2", "Status": {"State": "Absent"}})
    as_list = list(by_path.values())
    system, listed, *members = as_list
    nested = {**system, "Memory": {**listed, "Members": members}}
    found = [read_any(json.dumps(way).encode()) for way in (by_path, as_list, nested)]
    assert found[0] == found[1] == found[2] and detect(json.dumps(nested).encode()) == "redfish"
    one, two = found[0].slots
    assert (one.locator, one.state, one.configured_mts, two.state) == ("A1", SlotState.FILLED, 2666, SlotState.EMPTY)
    module = one.module
    assert module and (module.capacity_gib, module.buffering, module.ecc_bits, module.rate_mts) == (
        32,
        "registered",
        8,
        2933,
    )
    # Rows of one standard module: 2 ranks of 32 GiB tell width and die only together, so neither is made up.
    assert (module.device_width, module.rails_v) == (None, (1.2,))


@pytest.mark.parametrize(
    ("change", "state", "members"),
    [
        ({"Status": {"State": "Enabled", "Health": "Critical"}}, "failed", {"capacity_gib": 32}),
        ({"Status": {"State": "Disabled"}}, "failed", {"capacity_gib": 32}),
        ({"CapacityMiB": None}, "failed", {"capacity_gib": None}),
        ({"CapacityMiB": None, "PartNumber": None, "SerialNumber": "", "Manufacturer": "Unknown"}, "unknown", None),
        ({"BaseModuleType": "Die"}, "soldered", {"form": None}),
        ({"MemoryDeviceType": "DDR5", "BusWidthBits": 80, "AllowedSpeedsMHz": [4800]}, "filled", {"ecc_bits": 8, "rate_mts": 4800}),
        ({"MemoryDeviceType": "DDR2_SDRAM_FB_DIMM", "AllowedSpeedsMHz": [667]}, "filled", {"buffering": "fully-buffered"}),
        ({"AllowedSpeedsMHz": [1600]}, "filled", {"rate_mts": None}),  # or the clock of 3200
        ({"MemoryType": "NVDIMM_N"}, "filled", {"capacity_gib": None, "keeps": "NVDIMM_N"}),
        ({"MemoryType": "NVDIMM_P", "VolatileSizeMiB": 8192}, "filled", {"capacity_gib": 8}),
        ({"MemoryType": "DRAM"}, "filled", {"capacity_gib": 32}),
        ({"ModuleManufacturerID": "0x02AD"}, "filled", {"maker_code": MakerCode(3, 0x2D)}),
        ({"ModuleManufacturerID": "0xAD02"}, "filled", {"maker_code": MakerCode(3, 0x2D)}),
        ({"ModuleManufacturerID": "0x0204"}, "filled", {"maker_code": None}),
        ({"DeviceLocator": None, "MemoryLocation": {"Socket": 1, "Channel": 2, "Slot": 1}}, "filled", {"capacity_gib": 32}),
        # Wrong types cost the member, not the slot.
        ({"RankCount": "two", "AllowedSpeedsMHz": 2933, "Manufacturer": {"a": 1}}, "filled", {"package_ranks": None, "rate_mts": None, "maker": None}),
        ({"Enabled": False}, "failed", {"failed": "mapped-out", "capacity_gib": 32}),  # Memory v1_12: switched off, whatever its state
        ({"CapacityMiB": float("nan")}, "failed", {"capacity_gib": None}),
        ({"Status": "Enabled", "Location": [], "Metrics": "x"}, "filled", {"capacity_gib": 32}),
    ],
)  # fmt: skip
def test_particular_memory(change: dict[str, Any], state: str, members: dict[str, Any] | None) -> None:
    slot = read_documents(collection({**MEMORY, **change}), Deadline()).slots[0]
    assert slot.state == state and slot.locator in ("A1", "Socket 1 Channel 2 Slot 1")
    assert {n: getattr(slot.module, n) for n in members} == members if members else slot.module is None


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from([*MEMORY, "Members", "Memory", "@odata.id"]), inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


@given(st.dictionaries(st.sampled_from([*MEMORY, "Metrics", "Location", "EnvironmentMetrics"]), JSON))
def test_any_document_is_read(document: dict[str, Any]) -> None:
    reading = read_documents(collection({**MEMORY, **document}), Deadline())
    assert len(reading.slots) == 1


@given(JSON)
def test_any_json_is_read_or_refused(document: Any) -> None:
    try:
        read_redfish(json.dumps(document).encode(), Deadline())
    except InputError as error:
        assert error.faults


@pytest.mark.parametrize(
    ("text", "usable", "said"),
    [
        (".1.3.6.1.2.1.25.2.2.0 = INTEGER: 16777216 KBytes", 16, ""),
        ("1.3.6.1.2.1.25.2.2.0 = 16777216", 16, ""),
        (".1.3.6.1.2.1.1.1.0 = STRING: \"x\"\n.1.3.6.1.2.1.25.2.2.0 = INTEGER: 2147483647", None, "2 TiB is the most"),
        (".1.3.6.1.2.1.1.1.0 = STRING: x\n.1.3.6.1.2.1.25.2.2.0 = INTEGER: -5", None, "a number above nought was expected"),
        # Without hrMemorySize: the storage of the kind RAM, in its own units.
        ("\n".join([".1.3.6.1.2.1.25.2.3.1.2.4 = OID: .1.3.6.1.2.1.25.2.1.2", ".1.3.6.1.2.1.25.2.3.1.4.4 = INTEGER: 4096",
                    ".1.3.6.1.2.1.25.2.3.1.5.4 = INTEGER: 2097152"]), 8, ""),
    ],
)  # fmt: skip
def test_snmp(text: str, usable: float | None, said: str) -> None:
    reading = read_snmp(text, Deadline())
    assert reading.usable_gib == usable
    assert [w for w in reading.warnings if said in w.message] if said else not reading.warnings


def test_labels_by_hand_a_line_a_slot() -> None:
    text = "A1: 16GB 2Rx8 PC4-2400T-RE1-11\nA2 = empty\nDIMM B1\t16GB DDR4 2400\n\nSlot 4   8GB DDR4\n32GB 2Rx4 PC4-2933Y-RB2\nsomething else\nC1: 16GB 2Rx8 PC4-2400T-RE1 1.35V\n"
    reading = read_any(text.encode())
    assert reading.kind == "labels"
    told = [(s.locator, s.state.value, s.module and s.module.capacity_gib) for s in reading.slots]
    assert told == [("A1", "filled", 16), ("A2", "empty", None), ("DIMM B1", "filled", 16), ("Slot 4", "filled", 8), (None, "filled", 32), ("C1", "filled", 16)]  # fmt: skip
    assert reading.warnings[0].where == "line 7" and {w.where for w in reading.warnings} <= {
        "line 7",
        "line 8",
    }
    # One space between is enough for a name as boards have them, and never takes a piece of a label for one.
    spaced = read_labels(
        "B1 16GB DDR4 2400\nB2 empty\nCPU1 A2 16GB DDR4 2400\nDIMM A3 8GB DDR4\nDIMM_D 8GB DDR4\nslot 4 8GB DDR4\nDDR4 16GB 2400\nPC3 8GB 1600\nDIMM 16 GB DDR4\nT1 seen\nb1 8GB DDR4",
        Deadline(),
    )
    assert [(s.locator, s.state.value) for s in spaced.slots] == [
        ("B1", "filled"), ("B2", "empty"), ("CPU1 A2", "filled"), ("DIMM A3", "filled"), ("DIMM_D", "filled"), ("slot 4", "filled"),
        (None, "filled"), (None, "filled"), (None, "filled"), ("b1", "filled"),
    ]  # fmt: skip
    assert [w.message for w in spaced.warnings] == [
        "“T1 seen” tells no module; left out",
        "b1 was told on line 1 already",
    ]
    odd = read_any(b"A1: 32GB (2x16GB) DDR4-3200 UDIMM\nA2: 17GB DDR4 (burnt?)\nB1: 8GB DDR4")
    assert [(w.where, w.message) for w in odd.warnings] == [
        ("line 1", "the label is of a kit of 2, taken for one module of it"),
        ("line 2", "no DDR4 module has 17 GB"),
        ("line 2", "not understood: “burnt?”"),
    ]
    with pytest.raises(InputError, match="expected lines such as"):
        read_labels("nothing\nhere", Deadline())


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("A2: free", "A2 empty"),
        ("A2  Absent   -   -", "A2 empty"),
        ("A2: Not Installed", "A2 empty"),
        ("A2: currently not populated", "A2 empty"),
        ("A2: not seen", "A2 unknown"),
        ("A2: could not read it", "A2 unknown"),
        # A guess is not what is there, and neither is what was there or is to be.
        ("A2: empty?", "A2 unknown"),
        ("A2: probably empty", "A2 unknown"),
        ("A2: maybe 16GB DDR4", "A2 unknown"),
        ("A2: 16GB DDR4?", "A2 unknown"),
        ("A2: removed 16GB DDR4", "A2 unknown"),
        ("A2: to be filled with 16GB DDR4", "A2 unknown"),
        ("A2 broken tab, empty", "A2 empty"),
        ("A2: empty (tab broken)", "A2 empty"),
        ("A2 EMPTY!!", "A2 empty"),
        ("A2 nothing in it", "A2 empty"),
        ("A2: not empty, could not see", "A2 unknown"),
        ("A2: empty, had 16 GB", "A2 unknown"),
        ("A2 unreadable label", "A2 unknown"),
        ("A2 burnt contacts - do not use", "A2 unknown"),
        ("A2 same as A1", "A2 filled 8"),
        ("A2: 16GB DDR4 but not detected", "A2 failed 16"),
        ("A2: was 8GB DDR4, now empty", "A2 empty"),
        ("A2: 16GB DDR4 (failed)", "A2 failed 16"),
        ("A2: 16GB DDR4, tested, not failed", "A2 filled 16"),
        ("A2: 16GB DDR4, soldered", "A2 soldered 16"),
        # Several slots on a line.
        ("A2-A4: 16GB DDR4", "A2 filled 16, A3 filled 16, A4 filled 16"),
        ("DIMM_B1 to DIMM_B2: empty", "DIMM_B1 empty, DIMM_B2 empty"),
        ("A2, A3 and B1: 16GB DDR4", "A2 filled 16, A3 filled 16, B1 filled 16"),
        ("A2: same", "A2 filled 8"),
        ("P1-DIMM2: 16GB DDR4", "P1-DIMM2 filled 16"),
        ("DIMM 1-4: 16GB DDR4", "DIMM 1-4 filled 16"),
        ("DIMM 1-2: 16GB DDR4\nDIMM 3-4: empty", "DIMM 1 filled 16, DIMM 2 filled 16, DIMM 3 empty, DIMM 4 empty"),
        ("DIMM 1-2: 16GB DDR4\nDIMM 2-2: empty", "DIMM 1-2 filled 16, DIMM 2-2 empty"),
        ("A4-A2: 16GB DDR4", "A4-A2 filled 16"),
        ("all slots: 16GB DDR4", "None filled 16"),
        ("A2: not empty", "A2 unknown"),
        # A size is enough of what is surely a slot; of one that is named like the others it is known that it is there.
        ("A2: 16GB", "A2 filled 16"),
        ("DIMM C: 16 gig 2Rx8", "DIMM C filled 16"),
        ("A2: (blanking plate)", "A2 empty"),
        ("A2: 0 GB", "A2 empty"),
        ("A2: frei", "A2 empty"),
        ("C7: the long one", "C7 unknown"),
        ("B1:", "B1 unknown"),
        ("CPU1 DIMM 3: 16GB", "CPU1 DIMM 3 filled 16"),
        ("BANK 0/ChannelA-DIMM0: 16GB", "BANK 0/ChannelA-DIMM0 filled 16"),
        ("DIMM_P0_B1: 16GB", "DIMM_P0_B1 filled 16"),
        ("A2 = 16GB; B1: empty, B2 = 8GB DDR4", "A2 filled 16, B1 empty, B2 filled 8"),
        ("A2: 16GB 2Rx8, P/N: X-1", "A2 filled 16"),
        ("A2,16GB", "A2 filled 16"),
        ("A2, A3: 16GB; B1, B2: empty", "A2 filled 16, A3 filled 16, B1 empty, B2 empty"),
        ("A2, A3: 2 x 16GB DDR4", "A2 filled 16, A3 filled 16"),
        ("A2: 8GB 2Rx8, PC4-2400T, A3: empty", "A2 filled 8, A3 empty"),
        # Several of a kind, of which nobody says where they are; a guess, and what was or is to be, is none of them.
        ("RAM: maybe 2x16GB DDR4", ""),
        ("2x16GB DDR4 removed", ""),
        ("16+16 GB DDR4, planned", ""),
        ("CPU2: was 2x16GB DDR4", ""),
        ("Ordered: 2x16GB DDR4", ""),
        ("RAM: 2x16GB DDR4 (failed)", "None failed 16, None failed 16"),
        ("2 x 16GB DDR4-2666 RDIMM, part QD4R-16", "None filled 16, None filled 16"),
        ("2 sticks of 16GB DDR4-3200 SO-DIMM", "None filled 16, None filled 16"),
        ("RAM: two 16GB DDR4 modules", "None filled 16, None filled 16"),
        ("2 * 16 GB PC4-23400 LRDIMM", "None filled 16, None filled 16"),
        ("2x16GB + 8GB DDR4-2666 RDIMM", "None filled 16, None filled 16, None filled 8"),
        ("RAM: 16+16+8 GB DDR4", "None filled 16, None filled 16, None filled 8"),
        ("CPU2: 2x16GB DDR4", "None filled 16, None filled 16"),
        ("Hi, I opened the old server: 2x16GB DDR4 in A2 and B1", "A2 filled 16, B1 filled 16"),
        ("We plan to buy 2x16GB DDR4 in A2 and B1", ""),
        ("It could get 2x16GB DDR4", ""),
        ("2x16GB DDR4 kit in A2 and B1", "A2 filled 16, B1 filled 16"),
        ("RAM: 2 x 16GB kit DDR4", "None filled 16, None filled 16"),
        ("A2: 32GB DDR4 kit", "A2 unknown"),
        ("A2: pair of 8GB DDR4", "A2 unknown"),
        ("Hi, I opened the old server: 3x16GB DDR4 in A2 and B1", "None filled 16, None filled 16, None filled 16"),
        # As people write what a slot is called, and what is in it.
        ("[A2] 16GB DDR4\n[B1] -", "A2 filled 16, B1 empty"),
        ("A2) 16GB DDR4", "A2 filled 16"),
        ("CPU 1 - DIMM A2 - 16GB DDR4", "CPU 1 DIMM A2 filled 16"),
        ("CPU1/A2 16GB RDIMM DDR4", "CPU1/A2 filled 16"),
        ("DIMM A2 (white): 8GB DDR3\nDIMM B2 (black): empty", "DIMM A2 filled 8, DIMM B2 empty"),
        ("top slot 8GB DDR4 SODIMM\nbottom slot empty", "top slot filled 8, bottom slot empty"),
        ("left: 8GB DDR4 SODIMM, right: empty", "left filled 8, right empty"),
        ("A2/B1/B2 all 8GB DDR4", "A2 filled 8, B1 filled 8, B2 filled 8"),
        ("A2, B1 and B2 each have 8GB DDR4", "A2 filled 8, B1 filled 8, B2 filled 8"),
        # What counts processors or slots is no name of a slot.
        ("Dual socket, 16 slots each: 8GB DDR4", "None filled 8"),
        ("left, right: 8GB DDR4", "left filled 8, right filled 8"),
        ("I have two 8 gig sticks of ddr3 in it", "None filled 8, None filled 8"),
        ("4 of 16GB DDR4 ECC", ", ".join(["None filled 16"] * 4)),
        ("2x 32GB", "None filled 32, None filled 32"),
        ("32GB", ""),
        ("DIMM A2-A4: 16GB DDR4", "DIMM A2 filled 16, DIMM A3 filled 16, DIMM A4 filled 16"),
        ("slot 2 & 3: 8GB DDR4", "slot 2 filled 8, slot 3 filled 8"),
        ("B1 16GB, B2 8GB, C1 empty", "B1 filled 16, B2 filled 8, C1 empty"),
        ("Installed: 32GB (2x16GB) DDR4", "None filled 16, None filled 16"),
        ("A2......16GB", "A2 filled 16"),
        ("A2", "A2 unknown"),
        ("A2 16GB   B2 empty", "A2 filled 16, B2 empty"),
        ("| A2: 16GB | B2: empty |", "A2 filled 16, B2 empty"),
        ("A2, B1, B2 16GB RDIMM; C1 empty", "A2 filled 16, B1 filled 16, B2 filled 16, C1 empty"),
        ("A2/B2: 16GB", "A2 filled 16, B2 filled 16"),
        ("P1/A2: 16GB", "P1/A2 filled 16"),
        ("A2+B2: 16GB", "A2 filled 16, B2 filled 16"),
        # What slots hang on, before them or above them; of a processor without more nothing is told.
        (
            "CPU1: B1 16GB, B2: 8GB; CPU2: B1, B2 empty",
            "CPU1 B1 filled 16, CPU1 B2 filled 8, CPU2 B1 empty, CPU2 B2 empty",
        ),
        ("CPU1: CPU1_B1 16GB", "CPU1_B1 filled 16"),
        ("CPU1:\n- B1: 16GB\n## CPU 2\n- B1: empty\n", "CPU1 B1 filled 16, CPU 2 B1 empty"),
        ("Channel B\nslot 1: 16GB\nslot 2:", "Channel B slot 1 filled 16, Channel B slot 2 unknown"),
        ("CPU2: none", ""),
        # A processor that has what another has.
        (
            "CPU1 B1-C1: 16GB\nCPU1 B2 empty\nCPU2: same as CPU1",
            "CPU1 B1 filled 16, CPU1 C1 filled 16, CPU1 B2 empty, CPU2 B1 filled 16, CPU2 C1 filled 16, CPU2 B2 empty",
        ),
        ("CPU1:\nB1: 16GB\nCPU2: ditto", "CPU1 B1 filled 16, CPU2 B1 filled 16"),
        ("CPU2: same as CPU1", ""),
        # A row of slots with a space alone behind it; P1 A2 is one slot.
        ("B1 C1 D1 empty", "B1 empty, C1 empty, D1 empty"),
        ("B1-D1 empty", "B1 empty, C1 empty, D1 empty"),
        ("P1 A2 16GB DDR4", "P1 A2 filled 16"),
        # What is there first, and then where.
        (
            "16GB in A2 and B1, 8 GB DDR4 in slot C1, nothing in C2",
            "A2 filled 16, B1 filled 16, slot C1 filled 8, C2 empty",
        ),
        ("8 GB DDR4 in slots 1 and 3", "slot 1 filled 8, slot 3 filled 8"),
        ("16GB in A2, maybe", ""),
        ("16GB in A2 was removed", ""),
        # Names and what is in each with nothing between; a number is a size where all of the line are.
        ("A2=16;B1=16;B2=0", "A2 filled 16, B1 filled 16, B2 empty"),
        ("A2(16G) B1(-) B2(not read)", "A2 filled 16, B1 empty, B2 unknown"),
        ("P1: A2 16 B1 8", "P1 A2 filled 16, P1 B1 filled 8"),
        (
            "CPU1: B1-B2 16GB; CPU2: B1=8GB B2=-",
            "CPU1 B1 filled 16, CPU1 B2 filled 16, CPU2 B1 filled 8, CPU2 B2 empty",
        ),
        ("A2 16GB DDR4-2666 B1 8GB DDR4-2666", "A2 filled 16, B1 filled 8"),
        ("B1, B2 and C1 16GB DDR4", "B1 filled 16, B2 filled 16, C1 filled 16"),
        ("B1 to B2 hold 16GB each, C1 to C2 none", "B1 filled 16, B2 filled 16, C1 empty, C2 empty"),
        ("DIMM1&2 16GB DDR4", "DIMM1 filled 16, DIMM2 filled 16"),
        ("A2 0 B1 3 B2 0", "A2 unknown"),
        ("Errors: A2 0 B1 16", ""),
        ("two 16GB modules in A2 and B1", "A2 filled 16, B1 filled 16"),
        # A row of names over what is in them, names on lines of their own, boxes that are ticked.
        ("A2 B1 B2\n16GB - 8GB", "A2 filled 16, B1 empty, B2 filled 8"),
        ("DIMM 2 DIMM 3\n16 GB empty", "DIMM 2 filled 16, DIMM 3 empty"),
        ("| A2 | B1 |\n|----|----|\n| 16GB DDR4 | - |", "A2 filled 16, B1 empty"),
        ("A2;B1;B2\n16GB;not read;8GB", "A2 filled 16, B1 unknown, B2 filled 8"),
        ("B1\n16 GB\nDDR4\nB2\nnot installed\nC1\n8 GB\nDDR4", "B1 filled 16, B2 empty, C1 filled 8"),
        ("[x] B1 16GB\n[ ] B2\n[ ] C1 16GB DDR4", "B1 filled 16, B2 unknown"),
        ("[ ] B1 16GB, B2 16GB\n[ ] 2x16GB DDR4 in C1 and C2", ""),
        ("B1\nB2: 16GB DDR4\nC1\nC2: 8GB DDR4", "B1 unknown, B2 filled 16, C1 unknown, C2 filled 8"),
        ("A2,", "A2 unknown"),
        ("CPU 1: 16GB", ""),
        ("C: 120GB", ""),
        ("DIMM C: the long one", ""),
        ("installed memory: 64 GB", ""),
        ("total of A to C: 64 GB", ""),
    ],
)
def test_what_a_line_says_of_its_slots(line: str, told: str) -> None:
    reading = read_any(f"A0: 8GB DDR4\nA1: 8GB DDR4\nA9: 8GB DDR4\n{line}".encode())
    assert reading.kind == "labels"
    words = [f"{s.locator} {s.state}" + (f" {s.module.capacity_gib:g}" if s.module else "") for s in reading.slots[3:]]
    assert ", ".join(words) == told
    if "unknown" in told and "not" not in line:
        assert "stays unknown" in reading.warnings[0].message


@pytest.mark.parametrize(
    ("lines", "states", "said"),
    [
        ("1. 8GB DDR4\n2. 8GB DDR4\n3. empty", "filled filled empty", ""),
        ("all 4 slots filled with 8GB DDR4", "filled filled filled filled", "in which slots"),
        ("Dual socket server with 6 slots, 2 DIMMs per CPU: 8GB DDR4", "filled filled filled filled unknown unknown", "in which slots"),
        ("Socket 1: 2x8GB DDR4\nSocket 2: 2x8GB DDR4\n6 slots", "filled filled filled filled unknown unknown", "in which slots"),
        ("Slots: 4\n2 x 8GB DDR4", "filled filled unknown unknown", "in which slots"),
        ("Memory slots: 4 total, 2 used\n2x8GB DDR4-2400", "filled filled empty empty", "in which slots"),
        ("RAM: 16GB (2x8GB) DDR4\n4 DIMM slots (2 free)", "filled filled empty empty", "in which slots"),
        ("1/4 slots used\n8GB DDR4", "filled empty empty empty", ""),
        # Less or more than is told elsewhere: what the others hold nobody knows.
        ("3 of 4 slots full\n2x8GB DDR4", "filled filled unknown unknown", "3 of 4 slots are told to be full there, and 2 modules"),
        ("Slots: 2\n4x8GB DDR4", "filled filled filled filled", "2 slots are told there, and 4 elsewhere"),
        ("Slots: 4\nA1: 8GB DDR4\nA2: empty", "filled empty", "4 slots are told there, and 2 of them elsewhere"),
        ("Slots: 2\nA1: 8GB DDR4\nA2: empty", "filled empty", ""),
        # All others are those that the numbers of those that are told show to be there.
        ("A1: 8GB DDR4\nA2: 8GB DDR4\nB1: 8GB DDR4\nall others empty", "filled filled filled empty", "taken for B2"),
        ("4 slots\nA1: 8GB DDR4\nB1: 8GB DDR4\nrest: empty", "filled filled empty empty", "taken for A2 and B2"),
        ("A1: 8GB DDR4\nB1: 8GB DDR4\nThe rest is empty.", "filled filled", "which slots those are is not said"),
        ("it has 4 slots, 2 of them filled with 8 GB DDR4", "filled filled empty empty", "in which slots"),
        ("There are 2 DIMM slots, both used by 8GB modules.", "filled filled", "in which slots"),
        ("CPU1: 2x8GB DDR4\nCPU2: 2x8GB DDR4\nSlots: 4", "filled filled filled filled", "in which slots"),
        ("4 slots, 2 used, all 8GB DDR4", "filled filled empty empty", "in which slots"),
        ("1 of 2 slots used, each 8GB DDR4", "filled empty", ""),
        # So may what it comes to, which is held against what is told of slots.
        ("A1 8GB DDR4 A2 8GB DDR4 total 16GB", "filled filled", ""),
        ("A1: 8GB DDR4\nA2: empty\n= 16GB total", "filled empty", "come to 8 GB, and it tells 16 GB in all: a slot is missing"),
        ("16GB total: 2x8GB DDR4", "filled filled", "in which slots"),
        ("A1: 8GB DDR4, A2: 8GB DDR4, up to 64GB total", "filled unknown", "stays unknown"),
    ],
)  # fmt: skip
def test_how_many_slots_there_are_may_be_said_alone(lines: str, states: str, said: str) -> None:
    reading = read_any(lines.encode())
    assert (reading.kind, " ".join(s.state for s in reading.slots)) == ("labels", states)
    assert any(said in w.message for w in reading.warnings) if said else not reading.warnings


def xlsx(rows: list[list[Any]]) -> bytes:
    book, out = openpyxl.Workbook(), io.BytesIO()
    for row in rows:
        book.worksheets[0].append(row)
    book.save(out)
    return out.getvalue()


def test_a_workbook_of_a_machines_slots_is_a_report() -> None:
    rows = [
        ["Memory of rook"],
        [],
        ["CPU", "DIMM", "Size (GB)", "Type", "S/N"],
        [1, "A1", 16, "DDR4 RDIMM", "0A"],
        [1, "A2", "empty"],
        [2, "A1", None],
    ]
    reading = read_any(xlsx(rows))
    told = [(s.locator, s.state.value, s.module and (s.module.capacity_gib, s.module.serial)) for s in reading.slots]
    assert told == [("CPU1 A1", "filled", (16, "0A")), ("CPU1 A2", "empty", None), ("CPU2 A1", "unknown", None)]
    for other, said in (
        ([["name", "model"], ["rook", "x"]], "no table of slots"),
        ([["host", "slot", "size"], ["a", "A1", 8], ["b", "A1", 8]], "2 machines"),
    ):
        with pytest.raises(InputError, match=f"{said}.*many at once"):
            read_any(xlsx(other))


def test_tables_that_people_keep() -> None:
    rows = [["Name ", "Slots", None], [], ["gauge-11", 4, "left out"], ["größer", 2.5, None]]
    wanted = [(3, {"name": "gauge-11", "slots": "4"}), (4, {"name": "größer", "slots": "2.5"})]
    texts = {sep: "\n".join(sep.join("" if c is None else str(c) for c in r) for r in rows) for sep in ",;\t"}
    ways = [t.encode() for t in texts.values()]
    ways += [
        texts[","].encode("cp1252"),
        texts[";"].encode("utf-16"),
        b"\xef\xbb\xbf" + texts[","].encode(),
        xlsx(rows),
    ]
    for way in ways:
        assert [(r.number, r.cells) for r in read_table(way).rows] == wanted


@pytest.mark.parametrize(
    ("text", "columns", "above"),
    [
        ("Halls as of March\nkeeper: R. Holm\n\nname,rack,own\nh-1,4,x\nh-2,5,y", ("name", "rack", "own"), 2),
        ("Name;Site;Who\nmodel;name;site\nh-1;2;x", ("model", "name", "site"), 1),  # which is known better
        ("who;what\nh-1;2;x;y\nh-2;;;\n", ("who", "what"), 0),  # half as far is enough
        ("list\nh-1\nh-2", ("list",), 0),
        ("Halls;;\nrack;place;2,5\n4;5;3,5", ("rack", "place", "2,5"), 1),
        ("\n".join(["title"] * 40 + ["name,site", "h-1,x"]), ("title",), 0),  # too far below to be looked for
    ],
)
def test_the_row_that_names_the_columns(text: str, columns: tuple[str, ...], above: int) -> None:
    table = read_table(text.encode(), {"name", "site", "model"})
    assert (table.columns, table.above) == (columns, above)
    assert len({r.number for r in table.rows}) == len(table.rows)


def bomb(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in {"[Content_Types].xml": b"<x/>", **members}.items():
            archive.writestr(name, content)
    return out.getvalue()


def with_entity(good: bytes) -> bytes:
    """The same spreadsheet, whose sheet defines an entity that grows without end."""
    grown = (
        b'<!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">]>'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(good)) as source, zipfile.ZipFile(out, "w") as target:
        for name in source.namelist():
            content = source.read(name)
            if name.endswith("sheet1.xml"):
                content = grown + content.replace(
                    b"<sheetData>", b"<sheetData><row r='1'><c t='inlineStr'><is><t>&c;</t></is></c></row>"
                )
            target.writestr(name, content)
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"", "not-a-table"),
        (b"\n\n", "not-a-table"),
        (b"name,name\n1,2", "not-a-table"),
        (b'name\n"never closed', "not-a-table"),
        (b"name\n" + b"\0" * 20, "not-a-table"),
        (b"name\n" + b"x\n" * 20_001, "too-large"),
        (b"x," * 500, "too-large"),
        (b"x" * (bounds.MAX_BYTES + 1), "too-large"),
        (bomb(sheet=b"0" * (spreadsheet.MAX_UNPACKED + 1)), "too-large"),
        (bomb(), "not-a-table"),
        (with_entity(xlsx([["name"], ["a"]])), "not-a-table"),
        (xlsx([["name"], ["a"]])[:-40], "not-a-table"),
    ],
)  # fmt: skip
def test_tables_that_are_none_or_too_much(data: bytes, code: str) -> None:
    with pytest.raises(InputError) as refused:
        read_table(data)
    assert refused.value.code == code and refused.value.faults[0].where


NODES = {"id": "core", "class": "bus", "children": [{"id": "firmware", "capabilities": {"virtualmachine": "This machine is"}}, {"id": "memory", "size": 1 << 34}]}  # fmt: skip
_BY_XML = '<node id="firmware"><capabilities><capability id="virtualmachine">is</capability></capabilities></node>'
SAYS_IT_IS_A_GUEST = {
    "its tables": guest_table([Device("DIMM 0")]),
    "a listing of them": guest_listing([Device("DIMM 0")]).encode(),
    "a listing of the hardware": b"  *-firmware\n       vendor: Orrery\n       capabilities: pci virtualmachine\n  *-memory\n       size: 16GiB\n",
    "in JSON": json.dumps(NODES).encode(),
    "in XML": f'<list><node id="core"><description>Motherboard</description>{_BY_XML}<node id="memory"><size units="bytes">17179869184</size></node></node></list>'.encode(),
    "its controller": json.dumps([d | {"SystemType": "Virtual"} for d in collection(MEMORY).values()]).encode(),
}


@pytest.mark.parametrize("data", SAYS_IT_IS_A_GUEST.values(), ids=SAYS_IT_IS_A_GUEST)
def test_a_virtual_machine_is_told_from_a_real_one(data: bytes) -> None:
    reading = read_any(data)
    assert isinstance(reading, SurveyReading) and reading.virtual
    real = read_any(data.replace(b"virtualmachine", b"bootselect").replace(b"Virtual", b"Physical").replace(b"a virtual machine", b"a machine").replace(b"\0\0\x10", b"\0\0\0"))  # fmt: skip
    assert isinstance(real, SurveyReading) and not real.virtual


def test_modules_of_which_only_the_size_is_told_look_given() -> None:
    given = [Device(f"DIMM {n}", total=0, data=0, kind=(0x07, "RAM"), speed=0, configured=0, part="") for n in (0, 1)]
    for report in (table(given), listing(given).encode()):
        reading = read_any(report)
        assert isinstance(reading, SurveyReading) and not reading.virtual
        assert "a virtual machine's tables look so" in " ".join(w.message for w in reading.warnings)
    known = read_any(table([given[0], Device("DIMM 1")]))
    assert isinstance(known, SurveyReading) and "virtual" not in " ".join(w.message for w in known.warnings)


@pytest.mark.parametrize("kind", ["smbios", "smbios-text", "redfish", "snmp", "labels", "spd"])
def test_every_reader_has_its_cap(kind: str) -> None:
    with pytest.raises(InputError) as refused:
        read_any(b"A1: 8GB DDR4\n" * (bounds.MAX_BYTES // 13 + 1), kind)
    assert refused.value.code == "too-large"


def test_time_is_capped_too(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bounds.time, "thread_time", iter(range(0, 10_000, 3)).__next__)
    for text in ("Memory Device\n" * 5000, "A1: 8GB DDR4\n" * 1500):
        with pytest.raises(InputError, match="more than 5 s") as refused:
            read_any(text.encode())
        assert refused.value.code == "too-slow" and refused.value.faults[0].where.startswith("line ")
