"""What many routes answer with, worked out once.

FastAPI asks pydantic for the shape of each route's answer by itself, and pydantic works a plain dataclass out anew each time, with
all that is in it: of a hundred and seventy routes that was most of a server's start. A class that has its core schema is taken at
its word, as pydantic does it with its own dataclasses.
"""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter


def work_out(*kinds: type) -> None:
    """Keep each one's core schema with it; what is part of others comes before them."""
    for kind in kinds:
        told: Any = kind
        told.__pydantic_core_schema__ = TypeAdapter(kind).core_schema
