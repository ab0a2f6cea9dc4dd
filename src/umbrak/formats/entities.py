"""The modules that an agent lists as physical entities (ENTITY-MIB, RFC 6933, entPhysicalTable)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module, complete
from umbrak.core.platform.survey import SlotFacts, SlotState, Warning
from umbrak.formats.placeholders import told

ENTITY = "1.3.6.1.2.1.47.1.1.1.1"
#: Columns that are read: name -> number.
COLUMNS = {
    "entPhysicalDescr": 2, "entPhysicalContainedIn": 4, "entPhysicalClass": 5, "entPhysicalName": 7,
    "entPhysicalSerialNum": 11, "entPhysicalMfgName": 12, "entPhysicalModelName": 13,
}  # fmt: skip
#: IANAPhysicalClass, as number and as word: what a module may be listed as, and what holds one.
_PART = ("", "1", "other", "2", "unknown", "9", "module")
_HOLDER = ("5", "container")
_MEMORY = re.compile(
    r"(?:\b|_)(?:SO-?|U|R|LR|FB-?|CSO)?DIMM|\b(?:system|main)?\s?memory (?:module|slot|bank|card)\b", re.I
)
#: Beside a module there are entities about it.
_ABOUT = re.compile(
    r"\b(?:controllers?|channels?|sensors?|temp(?:erature)?|fans?|voltage|regulator|vrm|cache|flash|led)\b", re.I
)
_SLOT = re.compile(r"\b(?:slots?|sockets?|banks?)\b", re.I)

Row = Mapping[str, str]


def modules_of(values: Mapping[str, str], warnings: list[Warning]) -> tuple[SlotFacts, ...]:
    """Slots, of those entities that are memory modules, in the order of their places.

    A slot that is listed without a module is unknown, not empty: agents leave out what they do not know.

    Parameters
        values   object identifier -> value, as printed
    """
    rows = _rows(values)
    found: dict[str, SlotFacts] = {}
    held: set[str] = set()
    for key, row in rows.items():
        words = " ".join(row.get(n, "") for n in ("entPhysicalDescr", "entPhysicalName", "entPhysicalModelName"))
        holder = rows.get(row.get("entPhysicalContainedIn", ""), {})
        in_slot = bool(_MEMORY.search(_named(holder)))
        if _kind(row) not in _PART or _ABOUT.search(words) or not (_MEMORY.search(words) or in_slot):
            continue
        held.add(row.get("entPhysicalContainedIn", ""))
        locator = _place(row, holder if in_slot else {}) or f"entity {key}"
        if locator in found:
            warnings.append(Warning(locator, "listed twice; the first one is read"))
            continue
        found[locator] = _slot(locator, row, warnings)
    for key, row in rows.items():
        named = _named(row)
        if _kind(row) in _HOLDER and key not in held and _MEMORY.search(named) and not _ABOUT.search(named):
            locator = told(row.get("entPhysicalName")) or told(row.get("entPhysicalDescr")) or f"entity {key}"
            if locator not in found:
                found[locator] = SlotFacts(locator=locator, bank=None, state=SlotState.UNKNOWN)
                warnings.append(
                    Warning(f"slot {locator}", "listed without a module: whether one is in it stays unknown")
                )
    return tuple(found.values())


def _rows(values: Mapping[str, str]) -> dict[str, Row]:
    """Index -> {column: value}, in the order of the indices."""
    rows: dict[str, dict[str, str]] = {}
    columns = {str(number): name for name, number in COLUMNS.items()}
    for oid, value in values.items():
        column, _, index = oid.removeprefix(f"{ENTITY}.").partition(".")
        if oid.startswith(f"{ENTITY}.") and column in columns and index.isdigit():
            rows.setdefault(index, {})[columns[column]] = value
    return {key: rows[key] for key in sorted(rows, key=int)}


def _kind(row: Row) -> str:
    """The class, as number or word, of "module(9)" the word."""
    return re.sub(r"\(\d+\)$", "", row.get("entPhysicalClass", "")).strip().lower()


def _named(row: Row) -> str:
    return " ".join(row.get(n, "") for n in ("entPhysicalName", "entPhysicalDescr"))


def _candidates(row: Row, holder: Row) -> Iterator[str | None]:
    yield told(row.get("entPhysicalName"))
    yield told(holder.get("entPhysicalName"))
    yield told(holder.get("entPhysicalDescr"))
    yield told(row.get("entPhysicalDescr"))


def _place(row: Row, holder: Row) -> str | None:
    """The first of its names that says a place, not what it is."""
    names = [n for n in _candidates(row, holder) if n]
    places = (n for n in names if decode_label(n).module.capacity_gib is None)
    return next(places, None)


def _slot(locator: str, row: Row, warnings: list[Warning]) -> SlotFacts:
    described = " ".join(filter(None, (told(row.get("entPhysicalDescr")), told(row.get("entPhysicalModelName")))))
    reading = decode_label(described)
    part = told(row.get("entPhysicalModelName"))
    serial = told(row.get("entPhysicalSerialNum"))
    module, _ = complete(
        replace(
            reading.module,
            part=part if part and not _SLOT.search(part) else reading.module.part,
            serial=serial,
            maker=told(row.get("entPhysicalMfgName")) or reading.module.maker,
        )
    )
    warnings.extend(Warning(f"slot {locator}", words) for words in (*reading.contradictions, *reading.remarks))
    if module.capacity_gib is None and not (part or serial):
        warnings.append(Warning(f"slot {locator}", "nothing is told of what is in it; it stays unknown"))
        return SlotFacts(locator=locator, bank=None, state=SlotState.UNKNOWN)
    return SlotFacts(locator=locator, bank=None, state=SlotState.FILLED, module=module if module != Module() else None)
