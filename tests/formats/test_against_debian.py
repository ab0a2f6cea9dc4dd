"""Tables of every demo machine and chips of modules, read by us and by Debian's own programs: both must say the same."""

from __future__ import annotations

import subprocess
from dataclasses import replace
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
import yaml

from tests.formats.smbios_facts import Device, board_and_chassis, mapped, table, with_entry_point
from tests.formats.spd_facts import WRITERS, Chip
from umbrak.core.memory.module import Buffering, Form, Generation, Module
from umbrak.core.memory.rates import may_be_clock
from umbrak.core.platform.machine import UNKNOWN
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, SystemFacts, sheet_likeness
from umbrak.demo.seed import _layout
from umbrak.formats.reading import read_any
from umbrak.formats.sheet.reading import read_sheet
from umbrak.formats.spd.decode import SpdReading

SCENARIO = yaml.safe_load(files("umbrak.demo").joinpath("machines.yaml").read_text("utf-8"))
SHEETS = {
    r.sheet.id: r.sheet
    for r in (read_sheet(p.read_text("utf-8")) for p in files("umbrak.demo").joinpath("sheets").iterdir())
}
#: DSP0134 7.18.2: type; 7.18.3: detail bits, synchronous (7), registered (13), unbuffered (14), LRDIMM (15).
TYPES = {Generation.DDR2: 0x13, Generation.DDR3: 0x18, Generation.DDR4: 0x1A, Generation.DDR5: 0x22}
DETAILS = {Buffering.REGISTERED: 1 << 13, Buffering.UNBUFFERED: 1 << 14, Buffering.LOAD_REDUCED: 1 << 15}


def device(slot: str, module: Module) -> Device:
    fully = module.buffering is Buffering.FULLY_BUFFERED
    ecc = module.ecc_bits or 0
    return Device(
        slot,
        int((module.capacity_gib or 0) * 1024),
        total=64 + (2 * ecc if module.generation is Generation.DDR5 else ecc),
        form=(0x0F if fully else 0x0D if module.form is Form.SO_DIMM else 0x09, ""),
        kind=(0x14 if fully else TYPES[module.generation], ""),  # type: ignore[index]
        detail=((1 << 7) | (0 if fully else DETAILS[module.buffering]), ""),  # type: ignore[index]
        speed=module.rate_mts or 0,
        configured=module.rate_mts or 0,
        rank=module.package_ranks or 0,
        mv=int(1000 * (module.rails_v[0] if module.rails_v else 0)),
        part=module.part or "NO NAME",
    )


def devices_of(sheet: Sheet, given: dict[str, Any]) -> list[Device]:
    layout = _layout(sheet, given)
    found = []
    for slot in sheet.slots:
        m = layout.get(slot)
        found.append(
            device(slot, m) if isinstance(m, Module) else Device(slot, None if m is UNKNOWN else 0, kind=(2, ""))
        )
    return found


def _may_be_clock(module: Module) -> bool:
    return bool(module.rate_mts and module.generation and may_be_clock(module.rate_mts, module.generation, False))


def _without_units(facts: SlotFacts) -> SlotFacts:
    """A slot as the tables tell it: the listing names a unit, which tells a rate from a clock."""
    module = facts.module
    return replace(facts, module=replace(module, rate_mts=None)) if module and _may_be_clock(module) else facts


