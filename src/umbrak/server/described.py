"""What the code's own comments say of the fields of documents, for the API's description: one text, for both readers."""

from __future__ import annotations

import ast
import inspect
import sys
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import BaseModel

#: Where the server's documents are.
_ROOMS = tuple(f"umbrak.{room}." for room in ("core", "formats", "store", "devices", "services", "server"))


def describe_fields(schemas: dict[str, Any]) -> None:
    """Give each field the comment (`#:`) that stands over it in the code, where nothing says more already."""
    by_name = _classes()
    for name, schema in schemas.items():
        shown = schema.get("properties", {})
        kinds = by_name.get(name.removesuffix("-Input").removesuffix("-Output"), ())
        # Others of that name are no documents here: their fields are not these.
        words = next((comments_of(kind) for kind in kinds if shown and shown.keys() <= _fields(kind)), {})
        for field, shape in shown.items():
            if "description" not in shape and field in words:
                shape["description"] = words[field]


def _classes() -> dict[str, list[type]]:
    """Every class of ours that may be a document: by its name, and by that with its module's before it."""
    found: dict[str, list[type]] = {}
    for name, module in list(sys.modules.items()):
        if not name.startswith(_ROOMS):
            continue
        for kind in list(vars(module).values()):
            if isinstance(kind, type) and kind.__module__ == name and _is_document(kind):
                found.setdefault(kind.__name__, []).append(kind)
                found[f"{name.replace('.', '__')}__{kind.__name__}"] = [kind]
    return found


def _fields(kind: Any) -> set[str]:
    """Names of its fields, and those under which they are shown."""
    if issubclass(kind, BaseModel):
        return {*kind.model_fields, *(str(f.serialization_alias) for f in kind.model_fields.values())}
    return set(kind.__dataclass_fields__)


def _is_document(kind: type) -> bool:
    return issubclass(kind, BaseModel) or hasattr(kind, "__dataclass_fields__")


def comments_of(kind: type) -> dict[str, str]:
    """Field -> what the comment over it says, those of the classes that it extends too."""
    found: dict[str, str] = {}
    for each in reversed(kind.__mro__):
        if each.__module__.split(".")[0] == "umbrak":
            found |= _module_comments(inspect.getfile(each)).get(each.__qualname__, {})
    return found


@cache
def _module_comments(path: str) -> dict[str, dict[str, str]]:
    """Class -> field -> comment, of one file."""
    text = Path(path).read_text("utf-8")
    lines = text.splitlines()
    return {
        node.name: {
            member.target.id: words
            for member in node.body
            if isinstance(member, ast.AnnAssign)
            and isinstance(member.target, ast.Name)
            and (words := _over(lines, member.lineno))
        }
        for node in ast.parse(text).body
        if isinstance(node, ast.ClassDef)
    }


def _over(lines: list[str], line: int) -> str:
    """The `#:` comment that ends over a line (1-based), as one text."""
    found: list[str] = []
    for above in reversed(lines[: line - 1]):
        stripped = above.strip()
        if not stripped.startswith("#"):
            break
        found.append(stripped.lstrip("#").removeprefix(":").strip())
        if stripped.startswith("#:"):
            return " ".join(reversed(found))
    return ""
