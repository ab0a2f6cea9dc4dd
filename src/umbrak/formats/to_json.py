"""Core values as JSON: the one shape that the command line and the API share."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from enum import Enum
from functools import cache
from typing import Any

from umbrak.core.memory.label import LabelReading


def jsonable(value: Any) -> Any:
    """Dataclasses, enums and tuples as plain JSON values, field names kept; whole numbers without ".0"."""
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, float):
        return int(value) if value.is_integer() else value
    if value is None or isinstance(value, str | int):
        return value
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name: jsonable(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, Mapping):
        return {str(k): jsonable(v) for k, v in value.items()}
    return [jsonable(v) for v in value]


def compact(value: Any) -> Any:
    """As `jsonable`, without members that are None or empty: a third of the size, for what is kept by the thousand.

    What is left out has to be its member's default, so that the document reads back equal.
    """
    if isinstance(value, Enum):
        return value.value
    if value is None or isinstance(value, str | int | float):
        return value
    if isinstance(value, list | tuple):
        return [compact(v) for v in value]
    return {
        name: compact(v) for name in _members(value.__class__) if (v := getattr(value, name)) is not None and v != ()
    }


@cache
def _members(kind: Any) -> tuple[str, ...]:
    return tuple(f.name for f in fields(kind))


#: Members of a reading that only some kinds of source tell: left out where there is nothing in them.
_OPTIONAL = ("description", "installed_gib", "usable_gib", "drives")


def reading_json(reading: object) -> dict[str, Any]:
    """What a file reports, with stable names (formats.md, `umbrak read --json`)."""
    document: dict[str, Any] = jsonable(reading)
    document = {k: v for k, v in document.items() if k not in _OPTIONAL or v}
    for slot in document.get("slots", []):
        if slot["health"] is None:
            del slot["health"]
    return document


def label_json(reading: LabelReading) -> dict[str, Any]:
    """A label's reading with stable names (formats.md, `umbrak label --json`)."""
    return {
        "text": reading.text,
        "module": jsonable(reading.module),
        "derived": list(reading.derived),
        "contradictions": list(reading.contradictions),
        "understood": [
            {"from": u.start, "to": u.end, "field": u.field, "value": jsonable(u.value)} for u in reading.understood
        ],
        "not_understood": [
            {"from": start, "to": end, "text": reading.text[start:end]} for start, end in reading.not_understood
        ],
        "kit": reading.kit,
    }
