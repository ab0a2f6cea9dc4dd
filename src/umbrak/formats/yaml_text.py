"""YAML to plain data, remembering where every value stood, so that any later check can name its line."""

from __future__ import annotations

import difflib
import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, TypeVar

import yaml
from pydantic import BaseModel, ValidationError

from umbrak.formats.bounds import MAX_FAULTS, Deadline
from umbrak.formats.faults import Fault, InputError, more_faults
from umbrak.formats.text import cleaned

#: Sheets and cases are written by hand; a larger text is something else.
MAX_BYTES = 1 << 20
#: Values after aliases are followed: bounds "billion laughs".
MAX_VALUES = 100_000
MAX_DEPTH = 40
#: Of a field's name [characters].
MAX_KEY = 200

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
        return Fault(message=message, where=f"line {line}", line=line, column=column, path=dotted(path), code=code)


def dotted(path: Path) -> str:
    """A path as people write it: processors.tarn.limits[0].scope."""
    text = ""
    for part in path:
        text += f"[{part}]" if isinstance(part, int) else f".{part}" if text else str(part)
    return text


def load_yaml(text: str | bytes, deadline: Deadline | None = None) -> list[Document]:
    """Every document of a YAML (or JSON) text.

    Raises
        InputError   not UTF-8, too large, too deep, too slow, no YAML, a key given twice; with line and column
    """
    deadline = deadline or Deadline()
    if len(text) > MAX_BYTES:
        raise InputError("too-large", [Fault(f"{len(text)} bytes; at most {MAX_BYTES} are read")])
    if isinstance(text, bytes):
        try:
            text = text.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise InputError("not-utf-8", [Fault(f"byte {error.start} is not UTF-8", f"byte {error.start}")]) from error
    try:
        nodes = list(_nodes(text, deadline))
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        raise InputError(
            "not-yaml",
            [
                Fault(
                    message=f"no YAML: {error.problem or error.context}", where=f"line {line}", line=line, column=column
                )
            ],
        ) from error
    except (yaml.YAMLError, UnicodeEncodeError) as error:
        raise InputError("not-yaml", [Fault(f"no YAML: {cleaned(str(error), 200)}")]) from error
    return [_Builder(deadline).document(n) for n in nodes]


@dataclass(frozen=True, slots=True)
class _Scalar:
    tag: str
    value: str
    line: int
    column: int


@dataclass(frozen=True, slots=True)
class _Collection:
    mapping: bool
    #: Values in order; of a mapping each key before its value.
    parts: list[_Node]
    anchor: str | None
    line: int
    column: int


_Node = _Scalar | _Collection


def _nodes(text: str, deadline: Deadline) -> Iterator[_Node]:
    """The root node of every document.

    Made from the parser's events, which come one after another however deep the text is nested: the library's own
    composer recurses in C, so that a text of nothing but brackets would end the process.
    """
    anchors: dict[str, _Node] = {}
    open_: list[_Collection] = []
    for count, event in enumerate(yaml.parse(text, yaml.CSafeLoader)):
        line, column = (event.start_mark.line + 1, event.start_mark.column + 1) if event.start_mark else (1, 1)
        if count % 1024 == 0:
            deadline.check(f"line {line}")
            _check_bounds(count, 0, line, column)
        match event:
            case yaml.CollectionStartEvent():
                open_.append(_Collection(isinstance(event, yaml.MappingStartEvent), [], event.anchor, line, column))
                _check_bounds(count, len(open_), line, column)
                continue
            case yaml.CollectionEndEvent():
                node: _Node = open_.pop()
                anchor = node.anchor if isinstance(node, _Collection) else None
            case yaml.ScalarEvent():
                node, anchor = _Scalar(_tag(event), event.value, line, column), event.anchor
            case yaml.AliasEvent():
                # A collection has its name once it is closed: one told within itself is unknown there.
                if event.anchor not in anchors:
                    raise InputError(
                        "not-yaml",
                        [
                            Fault(
                                message=f"*{event.anchor} names nothing", where=f"line {line}", line=line, column=column
                            )
                        ],
                    )
                node, anchor = anchors[event.anchor], None
            case yaml.DocumentStartEvent():
                anchors.clear()
                continue
            case _:
                continue
        if anchor:
            anchors[anchor] = node
        if open_:
            open_[-1].parts.append(node)
        else:
            yield node


_TAGS = yaml.resolver.Resolver()


def _tag(event: yaml.ScalarEvent) -> str:
    return event.tag or str(_TAGS.resolve(yaml.ScalarNode, event.value, event.implicit))  # type: ignore[no-untyped-call]


def _check_bounds(values: int, depth: int, line: int, column: int) -> None:
    if values > MAX_VALUES or depth > MAX_DEPTH:
        deep = depth > MAX_DEPTH
        message = f"nested more than {MAX_DEPTH} deep" if deep else f"more than {MAX_VALUES} values"
        raise InputError(
            "too-deep" if deep else "too-large",
            [Fault(message=message, where=f"line {line}", line=line, column=column)],
        )


