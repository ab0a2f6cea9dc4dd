"""Any file that Umbrak reads, its kind found from its content."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import odd_size
from umbrak.core.platform.survey import SlotState, SurveyReading, Warning, odd_total
from umbrak.formats.bounds import MAX_DRIVES, MAX_PROCESSORS, MAX_SLOTS, MAX_TOLD, Deadline, check_size
from umbrak.formats.cim import looks_like_cim, read_cim
from umbrak.formats.decoded_spd import looks_like_decoded_spd, read_decoded_spd
from umbrak.formats.documents import ReadLabel
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.fru import looks_like_fru, read_fru
from umbrak.formats.guide import way_for
from umbrak.formats.hardware import looks_like_hardware, read_hardware
from umbrak.formats.hexed import looks_hexed, unhexed
from umbrak.formats.inxi import looks_like_inxi, read_inxi
from umbrak.formats.kernel import looks_like_kernel, read_kernel
from umbrak.formats.other_files import other_file
from umbrak.formats.profiler import looks_like_profiler, read_profiler
from umbrak.formats.redfish import looks_like_redfish, read_redfish
from umbrak.formats.slot_labels import looks_like_labels, read_labels
from umbrak.formats.slot_table import looks_like_slot_table, read_slot_table
from umbrak.formats.smbios.listing import looks_like_listing
from umbrak.formats.smbios.survey import read_listing, read_tables
from umbrak.formats.smbios.tables import looks_like_tables
from umbrak.formats.snmp import looks_like_snmp, read_snmp
from umbrak.formats.spd import SpdReading, looks_like_spd, read_spd
from umbrak.formats.spreadsheet import looks_like_xlsx
from umbrak.formats.text import cleaned, decoded, is_wide

Reading = SurveyReading | SpdReading

#: Kind -> reader. The names are those that `--as` takes and that the reading carries.
#: The smallest module of DDR and what came after, and of what was before [GiB].
_LEAST, _LEAST_OLD = 1 / 16, 1 / 128
READERS: dict[str, Callable[[bytes, Deadline], Reading]] = {
    "smbios": read_tables,
    "spd": lambda data, _: read_spd(data),
    "redfish": read_redfish,
    "snmp": lambda data, deadline: read_snmp(decoded(data), deadline),
    "labels": lambda data, deadline: read_labels(decoded(data), deadline),
    "slot-table": read_slot_table,
    "cim": lambda data, deadline: read_cim(decoded(data), deadline),
    "lshw": lambda data, deadline: read_hardware(decoded(data), deadline),
    "kernel": lambda data, deadline: read_kernel(decoded(data), deadline),
    "profiler": lambda data, deadline: read_profiler(decoded(data), deadline),
    "inxi": lambda data, deadline: read_inxi(decoded(data), deadline),
    "fru": lambda data, deadline: read_fru(decoded(data), deadline),
    "decode-dimms": lambda data, deadline: read_decoded_spd(decoded(data), deadline),
    "smbios-text": lambda data, deadline: read_listing(decoded(data), deadline),
}


#: How texts are told apart, those that are told most surely first.
_TEXTS: tuple[tuple[Callable[[str], bool], str], ...] = (
    (looks_like_decoded_spd, "decode-dimms"),
    (looks_like_fru, "fru"),
    (looks_like_profiler, "profiler"),
    (looks_like_hardware, "lshw"),
    (looks_like_inxi, "inxi"),
    (looks_like_cim, "cim"),
    (looks_like_kernel, "kernel"),
    (looks_like_slot_table, "slot-table"),
)

#: Of a text, to find its kind [bytes].
_LOOKED_AT = 400_000


def detect(data: bytes, read_label: ReadLabel = decode_label) -> str | None:
    """The kind of a file by its content; None when it is none that Umbrak reads."""
    if data[:4] == b"_SM_" or data[:5] == b"_SM3_":
        return "smbios"
    if looks_like_spd(data):
        return "spd"
    if looks_like_xlsx(data):
        return "slot-table"
    binary = _is_binary(data)
    if binary and looks_like_tables(data):
        return "smbios"
    text = decoded(data[:_LOOKED_AT])
    if not binary and looks_hexed(text):
        return _kind_of_bytes(decoded(data))
    if looks_like_redfish(text):
        return "redfish"
    if looks_like_listing(text):
        return "smbios-text"
    if looks_like_snmp(text):
        return "snmp"
    for looks_like, found in _TEXTS:
        if looks_like(text):
            return found
    return "labels" if not binary and looks_like_labels(text, read_label) else None


#: What a shell says instead of the listing that was asked of it, and what that means.
_WHY_NOTHING = (
    (
        r"permission denied|operation not permitted|superuser|super-user|(?:be|as|you) root\b",
        "Whoever ran it had no right to read the tables: it tells nothing of the memory",
    ),
    (r"command not found|not recognized as", "The program is not on that machine: it tells nothing of the memory"),
)


def _unread(text: str, deadline: Deadline) -> SurveyReading:
    """A text of no kind, as a listing: where it is none, the error says what was expected, and what would give more."""
    try:
        return read_listing(text, deadline)
    except InputError as error:
        if error.code != "not-a-listing":
            raise
        first, way = error.faults[0], way_for(text)
        begins = next((line.strip() for line in text.splitlines() if line.strip()), "")[:60]
        nothing = f"“{begins}” begins nothing that is read here ({', '.join(READERS)})"
        why = next((words for sign, words in _WHY_NOTHING if re.search(sign, text[:_LOOKED_AT], re.I)), nothing)
        said = f"{why}. Most is told by {way.where}: {way.command}. “What to run on it” has the others"
        raise InputError(error.code, [replace(first, message=said)]) from error


def _is_binary(data: bytes) -> bool:
    """NUL bytes are in every binary table, and in a text only by accident: it is one that says clearly what it is."""
    return b"\0" in data[:4096] and not is_wide(data)


def _kind_of_bytes(text: str) -> str | None:
    """The kind of a binary table that is printed as text."""
    try:
        data = unhexed(text, Deadline())
    except InputError:
        return "hex"
    return "spd" if looks_like_spd(data) else "smbios" if looks_like_tables(data) else None


def read_any(
    data: bytes,
    kind: str | None = None,
    deadline: Deadline | None = None,
    read_label: ReadLabel = decode_label,
) -> Reading:
    """What a file reports. Raises InputError when its kind is not known or it cannot be read as that kind, or not in
    the deadline's time (MAX_SECONDS where none is given).

    Parameters
        read_label   how labels in a text are read: who knows part numbers reads more in them
    """
    deadline = deadline or Deadline()
    check_size(len(data))
    if not re.search(rb"[^\0 \t\r\n]", data):
        raise InputError("empty", [Fault("there is nothing in it")])
    chosen = kind or detect(data, read_label)
    if chosen in ("spd", "smbios", "hex") and not _is_binary(data) and looks_hexed(text := decoded(data)):
        data = unhexed(text, deadline)
    if chosen is None and (other := other_file(data)):
        raise InputError("kind-unknown", [Fault(other, "byte 0")])
    if chosen is None:
        if b"\0" not in data[:4096]:
            return _unread(decoded(data), deadline)
        raise InputError(
            "kind-unknown", [Fault(f"none of the kinds that are read here ({', '.join(READERS)})", "byte 0")]
        )
    if chosen not in READERS:
        raise InputError("kind-unknown", [Fault(f"kind {chosen} is not read here; known: {', '.join(READERS)}")])
    if chosen == "labels":
        return _bounded(_without_chips(read_labels(decoded(data), deadline, read_label)))
    if chosen == "slot-table":
        return _bounded(_without_chips(read_slot_table(data, deadline, read_label)))
    reading = READERS[chosen](data, deadline)
    return _bounded(_with_odd_sizes(_without_chips(reading))) if isinstance(reading, SurveyReading) else reading


def _without_chips(reading: SurveyReading) -> SurveyReading:
    """The reading without the firmware's own chips, which tables list like slots: no module is as small as they are."""
    kept, said = [], []
    for slot in reading.slots:
        module = slot.module
        gib = module.capacity_gib if module else None
        if module and gib and gib < (_LEAST if module.generation else _LEAST_OLD):
            words = f"{1024 * gib:g} MB is the size of no module: left out as a chip of the firmware"
            said.append(Warning(slot.locator or "a slot", words))
        else:
            kept.append(slot)
    return replace(reading, slots=tuple(kept), warnings=(*reading.warnings, *said)) if said else reading


