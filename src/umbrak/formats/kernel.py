"""What a running system tells of its memory as a whole (see totals.py) and what its kernel counts of errors (see edac.py)."""

from __future__ import annotations

from umbrak.core.platform.survey import SurveyReading, SystemFacts, Warning
from umbrak.formats.bounds import MAX_SLOTS, Deadline, check_size
from umbrak.formats.edac import Places, tells_edac
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import numbered_lines
from umbrak.formats.totals import NO_UNIT, Totals, tells_totals


def looks_like_kernel(text: str) -> bool:
    head = text[:100_000]
    return tells_totals(head) or tells_edac(head)


def read_kernel(text: str, deadline: Deadline) -> SurveyReading:
    """What it tells. Raises InputError when there is neither a total nor a place of EDAC's in it, too large, too slow."""
    check_size(len(text), "characters")
    totals, places = Totals(), Places()
    warnings = places.said
    for number, line in numbered_lines(text, deadline):
        if not totals.read(number, line):
            places.read(number, line)
        if len(places) > MAX_SLOTS:
            warnings.append(Warning(f"line {number}", f"more than {MAX_SLOTS} places; the rest is left out"))
            break
    usable, used = totals.usable_and_used()
    slots = places.slots()
    if totals.without_unit:
        warnings.append(Warning(f"line {totals.without_unit}", NO_UNIT))
    if usable is None and not slots:
        said = "neither a total (MemTotal, hw.physmem, or a line of free) nor a counter of EDAC in it"
        said = NO_UNIT if totals.without_unit else said
        raise InputError("not-kernel", [Fault(message=said, where="line 1", line=1, column=1)])
    if totals.lost_kb:
        said = f"{totals.lost_kb} kB are not used any more since errors could not be corrected there"
        warnings.append(Warning("HardwareCorrupted", said))
    if places.counts:
        said = "counters, by the names that the driver gives: what sits in the slots it does not prove"
        warnings.append(Warning("the whole", said))
    return SurveyReading(
        kind="kernel",
        system=totals.machine if totals.machine != SystemFacts() else None,
        slots=slots,
        warnings=tuple(warnings),
        usable_gib=usable,
        used_gib=used,
    )
