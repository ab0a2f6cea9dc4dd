"""Records of SMBIOS structures to what a machine reports."""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import pairwise
from typing import Any

from umbrak.core.memory.module import (
    MAPPED_OUT,
    Buffering,
    Form,
    Generation,
    MakerCode,
    Module,
    complete,
    contradictions,
    without_profile,
)
from umbrak.core.memory.parts import serial_key
from umbrak.core.memory.rates import clock_words, family_rails, may_be_clock, standard_rate
from umbrak.core.platform.survey import (
    ArrayFacts,
    FirmwareFacts,
    ProcessorFacts,
    SlotFacts,
    SlotState,
    SurveyReading,
    SystemFacts,
    Warning,
    keeps_its_content,
    not_main_memory,
    slots_missing,
)  # fmt: skip
from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.placeholders import told
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.listing import decode_listing
from umbrak.formats.smbios.tables import Record, decode_tables


def read_tables(data: bytes, deadline: Deadline) -> SurveyReading:
    """What binary tables report. Raises InputError as `decode_tables`."""
    return survey_of("smbios", *decode_tables(data, deadline), deadline)


def read_listing(text: str, deadline: Deadline) -> SurveyReading:
    """What a text listing reports. Raises InputError as `decode_listing`."""
    records, warnings = decode_listing(text, deadline)
    once: list[tuple[int, Record]] = []
    seen: set[tuple[int, frozenset[tuple[str, object]]]] = set()
    for kind, record in records:
        key = kind, frozenset(record.items())
        if record.get("Handle") is None or key not in seen:
            once.append((kind, record))
        seen.add(key)
    if len(once) < len(records):
        warnings.append(Warning("the whole", "the same structures are in it more than once: they count once"))
    return survey_of("smbios-text", once, warnings, deadline)


def survey_of(
    kind: str,
    records: list[tuple[int, Record]],
    warnings: list[Warning],
    deadline: Deadline,
    missing: str = "it is cut off, or not all of it was given",
) -> SurveyReading:
    """What records of structures, from wherever they were read, come to as a survey of this kind.

    Parameters
        missing   why fewer slots may be told than are counted
    """

    def of(wanted: int) -> list[Record]:
        return [r for k, r in records if k == wanted]

    _of_one_machine(of(codes.SYSTEM))
    bios, system = next(iter(of(codes.BIOS)), None), next(iter(of(codes.SYSTEM)), None)
    virtual = bool(bios and _as(bios, "Virtual"))
    slots = []
    for i, record in enumerate(_slots_of(of(codes.MEMORY_ARRAY), of(codes.MEMORY_DEVICE)), 1):
        deadline.check(f"slot {i}")
        facts, said = _slot(record)
        slots.append(facts)
        warnings += (Warning(f"slot {facts.locator or i}", s) for s in said)
    if not slots:
        warnings.append(Warning("the whole", "no memory device (type 17) in it: the slots stay unknown"))
    elif not virtual and _looks_given(_slots_of(of(codes.MEMORY_ARRAY), of(codes.MEMORY_DEVICE))):
        warnings.append(
            Warning("the whole", "no module in it tells kind, width or rate: a virtual machine's tables look so")
        )
    arrays = tuple(
        ArrayFacts(_tidy(_as(r, "Maximum Capacity")), _as(r, "Number Of Devices"), _as(r, "Error Correction Type"))
        for r in of(codes.MEMORY_ARRAY)
        if r.get("Use") in (None, "System Memory")
    )
    if some := slots_missing(arrays, slots):
        warnings.append(Warning("the whole", f"{some}: {missing}"))
    mapped = _mapped_gib(of(codes.MEMORY_ARRAY), of(codes.MAPPED_RANGE), warnings)
    return SurveyReading(
        kind=kind,
        system=_system(system, next(iter(of(codes.BASE_BOARD)), None), next(iter(of(codes.CHASSIS)), None)),
        firmware=FirmwareFacts(_named(bios, "Vendor"), _named(bios, "Version"), _named(bios, "Release Date"))
        if bios
        else None,
        processors=tuple(
            ProcessorFacts(
                _named(r, "Socket Designation"), _named(r, "Version"), _as(r, "Core Count"), _as(r, "Populated")
            )
            for r in of(codes.PROCESSOR)
        ),
        arrays=arrays,
        slots=tuple(slots),
        warnings=tuple(warnings),
        installed_gib=mapped,
        virtual=virtual,
    )


def _of_one_machine(systems: list[Record]) -> None:
    """Raises InputError where there are two systems (7.2: there is one), and each has a serial number of its own."""
    told = {serial_key(s): s for r in systems if (s := _named(r, "Serial Number")) and serial_key(s)}
    if len(told) > 1:
        some = f"this tells of {len(told)} machines, with the serial numbers {' and '.join(list(told.values())[:3])}"
        raise InputError("two-machines", [Fault(f"{some}: give the report of one at a time")])