class _Builder:
    def __init__(self, deadline: Deadline) -> None:
        self.places: dict[Path, tuple[int, int]] = {}
        self.faults: list[Fault] = []
        self.deadline = deadline

    def document(self, node: _Node) -> Document:
        data = self.build(node, ())
        if self.faults:
            raise InputError("not-yaml", self.faults[:MAX_FAULTS])
        return Document(data, self.places)

    def build(self, node: _Node, path: Path) -> Any:
        self.places[path] = (node.line, node.column)
        if len(self.places) % 1024 == 0:
            self.deadline.check(f"line {node.line}")
        # Aliases are followed here: a few of them stand for any number of values, at any depth.
        _check_bounds(len(self.places), len(path), node.line, node.column)
        if isinstance(node, _Scalar):
            return _scalar(node)
        if node.mapping:
            return self.mapping(node, path)
        return [self.build(child, (*path, i)) for i, child in enumerate(node.parts)]

    def mapping(self, node: _Collection, path: Path) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key_node, value_node in zip(node.parts[::2], node.parts[1::2], strict=True):
            key = key_node.value if isinstance(key_node, _Scalar) else None
            where = (f"line {key_node.line}", key_node.line, key_node.column)
            if key is None or len(key) > MAX_KEY:
                message = "a key must be a plain word" if key is None else f"a key has at most {MAX_KEY} characters"
                self.faults.append(Fault(message, *where, dotted(path)))
                continue
            if key in found:
                self.faults.append(Fault("given twice", *where, dotted((*path, key))))
            found[key] = self.build(value_node, (*path, key))
            self.places[*path, key] = (key_node.line, key_node.column)
        return found


#: A number is longer than this only to do harm [characters].
_MAX_NUMBER = 40
_MAX_DIGITS = 18


def _scalar(node: _Scalar) -> Any:
    """The value of a scalar. Dates stay text: the documents say themselves what they are. So do numbers that are longer
    than any quantity, or written with underscores."""
    text = node.value
    match node.tag.rsplit(":", 1)[-1]:
        case "null":
            return None
        case "bool":
            return text.lower() in ("true", "yes", "on")
        case "int":
            return int(text, 10) if re.fullmatch(r"[-+]?[0-9]+", text) and len(text) <= _MAX_DIGITS else text
        case "float" if len(text) <= _MAX_NUMBER and "_" not in text:
            try:
                value = float(text)
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
        wrong = error.errors(include_url=False)
        faults = [_fault(document, model, e) for e in wrong[:MAX_FAULTS]]
        if len(wrong) > MAX_FAULTS:
            faults.append(replace(faults[-1], message=more_faults(len(wrong) - MAX_FAULTS), path=""))
        raise InputError("wrong-field", faults) from error


def _fault(document: Document, model: type[BaseModel], error: Any) -> Fault:
    path = _real_path(document.data, error["loc"])
    kind, ctx, given = error["type"], error.get("ctx") or {}, error.get("input")
    if kind == "extra_forbidden":
        known = _known_fields(model, path[:-1])
        near = difflib.get_close_matches(str(path[-1])[:MAX_KEY], known, 1)
        hint = f"; did you mean {near[0]}?" if near else f"; known here: {', '.join(sorted(known))}" if known else ""
        return replace(
            document.fault(path, f"unknown field{hint}"),
            stands=str(path[-1]) if near else "",
            cure=near[0] if near else "",
        )
    if kind == "missing":
        return document.fault(path, "is missing")
    if kind == "string_type" and isinstance(given, int | float) and not isinstance(given, bool):
        return document.fault(path, f"{_shown(given)} must be text here: put it in quotes")
    message = str(ctx["error"]) if kind == "value_error" else error["msg"].removeprefix("Input should be ")
    if kind in ("value_error",):
        return document.fault(path, message)
    shown = (
        "nothing"
        if given is None
        else _shown(given)
        if not isinstance(given, dict | list)
        else "a block"
        if isinstance(given, dict)
        else "a list"
    )
    fault = document.fault(path, f"expected {message}, found {shown}")
    options = re.findall(r"'([^']+)'", str(ctx.get("expected", ""))) if kind == "literal_error" else []
    near = difflib.get_close_matches(given, options, 1) if isinstance(given, str) and len(given) <= MAX_KEY else []
    return (
        replace(fault, message=f"{fault.message}; did you mean {near[0]}?", stands=given, cure=near[0])
        if near
        else fault
    )


def _shown(given: object) -> str:
    """A wrong value as the fault shows it."""
    text = repr(given[:61] if isinstance(given, str) else given)
    return text if len(text) <= 64 else f"{text[:60]}…"


#: Names of a union's branches that begin so stand in no document.
BRANCH = "fact:"


def _real_path(data: Any, loc: tuple[str | int, ...]) -> Path:
    """The location without the names that Pydantic puts in for the branches of a union."""
    path: list[str | int] = []
    loc = tuple(part for part in loc if not str(part).startswith(BRANCH))
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


@cache
def _schema(model: type[BaseModel]) -> dict[str, Any]:
    """A model's JSON Schema, made once: it takes tens of milliseconds."""
    return model.model_json_schema(by_alias=True)


def _known_fields(model: type[BaseModel], path: Path) -> list[str]:
    """Names of the fields that the model at this path has, as far as they can be followed."""
    schema = _schema(model)
    definitions = schema.get("$defs", {})

    def resolve(part: Any) -> list[Any]:
        if "$ref" in part:
            return resolve(definitions[part["$ref"].rsplit("/", 1)[-1]])
        return [r for p in (*part.get("anyOf", ()), *part.get("oneOf", ())) for r in resolve(p)] or [part]

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