@pytest.mark.parametrize("machine", SCENARIO["machines"], ids=[m["name"] for m in SCENARIO["machines"]])
def test_our_reading_is_that_of_debians_listing(machine: dict[str, Any], tmp_path: Path) -> None:
    sheet = SHEETS[machine["sheet"]]
    devices = devices_of(sheet, machine["slots"])
    dump = tmp_path / "tables.bin"
    more = (
        board_and_chassis(["Lorne Boards", "LB-7", "LB7-0001"], "CH-0001") + mapped(2) + mapped(6, 4) + mapped(8192, 16)
    )
    dump.write_bytes(with_entry_point(table(devices, more + mapped(1, 5000, array=0x2000)), wide=True))
    listed = subprocess.run(
        ["/usr/sbin/dmidecode", "--from-dump", str(dump)], capture_output=True, text=True, check=True
    ).stdout
    ours, theirs = read_any(dump.read_bytes()), read_any(listed.encode())
    assert theirs.kind == "smbios-text" and len(ours.slots) == len(sheet.slots)
    assert ours.slots == tuple(map(_without_units, theirs.slots))
    assert (ours.system, ours.firmware, ours.processors) == (theirs.system, theirs.firmware, theirs.processors)
    assert ours.installed_gib == theirs.installed_gib == 2 + 6 + 8192
    assert [a.max_gib for a in ours.arrays] == [a.max_gib for a in theirs.arrays] == [768]
    # And both say what was written.
    layout = _layout(sheet, machine["slots"])
    for slot, facts in zip(sheet.slots, ours.slots, strict=True):
        written = layout.get(slot)
        if isinstance(written, Module):
            read = facts.module
            assert read is not None and facts.state is SlotState.FILLED
            assert (read.capacity_gib, read.generation, read.buffering) == (
                written.capacity_gib,
                written.generation,
                written.buffering,
            )
            rate = None if _may_be_clock(written) else written.rate_mts
            assert (read.rate_mts, read.package_ranks) == (rate, written.package_ranks)
        else:
            assert facts.state is (SlotState.UNKNOWN if written is UNKNOWN else SlotState.EMPTY)


@pytest.mark.parametrize("machine", SCENARIO["machines"], ids=[m["name"] for m in SCENARIO["machines"]])
def test_a_machines_own_sheet_is_like_its_report(machine: dict[str, Any]) -> None:
    reading = read_any(table(devices_of(SHEETS[machine["sheet"]], machine["slots"])))
    scores = {name: sheet_likeness(sheet, reading).score for name, sheet in SHEETS.items()}
    assert scores[machine["sheet"]] == max(scores.values()) >= 3
    named = replace(reading, system=SystemFacts(None, SHEETS[machine["sheet"]].title))
    scores = {name: sheet_likeness(sheet, named).score for name, sheet in SHEETS.items()}
    assert [n for n, score in scores.items() if score == max(scores.values())] == [machine["sheet"]]


CHIPS = [
    Chip(),
    Chip(kind="unbuffered", ecc_bits=0, ranks=1, width=8, part="OSM4U-8"),
    Chip(kind="unbuffered", so_dimm=True, ecc_bits=0, width=8, gbit=16, rate=3200),
    Chip("DDR3", gbit=4, rate=1600, part="OSM3R-16"),
    Chip("DDR3", kind="unbuffered", so_dimm=True, ecc_bits=0, ranks=1, width=8, gbit=2, rate=1333, rails=(1.35, 1.5)),
]


@pytest.mark.parametrize("chip", CHIPS, ids=lambda c: f"{c.generation}-{c.rate}-{c.kind}")
def test_our_decoding_of_a_chip_is_that_of_debians_program(chip: Chip, tmp_path: Path) -> None:
    raw = WRITERS[chip.generation](chip)
    dump = tmp_path / "0-0050"
    dump.write_text("".join(f"{i:08x}  {raw[i : i + 16].hex(' ')}\n" for i in range(0, len(raw), 16)))
    decoded = subprocess.run(["/usr/bin/decode-dimms", "-x", str(dump)], capture_output=True, text=True, check=True)
    ours, theirs = read_any(raw), read_any(decoded.stdout.encode())
    assert isinstance(ours, SpdReading) and isinstance(theirs, SurveyReading) and theirs.kind == "decode-dimms"
    read = theirs.slots[0].module
    assert read
    names = (
        "generation",
        "form",
        "buffering",
        "capacity_gib",
        "package_ranks",
        "rate_mts",
        "ecc_bits",
        "part",
        "serial",
    )
    assert {n: getattr(read, n) for n in names} == {n: getattr(ours.module, n) for n in names}