def _looks_given(devices: list[Record]) -> bool:
    """Whether modules are told of which nothing is told but how large they are, as a host makes them up for its guests."""
    filled = [r for r in devices if _as(r, "Size")]
    told_of_modules = ("Total Width", "Data Width", "Speed", "Part Number")
    return bool(filled) and all(
        r.get("Type") in ("RAM", "Other") and not any(_as(r, n) for n in told_of_modules) for r in filled
    )


def _system(system: Record | None, board: Record | None, chassis: Record | None) -> SystemFacts | None:
    """The machine's own names; where its maker left them unfilled the board's, and the chassis' serial number."""
    if not any((system, board, chassis)):
        return None
    maker, model = (_named(system, n) or _named(board, n) for n in ("Manufacturer", "Product Name"))
    serials = (_named(r, "Serial Number") for r in (system, chassis, board))
    return SystemFacts(maker, model, next((s for s in serials if s), None))


def _mapped_gib(arrays: list[Record], ranges: list[Record], warnings: list[Warning]) -> float | None:
    """What the arrays of system memory answer together, each range once: the total as the firmware set it up. Ranges that
    lie over each other tell none."""
    other = _other_arrays(arrays)
    found = {_as(r, "Starting Address"): _as(r, "Range Size") for r in ranges if r.get("Array Handle") not in other}
    total = sum(size for size in found.values() if size)
    spans = sorted((start, start + size * (1 << 30)) for start, size in found.items() if start is not None and size)
    if any(following[0] < before[1] for before, following in pairwise(spans)):
        warnings.append(Warning("the whole", "mapped ranges (type 19) lie over each other: their total is left out"))
        return None
    return _tidy(total) if total else None


def _other_arrays(arrays: list[Record]) -> set[object]:
    """Handles of arrays that are no system memory: a firmware's flash, a cache."""
    return {r.get("Handle") for r in arrays if r.get("Use") not in (None, "System Memory")} - {None}


def _slots_of(arrays: list[Record], devices: list[Record]) -> list[Record]:
    """Devices that are slots: firmware may list its own flash chip as an array with a device, which is none."""
    other = _other_arrays(arrays)
    return [r for r in devices if r.get("Array Handle") not in other and r.get("Type") not in codes.FIRMWARE_TYPES]


def _as(record: Record, name: str) -> Any:
    return record.get(name)


def _named(record: Record | None, name: str) -> str | None:
    return told(record.get(name)) if record else None


def _tidy(value: float | None) -> float | None:
    return int(value) if value is not None and value == int(value) else value


def maker_in_figures(name: str) -> MakerCode | None:
    """The maker that firmware gives by its code (JEP106) where its name should stand: "80CE", "0x802C", "80AD000080AD"."""
    match = re.fullmatch(r"(?:0x)?([0-9A-F]{2})([0-9A-F]{2})(?:0{0,4}(?:[0-9A-F]{4})?)", name.replace(" ", ""), re.I)
    count, code = (int(match[i], 16) for i in (1, 2)) if match else (0, 0)
    # Both bytes have a bit that makes their ones odd in number: other figures are no code.
    if not match or any(b.bit_count() % 2 == 0 for b in (count, code)) or not code & 0x7F:
        return None
    return MakerCode((count & 0x7F) + 1, code & 0x7F)


#: What a rail that a sensor reads may be off. [V]
_MEASURED_V = 0.06
_FORMS = {"DIMM": Form.DIMM, "SODIMM": Form.SO_DIMM, "FB-DIMM": Form.DIMM}


def _slot(r: Record) -> tuple[SlotFacts, list[str]]:
    """One memory device as a slot, and what about it is odd."""
    said: list[str] = []
    size, form = _as(r, "Size"), _named(r, "Form Factor")
    locator, bank = _named(r, "Locator"), _named(r, "Bank Locator")
    configured_mts, configured_v = standard_rate(_as(r, "Configured Memory Speed"), None), _as(r, "Configured Voltage")
    if size == 0:
        return SlotFacts(locator=locator, bank=bank, state=SlotState.EMPTY), said
    disabled = any("disabled" in name.lower() for name in (locator, bank) if name)
    if "Size" not in r or size is None:
        present = any(_named(r, name) for name in ("Manufacturer", "Serial Number", "Part Number"))
        if "Size" in r and (present or disabled):
            said.append("a module is there whose size the firmware cannot tell: it is taken as failed")
            return SlotFacts(
                locator=locator,
                bank=bank,
                state=SlotState.FAILED,
                module=replace(_module(r, None)[0], failed=MAPPED_OUT),
            ), said
        if "Size" in r:
            said.append("its size is not known to the firmware; what sits in it stays unknown")
        return SlotFacts(locator=locator, bank=bank, state=SlotState.UNKNOWN), said
    if kept := _persistent(r):
        said.append(keeps_its_content(kept, _as(r, "Volatile Size")))
    module, odd = _module(r, (_as(r, "Volatile Size") or None) if kept else size)
    if kept and not _as(r, "Volatile Size"):
        module, odd = not_main_memory(module, kept), []
    elif kept:
        module = replace(module, keeps=kept[:80])
    module = replace(module, failed=MAPPED_OUT) if disabled else module
    said += odd
    soldered = form in codes.SOLDERED_FORMS
    state = SlotState.SOLDERED if soldered else SlotState.FAILED if disabled else SlotState.FILLED
    return SlotFacts(
        locator=locator, bank=bank, state=state, module=module, configured_mts=configured_mts, configured_v=configured_v
    ), said


