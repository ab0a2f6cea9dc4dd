"""The API's own description, with what FastAPI cannot know: that an answer always has all its fields, who may ask, what
the code's comments say of a field, and what a request looks like."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fastapi import FastAPI
from fastapi.dependencies.models import Dependant
from fastapi.openapi.utils import get_openapi
from fastapi.routing import APIRoute, iter_route_contexts

from umbrak.server.cookies import SESSION
from umbrak.server.deps import get_account, get_human
from umbrak.server.described import describe_fields
from umbrak.server.examples import EXAMPLES
from umbrak.server.problems import ANYWHERE
from umbrak.server.routing import operation_id

_PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
_SCHEMES = {
    "session": {
        "type": "apiKey",
        "in": "cookie",
        "name": SESSION,
        "description": f"A person's, set by POST /api/session; over TLS its name is __Host-{SESSION}.",
    },
    "token": {
        "type": "http",
        "scheme": "bearer",
        "description": "A script's: made under People or by `umbrak token add`, with a role and an end.",
    },
}
_ABOUT = (
    "Plans memory upgrades, orders for them, does them by a run sheet and proves the result. Errors are problem documents "
    "(RFC 9457). Ids of operations follow from method and path, and change only with those. docs/api.md has recipes."
)


def api_routes(app: FastAPI) -> Iterator[Any]:
    """Every operation, with the path that it has in the application."""
    return (
        r for r in iter_route_contexts(app.routes) if isinstance(r.original_route, APIRoute) and r.include_in_schema
    )


def describe_api(app: FastAPI) -> dict[str, Any]:
    """OpenAPI 3.1. Fields of answers are marked required; of requests, only those that must be given."""
    if app.openapi_schema is None:
        api = get_openapi(title=app.title, version=app.version, routes=app.routes, description=_ABOUT)
        schemas = api["components"]["schemas"]
        api["components"]["responses"] = {"Problem": {"description": ANYWHERE, "content": _PROBLEM}}
        api["components"]["securitySchemes"] = _SCHEMES
        asks = {operation_id(r): _security(r.dependant) for r in api_routes(app)}
        asked = set()
        for operations in api["paths"].values():
            for operation in operations.values():
                asked |= _reached(operation.get("requestBody", {}), schemas)
                operation["responses"]["default"] = {"$ref": "#/components/responses/Problem"}
                operation["security"] = asks[operation["operationId"]]
                if stream := operation["responses"].get("200", {}).get("content", {}).get("text/event-stream"):
                    stream.pop("itemSchema", None)  # a word of OpenAPI 3.2
                    stream["schema"] = {
                        "type": "string",
                        "description": "Server-sent events, for as long as it is open.",
                    }
                for media in operation.get("requestBody", {}).get("content", {}).values():
                    if example := EXAMPLES.get(operation["operationId"]):
                        media["example"] = example
        for name, schema in schemas.items():
            if name not in asked and name != "Problem" and "properties" in schema:
                schema["required"] = list(schema["properties"])
        describe_fields(schemas)
        app.openapi_schema = api
    return app.openapi_schema


def _security(dependant: Dependant) -> list[dict[str, list[str]]]:
    """Who may ask: people alone, scripts too, or anybody."""
    calls = set(_calls(dependant))
    if get_human in calls:
        return [{"session": []}]
    return [{"session": []}, {"token": []}] if get_account in calls else []


def _calls(dependant: Dependant) -> Iterator[Any]:
    for one in dependant.dependencies:
        yield one.call
        yield from _calls(one)


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
