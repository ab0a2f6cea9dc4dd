"""Times as they are told on paper: in the machine's own zone."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from umbrak.services.known.loading import Loaded


class Clock:
    def __init__(self, m: Loaded) -> None:
        self.zone = m.row.zone
        self._zone = ZoneInfo(m.row.zone)

    def __call__(self, at: datetime) -> str:
        return at.astimezone(self._zone).strftime("%Y-%m-%d %H:%M")
