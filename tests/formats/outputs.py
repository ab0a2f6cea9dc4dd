"""Outputs that technicians paste, each with what is read of it: `outputs.yaml`. Values are made up.

A `by` of "hand" is written from a program's documentation, one of a program was printed by it.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import yaml

from umbrak.core.platform.survey import SlotFacts, SurveyReading

FILE = Path(__file__).with_name("outputs.yaml")


def outputs() -> list[dict[str, Any]]:
    return list(yaml.safe_load(FILE.read_text()))


def told(reading: SurveyReading) -> dict[str, Any]:
    """A reading in few words: as `outputs.yaml` has it."""
    names = (reading.system.maker, reading.system.model, reading.system.serial) if reading.system else ()
    arrays = [" ".join(str(x) for x in (a.max_gib, a.slots, a.ecc) if x is not None) for a in reading.arrays]
    processors = [
        f"{p.socket}: {p.model}, {p.cores}" if p.populated else f"{p.socket}: none" for p in reading.processors
    ]
    found = {
        "kind": reading.kind,
        "system": ", ".join(n for n in names if n),
        "firmware": reading.firmware.version if reading.firmware else None,
        "processors": processors,
        "arrays": arrays,
        "slots": [_slot(s) for s in reading.slots],
        "usable": reading.usable_gib,
        "installed": reading.installed_gib,
        "warnings": [w.message for w in reading.warnings],
    }
    return {k: v for k, v in found.items() if v not in (None, "", [])}


def _slot(s: SlotFacts) -> str:
    m = s.module
    words = [f"{s.locator}" if not s.bank else f"{s.locator} in {s.bank}", s.state.value]
    if m is not None:
        words += [m.short(), *(x for x in (m.part, m.serial, m.maker) if x)]
        words += [f"ECC {m.ecc_bits}"] if m.ecc_bits is not None else []
    words += [f"at {s.configured_mts}"] if s.configured_mts else []
    if s.health is not None:
        words.append(f"{s.health.correctable}/{s.health.uncorrectable} errors")
    return "; ".join(words)
