"""Routers of the API: each has the whole path of its routes, so that the application takes them as they are. A router within a
router has all its routes worked out a second time, which is seconds of every start."""

from __future__ import annotations

import re
from collections.abc import Sequence

from fastapi import APIRouter
from fastapi.routing import APIRoute

from umbrak.server.guard import BODY_BYTES

BASE = "/api"


def operation_id(route: APIRoute) -> str:
    """Of method and path, so that it changes with nothing else: `get_machines_machine_id`."""
    method = min(route.methods or {"GET"}).lower()
    return "_".join([method, *re.findall(r"\w+", route.path_format.removeprefix(f"{BASE}/"))]).replace("-", "_")


def api_router(prefix: str = "", *, tags: Sequence[str]) -> APIRouter:
    """Of routes under /api; a body is at most as long as most of them need, where a route does not say otherwise."""
    return APIRouter(
        prefix=BASE + prefix, tags=list(tags), generate_unique_id_function=operation_id, max_body_size=BODY_BYTES
    )
