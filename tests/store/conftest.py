"""The demo's data, and somebody who may change it."""

from __future__ import annotations

from tests.services.conftest import technician

__all__ = ["technician"]
