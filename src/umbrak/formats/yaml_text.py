"""YAML to plain data, remembering where every value stood, so that any later check can name its line."""

from __future__ import annotations

import difflib
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

import yaml
from pydantic import BaseModel, ValidationError

from umbrak.formats.faults import Fault, InputError

#: Sheets and cases are written by hand; a larger text is something else.
MAX_BYTES = 1 << 20
#: Values after aliases are followed: bounds "billion laughs".
MAX_VALUES = 100_000
MAX_DEPTH = 40

Path = tuple[str | int, ...]
M = TypeVar("M", bound=BaseModel)


@dataclass(frozen=True, slots=True)
class Document:
    """Plain data and the place of every value in it: path -> (line, column), both from 1."""

    data: Any
    places: Mapping[Path, tuple[int, int]]

    def fault(self, path: Path, message: str, code: str = "format") -> Fault:
        """A fault at a path; where the path itself has no place (a missing field), at what holds it."""
        at = path
        while at and at not in self.places:
            at = at[:-1]
        line, column = self.places.get(at, (1, 1))
        return Fault(message, f"line {line}", line, column, dotted(path), code)


def dotted(path: Path) -> str:
    """A path as people write it: processors.tarn.limits[0].scope."""
    text = ""
    for part in path:
        text += f"[{part}]" if isinstance(part, int) else f".{part}" if text else str(part)
    return text


def load_yaml(text: str | bytes) -> list[Document]:
    """Every document of a YAML (or JSON) text.

    Raises
        InputError   not UTF-8, too large, no YAML, a key given twice; with line and column
    """
    if len(text) > MAX_BYTES:
        raise InputError("too-large", [Fault(f"{len(text)} bytes; at most {MAX_BYTES} are read")])
    if isinstance(text, bytes):
        try:
            text = text.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise InputError("not-utf-8", [Fault(f"byte {error.start} is not UTF-8", f"byte {error.start}")]) from error
    try:
        nodes = [
            n
            for n in yaml.compose_all(text, yaml.CSafeLoader if hasattr(yaml, "CSafeLoader") else yaml.SafeLoader)
            if n
        ]
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        raise InputError(
            "not-yaml", [Fault(f"no YAML: {error.problem or error.context}", f"line {line}", line, column)]
        ) from error
    except yaml.YAMLError as error:
        raise InputError("not-yaml", [Fault(f"no YAML: {' '.join(str(error).split())}")]) from error
    except RecursionError as error:
        raise InputError("too-deep", [Fault("nested too deeply")]) from error
    return [_Builder().document(n) for n in nodes]


class _Builder:
    def __init__(self) -> None:
        self.places: dict[Path, tuple[int, int]] = {}
        self.faults: list[Fault] = []

    def document(self, node: yaml.Node) -> Document:
        data = self.build(node, ())
        if self.faults:
            raise InputError("not-yaml", self.faults)
        return Document(data, self.places)

    def build(self, node: yaml.Node, path: Path) -> Any:
        place = (node.start_mark.line + 1, node.start_mark.column + 1)
        self.places[path] = place
        if len(self.places) > MAX_VALUES or len(path) > MAX_DEPTH:
            raise InputError("too-large", [Fault("too many values, or nested too deeply", f"line {place[0]}", *place)])
        if isinstance(node, yaml.MappingNode):
            return self.mapping(node, path)
        if isinstance(node, yaml.SequenceNode):
            return [self.build(child, (*path, i)) for i, child in enumerate(node.value)]
        return _scalar(node)

    def mapping(self, node: yaml.MappingNode, path: Path) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key_node, value_node in node.value:
            key = key_node.value if isinstance(key_node, yaml.ScalarNode) else None
            line, column = key_node.start_mark.line + 1, key_node.start_mark.column + 1
            if key is None:
                self.faults.append(Fault("a key must be a plain word", f"line {line}", line, column, dotted(path)))
                continue
            if key in found:
                self.faults.append(Fault("given twice", f"line {line}", line, column, dotted((*path, key))))
            found[key] = self.build(value_node, (*path, key))
            self.places[*path, key] = (line, column)
        return found


def _scalar(node: yaml.Node) -> Any:
    """The value of a scalar. Dates stay text: the documents say themselves what they are."""
    text = node.value
    match node.tag.rsplit(":", 1)[-1]:
        case "null":
            return None
        case "bool":
            return text.lower() in ("true", "yes", "on")
        case "int":
            try:
                return int(text.replace("_", ""), 10)
            except ValueError:
                return text
        case "float":
            try:
                value = float(text.replace("_", ""))
            except ValueError:
                return text
            return value if math.isfinite(value) else text
        case _:
            return text


def check(document: Document, model: type[M], context: Any = None) -> M:
    """The document as a checked model. Raises InputError naming each wrong field with its line."""
    try:
        return model.model_validate(document.data, context=context)
    except ValidationError as error:
        raise InputError("wrong-field", [_fault(document, model, e) for e in error.errors()]) from error


def _fault(document: Document, model: type[BaseModel], error: Any) -> Fault:
    path = _real_path(document.data, error["loc"])
    kind, ctx, given = error["type"], error.get("ctx") or {}, error.get("input")
    if kind == "extra_forbidden":
        known = _known_fields(model, path[:-1])
        near = difflib.get_close_matches(str(path[-1]), known, 1)
        hint = f"; did you mean {near[0]}?" if near else f"; known here: {', '.join(sorted(known))}" if known else ""
        return document.fault(path, f"unknown field{hint}")
    if kind == "missing":
        return document.fault(path, "is missing")
    if kind == "string_type" and isinstance(given, int | float) and not isinstance(given, bool):
        return document.fault(path, f"{given} must be text here: put it in quotes")
    message = str(ctx["error"]) if kind == "value_error" else error["msg"].removeprefix("Input should be ")
    if kind in ("value_error",):
        return document.fault(path, message)
    shown = (
        "nothing"
        if given is None
        else repr(given)
        if not isinstance(given, dict | list)
        else "a block"
        if isinstance(given, dict)
        else "a list"
    )
    return document.fault(path, f"expected {message}, found {shown}")


def _real_path(data: Any, loc: tuple[str | int, ...]) -> Path:
    """The location without the names that Pydantic puts in for the branches of a union."""
    path: list[str | int] = []
    for i, part in enumerate(loc):
        inside = (isinstance(data, dict) and part in data) or (
            isinstance(data, list) and isinstance(part, int) and part < len(data)
        )
        if inside:
            path.append(part)
            data = data[part]
        elif i == len(loc) - 1 and isinstance(data, dict):
            path.append(part)
    return tuple(path)


def _known_fields(model: type[BaseModel], path: Path) -> list[str]:
    """Names of the fields that the model at this path has, as far as they can be followed."""
    schema = model.model_json_schema(by_alias=True)
    definitions = schema.get("$defs", {})

    def resolve(part: Any) -> list[Any]:
        if "$ref" in part:
            return resolve(definitions[part["$ref"].rsplit("/", 1)[-1]])
        return [r for p in part.get("anyOf", []) for r in resolve(p)] or [part]

    here = resolve(schema)
    for step in path:
        nearer = []
        for part in here:
            if isinstance(step, int):
                nearer += resolve(part["items"]) if "items" in part else []
            elif step in part.get("properties", {}):
                nearer += resolve(part["properties"][step])
            else:
                # A block of named things: its keys are free, or bound by a pattern.
                free = [part.get("additionalProperties"), *part.get("patternProperties", {}).values()]
                nearer += [r for values in free if isinstance(values, dict) for r in resolve(values)]
        here = nearer
    return [name for part in here for name in part.get("properties", {})]
