"""Scripts and styles of the pages, as they were compressed when they were built."""

from __future__ import annotations

import mimetypes

from fastapi import Response
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.types import Scope

#: Coding -> ending of the file that has it, the smaller first.
_CODINGS = {"br": ".br", "gzip": ".gz"}


class Assets(StaticFiles):
    """Files whose names carry their hash: kept for good, sent in the smallest coding that is there and that is taken."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        taken = _taken(Headers(scope=scope).get("Accept-Encoding", ""))
        for coding, ending in _CODINGS.items():
            if coding in taken and self.lookup_path(path + ending)[1] is not None:
                response = await super().get_response(path + ending, scope)
                response.headers["Content-Encoding"] = coding
                response.headers["Content-Type"] = mimetypes.guess_type(path)[0] or "application/octet-stream"
                break
        else:
            response = await super().get_response(path, scope)
        response.headers["Vary"] = "Accept-Encoding"
        if response.status_code in (200, 206, 304):
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def _taken(header: str) -> set[str]:
    """Codings that a browser takes (RFC 9110, 12.5.3); one with a weight of zero is one that it does not."""
    found = set()
    for part in header.split(","):
        coding, _, weight = part.partition(";")
        if weight.replace(" ", "") not in ("q=0", "q=0.0", "q=0.00", "q=0.000"):
            found.add(coding.strip().lower())
    return found
