"""The shape of an answer, from the fields of the sheet document: what a form can offer, without saying the fields twice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

from umbrak.formats.sheet.document import SheetDoc
from umbrak.formats.yaml_text import Path

#: text, number, flag or choice; list: of `of`; record: of `fields`; named: name -> `of`.
ShapeKind = Literal["text", "number", "flag", "choice", "list", "record", "named"]


@dataclass(frozen=True, slots=True)
class Shape:
    """What may stand at a place of a sheet."""

    kind: ShapeKind
    #: Of a choice.
    options: tuple[str | int, ...] = ()
    #: Of a number; None: no bound.
    least: float | None = None
    most: float | None = None
    whole: bool = False
    #: Of a text: whether it may have several lines; of a list or a named: how many at most.
    long: bool = False
    of: Shape | None = None
    fields: tuple[Field, ...] = ()
    #: Words beside the value: a fact may be "open" or "untold", a rule "none" too.
    words: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Field:
    """A member of a record."""

    name: str
    #: As people say it.
    label: str
    #: What it means, from the document's own fields.
    help: str
    shape: Shape
    required: bool


@cache
def shape_of(*path: str) -> Shape:
    """The shape at a path of names; "*" stands for any key of a block of named things and any item of a list.

    Raises KeyError where a sheet has no such place: a path of the program's own that is wrong.
    """
    here: Mapping[str, Any] = _schema()
    for step in path:
        here = _inside(here, step)
    return _shape(here)


@cache
def names_at(path: Path) -> tuple[str, ...]:
    """Names of the fields of the block at a path, in the order in which sheets write them; none where keys are free."""
    here: Mapping[str, Any] = _schema()
    for step in path:
        try:
            here = _inside(here, "*" if isinstance(step, int) else step)
        except KeyError:
            return ()
    return tuple(_told(here).get("properties", {}))


@cache
def _schema() -> dict[str, Any]:
    return SheetDoc.model_json_schema(by_alias=True)


def _resolved(part: Mapping[str, Any]) -> Mapping[str, Any]:
    while "$ref" in part:
        part = _schema()["$defs"][part["$ref"].rsplit("/", 1)[-1]]
    return part


_UNSAID = ("open", "untold", "none")


def _branches(part: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """What a union may be, without null."""
    part = _resolved(part)
    inside = [*part.get("anyOf", ()), *part.get("oneOf", ())]
    if not inside:
        return [] if part.get("type") == "null" else [part]
    return [b for each in inside for b in _branches(each)]


def _words(part: Mapping[str, Any]) -> tuple[str, ...]:
    return tuple(w for b in _branches(part) if set(b.get("enum", ())) <= set(_UNSAID) for w in b.get("enum", ()))


def _told(part: Mapping[str, Any]) -> Mapping[str, Any]:
    """Of a union the branch that tells: not a word for what is not told, and the fullest notation."""
    branches = [
        b
        for b in _branches(part)
        if not ("enum" in b and set(b["enum"]) <= set(_UNSAID)) and "seen" not in b.get("properties", {})
    ]
    # A record says more than a list, a list of numbers more than one; a clause is text, though a number will do.
    return max(branches, key=lambda b: _FULLNESS.get(b.get("type", ""), 9))


_FULLNESS = {"number": 1, "integer": 1, "string": 2, "array": 3, "object": 4}


def _inside(part: Mapping[str, Any], step: str) -> Mapping[str, Any]:
    here = _told(part)
    if here.get("type") == "array":
        items: Mapping[str, Any] = here["items"]
        return items if step == "*" else _inside(items, step)
    if step in here.get("properties", {}):
        named: Mapping[str, Any] = here["properties"][step]
        return named
    free: list[Mapping[str, Any]] = [
        *here.get("patternProperties", {}).values(),
        *([here["additionalProperties"]] if isinstance(here.get("additionalProperties"), dict) else []),
    ]
    if free:
        return free[0]
    raise KeyError(step)


def _shape(part: Mapping[str, Any]) -> Shape:
    here, words = _told(part), _words(part)
    if "const" in here:
        return Shape("choice", options=(here["const"],), words=words)
    if "enum" in here:
        return Shape("choice", options=tuple(here["enum"]), words=words)
    match here.get("type"):
        case "boolean":
            return Shape("flag", words=words)
        case "integer" | "number":
            least, most = here.get("minimum", here.get("exclusiveMinimum")), here.get("maximum")
            return Shape("number", least=least, most=most, whole=here["type"] == "integer", words=words)
        case "string":
            return Shape("text", long=here.get("maxLength", 0) > 200, words=words)
        case "array":
            return Shape("list", of=_shape(here["items"]), most=here.get("maxItems"), words=words)
    if "properties" in here:
        needed = set(here.get("required", ()))
        return Shape(
            "record",
            fields=tuple(
                Field(name, label_of(name), _help(p), _shape(p), name in needed)
                for name, p in here["properties"].items()
            ),
            words=words,
        )
    return Shape("named", of=_shape(_inside(here, "*")), words=words)


def _help(part: Mapping[str, Any]) -> str:
    return str(part.get("description", ""))


_UNITS = {"mts": "MT/s", "gib": "GB", "gbit": "Gbit", "v": "V", "mm": "mm", "min": "min", "s": "s", "mib": "MB"}
#: Names that are no words of their own.
_LABELS = {
    "dpc": "modules in the channel",
    "ecc": "ECC",
    "package_ranks": "package ranks",
    "rails_v": "rails, V",
    "do": "to open",
    "close": "to close",
    "bays_out": "bays out",
    "bays_ease": "bays that ease it when out",
    "least_per_processor": "modules a processor at least",
    "alike": "the same in all",
    "alike_in_set": "the same within a set",
    "capacity_gib": "GB",
    "rate_mts": "MT/s",
    "where": "which one",
    "hard": "physical",
    "fill": "sets in order",
    "counts": "sets by number of modules",
    "other_counts": "other numbers of modules are",
    "otherwise": "the right number in other slots is",
    "kind": "from whom",
    "rates_mts": "rates, MT/s",
    "first": "from",
    "hand": "the hand's path",
}


def label_of(name: str) -> str:
    """A field's name as people say it."""
    if name in _LABELS:
        return _LABELS[name]
    head, _, unit = name.rpartition("_")
    return f"{head.replace('_', ' ')}, {_UNITS[unit]}" if head and unit in _UNITS else name.replace("_", " ")