def _with_odd_sizes(reading: SurveyReading) -> SurveyReading:
    """With what is said of modules of a size that none has. Labels say it themselves; what is soldered has any size."""
    modules = [(s.locator, s.module) for s in reading.slots if s.module and s.state is not SlotState.SOLDERED]
    found = [(locator, odd) for locator, module in modules if (odd := odd_size(module))]
    said = [Warning(f"slot {locator}" if locator else "a slot", words) for locator, words in found]
    return replace(reading, warnings=(*reading.warnings, *said)) if said else reading


def _with_repeats(reading: SurveyReading) -> SurveyReading:
    """With what is said where all slots are named over and over, in one order: of which of them the machine is nobody can tell."""
    names = [(s.bank, s.locator) for s in reading.slots]
    times = next((len(names) // n for n in range(2, len(names) // 2 + 1) if names == names[:n] * (len(names) // n)), 1)
    if times == 1 or not all(s.locator for s in reading.slots):
        return reading
    often = "twice" if times == 2 else f"{times} times"
    said = f"every slot is named {often}: reports of several machines in one, or of one at several times? Give one alone, unless its slots are named so"
    return replace(reading, warnings=(*reading.warnings, Warning("the whole", said)))


def _with_odd_total(reading: SurveyReading) -> SurveyReading:
    odd = odd_total(reading.slots, reading.installed_gib, reading.usable_gib)
    return replace(reading, warnings=(*reading.warnings, Warning("the whole", odd))) if odd else reading


def _bounded(reading: SurveyReading) -> SurveyReading:
    """The reading with no more in it than a machine may have, and no more said of it than somebody reads."""
    reading = _with_odd_total(_with_repeats(reading))
    told = [Warning(cleaned(w.where, 200), cleaned(w.message, 500)) for w in reading.warnings[:MAX_TOLD]]
    if len(reading.warnings) > MAX_TOLD:
        told.append(Warning("the whole", f"{len(reading.warnings) - MAX_TOLD} more such things are not told"))
    for what, most, found in (
        ("slots", MAX_SLOTS, len(reading.slots)),
        ("processors", MAX_PROCESSORS, len(reading.processors)),
        ("drives", MAX_DRIVES, len(reading.drives)),
    ):
        if found > most:
            told.append(Warning("the whole", f"{found} {what}: only the first {most} are kept"))
    return replace(
        reading,
        warnings=tuple(told),
        slots=reading.slots[:MAX_SLOTS],
        processors=reading.processors[:MAX_PROCESSORS],
        arrays=reading.arrays[:MAX_PROCESSORS],
        drives=reading.drives[:MAX_DRIVES],
    )
