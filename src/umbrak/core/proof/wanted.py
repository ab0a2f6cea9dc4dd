"""What a proof is made of: the one list that the run sheet's steps and the proof share."""

from __future__ import annotations

from enum import StrEnum


class Wanted(StrEnum):
    SLOTS = "slots"
    TEST = "memory test"
    #: Slots once more, after what was opened again for the first look was closed.
    AGAIN = "slots after closing"
    ALERTS = "alerts"
    SEARCH = "fault search"
    SOAK = "soak"
    STEPS = "run sheet"
    #: Signing off: it follows from all the others.
    DUTY = "duty"