def _persistent(r: Record) -> str:
    """What a module that keeps its content is called; "" of main memory, and where nobody tells."""
    technology = _named(r, "Memory Technology") or "Unknown"
    if technology not in codes.MAIN_MEMORY:
        return technology
    # Tables before 3.2 have no technology.
    keeps = "non-volatile" in str(r.get("Type Detail") or "").lower() and technology != "DRAM"
    return codes.NON_VOLATILE if keeps or r.get("Type") == codes.NON_VOLATILE else ""


def _module(r: Record, size_mib: float | None) -> tuple[Module, list[str]]:
    said: list[str] = []
    kind = _named(r, "Type") or ""
    generation = Generation(kind.split()[0]) if kind.split()[:1] and kind.split()[0] in set(Generation) else None
    if kind and generation is None and kind != codes.NON_VOLATILE:
        said.append(f"memory type “{kind}” is none of {', '.join(Generation)}; its generation stays unknown")
    form = _named(r, "Form Factor")
    detail = str(r.get("Type Detail") or "")
    buffering = None
    if "FB-DIMM" in (form or "") or "FB-DIMM" in kind:
        buffering = Buffering.FULLY_BUFFERED
    elif "LRDIMM" in detail or "Load" in detail:
        buffering = Buffering.LOAD_REDUCED
    elif "Unbuffered" in detail or "Unregistered" in detail:
        buffering = Buffering.UNBUFFERED
    elif "Registered" in detail:
        buffering = Buffering.REGISTERED
    total, data = _as(r, "Total Width"), _as(r, "Data Width")
    ecc_bits = None
    if total and data in (32, 64) and total >= data:
        extra = total - data
        # DDR5 counts the bits beside each 32-bit half: 80 of 64 is 8 beside each (DSP0134 7.18.4 gives the sum).
        ecc_bits = (
            {0: 0, 8: 4, 16: 8}.get(extra)
            if generation is Generation.DDR5 and data == 64
            else {0: 0, 4: 4, 8: 8}.get(extra)
        )
        if ecc_bits is None:
            said.append(f"widths {total} over {data} bits fit no error correction; left unknown")
    rails: tuple[float, ...] = ()
    low, high = _as(r, "Minimum Voltage"), _as(r, "Maximum Voltage")
    if generation and low and high:
        rails = tuple(sorted({round(low, 3), round(high, 3)} & set(family_rails(generation))))
        if rails == (1.35,):
            # Many firmwares tell the rail that they set three times; what runs at 1.35 V runs at 1.5 V too (JESD79-3-1).
            rails = (1.35, 1.5)
    running = _as(r, "Configured Voltage")
    if generation and running and running > family_rails(generation)[-1] + _MEASURED_V:
        rails = (*rails, round(running, 3))
    rate = standard_rate(_as(r, "Speed"), generation)
    if rate and generation and may_be_clock(rate, generation, r.get("Speed Unit") == "MT/s"):
        said.append(clock_words(rate))
        rate = None
    in_figures = maker_in_figures(_named(r, "Manufacturer") or "")
    gib = _tidy(size_mib / 1024) if size_mib is not None else None
    module = Module(
        generation=generation,
        form=_FORMS.get(form or ""),
        buffering=buffering,
        ecc_bits=ecc_bits,
        capacity_gib=gib,
        package_ranks=_as(r, "Rank"),
        rate_mts=rate,
        rails_v=rails,
        maker=None if in_figures else _named(r, "Manufacturer"),
        maker_code=_as(r, "Module Manufacturer ID") or in_figures,
        part=_named(r, "Part Number"),
        serial=_named(r, "Serial Number"),
    )
    module, profile = without_profile(module)
    module = complete(module)[0]
    said += [*filter(None, [profile]), *(c.message for c in contradictions(module))]
    return module, said
