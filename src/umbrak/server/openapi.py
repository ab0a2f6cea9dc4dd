"""The API's own description, with one thing that FastAPI cannot know: an answer always has all its fields."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from umbrak.server.problems import ANYWHERE

_PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}


def describe_api(app: FastAPI) -> dict[str, Any]:
    """OpenAPI 3.1. Fields of answers are marked required; of requests, only those that must be given."""
    if app.openapi_schema is None:
        api = get_openapi(title=app.title, version=app.version, routes=app.routes)
        schemas = api["components"]["schemas"]
        api["components"]["responses"] = {"Problem": {"description": ANYWHERE, "content": _PROBLEM}}
        asked = set()
        for operations in api["paths"].values():
            for operation in operations.values():
                asked |= _reached(operation.get("requestBody", {}), schemas)
                operation["responses"]["default"] = {"$ref": "#/components/responses/Problem"}
        for name, schema in schemas.items():
            if name not in asked and name != "Problem" and "properties" in schema:
                schema["required"] = list(schema["properties"])
        app.openapi_schema = api
    return app.openapi_schema


def _reached(part: Any, schemas: dict[str, Any]) -> set[str]:
    """Names of the schemas that a part of the description refers to, directly or through others."""
    found: set[str] = set()
    waiting = list(_references(part))
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            waiting += _references(schemas[name])
    return found


def _references(part: Any) -> Iterator[str]:
    if isinstance(part, dict):
        if "$ref" in part:
            yield part["$ref"].rsplit("/", 1)[-1]
        for value in part.values():
            yield from _references(value)
    elif isinstance(part, list):
        for value in part:
            yield from _references(value)
