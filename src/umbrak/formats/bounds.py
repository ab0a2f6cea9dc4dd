"""How much of anything untrusted is read, and for how long."""

from __future__ import annotations

import time

from umbrak.formats.faults import Fault, InputError

#: Of one file or answer [bytes].
MAX_BYTES = 20 << 20
#: Spent on one file [s].
MAX_SECONDS = 5.0


def check_size(size: int, unit: str = "bytes") -> None:
    """Raises InputError when it is more than is read."""
    if size > MAX_BYTES:
        raise InputError("too-large", [Fault(f"{size} {unit}; at most {MAX_BYTES} are read", "the whole")])


class Deadline:
    """Gives up on a file that takes too long, naming how far it was read."""

    def __init__(self, seconds: float = MAX_SECONDS) -> None:
        self._seconds = seconds
        self._end = time.monotonic() + seconds

    def check(self, where: str) -> None:
        """Raises InputError once the time is over. `where` is what was reached, such as "line 7"."""
        if time.monotonic() > self._end:
            raise InputError("too-slow", [Fault(f"reading took more than {self._seconds:g} s and was given up", where)])
