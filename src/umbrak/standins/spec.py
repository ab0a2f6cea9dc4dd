"""What a simulated machine is."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from umbrak.core.evaluate import evaluate
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.documents import layout_json, read_layout

Spec = dict[str, Any]


def spec_of(
    name: str,
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    serial: str = "",
    drives: Mapping[int, Mapping[str, str]] | None = None,
    faults: Mapping[str, str] | None = None,
) -> Spec:
    """A machine as its own management would tell of it; `faults` as the controller injects them."""
    maker, _, model = sheet.title.partition(" ")
    slots = layout_json(layout)
    processors = {s: machine.processors.get(s) for s in sheet.sockets}
    return {
        "name": name,
        "maker": maker,
        "model": model or maker,
        "serial": serial or f"SN-{name}",
        "firmware": machine.firmware,
        "user": "umbrak",
        "password": "tide-gauge-7",
        "community": "gauges",
        "processors": {s: sheet.processors[p].title if p else None for s, p in processors.items()},
        "slots": {
            s.id: {"locator": (s.locators or (s.printed,))[0], "channel": s.channel, "module": slots.get(s.id)}
            for s in sheet.slots.values()
        },
        "drives": {str(n): dict(d) for n, d in (drives or {}).items()},
        "faults": dict(faults or {}),
        "usable_gib": evaluate(sheet, machine, layout).usable_gib,
    }


def module_of(document: Any) -> Module | None:
    """The module of a slot's document; None where the slot is empty."""
    occupant = read_layout({"slot": document}).get("slot") if document is not None else None
    return occupant if isinstance(occupant, Module) else None


def read_spec(path: Path) -> Spec:
    spec: Spec = json.loads(path.read_text("utf-8"))
    return spec
