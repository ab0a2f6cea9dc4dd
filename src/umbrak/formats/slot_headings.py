"""What the columns of a table of slots are: by what people call them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

#: What a column may be -> how people call it, in letters and figures alone.
_CALLED: Mapping[str, tuple[str, ...]] = {
    "slot": (
        "slot", "dimm", "dimm slot", "memory slot", "ram slot", "slot name", "slot id", "dimm name", "dimm location", "locator", "location",
        "device locator", "position", "slot no", "slot number", "slot label", "steckplatz", "ranura", "emplacement",
    ),
    "bank": ("bank", "channel", "bank locator", "kanal", "bank label"),
    "socket": ("cpu", "socket", "processor", "cpu socket", "cpu no", "node"),
    "size": ("size", "capacity", "module size", "dimm size", "memory size", "ram", "gb", "gib", "mb", "mib", "größe", "kapazität", "taille", "capacité", "capacidad", "tamaño"),
    "label": ("label", "module", "module label", "description", "desc", "dimm label", "memory", "contents", "content", "fitted", "installed", "current", "now", "modul", "inhalt"),
    "type": ("type", "technology", "memory type", "ddr", "generation", "kind", "module type", "dimm type", "typ", "art"),
    "form": ("form", "form factor", "formfactor"),
    "ranks": ("rank", "ranks"),
    "organisation": ("organization", "organisation", "config", "configuration", "width", "device width", "chip width"),
    "rate": ("speed", "rate", "data rate", "clock", "frequency", "mts", "mhz", "rated speed", "max speed", "memory speed", "module speed", "dimm speed", "takt", "geschwindigkeit", "vitesse", "velocidad"),
    "volts": ("voltage", "volt", "volts", "spannung", "tension"),
    "ecc": ("ecc",),
    "part": ("part number", "part no", "part", "pn", "p n", "partnumber", "model", "model number", "sku", "module part", "mpn", "teilenummer", "artikelnummer", "référence"),
    "serial": ("serial", "serial number", "serial no", "sn", "s n", "serialnumber", "seriennummer"),
    "maker": ("maker", "manufacturer", "vendor", "make", "brand", "mfr", "mfg", "hersteller", "fabricant", "fabricante"),
    "state": ("state", "status", "health", "populated", "present", "occupied", "in use", "used", "condition", "zustand"),
    "note": ("note", "notes", "comment", "comments", "remark", "remarks", "bemerkung", "kommentar"),
    "count": ("count", "qty", "quantity", "pieces", "pcs", "anzahl", "menge"),
    # What no slot has: then it is a list of what is sold.
    "offer": ("price", "cost", "supplier", "offer", "unit price", "in stock", "lead time", "preis", "prix", "precio"),
    "machine": ("machine", "host", "hostname", "host name", "server", "server name", "computer", "system", "node name", "device name", "asset"),
}  # fmt: skip
_MEANING = {name.casefold(): meaning for meaning, names in _CALLED.items() for name in names}
_UNIT = re.compile(r"\b(gib|gb|mib|mb|kib|kb|bytes?)\b", re.I)
UNITS = {"g": 1.0, "m": 1 / 1024, "k": 1 / (1 << 20), "b": 1 / (1 << 30)}


@dataclass(frozen=True, slots=True)
class Heads:
    """The headings of a table."""

    #: Line that they stand in.
    line: int
    #: Column -> what is meant by it; None = nothing that is read here.
    means: tuple[str | None, ...]
    names: tuple[str, ...]
    #: What size is in where a cell does not say [GiB]; None = to be found by the figures.
    unit: float | None = None


def heads_of(line: int, cells: Sequence[str]) -> Heads | None:
    """The headings that a row's cells are; None where they are none, or tell nothing of slots."""
    names = tuple(" ".join(c.strip().strip("*_`").split()) for c in cells)
    means: list[str | None] = []
    unit: float | None = None
    for name in names:
        meaning = meaning_of(name)
        if meaning == "size" and (told_unit := _UNIT.search(name.replace("_", " "))):
            unit = UNITS[told_unit[1][0].lower()]
        means.append(meaning if meaning not in means else None)
    if names and not names[0] and "slot" not in means:
        means[0] = "slot"  # the names of rows often stand under none of their own
    known = {m for m in means if m}
    of_modules = known & {"size", "label", "type", "part"}
    if len(known) < 2 or "offer" in known or not of_modules or not ("slot" in known or {"size", "part"} <= known):
        return None
    # Of what else is in a row of words, most would be headings too.
    return Heads(line, tuple(means), names, unit) if 2 * len(known) >= sum(map(bool, names)) else None


def meaning_of(name: str) -> str | None:
    """What a column of this name is; None where that is nothing that is read here."""
    bare = re.sub(r"[(\[].*?[)\]]", " ", name[:100].casefold())
    called = " ".join(re.sub(r"[^\w]|_", " ", bare).split())
    return _MEANING.get(called) or _MEANING.get(re.sub(r"\s?(?:gib|gb|mib|mb|mts|mhz|v|bytes)$", "", called))
